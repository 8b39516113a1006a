"""Build what is published, and check it as a stranger would get it.

    python tools/package.py [FOLDER]

Builds the wheel, the source archive and the single file into FOLDER (default: dist), checks that no
file is missing and that the descriptions are valid, installs the wheel into a bare environment of
every Python from 3.11 on that is found, and tells how long each form takes to start. Needs
`velpin[package]`.
"""

from __future__ import annotations

import hashlib
import os
import shutil
import statistics
import subprocess
import sys
import tarfile
import tempfile
import time
import zipapp
import zipfile
from collections.abc import Sequence
from pathlib import Path

HOME = Path(__file__).parents[1]
PYTHONS = ("python3.11", "python3.12", "python3.13", "python3.14")
_RUNS = 7


def run(*words: str | Path, cwd: Path | None = None) -> str:
    """Run a command; what it printed. Ends the program where it fails."""
    done = subprocess.run(
        list(map(str, words)), cwd=cwd, capture_output=True, text=True, check=False
    )
    if done.returncode:
        sys.exit(f"{' '.join(map(str, words))}\n{done.stdout}{done.stderr}")
    return done.stdout


def built(out: Path) -> tuple[Path, Path]:
    """The wheel and the source archive."""
    shutil.rmtree(out, ignore_errors=True)
    run(sys.executable, "-m", "build", "--outdir", out, HOME)
    (wheel,), (archive,) = out.glob("*.whl"), out.glob("*.tar.gz")
    run(sys.executable, "-m", "twine", "check", "--strict", wheel, archive)
    return wheel, archive


def tracked(*places: str) -> set[str]:
    """Files of the checkout that git knows, below some places."""
    return set(run("git", "ls-files", *places, cwd=HOME).split())


def missing(wheel: Path, archive: Path) -> list[str]:
    """Files of the checkout that are in neither form although they belong there."""
    with zipfile.ZipFile(wheel) as file:
        in_wheel = set(file.namelist())
    with tarfile.open(archive) as file:
        in_archive = {name.partition("/")[2] for name in file.getnames()}
    found = [name for name in tracked("src") if name.removeprefix("src/") not in in_wheel]
    pages = {name.rpartition("/")[2] for name in in_wheel if "/share/man/" in name}
    found += [name for name in tracked("man") if name.partition("/")[2] not in pages]
    ignored = {".gitignore", ".gitattributes"}
    return found + sorted(tracked() - in_archive - ignored)


def smoke(python: str, wheel: Path) -> None:
    """Install the wheel into a bare environment, and use it."""
    with tempfile.TemporaryDirectory(prefix="velpin-bare-") as name:
        folder = Path(name)
        run(python, "-m", "venv", folder)
        run(folder / "bin/pip", "install", "--quiet", wheel)
        program = folder / "bin/velpin"
        version = run(program, "--version").strip()
        for words in (["--help"], ["help", "rules"], ["completion", "bash"], ["demo", "--list"]):
            run(program, *words)
        run(program, "demo")
        run(folder / "bin/python", "-c", "import velpin; velpin.open_host")
        page = folder / "share/man/man1/velpin.1"
        if not page.is_file():
            sys.exit(f"{page} is not installed")
        own = Path(
            run(folder / "bin/python", "-c", "import velpin; print(velpin.__file__)").strip()
        )
        if HOME in own.parents:
            sys.exit(f"{own} is the checkout's, not the wheel's")
    print(f"{python}: {version} installed from the wheel, tour walked")


def single_file(out: Path, wheel: Path) -> Path:
    """Velpin and all it needs in one file, for this Python on this kind of machine."""
    with tempfile.TemporaryDirectory(prefix="velpin-single-") as name:
        folder = Path(name)
        packages, outer = folder / "packages", folder / "outer"
        run(sys.executable, "-m", "pip", "install", "--quiet", "--no-compile", "--target", packages,
            wheel)  # fmt: skip
        # Unpacking gives new times, by which what is compiled would count as outdated.
        run(sys.executable, "-m", "compileall", "-q", "--invalidation-mode", "unchecked-hash",
            packages)  # fmt: skip
        outer.mkdir()
        inner = Path(shutil.make_archive(str(outer / "packages"), "zip", packages))
        start = (HOME / "tools/single_file_start.py").read_text()
        here = f"{sys.version_info[0]}.{sys.version_info[1]}"
        start = start.replace("@build@", hashlib.sha256(inner.read_bytes()).hexdigest()[:24])
        (outer / "__main__.py").write_text(start.replace("@python@", here))
        target = out / "velpin.pyz"
        zipapp.create_archive(outer, target, interpreter="/usr/bin/env python3")
    return target


def seconds(words: Sequence[str | Path]) -> float:
    """How long a command takes, the median of several warm runs."""
    taken = []
    for _ in range(_RUNS + 1):
        start = time.perf_counter()
        run(*words)
        taken.append(time.perf_counter() - start)
    return statistics.median(taken[1:])


def main(words: list[str]) -> None:
    """Build, check, tell."""
    out = Path(words[0] if words else HOME / "dist").resolve()
    wheel, archive = built(out)
    lost = missing(wheel, archive)
    if lost:
        sys.exit("not in the archives: " + ", ".join(lost))
    print(f"{wheel.name}, {archive.name}: whole, and their descriptions are valid")
    for python in filter(shutil.which, PYTHONS):
        if _works(python):
            smoke(python, wheel)
    single = single_file(out, wheel)
    os.environ["XDG_CACHE_HOME"] = str(out / "unpacked")
    alone = seconds([sys.executable, single, "--version"])
    installed = seconds([Path(sys.executable).with_name("velpin"), "--version"])
    print(f"{single.name}: {single.stat().st_size / 1e6:.1f} MB, starts in {alone:.3f} s,"
          f" installed in {installed:.3f} s (ratio {alone / installed:.2f})")  # fmt: skip
    shutil.rmtree(out / "unpacked", ignore_errors=True)


def _works(python: str) -> bool:
    """Whether a Python that is found can be run, and makes environments."""
    done = subprocess.run([python, "-c", "import venv, ssl"], capture_output=True, check=False)
    return done.returncode == 0


if __name__ == "__main__":
    main(sys.argv[1:])
