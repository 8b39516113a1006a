"""A host in a file: written, made so on a bare host, unchanged the second time, taken back; what is
expected of the forecast; and what is wrong in such files, with its line."""

from __future__ import annotations

import json
import shutil
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.catalogs import FOLDER, catalog_for, without_vendor
from tests.checkup_hosts import BASE, THEIRS, VENDOR, Post
from tests.harbours import ALPM, DEB, DNF, KINDS, RPM, ZYPP, Item
from velpin import open_host
from velpin.core.hostfile.format import read_host_file
from velpin.demo.signer import Signer
from velpin.errors import HostFileError
from velpin.kinds import KINDS as ALL_KINDS

each_kind = pytest.mark.parametrize("post", KINDS, indirect=True)
on_deb = pytest.mark.parametrize("post", [DEB], indirect=True)
HEAD = "velpin-host = 1\n"


def file_of(post: Post, text: str) -> str:
    path = post.root.parent / "host.toml"
    path.write_text(text)
    return str(path)


def conform(post: Post, text: str, *words: str) -> dict[str, Any]:
    """Make a host as a text says: what is told of it."""
    said = post.run("conform", file_of(post, text), "--json", *words)
    assert said.code in (0, 1), said.out + said.err
    found: dict[str, Any] = json.loads(said.out)
    return found


def bare(post: Post) -> None:
    """The host without sources, keys and rules; what is installed stays."""
    if post.kind == ALPM:
        post.put(post.source_file, "[options]\nArchitecture = x86_64\nSigLevel = Required\n")
        (post.root / post.key_file).unlink(missing_ok=True)
        return
    for folder in ("etc/apt/sources.list.d", "etc/apt/preferences.d", "etc/apt/keyrings",
                   "usr/share/keyrings", "etc/pki", "etc/yum.repos.d", "etc/zypp/repos.d"):  # fmt: skip
        shutil.rmtree(post.root / folder, ignore_errors=True)
    for name in ("etc/zypp/locks", "etc/apt/sources.list"):
        (post.root / name).unlink(missing_ok=True)
    if post.kind == DNF:
        post.put("etc/dnf/dnf.conf", "[main]\ngpgcheck=1\nbest=1\n")
    post.put(f"{post.source_file.rpartition('/')[0]}/.placeholder", "")
    if post.kind == DEB:
        post.put("etc/apt/sources.list", "")


def upgrade(post: Post) -> Any:
    """The forecast of the whole host and of what the vendor has."""
    found = [post.run("forecast", "--upgrade", "--json").out,
             post.run("forecast", "gullwatch", "gull", "--json").out]  # fmt: skip
    return [
        [(c["name"], c["new"], c["source"]) for c in json.loads(text)["changes"]] for text in found
    ]


# -- written down and made so again --------------------------------------------------------

RULES = {
    DEB: ["prefer base --over vendor", "pin libtide@1-1", "keep tern", "confine vendor gullwatch"],
    DNF: ["prefer base --over vendor", "confine vendor 'gull*'", "keep tern"],
    ZYPP: ["prefer base --over vendor", "keep tern"],
    ALPM: ["keep tern"],
}


@each_kind
def test_a_bare_host_made_like_the_first(post: Post) -> None:
    post.publish("base", *(Item(item.name, "2") for item in BASE))
    post.refreshed()
    for rule in RULES[post.kind]:
        assert post.command(f"velpin {rule}", "--yes").code == 0, rule
    text = post.run("export").out
    rules = [each["says"] for each in json.loads(post.run("rules", "--json").out)["rules"]]
    sources = json.loads(post.run("sources", "--json").out)["sources"]
    before = upgrade(post)
    bare(post)
    empty = post.files()
    found = conform(post, text, "--yes")
    assert found["changed"]
    assert (
        len(json.loads(post.run("journal", "--json").out)["entries"]) == len(RULES[post.kind]) + 1
    )
    assert upgrade(post) == before
    assert [each["says"] for each in json.loads(post.run("rules", "--json").out)["rules"]] == rules
    for was, now in zip(
        sources, json.loads(post.run("sources", "--json").out)["sources"], strict=True
    ):
        for key in ("handle", "address", "release", "tier", "state", "signed"):
            assert was[key] == now[key], key
    again = conform(post, text, "--yes")
    assert (again["changed"], again["entry"]) == (False, None)
    assert post.run("undo", "--yes").code == 0
    assert post.files() == empty


KEEPS = st.lists(st.sampled_from([item.name for item in BASE]), max_size=3, unique=True)


_RPM = ("enabled=1", "enabled=1\nskip_if_unavailable=1\npriority=50\ncost=700")
SETTINGS = {
    DEB: ("Components", "By-Hash: no\nArchitectures: amd64\nComponents"), DNF: _RPM, ZYPP: _RPM,
    ALPM: ("[vendor]\n", "[vendor]\nUsage = Sync Search Install\n"),
}  # fmt: skip
"""A setting of `vendor` that has to survive: what is replaced by what."""


@each_kind
@settings(max_examples=6, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(names=KEEPS, off=st.booleans(), prefer=st.booleans(), setting=st.booleans())
def test_export_and_conform_are_each_others_inverse(
    post: Post, names: list[str], off: bool, prefer: bool, setting: bool
) -> None:
    saved = post.root.parent / "saved"
    if not saved.exists():
        shutil.copytree(post.root, saved, symlinks=True)
    if setting:
        old, new = SETTINGS[post.kind]
        post.edit(post.source_file, old, new)
    commands = [f"velpin keep {name}" for name in names]
    commands += ["velpin prefer base --over vendor"] if prefer and post.kind != ALPM else []
    commands += ["velpin off vendor"] if off else []
    for command in commands:
        post.command(command, "--yes")
    text = post.run("export").out
    before = upgrade(post)
    unchanged = conform(post, text)
    assert not unchanged["changed"], unchanged["items"]
    bare(post)
    conform(post, text, "--yes")
    assert post.run("export").out.split() == text.split()
    assert upgrade(post) == before
    assert not conform(post, text)["changed"]
    shutil.rmtree(post.root)
    shutil.copytree(saved, post.root, symlinks=True)


@each_kind
def test_one_file_for_several_kinds(post: Post, signer: Signer) -> None:
    without_vendor(post)
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer))
    text = (
        f'{HEAD}[[source]]\nname = "gulls"\ncatalog = "gulls"\n\n'
        '[[source]]\nname = "other"\naddress = "http://nowhere.example"\n'
        'when = { host = "nobody" }\n\n[[rule]]\nsays = "prefer base --over gulls"\n'
        'when = { kind = ["deb", "rpm-dnf", "rpm-zypp"], release = ["jetty", "4"] }\n'
    )
    found = conform(post, text, "--yes")
    kinds = [(each["kind"], each["state"]) for each in found["items"]]
    wanted = [("source", "added"), ("rule", "added")][: 1 if post.kind == ALPM else 2]
    assert kinds == wanted
    assert not conform(post, text, "--yes")["changed"]


# -- what differs --------------------------------------------------------------------------


@on_deb
def test_only_what_differs_is_changed(post: Post) -> None:
    text = post.run("export").out
    post.edit(post.source_file, "Components: main", "Components: main extra")
    post.run("off", "base", "--yes")
    found = conform(post, text, "--yes")
    told = {each["name"]: each["what"] for each in found["items"]}
    assert told == {"base": "switched on", "vendor": "written anew"}
    assert not conform(post, text)["changed"]


@on_deb
def test_a_key_that_is_missing_is_brought(post: Post, stranger: Signer) -> None:
    text = post.run("export").out
    post.put(post.key_file, stranger.public)
    found = conform(post, text, "--yes")
    assert {each["name"]: each["what"] for each in found["items"]} == {"base": "", "vendor": "key"}
    assert not conform(post, text)["changed"]


@on_deb
def test_check_changes_nothing_and_tells(post: Post) -> None:
    text = post.run("export").out
    file = file_of(post, text)
    assert post.run("conform", file, "--preview").code == 0
    post.run("off", "vendor", "--yes")
    before = post.files()
    said = post.run("conform", file, "--preview")
    assert (said.code, "switched on" in said.out, post.files()) == (1, True, before)
    assert post.run("conform", file).code == 1, "nobody is there to say yes"
    assert post.files() == before


@on_deb
def test_prune_takes_away_what_velpin_added(post: Post) -> None:
    text = post.run("export").out
    post.publish("new.example", Item("skua-tools", "1"))
    key = post.root.parent / "key.asc"
    key.write_bytes(post.signers["vendor"].public)
    words = ["add", "new", "--url", "http://new.example/apt", "--suite", "jetty", "--key", str(key)]
    assert post.run(*words, "--yes").code == 0
    assert post.run("keep", "gull", "--yes").code == 0
    others = f"deb [signed-by=/{post.key_file}] http://new.example/apt quay main\n"
    post.put("etc/apt/sources.list", f"# by hand\n# {others}")
    assert not conform(post, text)["changed"]
    found = conform(post, text, "--prune", "--yes")
    gone = [
        (each["kind"], each["name"], each["state"])
        for each in found["items"]
        if each["state"] != "same"
    ]
    assert gone == [("rule", "keep gull", "removed"), ("source", "new", "removed")]
    assert post.read("etc/apt/sources.list").startswith("# by hand")
    assert not conform(post, text, "--prune")["changed"]


@each_kind
def test_keys_in_files_beside_it(post: Post) -> None:
    if post.kind == ALPM:
        text = f'{HEAD}[[key]]\nname = "ring"\nkey_file = "keys/v.asc"\n'
        (post.root / post.key_file).unlink()
    else:
        return
    (post.root.parent / "keys").mkdir()
    (post.root.parent / "keys/v.asc").write_bytes(post.signers["vendor"].public)
    assert conform(post, text, "--yes")["changed"]
    assert not conform(post, text, "--yes")["changed"]


# -- refused as a whole --------------------------------------------------------------------


@on_deb
@pytest.mark.parametrize(
    ("text", "code", "line", "told"),
    [
        ('[[source]]\nname = "x"\ncatalog = "nobody"\n', 1, 2, "no catalog has a source"),
        ('[[source]]\nname = "x"\naddress = "http://no.example/apt"\nsuite = "jetty"\n'
         'components = ["main"]\n', 1, 2, "nothing for this host"),
        ('[[rule]]\nsays = "prefer nobody --over base"\n', 1, 2, "no source"),
        ('[[rule]]\nsays = "prefer base --over vendor"\n'
         '[[rule]]\nsays = "prefer vendor --over base"\n', 1, 4, "prefer base --over vendor"),
        ('[[source]]\nname = "vendor"\naddress = "http://x.example"\nwhen = { kind = "deb" }\n'
         '[[source]]\nname = "vendor"\naddress = "http://y.example"\nwhen = { arch = "amd64" }\n',
         3, 6, "both are for this host"),
    ],
)  # fmt: skip
def test_a_file_that_cannot_be_done_touches_nothing(
    post: Post, text: str, code: int, line: int, told: str
) -> None:
    before = post.files()
    said = post.run("conform", file_of(post, f"{HEAD}{text}"), "--yes")
    assert (said.code, f"host.toml:{line}" in said.err, told in said.err) == (code, True, True), (
        said.err
    )
    assert post.files() == before
    assert post.run("journal").out.startswith("velpin has changed nothing")


@pytest.mark.parametrize("post", [ALPM], indirect=True)
def test_a_rule_that_this_kind_cannot_express(post: Post) -> None:
    said = post.run("conform", file_of(post, f'{HEAD}[[rule]]\nsays = "pin gull@1-1"\n'), "--yes")
    assert (said.code, "host.toml:2" in said.err) == (1, True)


# -- expectations --------------------------------------------------------------------------

EXPECT = [
    ('package = "gullwatch"\nsource = "vendor"\nversion = "5*"', True, ""),
    ('package = "gullwatch"\nsource = "base"', False, "comes from vendor in version 5-1"),
    ('package = "gullwatch"\nversion = ">=6"', False, "comes in version 5-1"),
    ('package = "gullwatch"\nversion = ">=5"', True, ""),
    ('package = "nobody"\nsource = "base"', False, "is not available"),
    ('package = "nobody"\nabsent = true', True, ""),
    ('package = "gull"\nabsent = true', False, "is installed"),
    ('package = "gull"\nat_most = "2-1"', True, ""),
    ('package = "gull"\nat_most = "1-1"', False, "would be upgraded to 2-1"),
    ('source = "vendor"\nonly = ["gull*"]', True, ""),
    ('source = "vendor"\nonly = ["tern*"]', False, "so do gullwatch"),
    ('source = "nobody"\nonly = ["tern*"]', False, "there is no source nobody"),
    ("no_removals = true", True, ""),
    ('indexes_within = "7 days"', True, ""),
]  # fmt: skip


@each_kind
def test_expectations(post: Post) -> None:
    post.publish("base", *(Item(item.name, "2") for item in BASE))
    post.refreshed()
    text = HEAD + "".join(f"\n[[expect]]\n{body}\n" for body, _, _ in EXPECT)
    said = post.run("expect", file_of(post, text), "--json")
    found = json.loads(said.out)
    assert (said.code, found["ok"]) == (1, False)
    for (body, met, told), result in zip(EXPECT, found["expectations"], strict=True):
        assert (result["met"], told in result["found"]) == (met, True), (body, result)
    assert any(result["reasons"] for result in found["expectations"])
    out = post.run("expect", file_of(post, text)).out
    assert "not met: gullwatch from base: comes from vendor" in out
    assert "7 expectations met" in out
    good = HEAD + "".join(f"\n[[expect]]\n{body}\n" for body, met, _ in EXPECT if met)
    assert post.run("expect", file_of(post, good)).code == 0


@on_deb
def test_old_indexes_and_removals(post: Post) -> None:
    from tests.checkup_hosts import index_old

    index_old(post)
    post.publish("base", *BASE[1:])
    text = f'{HEAD}[[expect]]\nindexes_within = "7 days"\n'
    said = post.run("expect", file_of(post, text))
    assert (said.code, "older: base (" in said.out) == (1, True)


@on_deb
def test_an_expectation_that_fails_stops_a_change(post: Post) -> None:
    """The vendor's new library would come with its source."""
    without_vendor(post)
    post.publish("vendor", *VENDOR, Item("libtide", "2"))
    source = (
        f'[[source]]\nname = "vendor"\naddress = "http://{THEIRS}/apt"\nsuite = "jetty"\n'
        f'components = ["main"]\nkey = """\n{post.signers["vendor"].public.decode()}"""\n'
    )
    text = f'{HEAD}{source}\n[[expect]]\npackage = "libtide"\nsource = "base"\n'
    before = post.files()
    said = post.run("conform", file_of(post, text), "--yes")
    assert (said.code, post.files()) == (1, before)
    assert "not met: libtide from base: comes from vendor in version 2-1" in said.out
    assert "because 2-1 is the newest" in said.out
    kept = text.replace("[[expect]]", "only = ['gull*']\n\n[[expect]]", 1)
    kept = kept.replace('key = """', 'only = ["gull*"]\nkey = """').replace(
        "only = ['gull*']\n", ""
    )
    assert conform(post, kept, "--yes")["changed"]
    assert post.run("expect", file_of(post, kept)).code == 0
    post.run("undo", "--yes")
    assert conform(post, text, "--yes", "--anyway")["entry"]


@on_deb
def test_from_now(post: Post) -> None:
    written = post.run("expect", "--from-now", "gullwatch", "gull").out
    assert post.run("expect", file_of(post, written)).code == 0
    post.publish("vendor", Item("gullwatch", "6"))
    post.refreshed()
    assert post.run("expect", file_of(post, written)).code == 1
    said = post.run("expect", "--from-now", "nobody")
    assert (said.code, "nobody is not available" in said.err) == (1, True)


@on_deb
def test_words_that_make_no_sense(post: Post) -> None:
    assert post.run("expect", "a", "b").code == 2
    assert post.run("conform", "/nowhere/x.toml").code == 3
    said = post.run("expect", file_of(post, HEAD))
    assert (said.code, "expects nothing" in said.out) == (0, True)


@on_deb
def test_export_into_a_file(post: Post) -> None:
    target = post.root.parent / "out.toml"
    assert post.run("export", "--out", str(target)).code == 0
    assert post.run("conform", str(target), "--preview").code == 0
    assert post.run("export", "--out", "/nowhere/at/all").code == 3


@pytest.mark.parametrize("post", [DEB, *RPM], indirect=True)
def test_passwords_are_not_written_down(post: Post) -> None:
    post.edit(post.source_file, f"http://{THEIRS}", f"http://gull:secret@{THEIRS}")
    assert "secret" not in post.run("export").out


@on_deb
def test_the_python_interface(post: Post) -> None:
    host = open_host(post.root)
    wanted = read_host_file(host.file.export().text.encode(), "x.toml", list(ALL_KINDS))
    assert not host.file.plan_conform(wanted).changed
    assert host.file.expect(wanted) == []


# -- forty kinds of mistakes ---------------------------------------------------------------

S = '[[source]]\nname = "x"\n'
A = 'address = "http://x.example"\n'
BAD = [
    ("", 1, "says no version", "velpin-host = 1"),
    ("velpin-host = 9\n", 1, "no host file of this version", "velpin-host = 1"),
    ("velpin-host = true\n", 1, "not a whole number", ""),
    ("velpin-host = 1\nname = [\n", 2, "Invalid value", "TOML"),
    ("velpin-host = 1\nvelpin-host = 1\n", 2, "overwrite", "TOML"),
    ("velpin-host = 1\n\xff".encode("latin-1"), 2, "not UTF-8", ""),
    (HEAD + "sources = []\n", 2, "sources means nothing here", "did you mean source?"),
    (HEAD + "source = 3\n", 2, "not a list of tables", "[[source]]"),
    (HEAD + "[[source]]\n" + A, 2, "name is missing", ""),
    (HEAD + '[[source]]\nname = ""\n' + A, 3, "name is empty", ""),
    (HEAD + '[[source]]\nname = "a b"\n' + A, 3, "cannot be the name", ""),
    (HEAD + "[[source]]\nname = 5\n" + A, 3, "name is not a text", ""),
    (HEAD + S, 2, "where is x?", "catalog"),
    (HEAD + S + 'catalog = "x"\n' + A, 4, "in a catalog and described here", "either"),
    (HEAD + S + 'catalog = "x"\nsuite = "y"\n', 5, "the catalog says that itself", "leave it"),
    (HEAD + S + 'catalog = "x"\ncomponents = "y"\n', 5, "the catalog says that itself", ""),
    (HEAD + S + 'catalog = "x"\nkey = "-----BEGIN PGP PUBLIC KEY BLOCK-----"\n', 5,
     "the catalog says the key itself", ""),
    (HEAD + S + A + 'channel = "early"\n', 5, "for sources of a catalog", ""),
    (HEAD + S + A + 'mirror = "2"\n', 5, "for sources of a catalog", ""),
    (HEAD + S + A + 'suite = "./"\ncomponents = ["main"]\n', 6, "takes no components", ""),
    (HEAD + S + A + "components = [1]\n", 5, "not a list of texts", ""),
    (HEAD + S + A + 'settings = ["no setting"]\n', 5, "is no setting", "KEY = VALUE"),
    (HEAD + S + A + 'state = "maybe"\n', 5, "state is 'maybe'", "off, on"),
    (HEAD + S + A + 'fingerprints = ["12"]\n', 5, "is no fingerprint", "40"),
    (HEAD + S + A + 'key = "abc"\n', 5, "is no armoured key", "key_file"),
    (HEAD + S + A + 'key_file = "/etc/passwd"\n', 5, "is not beside this file", ""),
    (HEAD + S + A + 'key_file = "../x"\n', 5, "is not beside this file", ""),
    (HEAD + S + A + 'key_file = "nowhere.asc"\n', 5, "No such file", ""),
    (HEAD + S + A + 'key_file = "a"\nkey = "-----BEGIN PGP PUBLIC KEY BLOCK-----"\n', 5,
     "given twice", ""),
    (HEAD + S + A + 'colour = "blue"\n', 5, "colour means nothing here", "it has"),
    (HEAD + S + A + "when = 3\n", 5, "when is not a table", ""),
    (HEAD + S + A + 'when = { kind = "dep" }\n', 5, "no kind of host is called 'dep'", "deb"),
    (HEAD + S + A + 'when = { planet = "x" }\n', 5, "planet means nothing here", ""),
    (HEAD + S + A + S + A, 5, "is described at line 2 already", "when"),
    (HEAD + '[[key]]\nname = "k"\n', 2, "which key is k?", ""),
    (HEAD + '[[rule]]\nsays = "love gulls"\n', 3, "is no rule", "prefer A"),
    (HEAD + "[[rule]]\n", 2, "says is missing", ""),
    (HEAD + "[[expect]]\n", 2, "expects nothing", "package"),
    (HEAD + '[[expect]]\npackage = "x"\n', 3, "what of x?", "absent"),
    (HEAD + '[[expect]]\npackage = "x"\nno_removals = true\nabsent = true\n', 2, "several", ""),
    (HEAD + '[[expect]]\npackage = "x"\nabsent = true\nversion = "1"\n', 4, "comes from some", ""),
    (HEAD + '[[expect]]\nsource = "x"\n', 3, "what of x?", "only"),
    (HEAD + '[[expect]]\nversion = "1"\nno_removals = true\n', 2, "of which package?", ""),
    (HEAD + '[[expect]]\npackage = "x"\nsource = "y"\nonly = ["z"]\n', 5, "only goes with", ""),
    (HEAD + '[[expect]]\nindexes_within = "a week"\n', 3, "is no time", "7 days"),
    (HEAD + '[[expect]]\nindexes_within = "0 days"\n', 3, "is no time", ""),
]  # fmt: skip


@pytest.mark.parametrize(("text", "line", "what", "hint"), BAD)
def test_what_is_wrong_in_a_file_is_told_with_its_line(
    tmp_path: Path, text: str | bytes, line: int, what: str, hint: str
) -> None:
    data = text if isinstance(text, bytes) else text.encode()
    with pytest.raises(HostFileError) as found:
        read_host_file(data, str(tmp_path / "h.toml"), list(ALL_KINDS))
    assert (found.value.line, what in found.value.what) == (line, True), found.value
    assert hint in found.value.hint, found.value.hint


def test_there_are_forty_of_them() -> None:
    assert len(BAD) >= 40
