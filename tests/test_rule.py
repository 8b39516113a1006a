"""Rules in words, and as records: what is said is what is read again."""

from __future__ import annotations

import fnmatch

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.harbours import DebHarbour
from velpin.errors import HostFileError, Refusal
from velpin.files.tree import Tree
from velpin.kinds.deb import DebPorts
from velpin.kinds.deb.control import read_stanzas
from velpin.kinds.deb.preferences import Preferences, parse_preferences
from velpin.kinds.deb.rules.selector import pin_of, text_of
from velpin.kinds.deb.rules.store import (
    HEAD,
    PreferencesDraft,
    edits_replacing,
    record,
    recorded_rules,
    rule_of,
    without_records,
)
from velpin.kinds.rpm_dnf.rules import _other_epochs, _others
from velpin.kinds.rpm_zypp.rules import _outside
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule, command_of, read_rule

# -- as a command ------------------------------------------------------------------------

name = st.from_regex(r"[a-z][a-z0-9.+-]{0,8}\*?(:amd64)?", fullmatch=True)
names = st.lists(name, min_size=1, max_size=3, unique=True).map(tuple)
handle = st.from_regex(r"[a-z][a-z0-9.-]{0,8}", fullmatch=True)
handles = st.lists(handle, min_size=1, max_size=2).map(tuple)
version = st.from_regex(r"[0-9][0-9a-z.+~:-]{0,8}\*?", fullmatch=True)
yes, boolean = st.just(True), st.booleans()


rules = st.one_of(
    st.builds(Prefer, source=handle, over=handles, under=handles),
    st.builds(Prefer, source=handle, over_all=yes),
    st.builds(Confine, names=names, source=handle),
    st.builds(Pin, names=names, version=version, allow_older=boolean),
    st.builds(Pin, names=names, source=handle),
    st.builds(Pin, names=names, version=version, source=handle),
    st.builds(Bar, names=names, source=handle),
    st.builds(Bar, names=names, version=version),
    st.builds(Bar, names=names, source=handle, pre_releases=yes),
    st.builds(Bar, source=handle, components=handles),
    st.builds(Keep, names=names),
)


@given(rules)
def test_the_command_says_the_rule(rule: Rule) -> None:
    assert read_rule(command_of(rule)) == rule


@given(rules)
def test_the_record_says_the_rule(rule: Rule) -> None:
    found = Preferences()
    text = record(rule, rule.names or ["*"], "release o=Mooring", 600)
    parse_preferences(text, "p", found)
    (one,) = found.records
    (stanza,) = read_stanzas(text)
    assert (rule_of(stanza), one.priority, one.pin.text) == (rule, 600, "o=Mooring")


@pytest.mark.parametrize(
    "text",
    ["", "velpin", "velpin keep", "somebody wrote this", "velpin forecast gull", "velpin pin 'gull",
     "velpin keep gull --yes", "velpin pin gull@1 gull@2", "velpin keep --from a gull"],
)  # fmt: skip
def test_other_words_say_none(text: str) -> None:
    assert read_rule(text) is None


# -- in files ----------------------------------------------------------------------------

OWN = "etc/apt/preferences.d/00velpin.pref"
KEEP, PIN = Keep(("gull",)), Pin(("tern",), "1.*")
CONFINE = Confine("vendor", ("gull*",))


def draft(rule: Rule, file: str = OWN) -> PreferencesDraft:
    return PreferencesDraft(rule, file, (record(rule, rule.names, "release o=x", 7),))


def write(host: DebPorts, gone: list[Rule], *drafts: PreferencesDraft) -> str | None:
    written = [one for one in recorded_rules(host.state) if one.rule in gone]
    edits = edits_replacing(host.tree, written, drafts)
    for file, data in edits.items():
        if data is None:
            (host.tree.root / file).unlink()
        else:
            path = host.tree.root / file
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
    path = host.tree.root / OWN
    return path.read_text() if path.exists() else None


def test_what_speaks_of_fewer_stands_first(harbour: DebHarbour) -> None:
    write(harbour.ports(), [], draft(CONFINE))
    write(harbour.ports(), [], draft(PIN))
    text = write(harbour.ports(), [], draft(KEEP))
    assert text is not None
    assert text.startswith(HEAD + "\n\nExplanation: velpin keep gull\n")
    assert [one.rule for one in recorded_rules(harbour.ports().state)] == [KEEP, PIN, CONFINE]
    assert write(harbour.ports(), [KEEP, PIN, CONFINE]) is None


def test_what_others_wrote_there_stays_to_the_byte(harbour: DebHarbour) -> None:
    others = "# mine\nPackage: kelp\nPin: version 3\nPin-Priority: 9\n# end"
    harbour.put(OWN, f"{HEAD}\n\n{others}\n")
    text = write(harbour.ports(), [], draft(KEEP), draft(PIN))
    assert text is not None
    assert others in text
    assert text.index("velpin keep") < text.index("velpin pin") < text.index("# mine")
    assert write(harbour.ports(), [KEEP, PIN]) == f"{HEAD}\n\n{others}\n"


@pytest.mark.parametrize(
    "odd", ["nonsense\n", "Package: a\nPin: version 1\nPin-Priority: 1\nwhat\n"]
)
def test_a_file_that_is_not_understood_is_never_rewritten(harbour: DebHarbour, odd: str) -> None:
    harbour.put(OWN, odd)
    with pytest.raises(HostFileError, match="not understood") as caught:
        write(harbour.ports(), [], draft(KEEP))
    assert (caught.value.file, caught.value.line) == (OWN, odd.count("\n"))
    assert harbour.read(OWN) == odd


@given(st.lists(st.sampled_from(["Package: a\nPin: version 1\nPin-Priority: 1\n", "# note\n",
                                 "Package: b\nPin: version 2\nPin-Priority: 2\n"]), max_size=6))  # fmt: skip
def test_records_are_cut_out_whole(parts: list[str]) -> None:
    text = "\n".join(parts)
    found = Preferences()
    parse_preferences(text, "p", found)
    for one in found.records:
        left = Preferences()
        cut = without_records(text, [one.place.line])
        parse_preferences(cut, "p", left)
        rest = [other for other in found.records if other is not one]
        assert [(r.names, r.priority) for r in left.records] == [
            (r.names, r.priority) for r in rest
        ]
        assert cut.count("# note") == text.count("# note")


def test_a_rule_somebody_else_wrote_about_is_not_ours() -> None:
    (stanza,) = read_stanzas("Explanation: keep the gull\nPackage: gull\nPin: version 1\n")
    assert rule_of(stanza) is None


# -- what a record can select ------------------------------------------------------------


@pytest.mark.parametrize(
    ("mine", "other", "text"),
    [
        ({"Origin": "A", "Label": "L"}, {"Origin": "B"}, "release o=A"),
        ({"Origin": "A", "Label": "L"}, {"Origin": "A", "Label": "M"}, "release l=L"),
        ({"Origin": "A", "Suite": "s", "Codename": "n"}, {"Origin": "A", "Suite": "t", "Codename": "m"}, "release n=n"),
        ({"Origin": "A, B"}, {"Origin": "C"}, "release o=A? B"),
        ({"Origin": "*"}, {"Origin": "C"}, "release n=jetty"),
        ({"Origin": "A", "Label": "L"}, {"Origin": "A", "Label": "M", "Codename": "m"}, "release l=L"),
    ],
)  # fmt: skip
def test_the_shortest_text_that_means_only_the_source(
    harbour: DebHarbour, mine: dict[str, str], other: dict[str, str], text: str
) -> None:
    for name_, head, suite in (("mine", mine, "jetty"), ("other", other, "quay")):
        address = harbour.repository(name_, ("gull", "1"), suite=suite, fields=head)
        harbour.source_at(name_, address, suite)
    host = harbour.ready_ports()
    assert text_of(pin_of(host.state, [host.state.configuration.by_handle["mine"]])) == text


def test_two_that_nothing_tells_apart(harbour: DebHarbour) -> None:
    for one in ("one", "two"):
        harbour.source(one, ("gull", "1"), Origin="Same", Label="Same")
    host = harbour.ready_ports()
    with pytest.raises(Refusal, match=r"cannot tell one from two: .*Origin Same, Label Same") as no:
        pin_of(host.state, [host.state.configuration.by_handle["one"]])
    assert "Origin or Label of its own" in (no.value.hint or "")
    assert (
        text_of(
            pin_of(
                host.state,
                [
                    host.state.configuration.by_handle["one"],
                    host.state.configuration.by_handle["two"],
                ],
            )
        )
        == "release o=Same"
    )


def test_a_source_that_was_never_fetched(harbour: DebHarbour) -> None:
    harbour.source("base", ("gull", "1"))
    host = harbour.ports()
    with pytest.raises(Refusal, match="no index here"):
        pin_of(host.state, [host.state.configuration.by_handle["base"]])
    assert isinstance(host.tree, Tree)


# -- as patterns of an rpm host -----------------------------------------------------------

KNOWN_EPOCHS = (0, 3, 9, 12, 30, 99, 100, 250)


@pytest.mark.parametrize("epoch", [*range(13), 30, 99, 100])
def test_every_other_epoch_is_meant(epoch: int) -> None:
    globs = list(_other_epochs(epoch, KNOWN_EPOCHS))
    for other in {*range(10), *KNOWN_EPOCHS, *range(10, epoch + 5)}:
        meant = any(fnmatch.fnmatchcase(str(other), glob) for glob in globs)
        assert meant == (other != epoch), (other, globs)


@given(
    st.text(alphabet="12.a", min_size=1, max_size=6),
    st.text(alphabet="12.a", min_size=1, max_size=6),
)
def test_every_text_that_begins_otherwise_is_meant(wanted: str, other: str) -> None:
    meant = any(fnmatch.fnmatchcase(other, glob) for glob in _others(wanted))
    assert meant == (not other.startswith(wanted))


@pytest.mark.parametrize(
    ("bound", "outside"),
    [
        (">= 2-1", ["< 2-1"]), (">=2", ["< 2"]), ("<= 2", ["> 2"]), ("< 2", [">= 2"]),
        ("> 2", ["<= 2"]), ("== 2", ["< 2", "> 2"]), ("==2-1", ["< 2-1", "> 2-1"]),
    ],
)  # fmt: skip
def test_what_lies_outside_a_bound(bound: str, outside: list[str]) -> None:
    assert _outside(bound) == outside
