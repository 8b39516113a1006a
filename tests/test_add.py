"""Adding a source: everything is looked at before anything is written."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.harbours import DebHarbour
from velpin.demo.signer import Signer
from velpin.errors import HostFileError, UsageError
from velpin.kinds.deb.add import parse_snippet


@pytest.fixture
def vendor(harbour: DebHarbour, signer: Signer) -> DebHarbour:
    """A host with a base, and a vendor's repository that it does not know yet."""
    harbour.source("base", ("gull", "1"), ("tern", "1"))
    harbour.installed(("gull", "1"), ("tern", "1"))
    harbour.repository("gullwatch", ("gull", "2"), ("gullwatch", "5"), signer=signer)
    harbour.repository("gullwatch", ("gullwatch", "4"), suite="quay", signer=signer)
    (harbour.folder / "right.asc").write_bytes(signer.public)
    harbour.ready()
    return harbour


def words(
    harbour: DebHarbour, *more: str, suite: str = "jetty", key: str = "right.asc"
) -> list[str]:
    address = f"file://{harbour.folder}/repos/gullwatch"
    return [
        "add",
        "gullwatch",
        "--url",
        address,
        "--suite",
        suite,
        "--key",
        str(harbour.folder / key),
        *more,
    ]


def test_by_address_then_unchanged_then_undone(vendor: DebHarbour, signer: Signer) -> None:
    before = vendor.files()
    said = vendor.run(
        *words(vendor, "--fingerprint", signer.fingerprint, "--for", "gullwatch", "--yes")
    )
    assert said.code == 0, said.err
    for text in (signer.fingerprint[:4] + " ", "signs the index of this source", "its fingerprint is the one you gave",
                 "To be written: /etc/apt/sources.list.d/gullwatch.sources", "not available", "5 from gullwatch",
                 "gullwatch would take over gull, which you did not name", "to prevent that: velpin confine gullwatch gullwatch",
                 "the next upgrade would change 1 more installed package", "1  new, from gullwatch", "velpin undo 1"):  # fmt: skip
        assert text in said.out
    assert vendor.read("etc/apt/sources.list.d/gullwatch.sources") == (
        "# Added by velpin.\nTypes: deb\n"
        f"URIs: file://{vendor.folder}/repos/gullwatch\nSuites: jetty\nComponents: main\n"
        "Signed-By: /etc/apt/keyrings/gullwatch.asc\n"
    )
    assert not (vendor.root / "etc/apt/trusted.gpg.d").exists()
    host = vendor.host()
    assert host.forecast(["gullwatch"]).answers[0].version == "5"
    again = vendor.run(*words(vendor, "--yes"))
    assert (again.code, "unchanged" in again.out) == (0, True)
    assert json.loads(vendor.run(*words(vendor, "--json")).out)["unchanged"] is True
    assert vendor.run("undo", "--yes").code == 0
    assert vendor.files() == before


def test_only_confines_in_the_same_change(vendor: DebHarbour) -> None:
    before = vendor.files()
    said = vendor.run(*words(vendor, "--only", "gullw*", "--yes"))
    assert said.code == 0, said.err
    assert "take over" not in said.out
    assert "Explanation: velpin confine gullwatch 'gullw*'" in vendor.read(
        "etc/apt/preferences.d/00velpin.pref"
    )
    (entry,) = json.loads(vendor.run("journal", "--json").out)["entries"]
    assert entry["files"][-1].endswith("gullwatch.sources")  # all else before what would take over
    host = vendor.host()
    assert [host.forecast([n]).answers[0].version for n in ("gull", "gullwatch")] == ["1", "5"]
    assert vendor.run("undo", "--yes").code == 0
    assert vendor.files() == before
    said = vendor.run(*words(vendor, "--only", "absent*", "--yes"))
    assert (said.code, "has no package called absent*" in said.err) == (1, True)
    assert vendor.files() == before


def test_undo_tells_its_shift_as_documented(vendor: DebHarbour) -> None:
    assert vendor.run(*words(vendor, "--yes")).code == 0
    told = json.loads(vendor.run("undo", "--json", "--yes").out)
    assert told["entry"] == 2
    assert told["shift"]["upgrades"][0]["after"] == {"version": "1", "source": "base"}
    assert told["shift"]["answers"] == [
        {"name": "gullwatch", "before": {"version": "5", "source": "gullwatch"}, "after": None}
    ]


def test_a_preview_and_nobody_there_change_nothing(vendor: DebHarbour) -> None:
    before = vendor.files()
    preview = vendor.run(*words(vendor, "--preview"))
    assert (preview.code, preview.err) == (0, "velpin: preview only: nothing was changed\n")
    alone = vendor.run(*words(vendor))
    nobody = "velpin: nothing was changed: there is no terminal to ask on"
    assert (alone.code, alone.err.splitlines()[0]) == (1, nobody)
    told = json.loads(vendor.run(*words(vendor, "--preview", "--json")).out)
    assert (told["entry"], told["keys"][0]["signs"]) == (None, True)
    assert told["shift"]["upgrades"][0]["after"] == {"version": "2", "source": "gullwatch"}
    assert vendor.files() == before


def test_a_key_that_does_not_sign(vendor: DebHarbour, stranger: Signer) -> None:
    before = vendor.files()
    (vendor.folder / "wrong.asc").write_bytes(stranger.public)
    said = vendor.run(*words(vendor, "--yes", key="wrong.asc"))
    assert said.code == 4
    assert "does NOT sign this source" in said.out
    assert vendor.files() == before


@pytest.mark.parametrize(
    ("fingerprint", "code", "text"),
    [("A" * 40, 4, "does not agree"), ("ABCD1234", 2, "too short")],
)
def test_a_fingerprint_that_does_not_agree(
    vendor: DebHarbour, fingerprint: str, code: int, text: str
) -> None:
    said = vendor.run(*words(vendor, "--fingerprint", fingerprint, "--yes"))
    assert (said.code, text in said.err) == (code, True)


@pytest.mark.parametrize(
    ("content", "code", "text"),
    [("no key at all", 4, "right.asc"), (None, 3, "No such file")],
)
def test_a_key_file_that_is_none(
    vendor: DebHarbour, content: str | None, code: int, text: str
) -> None:
    key = vendor.folder / "right.asc"
    key.unlink() if content is None else key.write_text(content)
    said = vendor.run(*words(vendor, "--yes"))
    assert (said.code, text in said.err) == (code, True)


def test_without_a_key_the_missing_one_is_named(vendor: DebHarbour) -> None:
    address = f"file://{vendor.folder}/repos/gullwatch"
    said = vendor.run("add", "gullwatch", "--url", address, "--suite", "jetty", "--yes")
    assert said.code == 4
    assert said.err.endswith(
        ", which is not named for this source\n  get that key from the vendor, and give it: --key FILE-or-URL\n"
    )


def test_made_for_another_release(vendor: DebHarbour) -> None:
    said = vendor.run(*words(vendor, "--yes", suite="quay"))
    assert said.code == 1
    assert "this host is jetty" in said.err
    assert "--suite jetty" in said.err
    assert vendor.run(*words(vendor, "--yes", "--anyway", suite="quay")).code == 0


def test_a_snippet_is_put_right_by_a_suite(vendor: DebHarbour) -> None:
    line = f"deb file://{vendor.folder}/repos/gullwatch quay main"
    key = ["--key", str(vendor.folder / "right.asc"), "--yes"]
    assert vendor.run("add", line, *key).code == 1
    assert vendor.run("add", line, "--suite", "jetty", *key).code == 0
    assert vendor.host().sources.find("gullwatch").release == "jetty"


def test_a_suite_it_does_not_have(vendor: DebHarbour) -> None:
    said = vendor.run(*words(vendor, "--yes", suite="steady"))
    assert said.code == 1
    assert "it has jetty, quay" in said.err
    assert vendor.run(*words(vendor, "--yes", "--anyway", suite="steady")).code == 0


def test_another_architecture(vendor: DebHarbour, signer: Signer) -> None:
    vendor.repository("gullwatch", signer=signer, archs=("arm64",))
    said = vendor.run(*words(vendor, "--yes"))
    assert said.code == 1
    assert "has nothing for amd64; it has arm64" in said.err
    assert "signs the index of this source" in said.out


SNIPPETS = [
    ("a.list", "deb {address} jetty main\n"),
    ("a.list", "# Run this:\ndeb [arch=amd64 signed-by=/usr/share/keyrings/v.gpg] {address} jetty main\r\ndeb-src {address} jetty main\n"),
    ("a.sources", "Types: deb\nURIs: {address}\nSuites: jetty\nComponents: main\nSigned-By: /usr/share/keyrings/v.gpg\n"),
    ("a vendor's.list", "deb {address} jetty main\n"),
    ("a.txt", 'echo "deb {address} jetty main" | sudo tee /etc/apt/sources.list.d/v.list\n'),
]  # fmt: skip


@pytest.mark.parametrize(("name", "text"), SNIPPETS)
@pytest.mark.parametrize("way", ["file", "quoted", "stdin"])
def test_a_vendors_snippet(
    vendor: DebHarbour, monkeypatch: pytest.MonkeyPatch, name: str, text: str, way: str
) -> None:
    import io

    text = text.format(address=f"file://{vendor.folder}/repos/gullwatch")
    file = vendor.folder / name
    file.write_text(text)
    monkeypatch.setattr("sys.stdin", io.StringIO(text))
    what = {"file": str(file), "quoted": text, "stdin": "-"}[way]
    key = str(vendor.folder / "right.asc")
    if way == "quoted" and not text.startswith(("deb", "Types", "#")):
        what = text.split('"')[1]
    said = vendor.run("add", what, "--name", "watch", "--key", key, "--yes")
    assert said.code == 0, said.err
    source = vendor.host().sources.find("watch")
    assert (source.release, source.signed_by) == ("jetty", "/etc/apt/keyrings/watch.asc")
    assert vendor.host().forecast(["gullwatch"]).answers[0].source == "watch"


def test_a_snippet_with_its_key_written_out(vendor: DebHarbour, signer: Signer) -> None:
    key = signer.public.decode().strip().replace("\n\n", "\n.\n").replace("\n", "\n ")
    text = f"Types: deb\nURIs: file://{vendor.folder}/repos/gullwatch\nSuites: jetty\nComponents: main\nSigned-By:\n {key}\n"
    said = vendor.run("add", text, "--fingerprint", signer.fingerprint, "--yes")
    assert said.code == 0, said.err
    assert vendor.host().sources.find("gullwatch").signed_by == "/etc/apt/keyrings/gullwatch.asc"


@pytest.mark.parametrize(
    "line",
    [
        "deb file:///x/$(touch${IFS}MARK) jetty main", "deb `touch MARK` jetty main",
        'echo "deb file:///x jetty main" > MARK', "deb file:///x jetty main; touch MARK",
        "touch MARK", "deb file:///x jetty main\n$(touch MARK)",
    ],
)  # fmt: skip
def test_nothing_in_a_snippet_is_run(harbour: DebHarbour, line: str) -> None:
    mark = harbour.folder / "mark"
    file = harbour.folder / "given.list"
    file.write_text(line.replace("MARK", str(mark)) + "\n")
    for what in (str(file), file.read_text()):
        said = harbour.run("add", what, "--yes", "--anyway")
        assert said.code != 70, said.err
    assert not mark.exists()


@pytest.mark.parametrize(
    ("text", "kind"),
    [("", UsageError), ("deb http://x", HostFileError), ("Types: deb\nSuites: x\n", HostFileError),
     ("deb-src http://x/y z main", UsageError), ("hello", HostFileError)],
)  # fmt: skip
def test_snippets_that_are_none(text: str, kind: type[Exception]) -> None:
    with pytest.raises(kind):
        parse_snippet(text, "vendor.list")


@pytest.mark.parametrize(
    ("more", "text"),
    [
        (["add", "nobody"], "no address was given"),
        (["add", "x", "--url", "http://a.example/x"], "no suite"),
        (["add", "x", "--url", "nonsense", "--suite", "y"], "no scheme"),
        (
            ["add", "x", "--url", "http://a.example/x", "--suite", "./", "--component", "main"],
            "takes no components",
        ),
        (["add", "../x", "--url", "http://a.example/x", "--suite", "y"], "cannot be a name"),
        (["add", "/no/such/file.list"], "no such file"),
        (["add", "deb http://a.example/x y main", "--component", "z"], "names its own components"),
    ],
)
def test_rules_that_make_no_sense(vendor: DebHarbour, more: list[str], text: str) -> None:
    said = vendor.run(*more)
    assert (said.code, text in said.err) == (2, True), said.err


def test_what_is_there_already(vendor: DebHarbour) -> None:
    address = f"file://{vendor.folder}/repos/base"
    said = vendor.run("add", "twin", "--url", address, "--suite", "jetty", "--yes")
    assert (said.code, "on this host already, as base" in said.err) == (1, True)
    other = vendor.run(*["add", "base", *words(vendor)[2:]], "--yes")
    assert (other.code, other.err) == (
        1,
        "velpin: base is the name of another source (etc/apt/sources.list.d/base.list:1)\n"
        "  give this one another name\n",
    )


def test_a_key_for_a_source_that_is_there(vendor: DebHarbour) -> None:
    address = f"file://{vendor.folder}/repos/gullwatch"
    vendor.put("etc/apt/sources.list.d/v.list", f"deb [arch=amd64] {address} jetty main\n")
    missing = vendor.run("refresh", "gullwatch")
    assert missing.code == 4
    assert "velpin add gullwatch --key FILE-or-URL" in missing.err
    assert "velpin add gullwatch --key" in vendor.run("sources").out
    said = vendor.run("add", "gullwatch", "--key", str(vendor.folder / "right.asc"), "--yes")
    assert said.code == 0, said.err
    assert vendor.read("etc/apt/sources.list.d/v.list") == (
        f"deb [arch=amd64 signed-by=/etc/apt/keyrings/gullwatch.asc] {address} jetty main\n"
    )
    assert vendor.run("refresh", "gullwatch").code == 0
    assert vendor.run("drop", "gullwatch", "--yes").code == 0
    assert not (vendor.root / "etc/apt/keyrings/gullwatch.asc").exists()


def test_foreign_files_of_the_same_name_are_left_alone(vendor: DebHarbour) -> None:
    vendor.put("etc/apt/sources.list.d/gullwatch.sources", "# mine\n")
    vendor.put("etc/apt/keyrings/gullwatch.asc", "mine")
    assert vendor.run(*words(vendor, "--yes")).code == 0
    assert vendor.read("etc/apt/sources.list.d/gullwatch.sources") == "# mine\n"
    assert vendor.read("etc/apt/keyrings/gullwatch.asc") == "mine"
    assert (
        vendor.host().sources.find("gullwatch").signed_by
        == "/etc/apt/keyrings/gullwatch-velpin.asc"
    )


def test_dropping_tells_what_becomes_of_what_came_from_it(vendor: DebHarbour) -> None:
    vendor.run(*words(vendor, "--yes"))
    vendor.installed(("gull", "2"), ("tern", "1"), ("gullwatch", "5"))
    said = vendor.run("drop", "gullwatch", "--yes")
    assert said.code == 0, said.err
    assert "2 installed packages came from gullwatch: gull, gullwatch" in said.out
    assert "2, in no source" in said.out
    assert {p.name for p in (vendor.root / "etc/apt/sources.list.d").iterdir()} == {"base.list"}
    assert not list((vendor.root / "etc/apt/keyrings").iterdir())


def test_off_and_on(vendor: DebHarbour) -> None:
    said = vendor.run("off", "base", "--yes")
    assert said.code == 0
    assert "- deb " in said.out
    assert vendor.host().forecast(["gull"]).answers[0].source is None
    assert vendor.run("on", "base", "--yes").code == 0
    assert vendor.host().forecast(["tern"]).answers[0].source == "base"
    assert vendor.run("off", "nobody").code == 1


def test_a_key_from_an_address(vendor: DebHarbour) -> None:
    url = Path(vendor.folder / "right.asc").as_uri()
    more = words(vendor)
    more[more.index("--key") + 1] = url
    assert vendor.run(*more, "--yes").code == 0
