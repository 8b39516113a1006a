"""All that an index says of a package, and how often its source brings new ones."""

from __future__ import annotations

import gzip
import hashlib
import json
from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour, offer
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm
from velpin.front.details_view import paragraphs

DAY = 86400
NEWEST = 20_000 * DAY + 3600


def _told(harbour: AlpmHarbour | DebHarbour | RpmHarbour, name: str = "gull") -> list[dict]:
    code, out, told = harbour.refresh().run("offers", name, "--full", "--json")
    assert code == 0, told
    return json.loads(out)["offers"]


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("", []),
        ("one", ["one"]),
        ("one\ntwo", ["one two"]),
        ("one\n\ntwo\n \nthree", ["one", "two", "three"]),
        ("all of:\n * one\n   more\n * two\nend", ["all of:", "* one more", "* two end"]),
        ("- one\n+ two\n-three", ["- one", "+ two -three"]),
        ("\n\n one\n", ["one"]),
    ],
)
def test_paragraphs_of_a_description(text: str, found: list[str]) -> None:
    assert list(paragraphs(text)) == found


# -- deb -------------------------------------------------------------------------------------

LONG = "watches gulls\n All day long.\n .\n And at night."


def _stanza(version: str = "2-1", **more: str) -> dict[str, str]:
    fields = {name.replace("_", "-"): value for name, value in more.items()}
    return {**offer("gull", version), "Installed-Size": "3", **fields}


def test_a_stanza_of_an_index(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.source("base", _stanza(
        Description=LONG, Homepage="http://gull.example", Maintainer="Crew <c@gull.example>",
        Pre_Depends="libc (>= 2)", Depends="a | b,\n c (= 1)", Recommends="r", Suggests="s, t",
        Breaks="x (<< 2)", Conflicts="y", Replaces="x", Provides="bird (= 1), wing", Size="1234",
    ))  # fmt: skip
    (one,) = _told(harbour)
    assert one["details"] == {
        "description": "All day long.\n\nAnd at night.", "homepage": "http://gull.example",
        "license": "", "maintainer": "Crew <c@gull.example>", "download_bytes": 1234,
        "disk_bytes": 3072, "needs": ["libc (>= 2)", "a | b", "c (= 1)"], "recommends": ["r"],
        "suggests": ["s", "t"], "conflicts": ["x (<< 2)", "y"], "replaces": ["x"],
        "provides": ["bird (= 1)", "wing"], "rhythm": None,
    }  # fmt: skip


def test_what_only_the_record_has(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.source("base", _stanza("1-1", Homepage="http://old.example"))
    harbour.installed(_stanza("2-1", Description=LONG, Homepage="http://gull.example"))
    new, old = _told(harbour)
    assert (new["source"], new["details"]["homepage"]) == ("", "http://gull.example")
    assert new["details"]["description"].startswith("All day long.")
    assert (old["source"], old["details"]["homepage"]) == ("base", "http://old.example")


@pytest.mark.parametrize(
    ("case", "found"),
    [
        ("right", "All day long.\n\nAnd at night."),
        ("packed", "All day long.\n\nAnd at night."),
        ("of another version", ""),
        ("of another component", ""),
        ("of another language", ""),
        ("damaged", ""),
        ("none", ""),
    ],
)
def test_a_long_description_from_the_lists_of_translations(
    tmp_path: Path, case: str, found: str
) -> None:
    mark = hashlib.md5(LONG.encode()).hexdigest()
    harbour = DebHarbour(tmp_path)
    address = harbour.repository("base", _stanza(Description="watches gulls", Description_md5=mark))
    harbour.source_at("base", address)
    lists = "var/lib/apt/lists"
    start = f"{address.partition('://')[2].replace('/', '_')}_dists_jetty"
    served = tmp_path / "repos/base/dists/jetty"
    harbour.put(f"{lists}/{start}_Release", (served / "Release").read_bytes())
    harbour.put(f"{lists}/{start}_main_binary-amd64_Packages",
                (served / "main/binary-amd64/Packages").read_bytes())  # fmt: skip
    said = "0" * 32 if case == "of another version" else mark
    text = (
        f"Package: tern\nDescription-md5: {'1' * 32}\nDescription-en: no gull\n no\n\n"
        f"Package: gull\nDescription-md5: {said}\nDescription-en: {LONG}\n"
    ).encode()
    component = "extra" if case == "of another component" else "main"
    language = "de" if case == "of another language" else "en"
    name = f"{lists}/{start}_{component}_i18n_Translation-{language}"
    if case in ("packed", "damaged"):
        packed = gzip.compress(text, mtime=0)
        harbour.put(f"{name}.gz", packed if case == "packed" else packed[:-20])
    elif case != "none":
        harbour.put(name, text)
    code, out, told = harbour.run("offers", "gull", "--full", "--json", "--as-is")
    assert code == 0, told
    assert [one["details"]["description"] for one in json.loads(out)["offers"]] == [found]


# -- rpm -------------------------------------------------------------------------------------


def _rpm(version: str = "2-1", **more: object) -> DemoRpm:
    return DemoRpm("gull", version, **more)  # type: ignore[arg-type]


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_a_package_of_a_list(tmp_path: Path, kind: str) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source(
        "base", _rpm("1-1", description="old"), DemoRpm("seagull", "2-1", description="wrong"),
        _rpm(arch="noarch", description="for all"),
        _rpm(
            description="All <day>.\n\nAnd at night.", homepage="http://gull.example?a&b",
            license="MIT", packager="Crew", requires=("libc >= 2",), recommends=("r",),
            suggests=("s",), conflicts=("y",), obsoletes=("x < 2",), size=1234, disk=3072,
        ),
    )  # fmt: skip
    found = {(one["version"], one["arch"]): one["details"] for one in _told(harbour)}
    told = found["2-1", "x86_64"]
    assert told.pop("rhythm")["days"] == 1
    assert told == {
        "description": "All <day>.\n\nAnd at night.", "homepage": "http://gull.example?a&b",
        "license": "MIT", "maintainer": "Crew", "download_bytes": 1234, "disk_bytes": 3072,
        "needs": ["libc >= 2"], "recommends": ["r"], "suggests": ["s"], "conflicts": ["y"],
        "replaces": ["x < 2"], "provides": ["gull = 2-1", "gull(x86-64) = 2-1"],
    }  # fmt: skip
    assert found["1-1", "x86_64"]["description"] == "old"
    assert found["2-1", "noarch"]["description"] == "for all"
    assert found["1-1", "x86_64"]["maintainer"] == "Harbour Crew"


def test_what_only_the_record_of_an_rpm_host_has(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, DNF)
    harbour.source("base", _rpm("1-1"))
    harbour.installed(
        DemoRpm("tern", "3-1", description="no gull"),
        _rpm("3-1", description="here", homepage="http://gull.example", license="MIT"),
    )
    told = _told(harbour)[0]["details"]
    assert (told["description"], told["homepage"], told["license"]) == (
        "here", "http://gull.example", "MIT",
    )  # fmt: skip
    assert (told["maintainer"], told["download_bytes"], told["rhythm"]) == (
        "Harbour Crew", None, None,
    )  # fmt: skip


# -- alpm ------------------------------------------------------------------------------------


def _archive(version: str = "2-1", **more: object) -> DemoArchive:
    return DemoArchive("gull", version, **more)  # type: ignore[arg-type]


def test_a_package_of_an_archive(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source(
        "base", DemoArchive("seagull", "2-1", homepage="http://wrong.example"),
        _archive(
            summary="watches gulls", homepage="http://gull.example", license=("MIT", "BSD"),
            depends=("libc>=2",), optional=("s: for sums",), conflicts=("y",), replaces=("x",),
            provides=("bird=1",), size=1234, disk=3072,
        ),
    )  # fmt: skip
    harbour.installed(_archive("3-1", homepage="http://here.example", license=("GPL",)))
    by_version = {one["version"]: one for one in _told(harbour)}
    told = by_version["2-1"]["details"]
    assert told.pop("rhythm")["days"] == 1
    assert told == {
        "description": "watches gulls", "homepage": "http://gull.example", "license": "MIT, BSD",
        "maintainer": "Harbour Crew <crew@mooring.example>", "download_bytes": 1234,
        "disk_bytes": 3072, "needs": ["libc>=2"], "recommends": [], "suggests": ["s: for sums"],
        "conflicts": ["y"], "replaces": ["x"], "provides": ["bird=1"],
    }  # fmt: skip
    here = by_version["3-1"]["details"]
    assert (here["homepage"], here["license"], here["maintainer"]) == (
        "http://here.example", "GPL", "",
    )  # fmt: skip


# -- how often -------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("built", "days"),
    [
        ([NEWEST], 1),
        ([NEWEST, NEWEST - 3600], 1),
        ([NEWEST, NEWEST - 3601], 2),
        ([NEWEST - DAY, NEWEST], 2),
        ([NEWEST - 364 * DAY, NEWEST], 2),
        ([NEWEST - 365 * DAY, NEWEST], 1),
    ],
)
def test_how_often_a_source_brings_new_packages(
    tmp_path: Path, built: list[int], days: int
) -> None:
    harbour = RpmHarbour(tmp_path, DNF)
    harbour.source("base", *(
        DemoRpm(f"gull{number}" if number else "gull", built=when)
        for number, when in enumerate(built)
    ))  # fmt: skip
    harbour.source("other", DemoRpm("tern", built=NEWEST + 50 * DAY))
    (one,) = _told(harbour)
    assert one["details"]["rhythm"] == {"newest": float(max(built)), "days": days}


# -- for people ------------------------------------------------------------------------------


def test_how_it_is_shown(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, DNF)
    harbour.source("base", _rpm(
        summary="watches gulls", description="watches gulls\n\nAll \u202eday.\n\nAnd at night.",
        license="MIT", requires=("a", "b"),
    ), _rpm("1-1", summary="watches gulls"))  # fmt: skip
    harbour.installed(_rpm("1-1"))
    code, out, _ = harbour.refresh().run("offers", "gull", "--full")
    assert code == 0
    first, second = out.split("\n\n")
    assert first.split("\n")[:4] == [
        "=> gull 2-1  x86_64  from base, priority 99  2023-11-14", "  watches gulls",
        "  about       All \\u202eday.", "              And at night.",
    ]  # fmt: skip
    assert "  needs       a, b\n" in first
    assert "  its source  has packages built on 1 day of the year up to 2023-11-14" in first
    assert second.startswith("gull 1-1  x86_64  from base, priority 99  2023-11-14  installed\n")
    assert "about" not in second


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["--from", "base", "--full"], "--full tells of single names"),
        (["--at", "http://a.example", "--full"], "--at cannot be combined with --full"),
        (["--at", "http://a.example", "--from", "base"], "--at cannot be combined with --from"),
    ],
)
def test_where_it_cannot_be_asked(tmp_path: Path, words: list[str], says: str) -> None:
    harbour = RpmHarbour(tmp_path, DNF)
    harbour.source("base", _rpm())
    code, _, told = harbour.refresh().run("offers", *words)
    assert (code, says in told) == (2, True), told
