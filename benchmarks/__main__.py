"""`python -m benchmarks`: how fast Velpin is, against what a person has today.

Whole processes, in turn, several times; medians. The installer is asked in simulation, on a
copy of this machine's sources, fetched indexes and record of packages.

    forecast       one name that brings nothing, warm, against a bare program of the same
                   command-line library; one that brings many, and the full upgrade, against
                   the installer's own simulation
    completion     of an option, a source and a name, against the bare program
    find, sources  warm, against the warm forecast
    reading        this machine's indexes for the first time, and made-up sources of 100,000 and
                   60,000 packages on hosts of the other kinds, against each host's installer
                   building its own cache from the same files, where it is on this machine
    checkup        of those hosts, warm
    rules          of all names of this machine's indexes and of one more source as large, and of
                   the made-up hosts: planned, proved and shown
    ten sources    of 100,000 packages each, against one of them

`--only` runs one part: this, rpm-dnf, rpm-zypp, alpm, ten.
"""

from __future__ import annotations

import argparse
import os
import shutil
import statistics
import subprocess
import sys
import tempfile
from collections.abc import Iterable
from pathlib import Path

from benchmarks.brief import Brief, deb_rows, made_ten, refreshed, rpm_rows, run, ten_rows

_BARE = """
import typer
app = typer.Typer()
@app.command()
def one(name: str) -> None:
    print(name)
@app.command()
def two(name: str) -> None:
    print(name)
app()
"""
_KINDS = {"rpm-dnf": "made_up_rpm", "rpm-zypp": "made_up_rpm", "alpm": "made_up_alpm"}
_INSTALLERS = {
    "rpm-dnf": [
        "dnf", "-q", "--installroot=ROOT", "--setopt=reposdir=ROOT/etc/yum.repos.d",
        "--setopt=cachedir=ROOT/var/cache/dnf", "--releasever=4",
    ],
    "rpm-zypp": ["zypper", "--root", "ROOT", "--non-interactive", "--no-gpg-checks"],
}  # fmt: skip
"""How to ask an installer that keeps a cache of its own; others read their lists each time."""
_READ = """
import sys
from velpin.host.opening import open_host
from pathlib import Path
host = open_host(Path(sys.argv[1]), as_is=sys.argv[2] == "as-is")
host.packages.parse_indexes()
"""
_SHIFT = """
import sys
from pathlib import Path
from velpin.host.opening import open_host
host = open_host(Path(sys.argv[1]))
print(len(host.shift(host.sources.plan_switch(sys.argv[2], False)).answers))
"""


_SHORT, _MORE = 0.6, 3
"""Commands of less than so many seconds are run so many times as often."""


class Bench:
    """Runs pairs of commands and prints their medians and ratio."""

    def __init__(self, runs: int) -> None:
        self._runs = runs
        self.env = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}

    def pair(
        self,
        title: str,
        ours: list[str],
        theirs: list[str],
        wanted: float,
        *,
        fresh: list[Path] | None = None,
        stale: list[Path] | None = None,
    ) -> None:
        """Time two commands in turn; the ratio of each pair, and the wanted bound."""
        took = run(ours, self.env, fresh or []).wall
        run(theirs, self.env, stale or [])
        rows = []
        for _ in range(self._runs * (_MORE if took < _SHORT else 1)):
            one, other = run(ours, self.env, fresh or []), run(theirs, self.env, stale or [])
            rows.append((one.wall, other.wall, one.memory))
        ratio = statistics.median(one / other for one, other, _ in rows)
        ours_s = statistics.median(one for one, _, _ in rows)
        theirs_s = statistics.median(other for _, other, _ in rows)
        peak = max(memory for _, _, memory in rows)
        verdict = "within" if ratio <= wanted else "OVER"
        print(
            f"{title:58} {ours_s:7.3f} s  {theirs_s:7.3f} s   ratio {ratio:6.2f}"
            f"  ({verdict} {wanted:g})   peak {peak:5.0f} MB"
        )

    def alone(
        self, title: str, command: list[str], fresh: list[Path], wanted: float | None = None
    ) -> None:
        """Time one command; `wanted` in seconds."""
        run(command, self.env, fresh)
        rows = [run(command, self.env, fresh) for _ in range(max(2, self._runs // 2))]
        seconds = statistics.median(one.wall for one in rows)
        peak = max(one.memory for one in rows)
        bound = f"({'within' if seconds <= wanted else 'OVER'} {wanted:g} s)" if wanted else ""
        print(f"{title:58} {seconds:7.3f} s  {bound:40} peak {peak:5.0f} MB")


def copied_host(folder: Path) -> Path:
    """A root with this machine's sources, fetched indexes and record of packages."""
    root = folder / "this"
    for name in ("etc/apt", "var/lib/apt/lists", "usr/share/keyrings"):
        shutil.copytree(
            Path("/") / name,
            root / name,
            ignore=shutil.ignore_patterns("partial", "lock"),
        )
    for name in ("var/lib/dpkg/status", "var/lib/apt/extended_states", "etc/os-release"):
        (root / name).parent.mkdir(parents=True, exist_ok=True)
        if (Path("/") / name).exists():
            shutil.copy(Path("/") / name, root / name)
    for name in (
        "var/lib/apt/lists/partial",
        "var/cache/apt/archives/partial",
        "etc/apt/apt.conf.d",
    ):
        (root / name).mkdir(parents=True, exist_ok=True)
    return root


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(prog="python -m benchmarks")
    parser.add_argument("--runs", type=int, default=5)
    parser.add_argument("--leaf", default="hello", help="a name that brings nothing along")
    parser.add_argument("--name", default="vlc", help="a name that brings 200 packages")
    parser.add_argument("--only", choices=("this", "ten", *_KINDS), help="one part of it")
    parser.add_argument("--brief", action="store_true", help="the figures with bounds alone")
    parser.add_argument("--beside", type=Path, help="with --brief: another checkout to run as well")
    words = parser.parse_args()
    bench = Bench(words.runs)
    velpin = [str(Path(sys.executable).with_name("velpin"))]
    with tempfile.TemporaryDirectory(prefix="velpin-bench-") as name:
        folder = Path(name)
        (folder / "bare.py").write_text(_BARE)
        (folder / "read.py").write_text(_READ)
        bare = [sys.executable, str(folder / "bare.py"), "one", "x"]
        if words.brief:
            _brief(Brief(words.runs, bench.env, words.beside), folder, bare, words.only)
            return
        if words.only in (None, "this"):
            if shutil.which("apt-get") and list(Path("/var/lib/apt/lists").glob("*Packages*")):
                _this_machine(bench, folder, velpin, bare, (words.leaf, words.name))
            else:
                print("this machine has no deb installer, or it has fetched no index")
        kinds = [kind for kind in _KINDS if words.only in (None, kind)]
        if kinds:
            _made_up_others(bench, folder, velpin, bare, kinds)
        if words.only in (None, "ten"):
            _ten_sources(bench, folder, velpin, bare)


def _installer_settings(folder: Path, root: Path) -> str:
    """A file with which the installer looks at a copied host."""
    conf = folder / "installer.conf"
    conf.write_text(f'Dir "{root}/";\nDir::State::status "{root}/var/lib/dpkg/status";\n')
    return str(conf)


def _brief(brief: Brief, folder: Path, bare: list[str], only: str | None) -> None:
    read = folder / "read.py"
    if only in (None, "this") and shutil.which("apt-get"):
        root = copied_host(folder)
        brief.env["APT_CONFIG"] = _installer_settings(folder, root)
        made = [sys.executable, "-m", "benchmarks.vendor", str(root), str(folder / "vendor")]
        subprocess.run(made, check=True)
        refreshed(root, brief.env, "vendor")
        for row in deb_rows(root, read, bare, "bash"):
            brief.measure(row)
    if only in (None, "rpm-dnf"):
        made = [sys.executable, "-m", "benchmarks.made_up_rpm", str(folder / "others"), "100000"]
        subprocess.run(made, check=True)
        root, theirs = folder / "others/dnf", folder / "theirs/rpm-dnf"
        refreshed(root, brief.env)
        installer: list[str] = []
        if shutil.which("dnf"):
            shutil.copytree(root / "etc", theirs / "etc")
            (theirs / "var/lib/rpm").mkdir(parents=True)
            words = [word.replace("ROOT", str(theirs)) for word in _INSTALLERS["rpm-dnf"]]
            subprocess.run([*words, "makecache"], check=True, stdout=subprocess.DEVNULL)
            installer = [*words, "-C", "repoquery", "nothing", str(theirs)]
        for row in rpm_rows(root, read, bare, installer):
            brief.measure(row)
    if only in (None, "ten"):
        for row in ten_rows(*made_ten(folder, brief.env), read):
            brief.measure(row)


def _this_machine(
    bench: Bench, folder: Path, velpin: list[str], bare: list[str], names: tuple[str, str]
) -> None:
    root = copied_host(folder)
    bench.env["APT_CONFIG"] = _installer_settings(folder, root)
    bench.env["LC_ALL"] = "C.UTF-8"
    at = [*velpin, "--root", str(root)]
    leaf, name = names
    forecast = [*at, "forecast", leaf]
    many, upgrade = [*at, "forecast", name], [*at, "forecast", "--upgrade"]
    print("this machine's own indexes")
    bench.pair("  forecast, warm | a bare program", forecast, bare, 1.5)
    _completion(bench, at, leaf[:3], bare)
    bench.pair(
        "  forecast of many | the installer's simulation",
        many,
        ["apt-get", "-s", "install", name],
        0.1,
    )
    bench.pair(
        "  forecast --upgrade | the installer's simulation",
        upgrade,
        ["apt-get", "-s", "dist-upgrade"],
        0.1,
    )
    bench.pair("  sources | forecast", [*at, "sources"], forecast, 2)
    bench.pair("  find | forecast", [*at, "find", name], forecast, 2)
    cache = root / "var/cache/apt"
    bench.pair(
        "  reading and storing, first time | the installer's cache",
        [sys.executable, str(folder / "read.py"), str(root), "as-is"],
        ["apt-cache", "gencaches"],
        1,
        fresh=[root / "var/cache/velpin"],
        stale=[cache / "pkgcache.bin", cache / "srcpkgcache.bin"],
    )
    _shift(bench, folder, velpin, root)


def _shift(bench: Bench, folder: Path, velpin: list[str], root: Path) -> None:
    made = [sys.executable, "-m", "benchmarks.vendor", str(root), str(folder / "vendor")]
    subprocess.run(made, check=True)
    (root / "shift.py").write_text(_SHIFT)
    at = [*velpin, "--root", str(root)]
    (vendor,) = refreshed(root, bench.env, "vendor")
    count = f"{vendor['offers']:,}".replace(",", " ")
    print(f"this machine's own indexes, and one more source of {count} packages")
    alone = [sys.executable, str(root / "shift.py"), str(root), vendor["source"]]
    bench.alone("  shift of the whole host, as the source goes", alone, [], 3)
    rules = (
        ("off", ["off", vendor["source"]]),
        ("prefer", ["prefer", vendor["source"], "--over-all"]),
        ("confine", ["confine", vendor["source"], "vv-*"]),
        ("keep", ["keep", "lib*"]),
        ("bar", ["bar", "lib*", "--from", vendor["source"]]),
    )
    _rules(bench, at, rules)
    bench.alone("  checkup, warm", [*at, "checkup", "--offline"], [], 5)


def _rules(bench: Bench, at: list[str], rules: Iterable[tuple[str, list[str]]]) -> None:
    for title, words in rules:
        bench.alone(f"  {title}, planned, proved and shown", [*at, *words, "--preview"], [], 2)


def _completion(bench: Bench, at: list[str], start: str, bare: list[str]) -> None:
    """What a shell asks; the last word is the one that is completed."""
    asked = ["env", "VELPIN_COMPLETE=bash", *at]
    for title, words in (
        ("an option", ["forecast", "--"]), ("a source", ["off", ""]),
        ("a name", ["forecast", start]),
    ):  # fmt: skip
        bench.pair(f"  completion of {title} | a bare program", [*asked, *words], bare, 1.5)


def _made_up_others(
    bench: Bench, folder: Path, velpin: list[str], bare: list[str], kinds: Iterable[str]
) -> None:
    """Hosts of the other kinds: a source of many packages, and one of fewer after it."""
    for module in dict.fromkeys(_KINDS[kind] for kind in kinds):
        made = [sys.executable, "-m", f"benchmarks.{module}", str(folder / "others"), "100000"]
        subprocess.run(made, check=True)
    for kind in kinds:
        root = folder / "others" / kind.removeprefix("rpm-")
        (root / "shift.py").write_text(_SHIFT)
        at = [*velpin, "--root", str(root)]
        subprocess.run([*at, "refresh"], check=True, env=bench.env, stdout=subprocess.DEVNULL)
        shallow = _first(bench, at, "gull")
        print(f"made-up sources of 100,000 and 60,000 packages, {kind}")
        forecast = [*at, "forecast", shallow]
        bench.pair("  forecast, warm | a bare program", forecast, bare, 1.5)
        _completion(bench, at, "gu", bare)
        bench.pair("  find | forecast", [*at, "find", "harbour", "gull"], forecast, 2)
        bench.pair("  forecast --upgrade | forecast", [*at, "forecast", "--upgrade"], forecast, 20)
        read = [sys.executable, str(folder / "read.py"), str(root), "all"]
        _reading(bench, kind, root, folder / "theirs" / kind, read)
        subprocess.run(read, check=True, stdout=subprocess.DEVNULL)
        bench.alone("  checkup, warm", [*at, "checkup", "--offline"], [], 5)
        shift = [sys.executable, str(root / "shift.py"), str(root), "vendor"]
        bench.alone("  shift of the whole host, as a source goes", shift, [], 3)
        rules = (
            ("off", ["off", "vendor"]),
            (
                "prefer, by which most of what is installed moves",
                ["prefer", "vendor", "--over-all"],
            ),
            ("keep", ["keep", "tide-*"]),
            ("bar", ["bar", "tide-*", "--from", "vendor"]),
        )
        _rules(bench, at, rules)


def _reading(bench: Bench, kind: str, root: Path, theirs: Path, read: list[str]) -> None:
    """The first reading of a host's lists, beside its installer's where that has a cache."""
    parsed = root / "var/cache/velpin/parsed"
    installer = _INSTALLERS.get(kind)
    if installer is None or not shutil.which(installer[0]):
        bench.alone("  reading and storing, first time", read, [parsed], 20)
        return
    shutil.copytree(root / "etc", theirs / "etc")
    (theirs / "var/lib/rpm").mkdir(parents=True)
    words = [word.replace("ROOT", str(theirs)) for word in installer]
    refresh, build, cache = (
        (["makecache"], ["-C", "repoquery", "nothing"], "var/cache/dnf/{}.solv")
        if kind == "rpm-dnf"
        else (["refresh"], ["refresh", "--build-only", "--force-build"], "var/cache/zypp/solv/{}")
    )
    subprocess.run([*words, *refresh], check=True, stdout=subprocess.DEVNULL)
    bench.pair(
        "  reading and storing, first time | the installer's cache",
        read,
        [*words, *build],
        1,
        fresh=[parsed],
        stale=[theirs / cache.format(name) for name in ("bench", "vendor")],
    )


def _ten_sources(bench: Bench, folder: Path, velpin: list[str], bare: list[str]) -> None:
    """A host with one source of 100,000 packages, and one with nine more."""
    one, ten = made_ten(folder, bench.env)
    asked, name = {}, ""
    for root in (one, ten):
        at = [*velpin, "--root", str(root)]
        name = name or _first(bench, at, "gull")
        asked[root] = [*at, "forecast", name]
    print("ten made-up sources of 100,000 packages each | one of them")
    bench.pair("  forecast, warm, one source | a bare program", asked[one], bare, 1.5)
    bench.pair("  forecast, warm, ten | one", asked[ten], asked[one], 1.2)
    read = [[sys.executable, str(folder / "read.py"), str(root), "all"] for root in (ten, one)]
    parsed = [[root / "var/cache/velpin/parsed"] for root in (ten, one)]
    bench.pair(
        "  reading and storing, first time, ten | one", *read, 11, fresh=parsed[0], stale=parsed[1]
    )
    at = [*velpin, "--root", str(ten)]
    rules = [
        ("off", ["off", "bench-dock3"]), ("prefer", ["prefer", "bench-dock3", "--over-all"])
    ]  # fmt: skip
    for title, words in rules:
        bench.alone(f"  {title}, planned, proved and shown", [*at, *words, "--preview"], [])


def _first(bench: Bench, at: list[str], text: str) -> str:
    """The first name that a search finds."""
    search = [*at, "find", text, "--most", "1"]
    found = subprocess.run(search, check=True, env=bench.env, capture_output=True, text=True)
    return found.stdout.splitlines()[1].split()[0]


if __name__ == "__main__":
    main()
