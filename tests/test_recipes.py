"""Sources of build recipes: read in every form, last in every forecast, never chosen."""

from __future__ import annotations

import io
import json
import os
import re
import tarfile
import zipfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.harbours import DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour, offer
from velpin.demo.alpm_files import PACKERS
from velpin.demo.alpm_files import DemoArchive as P
from velpin.demo.rpm_files import DemoRpm as R
from velpin.demo.rpm_files import header_of, packed_header, primary_xml
from velpin.demo.serve import served
from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.kinds.alpm.recipes import SourceInfo
from velpin.kinds.deb.recipes import SourceControl
from velpin.kinds.deb.version import compare as deb_order
from velpin.kinds.rpm.recipes import SourcePackages
from velpin.kinds.rpm.version import compare as rpm_order
from velpin.recipes import config
from velpin.recipes.recipe import Recipe, RecipeFormat, RecipeNeed, unpack

CAM = """\
pkgbase = gull-cam
\tpkgdesc = watches gulls
\tpkgver = 1.2
\tpkgrel = 1
\tarch = x86_64
\tdepends = libtide>=1.5
\tmakedepends = libgull>=2
\tmakedepends_x86_64 = lens
\tcheckdepends = parrot

pkgname = gull-cam
"""
LIB = """\
# Generated
pkgbase = libgull
\tpkgver = 2.1
\tpkgrel = 3
\tepoch = 1
\tarch = any
\tdepends = libtide

pkgname = libgull
\tprovides = libgull.so=2

pkgname = libgull-doc
\tpkgdesc = gulls, explained
\tdepends =
"""
MARK = b"\x8e\xad\xe8\x01\0\0\0\0"
"""Before a header in a package's file."""
DSC = """\
-----BEGIN PGP SIGNED MESSAGE-----
Hash: SHA256

Format: 3.0 (quilt)
Source: gull-cam
Binary: gull-cam, gull-cam-doc
Architecture: any all
Version: 1:1.2-1
Build-Depends: libtide-dev (>= 1.5), lens | glass, parrot <!nocheck>, crow <nocheck>,
 only-arm [armhf], not-here [!amd64], wild [linux-any]
Package-List:
 gull-cam deb science optional arch=any
 gull-cam-doc deb doc optional arch=all

-----BEGIN PGP SIGNATURE-----

xyz
-----END PGP SIGNATURE-----
"""
SOURCES = """\
Package: gull-cam
Binary: gull-cam
Version: 1.1-1
Architecture: amd64 i386
Build-Depends: libtide-dev

Package: gull-arm
Binary: gull-arm
Version: 1-1
Architecture: armhf
"""


# -- formats -------------------------------------------------------------------------------


def test_source_information(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("platform.machine", lambda: "x86_64")
    (cam,) = SourceInfo().read(CAM.encode(), "cam/.SRCINFO")
    assert cam == Recipe(
        "gull-cam", "1.2-1", ("x86_64",), "gull-cam", "watches gulls", (),
        (RecipeNeed("runs", "libtide>=1.5"), RecipeNeed("builds", "libgull>=2"),
         RecipeNeed("builds", "lens"), RecipeNeed("checks", "parrot")), "cam/.SRCINFO",
    )  # fmt: skip
    lib, doc = SourceInfo().read(LIB.encode(), "x")
    assert (lib.version, lib.provides, doc.needs, doc.base) == (
        "1:2.1-3", ("libgull.so=2",), (), "libgull",
    )  # fmt: skip
    assert unpack(cam.packed()) == cam
    assert SourceInfo().meets(lib, "libgull.so=2")
    assert not SourceInfo().meets(lib, "libgull<2")


@pytest.mark.parametrize(
    ("text", "line"),
    [
        ("pkgname = x\n\tarch\n", 2),
        ("\tarch = any\n", 1),
        ("pkgbase = x\n\tpkgver = 1\n", 0),
        ("", 0),
    ],
)
def test_source_information_that_is_none(text: str, line: int) -> None:
    with pytest.raises(HostFileError) as found:
        SourceInfo().read(text.encode(), "x/.SRCINFO")
    assert (found.value.file, found.value.line) == ("x/.SRCINFO", line)


def test_source_control() -> None:
    form = SourceControl("amd64")
    cam, doc = form.read(DSC.encode(), "gull-cam.dsc")
    assert (cam.name, cam.version, cam.archs, doc.archs) == (
        "gull-cam",
        "1:1.2-1",
        ("any",),
        ("all",),
    )
    assert [one.relation for one in cam.needs] == [
        "libtide-dev (>= 1.5)", "lens | glass", "parrot", "wild",
    ]  # fmt: skip
    assert form.names("lens | glass (>= 2)") == ["lens", "glass"]
    assert form.meets(cam, "gull-cam (>= 1:1)")
    assert not form.meets(cam, "gull-cam (>= 1:2)")
    old, arm = form.read(SOURCES.encode(), "Sources")
    assert (form.fits(old, "amd64"), form.fits(arm, "amd64"), form.fits(doc, "amd64")) == (
        True,
        False,
        True,
    )
    assert deb_order("1:1-1", "2-1") == 1
    assert [form.is_recipe(name) for name in ("a.dsc", "Sources.xz", "x_main_source_Sources", "a.deb")] == [
        True, True, True, False,
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("form", "taken", "left"),
    [
        (SourceInfo(), ["=1", ">=1", "<=1-2", "=1-2", "<2"], ["<1-2", ">1", "=1-1"]),
        (SourceControl("amd64"), ["=1-2", ">=1-2", "<2", ">1-1"], ["=1", "<1-2", ">1-2"]),
        (SourcePackages(), ["=1", "=1-2", ">=1-2", "<2"], ["=1-1", "<1-2", ">1-2"]),
    ],
)
def test_bounds_mean_what_they_mean_to_the_kind(
    form: RecipeFormat, taken: list[str], left: list[str]
) -> None:
    recipe = Recipe("gull", "1-2", ("any",), "gull")

    def fits(text: str) -> bool:
        operator = text.rstrip("0123456789-")
        return form.meets(recipe, form.bound("gull", operator, text.removeprefix(operator)))

    assert [one for one in (*taken, *left) if fits(one)] == taken


@given(st.text(alphabet="pkgbasenmverl =\n\t#1.", max_size=120))
def test_any_text_is_read_or_refused(text: str) -> None:
    try:
        for recipe in SourceInfo().read(text.encode(), "x"):
            assert unpack(recipe.packed()) == recipe
    except HostFileError as problem:
        assert problem.file == "x"


@given(st.text(alphabet="Binary:Vesion1 \n,-|[]<>!()", max_size=120))
def test_any_stanza_is_read_or_refused(text: str) -> None:
    try:
        for recipe in SourceControl("amd64").read(text.encode(), "x"):
            assert recipe.name
    except HostFileError as problem:
        assert problem.file == "x"


GULL_CAM = R(
    "gull-cam", "1.2-1", "x86_64", summary="watches gulls", provides=("gull-cam-doc = 1.2-1",),
    requires=("libtide-devel >= 1.4", "(make or cmake)", "(pkgconfig(fog) and lens)",
              "rpmlib(FileDigests) <= 4.6", "libgull", "(crow if raven)", "(lens unless raven)"),
)  # fmt: skip


def source_package(one: R) -> bytes:
    """The beginning of a source package: its lead, no signatures, its header."""
    lead = b"\xed\xab\xee\xdb" + bytes(92)
    return lead + MARK + packed_header([]) + MARK + header_of(one) + b"the packed files"


def test_source_packages() -> None:
    form = SourcePackages()
    data = source_package(GULL_CAM)
    found = {one.name: one for one in form.read(data, "gull-cam-1.2-1.src.rpm")}
    assert set(found) == {"gull-cam", "gull-cam-doc"}
    cam = found["gull-cam"]
    assert (cam.version, cam.base, cam.summary) == ("1.2-1", "gull-cam", "watches gulls")
    assert [one.relation for one in cam.needs] == [
        "libtide-devel >= 1.4", "(make or cmake)", "pkgconfig(fog)", "lens", "libgull",
        "(crow if raven)", "(lens unless raven)",
    ]  # fmt: skip
    assert form.names("(make or (cmake with old))") == ["make", "cmake"]
    assert (form.meets(cam, "gull-cam >= 1.2"), form.meets(cam, "gull-cam > 1.2")) == (True, False)
    assert rpm_order("1:1-1", "2-1") == 1
    names = ("a.src.rpm", "a.nosrc.rpm", "0ab-primary.xml.zst", "primary.xml", "a.x86_64.rpm")
    assert [form.is_recipe(name) for name in names] == [True, True, True, True, False]
    assert form.head_of("a.src.rpm")
    assert form.head_of("primary.xml") is None


@pytest.mark.parametrize(
    ("archs", "arch", "fits"),
    [
        ((), "x86_64", True),
        (("x86_64", "noarch"), "aarch64", True),
        (("x86_64",), "aarch64", False),
        (("!x86_64",), "x86_64", False),
        (("!x86_64",), "aarch64", True),
    ],
)
def test_architectures_of_source_packages(archs: tuple[str, ...], arch: str, fits: bool) -> None:
    assert SourcePackages().fits(Recipe("a", "1-1", archs, "a"), arch) == fits


@given(st.integers(0, 400), st.binary(max_size=8))
def test_any_source_package_is_read_or_refused(length: int, more: bytes) -> None:
    try:
        SourcePackages().read(source_package(GULL_CAM)[:length] + more, "x.src.rpm")
    except HostFileError as problem:
        assert problem.file == "x.src.rpm"


def test_an_archive_with_a_password_is_refused(alpm: AlpmHarbour) -> None:
    path = _zip(alpm.folder, FILES)
    data = bytearray(path.read_bytes())
    for at in (6, data.index(b"PK\x01\x02") + 8):  # the mark of a password, in both heads
        data[at] |= 1
    path.write_bytes(bytes(data))
    code, _, told = alpm.run("add", "gullery", "--recipes", str(path), "--yes")
    assert (code, "no archive" in told) == (3, True)


# -- on a host -----------------------------------------------------------------------------


def _folder(place: Path, files: dict[str, str]) -> Path:
    for name, text in files.items():
        path = place / "recipes" / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    return place / "recipes"


def _tar(packed: str) -> Callable[[Path, dict[str, str]], Path]:
    def make(place: Path, files: dict[str, str]) -> Path:
        out = io.BytesIO()
        with tarfile.open(fileobj=out, mode="w") as tar:
            for name, text in files.items():
                head = tarfile.TarInfo(f"./{name}")
                head.size = len(text.encode())
                tar.addfile(head, io.BytesIO(text.encode()))
        path = place / "recipes.bin"
        path.write_bytes(PACKERS[packed](out.getvalue()))
        return path

    return make


def _zip(place: Path, files: dict[str, str]) -> Path:
    path = place / "recipes.zip"
    with zipfile.ZipFile(path, "w") as opened:
        for name, text in files.items():
            opened.writestr(name, text)
    return path


FILES = {"cam/.SRCINFO": CAM, "lib/.SRCINFO": LIB, "cam/README": "no recipe", "odd/.SRCINFO": "odd"}


@pytest.fixture
def alpm(tmp_path: Path) -> AlpmHarbour:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", P("libtide", "1.6-1"), P("lens"), P("parrot"), P("libgull-doc", "0.1-1"))
    harbour.installed(P("libtide", "1.6-1"))
    return harbour.refresh()


@pytest.mark.parametrize(
    "make", [_folder, _tar(""), _tar("gz"), _tar("xz"), _tar("zst"), _zip],
    ids=["folder", "tar", "gz", "xz", "zst", "zip"],
)  # fmt: skip
def test_recipes_of_every_form_are_told_last_and_never_chosen(
    alpm: AlpmHarbour, make: Callable[[Path, dict[str, str]], Path]
) -> None:
    before = alpm.changes("libgull-doc")
    out = alpm.done("add", "gullery", "--recipes", str(make(alpm.folder, FILES)), "--yes")
    assert "gullery has 3 recipes" in out
    assert alpm.changes("libgull-doc") == before == {"libgull-doc": "0.1-1 base"}
    told = alpm.forecast("libgull-doc")["answers"][0]["passed_over"]
    assert [(one["source"], one["version"]) for one in told] == [("gullery", "1:2.1-3")]
    offers = json.loads(alpm.done("offers", "--json", "libgull-doc"))["offers"]
    assert [(one["source"], one["state"]) for one in offers] == [
        ("base", "chosen"), ("gullery", "to be built"),
    ]  # fmt: skip
    assert alpm.changes("--upgrade") == {}
    standings = json.loads(alpm.done("sources", "--json"))["sources"]
    assert [one["handle"] for one in standings][-1] == "gullery"
    assert "odd" in alpm.run("refresh")[2]


def build(harbour: AlpmHarbour | RpmHarbour | DebHarbour, *words: str) -> dict[str, Any]:
    """What a forecast tells of building."""
    if isinstance(harbour, DebHarbour):
        found = json.loads(harbour.run("forecast", "--json", *words).out)
    else:
        found = harbour.forecast(*words)
    assert (found["ok"], found["changes"]) == (False, [])
    (told,) = found["builds"]
    return dict(told)


def needs(step: dict[str, Any]) -> list[tuple[str, str, str]]:
    return [(one["relation"], one["how"], one["source"]) for one in step["needs"]]


def test_what_building_needs_and_from_where(alpm: AlpmHarbour) -> None:
    alpm.done("add", "gullery", "--recipes", str(_folder(alpm.folder, FILES)), "--yes")
    told = build(alpm, "gull-cam")
    assert [step["name"] for step in told["steps"]] == ["libgull", "gull-cam"]
    assert needs(told["steps"][0]) == [("libtide", "installed", "")]
    found = needs(told["steps"][1])
    assert found[:2] == [("libtide>=1.5", "installed", ""), ("libgull>=2", "recipe", "gullery")]
    assert found[-1] == ("parrot", "source", "base")
    assert (told["problem"], "parrot" in {one["name"] for one in told["changes"]}) == (None, True)
    out = alpm.run("forecast", "gull-cam")[1]
    for text in (
        "could be built (nothing is built now)",
        "to be built, from gullery",
        "from base",
    ):
        assert text in out


def test_a_need_that_is_nowhere_and_a_circle(alpm: AlpmHarbour) -> None:
    files = {
        "a/.SRCINFO": CAM.replace("libtide>=1.5", "nowhere"), "lib/.SRCINFO": LIB,
        "b/.SRCINFO": LIB.replace("libgull", "liba").replace("= libtide", "= libb"),
        "c/.SRCINFO": LIB.replace("libgull", "libb").replace("= libtide", "= liba"),
    }  # fmt: skip
    alpm.done("add", "gullery", "--recipes", str(_folder(alpm.folder, files)), "--yes")
    assert build(alpm, "gull-cam")["problem"]["relations"] == ["nowhere"]
    assert build(alpm, "liba")["problem"]["relations"] == ["liba"]


def test_newer_recipes_of_what_no_source_has_are_told_with_the_upgrade(alpm: AlpmHarbour) -> None:
    alpm.installed(P("libtide", "1.6-1"), P("gull-cam", "1.1-1"), P("libgull", "1:2.1-3"),
                   P("libgull-doc", "0.1-1"))  # fmt: skip
    alpm.done("add", "gullery", "--recipes", str(_folder(alpm.folder, FILES)), "--yes")
    found = alpm.forecast("--upgrade")
    assert (found["ok"], found["changes"]) == (True, [])
    (told,) = [one["text"] for one in found["notes"] if one["code"] == "newer-recipes"]
    assert "installed: gull-cam 1.2-1 (gullery);" in told
    alpm.done("off", "gullery", "--yes")
    assert "newer-recipes" not in {one["code"] for one in alpm.forecast("--upgrade")["notes"]}


def test_asked_for_from_there_it_is_told_though_a_built_one_is_there(alpm: AlpmHarbour) -> None:
    alpm.done("add", "gullery", "--recipes", str(_folder(alpm.folder, FILES)), "--yes")
    told = build(alpm, "libgull-doc%gullery")
    assert [step["version"] for step in told["steps"]] == ["1:2.1-3"]
    assert build(alpm, "lens%gullery")["problem"]["code"] == "no-recipe"


def test_what_a_package_lacks_could_be_built(alpm: AlpmHarbour) -> None:
    alpm.source("more", P("aviary", depends=("libgull>=2",)), P("cage", depends=("libgull>=2:1",)))
    alpm.refresh()
    alpm.done("add", "gullery", "--recipes", str(_folder(alpm.folder, FILES)), "--yes")
    told = build(alpm, "aviary")
    assert (told["asked"], [one["name"] for one in told["steps"]]) == ("libgull>=2", ["libgull"])
    assert alpm.forecast("cage")["builds"] == []


@pytest.mark.parametrize(
    ("asked", "version"),
    [("@>=2", "1:2.1-3"), ("@1:2.*", "1:2.1-3"), ("@1:2.1-3", "1:2.1-3"), ("@<1:2.1", ""), ("@3*", "")],
)  # fmt: skip
def test_a_version_that_is_asked_for(alpm: AlpmHarbour, asked: str, version: str) -> None:
    alpm.done("add", "gullery", "--recipes", str(_folder(alpm.folder, FILES)), "--yes")
    for name in ("libgull", "libgull-doc"):
        found = alpm.forecast(name + asked)["builds"]
        assert [one["steps"][-1]["version"] for one in found] == ([version] if version else [])
    told = build(alpm, f"libgull{asked}%gullery")
    assert told["steps"] == [] or told["steps"][-1]["version"] == version


def test_switched_dropped_and_undone(alpm: AlpmHarbour) -> None:
    alpm.done("add", "gullery", "--recipes", str(_folder(alpm.folder, FILES)), "--yes")
    assert "gull-cam" in alpm.done("offers", "--from", "gullery")
    assert "gullery  watches gulls (to be built)\n" in alpm.done("find", "gull-cam")
    assert "gull-cam (to be built)" in alpm.forecast("gulcam")["answers"][0]["near"]
    assert alpm.forecast("gull-cam")["answers"][0]["near"] == []
    alpm.done("off", "gullery", "--yes")
    assert alpm.forecast("gull-cam")["builds"] == []
    alpm.done("on", "gullery", "--yes")
    assert alpm.forecast("gull-cam")["builds"]
    alpm.done("drop", "gullery", "--yes")
    assert not (alpm.root / "etc/velpin/recipes/gullery.toml").exists()
    alpm.done("undo", "--yes")
    assert alpm.forecast("gull-cam")["builds"]


def test_a_folder_with_odd_things_in_it(alpm: AlpmHarbour) -> None:
    place = _folder(
        alpm.folder, {"lib/.SRCINFO": LIB, ".git/x/.SRCINFO": CAM, "a/b/c/d/e/f/.SRCINFO": CAM}
    )
    (place / "gone").mkdir()
    (place / "gone/.SRCINFO").symlink_to("nowhere")
    (place / "again").symlink_to(place)
    out = alpm.done("add", "gullery", "--recipes", str(place), "--yes")
    assert "gullery has 2 recipes" in out
    assert "gone/.SRCINFO" in alpm.run("refresh", "gullery")[2]
    assert json.loads(alpm.done("find", "gull", "--json"))["count"] == 2


def test_a_recipe_that_came_later_is_seen(alpm: AlpmHarbour) -> None:
    place = _folder(alpm.folder, {"lib/.SRCINFO": LIB})
    alpm.done("add", "gullery", "--recipes", str(place), "--yes")
    assert alpm.forecast("gull-cam")["builds"] == []
    _folder(alpm.folder, FILES)
    os.utime(place / "cam/.SRCINFO", (2_000_000_000, 2_000_000_000))
    assert alpm.forecast("gull-cam")["builds"]


@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        (["gullery", "--recipes", "nowhere"], 5, "no such folder"),
        (["base", "--recipes", "."], 1, "the name of another source"),
        (["a/b", "--recipes", "."], 2, "cannot be a name"),
        (["gullery", "--recipes", ".", "--url", "file:///x"], 2, "cannot be combined"),
        (["gullery", "--recipes", "empty"], 1, "has no recipe"),
        (["gullery", "--recipes", "junk"], 3, "no archive"),
    ],
)
def test_additions_that_cannot_be(
    alpm: AlpmHarbour, words: list[str], code: int, told: str
) -> None:
    (alpm.folder / "empty").mkdir()
    (alpm.folder / "junk").write_bytes(b"no archive at all")
    words = [
        str(alpm.folder / one) if one in ("nowhere", "empty", "junk") else one for one in words
    ]
    found, _, said = alpm.run("add", *words, "--yes")
    assert (found, (alpm.root / "etc/velpin").exists()) == (code, False), said
    assert told in said


def test_an_archive_is_fetched_and_the_last_good_one_stays(
    alpm: AlpmHarbour, monkeypatch: pytest.MonkeyPatch
) -> None:
    alpm.put("etc/velpin/velpin.toml", "[refresh]\nretries = 0\n")
    www = alpm.folder / "www" / "recipes.example"
    www.mkdir(parents=True)
    archive = www / "all.tar.gz"
    _tar("gz")(alpm.folder, {"lib/.SRCINFO": LIB}).rename(archive)
    with served(www.parent) as proxy:
        monkeypatch.setenv("http_proxy", proxy)
        monkeypatch.setenv("no_proxy", "")
        address = "http://recipes.example/all.tar.gz"
        assert "gullery has 2 recipes" in alpm.done("add", "gullery", "--recipes", address, "--yes")
        assert build(alpm, "libgull")["steps"][0]["file"] == "lib/.SRCINFO"
        assert re.search("gullery +unchanged", alpm.done("refresh", "gullery"))
        _tar("gz")(alpm.folder, FILES).rename(archive)
        os.utime(archive, (2_000_000_000, 2_000_000_000))
        assert re.search("gullery +new", alpm.done("refresh", "gullery"))
        assert build(alpm, "gull-cam")["steps"]
        archive.write_bytes(b"junk")
        os.utime(archive, (2_100_000_000, 2_100_000_000))
        code, out, told = alpm.run("refresh", "gullery")
        assert (code, "no archive" in out + told) == (5, True)
        archive.unlink()
        assert alpm.run("refresh", "gullery")[0] == 5
    assert build(alpm, "gull-cam")["steps"]
    code, _, told = alpm.run("add", "other", "--recipes", "http://recipes.example/no", "--yes")
    assert (code, (alpm.root / "etc/velpin/recipes/other.toml").exists()) == (5, False)


def test_a_broken_file_of_a_source_is_told(alpm: AlpmHarbour) -> None:
    alpm.put("etc/velpin/recipes/odd.toml", "address = 5\n")
    assert "needs an address" in alpm.done("host")
    assert alpm.changes("lens") == {"lens": "1.0-1 base"}


def test_recipes_of_a_deb_host(harbour: DebHarbour, tmp_path: Path) -> None:
    rows = [offer("libtide-dev", "1.6-1"), offer("glass", "1"), offer("wild", "1"),
            offer("bird", "1", Provides="parrot"),
            offer("aviary", "1", Depends="gull-cam (>= 1:1)")]  # fmt: skip
    harbour.source("base", *rows)
    harbour.installed(("glass", "1"))
    harbour.ready()
    place = _folder(tmp_path, {"gull-cam.dsc": DSC, "more/Sources": SOURCES})
    assert harbour.run("add", "gullery", "--recipes", str(place), "--yes").code == 0
    told = build(harbour, "gull-cam")
    assert [(step["name"], step["version"]) for step in told["steps"]] == [("gull-cam", "1:1.2-1")]
    assert needs(told["steps"][0]) == [
        ("libtide-dev (>= 1.5)", "source", "base"), ("lens | glass", "installed", ""),
        ("parrot", "source", "base"), ("wild", "source", "base"),
    ]  # fmt: skip
    assert {one["name"] for one in told["changes"]} == {"libtide-dev", "bird", "wild"}
    assert build(harbour, "aviary")["asked"] == "gull-cam >= 1:1"


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_recipes_of_an_rpm_host(tmp_path: Path, kind: str) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("base", R("libtide-devel", "1.6-1"), R("lens", "1-1"), R("cmake", "3-1"),
                   R("fog", "1-1", provides=("pkgconfig(fog)",)))  # fmt: skip
    harbour.installed(R("cmake", "3-1"))
    harbour.refresh()
    place = tmp_path / "recipes"
    place.mkdir()
    (place / "gull-cam-1.2-1.src.rpm").write_bytes(source_package(GULL_CAM))
    (place / "x-primary.xml").write_bytes(primary_xml([R("libgull", "2-1", "src"), R("tern")]))
    assert harbour.run("add", "gullery", "--recipes", str(place), "--yes")[0] == 0
    told = build(harbour, "gull-cam")
    assert [step["name"] for step in told["steps"]] == ["libgull", "gull-cam"]
    assert needs(told["steps"][1]) == [
        ("libtide-devel >= 1.4", "source", "base"), ("(make or cmake)", "installed", ""),
        ("pkgconfig(fog)", "source", "base"), ("lens", "source", "base"),
        ("libgull", "recipe", "gullery"), ("(crow if raven)", "installed", ""),
        ("(lens unless raven)", "source", "base"),
    ]  # fmt: skip
    assert {one["name"] for one in told["changes"]} == {"libtide-devel", "fog", "lens"}
    assert build(harbour, "gull-cam-doc")["steps"][-1]["name"] == "gull-cam-doc"
    assert harbour.forecast("tern")["builds"] == []
    assert build(harbour, "gull-cam@1.2")["steps"][-1]["version"] == "1.2-1"
    assert harbour.forecast("gull-cam@1.3")["builds"] == []


def test_sources_of_recipes_stand_in_files_of_their_own(tmp_path: Path) -> None:
    folder = tmp_path / config.FOLDER
    folder.mkdir(parents=True)
    (folder / "README").write_text("no source")
    (folder / "b.toml").write_bytes(config.text_of("/srv/m\u00f6wen"))
    (folder / "c.toml").write_text("odd")
    (folder / "d.toml").write_bytes(config.text_of("/srv/d", on=False))
    found, notes = config.read_sources(Tree(tmp_path))
    assert [(one.handle, one.address, one.on) for one in found] == [
        ("b", "/srv/m\u00f6wen", True), ("d", "/srv/d", False),
    ]  # fmt: skip
    assert [note.place.file for note in notes] == [f"{config.FOLDER}/c.toml"]
    assert "/srv/m\u00f6wen" in (folder / "b.toml").read_text()
