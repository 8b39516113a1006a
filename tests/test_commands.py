"""The commands as a person or a script meets them: words, JSON, exit codes."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path

import pytest

from tests.harbours import DebHarbour, offer


@pytest.fixture
def full(harbour: DebHarbour) -> DebHarbour:
    """A host with two sources on, one off, one package installed."""
    harbour.source("base", ("gull", "1"), ("gull-doc", "1"), ("tern", "1"))
    harbour.source("gullwatch", offer("gull", "2"), offer("gullwatch", "5"))
    harbour.source("z", ("kelp", "9"), ("gull", "3"))
    harbour.installed(("tern", "1"), ("gull", "1", "hold ok installed"))
    harbour.ready()
    harbour.put(
        "etc/apt/sources.list.d/z.list", "# " + harbour.read("etc/apt/sources.list.d/z.list")
    )
    return harbour


def test_host(full: DebHarbour) -> None:
    said = full.run("host")
    for text in (
        "kind deb",
        "release jetty",
        "amd64, and i386",
        "2 on, 1 off",
        "2 packages, 1 on hold",
    ):
        assert text in said.out
    told = json.loads(full.run("host", "--json").out)
    assert told["sources"] == {"on": 2, "off": 1, "not_fetched": 0}
    assert (told["kind"], told["arch"], told["foreign"], told["held"]) == (
        "deb",
        "amd64",
        ["i386"],
        1,
    )


def test_sources(full: DebHarbour) -> None:
    full.put("etc/apt/preferences", "Package: *\nPin: release o=gullwatch\nPin-Priority: 700\n")
    full.put("etc/apt/sources.list.d/x.list.save", "")
    told = json.loads(full.run("sources", "--json").out)["sources"]
    assert [(s["handle"], s["tier"], s["state"]) for s in told] == [
        ("gullwatch", 1, "on"), ("base", 2, "on"), ("z", None, "off"),
    ]  # fmt: skip
    assert told[0]["priorities"] == [{"priority": 700, "components": ["main"]}]
    assert (told[0]["offers"], told[0]["signed"], told[0]["copy"]) == (2, "none", "velpin")
    said = full.run("sources", "--files")
    assert "etc/apt/sources.list.d/gullwatch.list:1" in said.out
    assert "extension .save is not read" in said.out


def test_sections_may_stand_apart(harbour: DebHarbour) -> None:
    address = harbour.repository("base", ("gull", "1"), section="main")
    folder = harbour.folder / "repos/base/dists/jetty"
    release = (folder / "Release").read_text().replace("Components: main", "Components: main extra")
    release += release.splitlines()[-3].replace("main/binary", "extra/binary") + "\n"
    (folder / "extra/binary-amd64").mkdir(parents=True)
    (folder / "extra/binary-amd64/Packages").write_bytes(
        (folder / "main/binary-amd64/Packages").read_bytes()
    )
    (folder / "Release").write_text(release)
    harbour.put("etc/apt/sources.list", f"deb [trusted=yes] {address} jetty main extra\n")
    harbour.put("etc/apt/preferences", "Package: *\nPin: release c=extra\nPin-Priority: 50\n")
    (one,) = harbour.ready().sources.statuses()
    assert one.priorities == ((500, ("main",)), (50, ("extra",)))
    assert "500 (main); 50 (extra)" in harbour.run("sources").out


def test_forecast_in_words(full: DebHarbour) -> None:
    said = full.run("forecast", "gull", "--why")
    assert said.code == 0
    assert said.out.startswith("gull 2  from gullwatch  upgrades 1\n")
    for text in (
        "1 installed now; the newest version; 1 other offer passed over",
        "1. 2 from gullwatch has priority 500",
        "it is on hold",
        "passed over",
        "older, with the same priority 500",
    ):
        assert text in said.out


def test_forecast_as_json(full: DebHarbour) -> None:
    told = json.loads(full.run("forecast", "gull", "tern", "--json").out)
    assert told["host"] == {"kind": "deb", "arch": "amd64", "generation": "older"}
    assert (told["ok"], told["problem"]) == (True, None)
    gull, tern = told["answers"]
    url = f"file://{full.folder}/repos/gullwatch/dists/jetty"
    wanted = {"asked": "gull", "package": "gull", "arch": "amd64", "outcome": "upgrade", "installed": "1",
              "version": "2", "source": "gullwatch", "url": url, "decided_by": "version"}  # fmt: skip
    assert {key: gull[key] for key in wanted} == wanted
    assert [(p["version"], p["source"]) for p in gull["passed_over"]] == [("1", "base")]
    assert all(reason["text"] for reason in gull["reasons"])
    assert (tern["outcome"], tern["source"]) == ("keep", "base")
    (change,) = told["changes"]
    wanted = {"name": "gull", "arch": "amd64", "old": "1", "new": "2", "source": "gullwatch",
              "url": url, "role": "asked", "by": None, "outcome": "upgrade", "old_source": "base"}  # fmt: skip
    assert {key: change[key] for key in wanted} == wanted
    assert told["download_bytes"] == change["download_bytes"] > 0
    assert (told["download_bytes"], told["disk_bytes"]) == (10_000, 0)


@pytest.mark.parametrize(
    ("words", "code", "text"),
    [
        (["forecast", "nobody"], 1, "no enabled source has a package called nobody"),
        (["forecast", "gul"], 1, "near names: gull"),
        (["forecast", "kelp"], 1, "kelp (z, off)"),
        (["forecast", "gull@7"], 1, "not available in version 7"),
        (["forecast", "gull:amd46"], 1, "has no architecture amd46; it has amd64, i386"),
        (["forecast", ""], 2, "is not a request"),
        (["forecast"], 2, ""),
        (["offers"], 2, "which offers"),
        (["offers", "--from", "nobody"], 1, "no source is called 'nobody'"),
        (["offers", "--from", "bas"], 1, "did you mean base"),
        (["offers", "nobody"], 1, "no offers"),
        (["find", "submarine"], 1, "nothing matches"),
        (["undo"], 1, "nothing to undo"),
        (["dance"], 2, ""),
    ],
)
def test_clear_answers_when_it_is_no(
    full: DebHarbour, words: list[str], code: int, text: str
) -> None:
    said = full.run(*words)
    assert said.code == code
    assert text in said.out + said.err
    assert "Traceback" not in said.err


def test_offers(full: DebHarbour) -> None:
    said = full.run("offers", "gull")
    rows = said.out.splitlines()[1:]
    assert [row.split()[:2] for row in rows] == [["3", "amd64"], ["=>", "2"], ["1", "amd64"]]
    assert "source is off" in rows[0]
    assert "installed" in rows[2]
    told = json.loads(full.run("offers", "--from", "base", "gull*", "--json").out)["offers"]
    assert [(o["name"], o["state"]) for o in told] == [
        ("gull", "passed over"),
        ("gull-doc", "chosen"),
    ]
    off = full.run("offers", "--from", "z")
    assert off.code == 0
    assert "kelp" in off.out


def test_offers_of_one_source_are_told_with_what_becomes_of_them(full: DebHarbour) -> None:
    """Of two sources with the very same version each says what is so of its own."""
    full.source("copy", ("gull", "2"), ("gull", "1"))
    full.refreshed()
    every = [
        {**one, "dated": None}
        for one in json.loads(full.run("offers", "gull", "--json").out)["offers"]
    ]
    for source in ("base", "gullwatch", "copy"):
        told = json.loads(full.run("offers", "--from", source, "gull", "--json").out)["offers"]
        assert told == [one for one in every if one["source"] == source], source


@pytest.mark.parametrize(
    ("words", "near"),
    [(["gul"], True), (["--from", "base", "gul"], False), (["zzzzzz"], False)],
)
def test_no_offers_and_what_may_be_meant(full: DebHarbour, words: list[str], near: bool) -> None:
    said = full.run("offers", *words)
    assert (said.code, "similar names: gull" in said.err) == (1, near), said.err
    assert ("velpin find TEXT searches" in said.err) == (not near)


def test_find(full: DebHarbour) -> None:
    told = json.loads(full.run("find", "gull", "--json").out)
    assert [m["name"] for m in told["found"]] == ["gull", "gull-doc", "gullwatch"]
    assert told["found"][0]["version"] == "2"
    said = full.run("find", "HARBOUR", "kelp")
    assert "only in sources switched off" in said.out
    assert full.run("find", "gull", "--most", "1").out.endswith(
        "2 more; add words to narrow it down\n"
    )


def test_errors_are_json_where_json_is_asked_for(full: DebHarbour) -> None:
    said = full.run("offers", "--from", "nobody", "--json")
    assert json.loads(said.out)["exit_code"] == said.code == 1


@pytest.mark.parametrize(
    ("name", "what", "more"),
    [
        ("", "is not the root of a host that Velpin knows",
         "; known kinds: rpm-zypp, rpm-dnf, alpm, deb"),
        ("tmp", "is not a folder", ""),
    ],
)  # fmt: skip
def test_a_root_that_is_no_host(
    tmp_path: Path, harbour: DebHarbour, name: str, what: str, more: str
) -> None:
    (tmp_path / "empty").mkdir()
    root = tmp_path / "empty" / name
    said = harbour.run("--root", str(root), "host")
    wanted = f"velpin: {root} {what}\n  give the host's root with --root DIR{more}\n"
    assert (said.code, said.err) == (3, wanted)


def test_a_broken_record_and_a_damaged_copy_are_told(full: DebHarbour) -> None:
    status = full.read("var/lib/dpkg/status")
    full.put("var/lib/dpkg/status", status + "\nPackage: kelp\nVersion: 1\nArch")
    assert "kelp: no Status; the file may be cut off" in full.run("host").out
    said = full.run("forecast", "gull")
    assert (said.code, said.out) == (
        3,
        "refused: var/lib/dpkg/status:23: a line that is not a field; the file may be cut off;"
        " because of it the host's installer refuses every request\n",
    )
    full.put("var/lib/dpkg/status", status)
    (folder,) = (full.root / "var/cache/velpin/fetched").glob("*gullwatch*")
    (packages,) = [path for path in folder.iterdir() if path.suffix in (".xz", ".gz")]
    packages.write_bytes(packages.read_bytes()[:40])
    said = full.run("forecast", "gull")
    assert said.code == 0
    assert "the index of gullwatch cannot be read and is ignored" in said.out
    assert "is not as it was fetched; velpin refresh mends it" in full.run("sources").out
    assert full.run("refresh").code == 0
    assert "plays no part" not in full.run("forecast", "gull").out


def test_looking_changes_no_file_of_the_host(full: DebHarbour) -> None:
    before = full.files()
    for words in (
        ["host"],
        ["sources"],
        ["forecast", "gull"],
        ["offers", "gull"],
        ["find", "gull"],
        ["keys"],
        ["journal"],
    ):
        assert full.run(*words).code == 0
    assert full.files() == before


def test_the_answer_does_not_depend_on_the_order_of_files_on_disk(full: DebHarbour) -> None:
    wanted = json.loads(full.run("forecast", "gull", "tern", "--json").out)
    folder = full.root / "etc/apt/sources.list.d"
    texts = {path.name: path.read_bytes() for path in folder.iterdir()}
    for name in texts:
        (folder / name).unlink()
    for name in sorted(texts, reverse=True):
        (folder / name).write_bytes(texts[name])
    assert json.loads(full.run("forecast", "gull", "tern", "--json").out) == wanted


def test_keys(full: DebHarbour, signer: object, stranger: object) -> None:
    full.put("etc/apt/trusted.gpg.d/all.asc", stranger.public)  # type: ignore[attr-defined]
    full.put("k.asc", signer.public)  # type: ignore[attr-defined]
    full.source_at("gullwatch", f"file://{full.folder}/repos/gullwatch", signed_by="/k.asc")
    one, common = json.loads(full.run("keys", "--json").out)["keys"]
    assert (one["sources"], one["everything"]) == (["gullwatch"], False)
    assert (common["everything"], common["where"]) == (True, "etc/apt/trusted.gpg.d/all.asc")
    row = full.run("keys").out.splitlines()[2]
    assert "every source that names no key" in row
    assert common["fingerprint"][-8:] in row
    assert full.run("keys", "--full").out.splitlines()[-2:] == [
        "  may sign every source that names no key (none at present)", "  seen to sign nothing yet",
    ]  # fmt: skip


def test_the_installed_program(full: DebHarbour) -> None:
    command = [
        sys.executable,
        "-m",
        "velpin",
        "--root",
        str(full.root),
        "forecast",
        "gull",
        "--json",
    ]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert json.loads(done.stdout)["answers"][0]["version"] == "2"


def test_a_reader_that_goes_away_is_no_error(full: DebHarbour) -> None:
    reader, writer = os.pipe()
    os.close(reader)
    command = [sys.executable, "-m", "velpin", "--root", str(full.root), "offers", "--from", "base"]
    done = subprocess.run(command, stdout=writer, stderr=subprocess.PIPE, text=True, check=False)
    os.close(writer)
    assert done.stderr == ""


def test_a_terminal_gets_the_same_words(full: DebHarbour) -> None:
    import pty
    import re

    main, other = pty.openpty()
    command = [sys.executable, "-m", "velpin", "--root", str(full.root), "sources"]
    environment = {**os.environ, "TERM": "xterm-256color", "COLUMNS": "100"}
    with subprocess.Popen(command, stdout=other, stderr=other, env=environment) as process:
        os.close(other)
        shown = b""
        while True:
            try:
                piece = os.read(main, 4096)
            except OSError:
                break
            if not piece:
                break
            shown += piece
    os.close(main)
    assert process.returncode == 0
    plain = re.sub(rb"\x1b\[[0-9;]*m", b"", shown).decode()
    assert b"\x1b[" in shown
    for word in ("gullwatch", "base", "unsigned, and trusted", "off"):
        assert word in plain
