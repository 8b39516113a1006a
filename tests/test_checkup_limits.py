"""Where each check begins and ends: the value just below, the value itself, the value just above.

The hosts here are as little as a check asks for; whole ones are in `test_checkup`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from types import SimpleNamespace
from typing import Any

import pytest

from tests.made_keys import key
from velpin.core.checkup.examination import DAY, Examination
from velpin.core.checkup.freshness import (
    check_ages,
    check_mirrors,
    check_support,
    last_looked_at,
    usual_life,
)  # fmt: skip
from velpin.core.checkup.order import check_same_content, check_takeovers, is_early
from velpin.core.checkup.packages import check_held, check_left_behind, check_sets
from velpin.core.checkup.silence import Silence
from velpin.core.checkup.trust import _origins_with_login, check_keys, check_rights, is_weak
from velpin.kinds.deb.next_release import _next_suite
from velpin.model.dates import day, seconds_of
from velpin.model.finding import Finding
from velpin.model.findings import WouldLeave
from velpin.model.reason import Place
from velpin.model.reasons import Unmet
from velpin.model.shift import Selection
from velpin.model.source import Source
from velpin.ports.checks import Mend
from velpin.trust.named import KeyPlace, NamedKeys
from velpin.trust.openpgp import Key

NOW = 1_800_000_000.0


def source(handle: str, address: str = "", **more: Any) -> Source:
    """A source that is on."""
    place = (Place(f"etc/{handle}", 1),)
    made = Source(
        handle, "", address or f"http://{handle}.example", "jetty", ("main",), "", True, place
    )
    return replace(made, **more)


@dataclass
class Told:
    """All that a check may ask of a host, told by the test."""

    sources: Sequence[Source] = (source("one"),)
    dated: Mapping[str, float] = field(default_factory=dict)
    fetched: Mapping[str, float] = field(default_factory=dict)
    dates: Sequence[float] = ()
    looked: float | None = None
    until: float | None = None
    identity: Callable[[Source], object] = lambda _source: "same"

    def check(self, **more: Any) -> Any:
        """What is handed to a check."""

        def fetched(address: str, _release: str) -> object:
            time = self.fetched.get(address)
            return None if time is None else SimpleNamespace(fetched=time, dates=self.dates)

        standing = SimpleNamespace(
            installer_looked_at=lambda _source: self.looked,
            valid_until=lambda _source: self.until,
        )
        ports = SimpleNamespace(
            configuration=SimpleNamespace(
                sources=self.sources, by_handle={s.handle: s for s in self.sources}
            ),
            indexes=SimpleNamespace(holder=lambda _source: "velpin"),
            packages=SimpleNamespace(), readiness=SimpleNamespace(),
            view=SimpleNamespace(cache=SimpleNamespace(fetched=fetched)),
            standing=standing, provenance=SimpleNamespace(identity_of=self.identity),
            offers=SimpleNamespace(), answers=SimpleNamespace(), signers=SimpleNamespace(),
        )  # fmt: skip
        found = SimpleNamespace(
            now=NOW, ports=ports, examiner=SimpleNamespace(), sources_on=[s for s in self.sources if s.on],
            dated=lambda source: self.dated.get(source.handle),
        )  # fmt: skip
        vars(found).update(more)
        return found


ONE = source("one")
DAYS_1_2_9_10 = [NOW - 30 * DAY + day * DAY for day in (0, 1, 3, 12, 22)]


@pytest.mark.parametrize(
    ("dates", "until", "dated", "days"),
    [
        ([], None, None, 30),
        (DAYS_1_2_9_10[:3], None, None, 30),
        (DAYS_1_2_9_10[:4], None, None, 2),
        (DAYS_1_2_9_10, None, None, 5.5),
        (DAYS_1_2_9_10[:3], 8 * DAY, 1 * DAY, 7),
        (DAYS_1_2_9_10[:4], 8 * DAY, 1 * DAY, 2),
        ([], 8 * DAY, None, 30),
        ([], None, 1 * DAY, 30),
        ([], 1 * DAY, 1 * DAY, 30),
        ([], 1 * DAY + 1, 1 * DAY, 1 / DAY),
        ([], 1 * DAY, 2 * DAY, 30),
    ],
    ids=["nothing known", "three dates are too few", "four are enough", "the middle of four gaps",
         "as long as it says", "dates before what it says", "no date of its own", "no end",
         "ends as it begins", "ends just after", "ends before it begins"],
)  # fmt: skip
def test_how_long_an_index_usually_lasts(
    dates: list[float], until: float | None, dated: float | None, days: float
) -> None:
    told = Told(fetched={ONE.address: NOW}, dates=dates, until=until,
                dated={} if dated is None else {"one": dated})  # fmt: skip
    assert usual_life(told.check(), ONE) == pytest.approx(days * DAY)


@pytest.mark.parametrize(
    ("looked", "fetched", "dated", "ago"),
    [
        (None, None, None, None),
        (NOW - 1, None, None, 1),
        (None, NOW - 2, None, 2),
        (None, None, NOW - 3, 3),
        (NOW - 1, NOW - 2, NOW - 3, 1),
        (NOW - 3, NOW - 2, NOW - 1, 1),
        (NOW - 3, NOW - 1, NOW - 2, 1),
    ],
)
def test_the_last_time_that_anybody_looked_counts(
    looked: float | None, fetched: float | None, dated: float | None, ago: float | None
) -> None:
    told = Told(looked=looked, fetched={} if fetched is None else {ONE.address: fetched},
                dated={} if dated is None else {"one": dated})  # fmt: skip
    assert last_looked_at(told.check(), ONE) == (None if ago is None else NOW - ago)


def old(code: str, **facts: object) -> list[tuple[str, dict[str, object]]]:
    return [(code, {"source": "one", **facts})]


@pytest.mark.parametrize(
    ("seen", "usual", "held_until", "found"),
    [
        (30 * DAY, None, None, []),
        (30 * DAY + 1, None, None, old("index-old", days=30, usual=30)),
        (31 * DAY, None, None, old("index-old", days=31, usual=30)),
        (7 * DAY, 1 * DAY, None, []),
        (7 * DAY + 1, 1 * DAY, None, old("index-old", days=7, usual=1)),
        (7 * DAY + 1, 0.2 * DAY, None, old("index-old", days=7, usual=1)),
        (9 * DAY, 9 * DAY, None, []),
        (9 * DAY + 1, 9 * DAY, None, old("index-old", days=9, usual=9)),
        (1 * DAY, None, NOW, []),
        (1 * DAY, None, NOW - 1, old("index-expired", day="2027-01-15")),
        (90 * DAY, None, NOW - 1, old("index-expired", day="2027-01-15")),
        (None, None, None, []),
    ],
    ids=["thirty days", "longer", "a day longer", "a week of a daily one", "longer than a week",
         "of one that changes hourly", "as long as usual", "longer than usual", "ends now",
         "ended", "old and ended", "nobody knows"],
)  # fmt: skip
def test_when_an_index_is_old(
    seen: float | None, usual: float | None, held_until: float | None, found: object
) -> None:
    two = source("two")
    dated = {"two": NOW} if seen is None else {"one": NOW - seen, "two": NOW}
    told = Told(sources=(ONE, two), dated=dated)
    if usual is not None and seen is not None:  # fetched as often as it was made anew
        told.fetched = {ONE.address: NOW - seen}
        told.dates = [NOW - seen - usual * back for back in range(5)][::-1]
    check = told.check()
    ends = {"one": held_until, "two": None}
    check.ports.standing.valid_until = lambda s: ends[s.handle]
    said = [(draft.kind.code, dict(draft.what.facts)) for draft in check_ages(check)]
    assert said == found


@pytest.mark.parametrize(
    ("behind", "days"), [(DAY, None), (DAY + 1, 1), (2 * DAY - 1, 1), (2 * DAY, 2)]
)
def test_when_a_mirror_is_behind(behind: float, days: int | None) -> None:
    sources = (source("a"), source("b"), source("c"))
    told = Told(sources=sources, dated={"a": NOW - behind, "b": NOW - behind, "c": NOW})
    said = [(d.source, d.subject, d.what.facts["days"]) for d in check_mirrors(told.check())]
    assert said == ([] if days is None else [("a", "c", days), ("b", "c", days)])


@pytest.mark.parametrize(
    ("sources", "identity"),
    [
        ((source("a", on=False), source("c")), {}),
        ((source("a"), source("c")), {"a": "other"}),
        ((source("a"), source("c")), {"a": None}),
        ((source("a", "http://c.example"), source("c")), {}),
    ],
    ids=["what is off", "another release", "none that can be told", "one address twice"],
)
def test_what_is_no_mirror(sources: Sequence[Source], identity: dict[str, object]) -> None:
    told = Told(sources=sources, dated={"a": NOW - 9 * DAY, "c": NOW},
                identity=lambda s: identity.get(s.handle, "same"))  # fmt: skip
    assert list(check_mirrors(told.check())) == []


def test_a_mirror_of_which_no_date_is_known_is_neither_behind_nor_ahead() -> None:
    sources = (source("a"), source("b"), source("c"), source("d"))
    told = Told(sources=sources, dated={"b": NOW, "c": NOW - 9 * DAY})
    assert [(d.source, d.subject) for d in check_mirrors(told.check())] == [("c", "b")]


def test_an_index_that_is_not_here_is_not_old() -> None:
    told = Told(
        sources=(source("a"), source("b")), dated={"a": NOW - 90 * DAY, "b": NOW - 90 * DAY}
    )
    check = told.check()
    check.ports.indexes.holder = lambda source: "installer" if source.handle == "b" else ""
    assert [draft.source for draft in check_ages(check)] == ["b"]


# -- keys ----------------------------------------------------------------------------------


def named(
    keys: Sequence[Key], *, how: KeyPlace = "file", signers: Sequence[str] | None = None
) -> Any:
    """A check that finds these keys named for a source, all of which sign its index."""
    told = Told().check()
    found = NamedKeys(how, list(keys))
    told.named_keys = lambda _source: found
    told.revocations = SimpleNamespace(where=lambda _name: "")
    told.keys_on_host = []
    told.ports.signers.key_addresses = lambda _source: []
    by = [each.fingerprint for each in keys] if signers is None else signers
    told.ports.signers.index_signers = lambda _source: by
    told.ports.signers.index_head = lambda _source: None
    told.ports.tree = SimpleNamespace(read=lambda _file: b"")
    told.ask = lambda _source: None
    return told


MONTH = NOW + 30 * DAY


@pytest.mark.parametrize(
    ("keys", "found"),
    [
        ([key()], []),
        ([key(expires=MONTH + 1)], []),
        ([key(expires=MONTH)], [("key-expiring", 1)]),
        ([key(expires=NOW + 1)], [("key-expiring", 1)]),
        ([key(expires=NOW)], [("key-expired", 1)]),
        ([key(1, expires=MONTH), key(2)], []),
        ([key(1), key(2, expires=MONTH)], []),
        ([key(1, expires=MONTH), key(2, expires=NOW + 9)], [("key-expiring", 1)]),
        ([key(1, expires=NOW + 9), key(2, expires=MONTH)], [("key-expiring", 2)]),
        ([key(1, expires=NOW), key(2)], []),
        ([key(1, expires=NOW), key(2, revoked=True)], [("key-expired", 1)]),
        ([key(2, revoked=True), key(1, expires=NOW)], [("key-revoked", 2)]),
        ([key(1, algorithm="RSA 2047")], [("key-weak", 1)]),
        ([key(1, algorithm="RSA 2048")], []),
        ([key(1, algorithm="DSA"), key(2)], []),
        ([key(1), key(2, algorithm="DSA")], []),
        ([key(1, algorithm="DSA"), key(2, algorithm="RSA 1024")], [("key-weak", 1)]),
    ],
    ids=["no end", "more than a month", "a month", "ends in a second", "ends now",
         "one of two lasts", "the second does not", "the later end counts", "whichever comes first",
         "one of two is over", "over and revoked", "revoked and over", "too small", "just enough",
         "one of two is weak", "the second is", "both are"],
)  # fmt: skip
def test_when_a_key_is_worn(keys: list[Key], found: object) -> None:
    said = [(d.kind.code, int(d.subject)) for d in check_keys(named(keys))]
    assert said == found


@pytest.mark.parametrize(
    ("how", "signers", "codes"),
    [
        ("file", None, ["key-expired"]),
        ("file", [], ["key-expired"]),
        ("common", None, ["key-expired"]),
        ("common", [], []),
        ("ring", [], []),
        ("none", None, []),
    ],
)
def test_of_the_keys_for_all_those_count_that_signed(
    how: KeyPlace, signers: list[str] | None, codes: list[str]
) -> None:
    check = named([key(expires=NOW)], how=how, signers=signers)
    assert [draft.kind.code for draft in check_keys(check)] == codes


def test_of_several_keys_those_that_signed_count() -> None:
    worn, good = key(1, expires=NOW), key(2)
    for keys in ([worn, good], [good, worn]):
        assert [d.kind.code for d in check_keys(named(keys, signers=[worn.fingerprint]))] == [
            "key-expired"
        ]
        assert list(check_keys(named(keys, signers=[good.fingerprint]))) == []


@pytest.mark.parametrize(
    ("algorithm", "weak"),
    [("DSA", True), ("RSA 2047", True), ("RSA 2048", False), ("RSA 4096", False), ("RSA", False),
     ("RSA x", False), ("EdDSA", False), ("ECDSA 256", False)],
)  # fmt: skip
def test_which_forms_of_keys_are_weak(algorithm: str, weak: bool) -> None:
    assert is_weak(key(algorithm=algorithm)) == weak


@pytest.mark.parametrize(
    ("kind", "mode", "better"),
    [("key", 0o644, None), ("key", 0o600, None), ("key", 0o664, 0o644), ("key", 0o646, 0o644),
     ("key", 0o666, 0o644), ("login", 0o600, None), ("login", 0o640, 0o600), ("login", 0o604, 0o600),
     ("login", 0o620, 0o600), ("login", 0o611, None), ("key", None, None)],
)  # fmt: skip
def test_which_rights_are_too_much(kind: str, mode: int | None, better: int | None) -> None:
    check = Told().check()
    check.ports.signers.key_files = lambda: ["k", "k"] if kind == "key" else []
    check.examiner.login_files = lambda: ["l"] if kind == "login" else []
    names = {"etc/velpin/catalogs.d": ["a.toml"]}
    check.ports.tree = SimpleNamespace(mode=lambda _file: mode, names=lambda f: names.get(f, []),
                                      read=lambda _file: b"")  # fmt: skip
    said = [str(draft.what.facts["mode"]) for draft in check_rights(check)]
    assert said == ([] if better is None else [f"{mode:04o}"])


def test_where_a_catalog_is_from_can_hold_a_login() -> None:
    folder = "etc/velpin/catalogs"
    held = {f"{folder}/a.origin": b"http://u:p@h.example", f"{folder}/b.txt": b"http://u:p@h.example",
            f"{folder}/c.origin": b"http://h.example/p@", f"{folder}/d.origin": None}  # fmt: skip
    names = {folder: [file.rpartition("/")[2] for file in held]}
    check = Told().check()
    check.ports.tree = SimpleNamespace(names=lambda f: names.get(f, []), read=held.get)
    assert _origins_with_login(check) == [f"{folder}/a.origin"]


@pytest.mark.parametrize(
    ("asked", "suite", "codename", "flat", "becomes"),
    [
        ("quay", "steady", "quay", False, "reef"), ("quay-updates", "x", "quay", False, "reef-updates"),
        ("quay/updates", "x", "quay", False, "reef/updates"), ("quayside", "x", "y", False, "quayside"),
        ("steady", "steady", "quay", False, "reef"), ("steady", "steady", "quay-updates", False, "reef-updates"),
        ("steady", "steady", "other", False, "steady"), ("steady", "steady", None, False, "steady"),
        ("steady", "early", "quay", False, "steady"), ("quay/", "quay", "quay", True, "quay/"),
    ],
)  # fmt: skip
def test_which_suite_comes_after(
    asked: str, suite: str, codename: str | None, flat: bool, becomes: str
) -> None:
    copy = SimpleNamespace(release=SimpleNamespace(suite=suite, codename=codename))
    state = SimpleNamespace(indexes=SimpleNamespace(copies={"one": copy}))
    source = SimpleNamespace(handle="one", release=asked, flat=flat)
    assert _next_suite(state, source, "quay", "reef") == becomes  # type: ignore[arg-type]


# -- content -------------------------------------------------------------------------------


def names(count: int, *, differ: int = 0) -> dict[str, str]:
    """So many names with a version each, the last of which are others."""
    return {f"p{n:04d}": "2" if n >= count - differ else "1" for n in range(count)}


@pytest.mark.parametrize(
    ("one", "other", "alike"),
    [
        (names(100), names(100), True),
        (names(100), names(100, differ=3), True),
        (names(100), names(100, differ=4), False),
        (names(90), names(100), True),
        (names(89), names(100), False),
        (names(110), names(100), False),
        (names(100), names(91), False),
        (names(0), names(0), False),
        (names(1), names(1), True),
        (names(1), names(1, differ=1), False),
        (names(480), names(480, differ=14), True),
        (names(480), names(480, differ=18), False),
    ],
)
def test_when_two_sources_have_the_same_content(
    one: dict[str, str], other: dict[str, str], alike: bool
) -> None:
    have = {"one": one, "other": other, "third": {"q": "1"}}

    class Index:
        def __init__(self, rows: dict[str, str]) -> None:
            self._rows = rows

        def rows(self, name: str) -> list[object]:
            found = self._rows.get(name)
            return [SimpleNamespace(arch="x", version=found)] if found else []

    check = Told(sources=[source(handle) for handle in have]).check()
    check.names_of = lambda handle: frozenset(have[handle])
    check.ports.provenance.is_part_of_same = lambda _one, _other: False
    check.ports.indexes.of = lambda source: [Index(have[source.handle])]
    said = [(d.source, d.subject, d.what.facts["count"]) for d in check_same_content(check)]
    assert said == ([("other", "one", min(len(one), len(other)))] if alike else [])
    check.ports.provenance.is_part_of_same = lambda _one, _other: True
    assert list(check_same_content(check)) == []


@pytest.mark.parametrize(
    ("changed", "word"),
    [
        ({}, ""),
        ({"release": "testing"}, "testing"),
        ({"components": ("main", "beta")}, "beta"),
        ({"handle": "vendor-nightly"}, "nightly"),
        ({"address": "http://x.example/rc2/deb"}, "rc2"),
        ({"address": "http://beta.example/deb"}, ""),
        ({"release": "Unstable"}, "Unstable"),
        ({"release": "development"}, "development"),
        ({"release": "undeveloped"}, ""),
        ({"release": "nextcloud"}, ""),
        ({"release": "contest"}, ""),
    ],
)
def test_words_of_early_channels(changed: dict[str, Any], word: str) -> None:
    check = Told().check()
    check.ports.standing.parts_of = lambda _source: SimpleNamespace(channel=())
    assert is_early(check, replace(ONE, **changed)) == word
    check.ports.standing.parts_of = lambda _source: SimpleNamespace(channel=("steady", "edge"))
    assert is_early(check, ONE) == "edge"


# -- packages ------------------------------------------------------------------------------


def here(name: str, version: str, source: str = "", *, held: bool = False) -> Any:
    """An installed package."""
    return SimpleNamespace(name=name, version=version, arch="x", source=source, held=held)


def with_packages(
    installed: Sequence[Any], offered: Mapping[str, Sequence[tuple[str, str, int]]]
) -> Any:
    """A check that finds these packages installed, and these versions of them offered."""
    check = Told().check()
    check.installed, check.rules = installed, []
    check.by_name = {each.name: [each] for each in installed}
    check.publishers = {"base": "B", "vendor": "V", "copy": "V"}
    check.is_home = lambda handle: handle == "base"
    check.ports.readiness.refusal = lambda: None
    check.ports.tree = SimpleNamespace(
        names=lambda _f: [], exists=lambda _f: False, kind=lambda _f: None
    )
    check.ports.offers.versions_of = lambda name, _arch: offered.get(name, ())
    check.ports.packages.compare = lambda one, other: int(one) - int(other)
    check.ports.standing.never_taken = lambda priority: priority < 0
    return check


@pytest.mark.parametrize(
    ("offered", "code"),
    [
        ([("2", "base", 1), ("3", "vendor", 1)], None),
        ([("1", "base", 1), ("2", "vendor", 1)], None),
        ([("1", "base", 1), ("1", "vendor", 1)], "newer-than-sources"),
        ([("3", "vendor", 1), ("1", "base", 1)], None),
        ([("1", "", 1)], "in-no-source"),
        ([], "in-no-source"),
    ],
    ids=["older than all", "as one of two", "newer than both", "between", "only here", "nowhere"],
)  # fmt: skip
def test_what_no_source_has(
    offered: list[tuple[str, str, int]], code: str | None, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("velpin.change.journal.Journal.__init__", lambda _self, _tree: None)
    monkeypatch.setattr("velpin.change.journal.Journal.entries", lambda _self: [])
    others = [here("known", "9", "base"), here("gull", "2")]
    check = with_packages(others, {"gull": offered})
    assert [d.kind.code for d in check_left_behind(check)] == ([code] if code else [])


@pytest.mark.parametrize(
    ("offered", "waits"),
    [
        ([("2", "base", 1)], ""),
        ([("3", "base", 1)], "3"),
        ([("3", "base", 1), ("5", "vendor", 1), ("4", "copy", 1)], "5"),
        ([("5", "vendor", 1), ("3", "base", 1)], "5"),
        ([("3", "base", 0), ("5", "vendor", -1)], "3"),
        ([("5", "", 1)], ""),
        ([("1", "base", 1)], ""),
    ],
)
def test_what_waits_for_a_held_package(offered: list[tuple[str, str, int]], waits: str) -> None:
    held = [here("gull", "2", held=True), here("tern", "1")]
    check = with_packages(held, {"gull": offered, "tern": [("2", "base", 1)]})
    said = [d.what.facts["names"] for d in check_held(check)]
    assert said == ([(f"gull 2 ({waits} waits)",)] if waits else [])


@pytest.mark.parametrize(
    ("members", "mixed"),
    [
        ([here("a", "1", "base"), here("b", "2", "vendor")], True),
        ([here("b", "2", "vendor"), here("a", "1", "base")], True),
        ([here("a", "1", "base"), here("b", "1", "vendor")], False),
        ([here("a", "1", "copy"), here("b", "2", "vendor")], False),
        ([here("a", "1", "base"), here("b", "2")], False),
        ([here("a", "1", "base")], False),
        ([here("a", "1", "base"), here("a", "2", "vendor")], False),
    ],
    ids=["two of both", "the other order", "one version", "one publisher", "one from nowhere",
         "alone", "one name in two versions"],
)  # fmt: skip
def test_what_is_a_mixed_set(members: list[Any], mixed: bool) -> None:
    check = with_packages([*members, here("other", "7", "base")], {})
    check.ports.provenance.set_of = lambda one: (
        None if one.name == "other" else ("set", one.version)
    )
    found = list(check_sets(check))
    assert [(d.source, d.subject) for d in found] == ([("vendor", "set")] if mixed else [])


# -- silence -------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("code", "place", "meant"),
    [
        ("index-old", "vendor", True),
        ("index-old", "v*", True),
        ("index-old", "vend", False),
        ("index-old", "etc/v.list", True),
        ("index-old", "/etc/v.list", True),
        ("index-old", "etc/v.list:3", True),
        ("index-old", "/etc/v.list:3", True),
        ("index-old", "etc/v.list:4", False),
        ("index-old", "/vendor", False),
        ("index-old", "*", True),
        ("index-new", "vendor", False),
        ("index-new", "*", False),
    ],
)
def test_what_a_silence_means(code: str, place: str, meant: bool) -> None:
    assert Silence(code, place, "so").means(found("vendor", Place("etc/v.list", 3))) == meant


def test_a_silence_of_what_stands_nowhere() -> None:
    placeless = found("", None)
    said = [Silence("index-old", at, "so").means(placeless) for at in ("*", "", "vendor")]
    assert said == [True, False, False]


def found(source: str, place: Place | None) -> Finding:
    """An old index."""
    return Finding(1, "index-old", "warning", source, place, Unmet(), "", None, False, None)


def test_who_publishes_the_distribution() -> None:
    told = Examination(SimpleNamespace(), now=NOW)  # type: ignore[arg-type]
    vars(told)["publishers"] = {"base": "B", "updates": "B", "vendor": "V"}
    vars(told)["installed"] = [here("a", "1", "vendor"), here("b", "1", "base"), here("c", "1", "updates"),
                               here("d", "1"), here("e", "1"), here("f", "1")]  # fmt: skip
    assert told.home == "B"
    assert [told.is_home(handle) for handle in ("base", "updates", "vendor", "unknown")] == [
        True,
        True,
        False,
        False,
    ]


# -- packages that leave their source ----------------------------------------------------------


@pytest.mark.parametrize(
    ("here", "then", "leaves"),
    [
        ("vendor", ("2", "base"), [("vendor", "base", ("gull",))]),
        ("vendor", ("2", "rival"), [("vendor", "rival", ("gull",))]),
        ("vendor", ("2", "vendor"), []), ("vendor", ("2", "vendor-edge"), []),
        ("vendor", ("1", "base"), []), ("vendor", ("2", ""), []), ("vendor", None, []),
        ("base", ("2", "vendor"), []), ("base", ("2", "base"), []), ("", ("2", "base"), []),
    ],
)  # fmt: skip
@pytest.mark.parametrize("ruled", [False, True])
def test_what_the_next_upgrade_takes_from_a_vendor(
    here: str, then: tuple[str, str] | None, leaves: list[tuple[str, str, tuple[str]]], ruled: bool
) -> None:
    handles = ("base", "vendor", "vendor-edge", "rival")
    made = {handle: source(handle) for handle in handles}
    selection = Selection(*then) if then else None
    check: Any = SimpleNamespace(
        by_name={"gull": [SimpleNamespace(arch="x", source=here)]}, installed=[], replaced={},
        upgrade=SimpleNamespace(selections={("gull", "x"): ("1", selection)}),
        is_spoken_of=lambda _name: ruled, is_home=lambda handle: handle == "base",
        publishers={handle: handle.partition("-")[0] for handle in handles},
        sources_on=list(made.values()), names_of=lambda _handle: frozenset({"gull"}),
        ports=SimpleNamespace(configuration=SimpleNamespace(by_handle=made)),
    )  # fmt: skip
    found = [draft.what for draft in check_takeovers(check) if draft.kind is WouldLeave]
    told = [(what.source, what.other, what.names) for what in found]  # type: ignore[attr-defined]
    assert told == ([] if ruled else leaves)


def test_what_leaves_for_a_package_of_another_name() -> None:
    made = {handle: source(handle) for handle in ("base", "vendor")}
    check: Any = SimpleNamespace(
        by_name={"gull": [SimpleNamespace(arch="x", source="vendor")]}, installed=[],
        replaced={"gull": ("gulls", "base")}, is_spoken_of=lambda _name: False,
        upgrade=SimpleNamespace(selections={("gull", "x"): ("1", None)}),
        is_home=lambda handle: handle == "base", publishers={"base": "a", "vendor": "b"},
        sources_on=list(made.values()), names_of=lambda _handle: frozenset({"gull"}),
        ports=SimpleNamespace(configuration=SimpleNamespace(by_handle=made)),
    )  # fmt: skip
    [draft] = [each for each in check_takeovers(check) if each.kind is WouldLeave]
    assert (draft.source, draft.subject) == ("vendor", "base")
    assert [mend.command for mend in draft.mends if isinstance(mend, Mend)] == [
        "velpin pin gull --from vendor", "velpin keep gull", "velpin prefer vendor --over base",
    ]  # fmt: skip


# -- the end of support ------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("days", "severity"),
    [(-400, "warning"), (-1, "warning"), (0, "hint"), (1, "hint"), (89, "hint"), (90, None), (400, None)],
)  # fmt: skip
def test_when_the_end_of_support_is_told(days: int, severity: str | None) -> None:
    last_day = day(NOW // DAY * DAY + days * DAY)
    for at in (NOW // DAY * DAY, NOW // DAY * DAY + DAY - 1):
        check = Told().check(now=at)
        check.ports.configuration.release = {"NAME": "Mooring", "SUPPORT_END": last_day}
        found = [draft.severity or draft.kind.severity for draft in check_support(check)]
        assert found == ([severity] if severity else [])


@pytest.mark.parametrize(
    ("text", "seconds"),
    [("1970-01-02", 86400.0), ("2028-02-29", 1835395200.0), ("2027-02-29", None), ("", None),
     ("2028-2-29", None), ("2028-02-29 ", None), ("28-02-29", None), ("\u0662028-02-29", None)],
)  # fmt: skip
def test_a_day_in_seconds(text: str, seconds: float | None) -> None:
    assert seconds_of(text) == seconds
