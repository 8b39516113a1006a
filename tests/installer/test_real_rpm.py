"""Packages, a repository and a record made by the real tools, read by Velpin; what Velpin wrote,
read by the real installers."""

from __future__ import annotations

import json
import shutil
import subprocess
from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP, RpmHarbour
from tests.installer.rpm_ask import PROGRAMS, RealInstaller
from tests.installer.rpm_built import built
from velpin.demo.rpm_files import DemoRpm as P
from velpin.fetch.package import open_package
from velpin.fetch.unpack import unpacked
from velpin.files.tree import Tree
from velpin.host.opening import open_host
from velpin.kinds.rpm.entry import read_facts
from velpin.kinds.rpm.recipes import SourcePackages
from velpin.kinds.rpm.record.packages import read_record
from velpin.kinds.rpm_dnf import DnfPorts
from velpin.ports.view import View
from velpin.store.cache import open_cache

TOOLS = [name for name in ("rpm", "rpmbuild", "createrepo_c") if shutil.which(name) is None]
needs_tools = pytest.mark.skipif(bool(TOOLS), reason=f"not on this machine: {', '.join(TOOLS)}")


@pytest.fixture
def packages(tmp_path: Path) -> list[Path]:
    """Three packages with relations of every kind."""
    return [
        built(tmp_path, "gull", "2.0~rc1", "3", epoch="2", relations=(
            "Requires: tide >= 1.0\nRequires: (fog or swell)\nConflicts: crow < 3\n"
            "Obsoletes: old-gull\nRecommends: map\nSuggests: poster\nSupplements: pier\nProvides: bird = 4"
        )),
        built(tmp_path, "tide", "1.1^git2", "1"),
        built(tmp_path, "fog", "1.0", "1", relations="Enhances: mast"),
    ]  # fmt: skip


@needs_tools
def test_a_repository_made_by_the_real_tool(tmp_path: Path, packages: list[Path]) -> None:
    repository = tmp_path / "packages"
    subprocess.run(["createrepo_c", "-q", str(repository)], check=True)
    harbour = RpmHarbour(tmp_path)
    harbour.put("etc/yum.repos.d/real.repo", f"[real]\nbaseurl=file://{repository}\ngpgcheck=0\n")
    found = harbour.refresh().forecast("gull")
    assert found["ok"], found["problem"]
    assert {one["name"]: one["new"] for one in found["changes"]} == {
        "gull": "2:2.0~rc1-3", "tide": "1.1^git2-1", "fog": "1.0-1",
    }  # fmt: skip
    sizes = {path.name.split("-")[0]: path.stat().st_size for path in packages}
    assert {one["name"]: one["download_bytes"] for one in found["changes"]} == sizes
    by_file = harbour.forecast("/usr/share/gull/a file")["answers"][0]
    assert by_file["package"] == "gull"


@needs_tools
def test_a_record_made_by_the_real_tool(tmp_path: Path, packages: list[Path]) -> None:
    root = tmp_path / "real"
    base = ["rpm", "--root", str(root), "--dbpath", "/var/lib/rpm"]
    root.mkdir()
    subprocess.run([*base, "--initdb"], check=True)
    words = ["-i", "--justdb", "--nodeps", "--noscripts", "--nosignature", "--ignorearch"]
    subprocess.run([*base, *words, *map(str, packages)], check=True, capture_output=True)
    told = subprocess.run(
        [*base, "-qa", "--qf", "%{name} %{evr} %{arch}\n"],
        check=True,
        capture_output=True,
        text=True,
    ).stdout
    facts = {}
    for batch in read_record(root / "var/lib/rpm/rpmdb.sqlite", []):
        for one in batch.entries:
            text = batch.block[one.start : one.start + one.length]
            facts[one.name] = (one.version, one.arch, read_facts(text))
    ours = {f"{name} {version} {arch}" for name, (version, arch, _) in facts.items()}
    theirs = {line.replace(" 0:", " ") for line in told.splitlines()}
    assert ours == theirs
    gull = facts["gull"][2]
    assert gull.vendor == "DebHarbour Crew"
    assert set(gull.relations["R"]) >= {"tide >= 1.0", "(fog or swell)"}
    assert (gull.relations["C"], gull.relations["O"]) == (("crow < 3",), ("old-gull",))
    assert (gull.relations["M"], gull.relations["S"]) == (("map",), ("pier",))
    assert "/usr/share/gull/a file" in gull.files
    host = open_host(_with_sources(root))
    assert host.packages.installed_names() == ["fog", "gull", "tide"]


def _with_sources(root: Path) -> Path:
    (root / "etc/yum.repos.d").mkdir(parents=True, exist_ok=True)
    return root


@needs_tools
def test_a_release_package_is_opened_and_not_run(tmp_path: Path, packages: list[Path]) -> None:
    files = open_package(packages[0].read_bytes(), "gull.rpm")
    assert files["etc/yum.repos.d/gull.repo"].startswith(b"[gull]\nbaseurl=http://gull.example/")
    assert set(files) == {"etc/yum.repos.d/gull.repo", "usr/share/gull/a file"}
    assert not (tmp_path / "ran").exists()


# -- what Velpin wrote -------------------------------------------------------------------------

VERSIONS = ["1.0-1", "1.0-2", "1.0-12", "1.0-1.fc3", "1.0-1.1", "1-1", "1.00-1", "1.1-1", "1.0.1-1",
            "1:1.0-1", "2:0.5-1", "1.0~rc1-1", "1.0^git1-1", "10.0-1", "1.0a-1", "0.9-1"]  # fmt: skip


@pytest.mark.skipif(PROGRAMS[DNF] is None, reason="no installer of kind rpm-dnf on this machine")
@pytest.mark.parametrize(
    "rule",
    ["gull@1.0-1", "gull@1.0", "gull@1.0*", "gull@1.0-1.fc3", "gull@1:1.0-1", "gull@1.0~rc1-1"],
)
def test_the_real_installer_sees_what_a_pin_leaves(tmp_path: Path, rule: str) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("base", *(P("gull", version) for version in VERSIONS))
    harbour.refresh()
    assert harbour.run("pin", rule, "--yes")[0] == 0
    tree = Tree(harbour.root)
    host = DnfPorts(View(tree, open_cache(tree)))
    ours = {
        one.version if ":" in one.version else f"0:{one.version}"
        for one in host.state.packages.pool.named("gull")
    }
    real = RealInstaller(harbour).ask("repoquery", "gull")
    theirs = {
        line.removeprefix("gull-").removesuffix(".x86_64")
        for line in real.text.splitlines()
        if line.startswith("gull-")
    }
    assert ours == theirs


@pytest.mark.parametrize(
    ("kind", "rule"),
    [
        (DNF, "prefer one --over two"), (DNF, "confine two tern"), (DNF, "bar gull --from two"),
        (DNF, "pin gull --from one"), (DNF, "bar gull@2-1"), (DNF, "keep old"),
        (ZYPP, "prefer one --over two"), (ZYPP, "bar gull --from two"), (ZYPP, "pin gull@1-1"),
        (ZYPP, "bar gull@>=2"), (ZYPP, "keep old"),
    ],
)  # fmt: skip
def test_the_real_installer_does_what_a_rule_says(tmp_path: Path, kind: str, rule: str) -> None:
    if PROGRAMS[kind] is None:
        pytest.skip(f"no installer of kind {kind} on this machine")
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("one", P("gull", "1-1"), P("tern", "1-1"), P("old", "1-1"))
    harbour.source("two", P("gull", "2-1"), P("tern", "2-1"), P("old", "2-1"))
    harbour.installed(P("old", "1-1"))
    harbour.refresh()
    code, out, told = harbour.run(*rule.split(), "--yes")
    assert code == 0, out + told
    real = RealInstaller(harbour)
    upgrade = "upgrade" if kind == DNF else "update"
    for asked, words in (
        (["install", "gull"], ["gull"]),
        (["install", "tern"], ["tern"]),
        ([upgrade], ["--upgrade"]),
    ):
        found = json.loads(harbour.run("forecast", "--json", *words)[1])
        ours = {f"{c['name']}.{c['arch']}": c["new"] or "" for c in found["changes"]}
        done = real.ask(*asked).done
        assert found["ok"] == (done is not None), (asked, found["problem"])
        assert ours == {name: new for name, (new, _) in (done or {}).items()}, asked


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_the_installers_own_copies_are_read(tmp_path: Path, kind: str) -> None:
    if PROGRAMS[kind] is None:
        pytest.skip(f"no installer of kind {kind} on this machine")
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("one", P("a", "1-1"), P("b", files=("/opt/odd/place",)))
    assert not harbour.forecast("a")["ok"]
    real = RealInstaller(harbour, cache=harbour.root / "var/cache/dnf")
    assert real.ask("install", "a").done is not None
    assert harbour.changes("--as-is", "a") == {"a.x86_64": "1-1 one"}
    notes = [one["code"] for one in harbour.forecast("a")["notes"]]
    assert "installer-must-refresh" not in notes
    harbour.source("one", P("a", "2-1"), date=1_900_000_000)
    harbour.refresh()
    assert harbour.changes("a") == {"a.x86_64": "2-1 one"}
    if kind == DNF:  # the other one links to lists on the same machine, which are gone now
        assert harbour.changes("--as-is", "a") == {"a.x86_64": "1-1 one"}


@needs_tools
def test_a_real_source_package_and_a_real_list_of_them(tmp_path: Path) -> None:
    spec = tmp_path / "gull.spec"
    spec.write_text(
        "Name: gull\nVersion: 1.2\nRelease: 3\nEpoch: 1\nSummary: counts gulls\nLicense: MIT\n"
        "ExclusiveArch: x86_64 aarch64\nBuildRequires: tide-devel >= 1.4, (make or cmake)\n"
        "%description\nx\n%package -n libgull\nSummary: y\n%description -n libgull\ny\n"
        "%files\n%files -n libgull\n"
    )
    folder = tmp_path / "list"
    subprocess.run(
        ["rpmbuild", "-bs", "--define", f"_topdir {tmp_path}/build", "--define",
         f"_srcrpmdir {folder}", str(spec)],
        check=True, capture_output=True,
    )  # fmt: skip
    subprocess.run(["createrepo_c", "-q", str(folder)], check=True, capture_output=True)
    (package,) = folder.glob("*.src.rpm")
    (listed,) = folder.rglob("*-primary.xml*")
    form = SourcePackages()
    plain = b"".join(unpacked(listed))
    for told in (form.read(package.read_bytes(), package.name), form.read(plain, listed.name)):
        assert {(one.name, one.version, one.base) for one in told} >= {("gull", "1:1.2-3", "gull")}
        assert sorted(one.relation for one in told[0].needs) == [
            "(make or cmake)", "tide-devel >= 1.4",
        ]  # fmt: skip
    (first, *_) = form.read(package.read_bytes(), package.name)
    assert (form.fits(first, "aarch64"), form.fits(first, "s390x")) == (True, False)
