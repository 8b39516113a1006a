"""Makes docs/screenshots from the demo: a real terminal in a window on a virtual screen.

Needs Xvfb, xterm and ImageMagick's `import`, and Chromium for the page of the report. Run from the
checkout, with Velpin installed:

    python tools/screenshots.py [NAME...]
"""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from velpin.demo.build import Scene, build
from velpin.demo.serve import served
from velpin.trust.openpgp import read_keys

OUT = Path(__file__).parents[1] / "docs" / "screenshots"
CATALOG = "http://catalog.harbour.example/harbour.toml"
ADDRESS = "http://deb.gullwatch.example/apt"
SCREEN = ":77"
_TAKES = 10
_LONG = {"add-preview", "conform", "page", "rpm", "want"}
"""Pictures with more lines, in smaller letters."""
_BLANK = 4
"""Colours of a window in which no text stands yet."""
BY_ADDRESS = f"add gullwatch --url {ADDRESS} --suite jetty --component main"


def shots(scene: Scene) -> dict[str, list[str]]:
    """Command lines of each picture; those before the last are run unseen, its lines in turn."""
    right = scene.keys / "gullwatch.asc"
    printed = read_keys(right.read_bytes(), "key")[0].fingerprint
    add = (
        f"{BY_ADDRESS} --key {right.name} --fingerprint {printed} --for gullwatch --for tide-gauge"
    )
    there, post = (f"velpin --root {root.name}" for root in (scene.lightship, scene.skerry))
    return {
        "host": ["velpin host\nvelpin refresh\nvelpin forecast berth-plan --compare-generations"],
        "sources": ["velpin sources --files"],
        "page": ["velpin add page.txt --preview"],
        "checkup": ["velpin checkup"],
        "next-release": ["velpin checkup --next pier"],
        "catalog": [
            f"velpin catalog add {CATALOG} --key harbour.asc --yes",
            "velpin catalog --all\nvelpin catalog gullwatch\n"
            "velpin add gullwatch --preview | head -n 9",
        ],
        "conform": ["velpin conform observatory.toml --preview"],
        "forecast-why": ["velpin forecast tide-gauge fog-signal --why"],
        "offers": [
            f"velpin offers tide-gauge fog-signal\nvelpin find fog\nvelpin offers --at {ADDRESS}"
        ],
        "add-preview": [f"velpin {add} --preview"],
        "keys": ["velpin keys\nvelpin keys --full"],
        "forecast": [f"velpin {add} --yes", "velpin forecast gullwatch tide-gauge"],
        "want": [
            "velpin shift --save before",
            "velpin confine gullwatch 'gullwatch*' --yes",
            "velpin want gullwatch --preview",
        ],
        "rules": [
            "velpin pin libtide1@1.6-1~jetty1 --yes",
            "velpin pin storm-flag@1.9-1 --allow-older --yes",
            "velpin rules\nvelpin shift --since before",
        ],
        "journal": [
            *["velpin undo --yes"] * 3,
            "velpin journal | head -n 7\nvelpin drop fogworks --back --preview",
        ],
        "rpm": [
            f"{there} refresh",
            f"{there} add gullwatch.repo --fingerprint {printed} --yes",
            f"{there} forecast tide-gauge --why",
        ],
        "alpm": [
            f"{post} refresh",
            f"{post} add gullwatch.conf --key gullwatch.asc --yes",
            f"{post} sources\n{post} forecast libtide gullwatch\n"
            f"{post} pin lamp-control@1.0*\n{post} keep lamp-control --preview",
        ],
        "recipes": [
            f"{post} add gull-recipes --recipes recipes --yes",
            f"{post} offers gull-cam libgull slipway\n{post} forecast gull-cam",
        ],
    }


def main(wanted: list[str]) -> None:
    """Make the pictures that are wanted, all where none is named."""
    for program in ("Xvfb", "xterm", "import", "identify"):
        if not shutil.which(program):
            sys.exit(f"{program} is missing")
    OUT.mkdir(parents=True, exist_ok=True)
    screen = subprocess.Popen(
        ["Xvfb", SCREEN, "-screen", "0", "1280x800x24"],
        stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL,
    )  # fmt: skip
    try:
        with tempfile.TemporaryDirectory(prefix="demo-") as folder:
            scene = build(Path(folder))
            for key in scene.keys.iterdir():
                shutil.copy(key, folder)
            with served(scene.www) as proxy:
                environment = _environment(scene, proxy)
                _run("velpin refresh", environment, Path(folder))
                for name, commands in shots(scene).items():
                    for unseen in commands[:-1]:
                        _run(unseen, environment, Path(folder))
                    if not wanted or name in wanted:
                        _picture(OUT / f"{name}.png", commands[-1], environment, Path(folder))
                if not wanted or "report" in wanted:
                    _page(OUT / "report.png", environment, Path(folder))
    finally:
        screen.terminate()


def _environment(scene: Scene, proxy: str) -> dict[str, str]:
    """A shell in which `velpin` means this Velpin on the demo's host."""
    bin_folder = scene.root.parent / "bin"
    bin_folder.mkdir()
    program = bin_folder / "velpin"
    words = [sys.executable, "-m", "velpin", "--root", str(scene.root)]
    program.write_text(f'#!/bin/sh\nexec {shlex.join(words)} "$@"\n')
    program.chmod(0o755)
    return {
        **os.environ,
        "PATH": f"{bin_folder}:{os.environ['PATH']}",
        "http_proxy": proxy,
        "DISPLAY": SCREEN,
        "TERM": "xterm-256color",
        "LC_ALL": "C.UTF-8",
    }


def _run(command: str, environment: dict[str, str], folder: Path) -> None:
    subprocess.run(
        ["sh", "-c", command], env=environment, cwd=folder, check=False, capture_output=True
    )


def _picture(target: Path, command: str, environment: dict[str, str], folder: Path) -> None:
    done = folder / "done"
    done.unlink(missing_ok=True)
    prompt = "printf '\\033[1m$\\033[0m %s\\n'"
    lines = [f"{prompt} {shlex.quote(line)}; {line}" for line in command.splitlines()]
    shown = f"{'; echo; '.join(lines)}; touch {done}; sleep 60"
    size, cells = ("9", "156x51") if target.stem in _LONG else ("11", "140x40")
    font = [
        "-tn", "xterm-256color", "-fa", "DejaVu Sans Mono", "-fs", size,
        "-bg", "#10151c", "-fg", "#d7dde5",
    ]  # fmt: skip
    window = subprocess.Popen(
        ["xterm", *font, "-geometry", f"{cells}+0+0", "-b", "12", "-e", "sh", "-c", shown],
        env=environment, cwd=folder,
    )  # fmt: skip
    for _ in range(300):
        if done.exists():
            break
        time.sleep(0.1)
    taking = ["import", "-window", "root", "+dither", "-colors", "64", str(target)]
    for _ in range(_TAKES):  # a busy machine draws late
        time.sleep(0.7)
        subprocess.run(taking, env=environment, check=True)
        if not _is_blank(target):
            break
    else:
        sys.exit(f"{target} stays blank")
    window.terminate()
    window.wait()
    print(target)


def _page(target: Path, environment: dict[str, str], folder: Path) -> None:
    """The report of the demo's host, with a vendor's source in it, in a browser."""
    right = folder / "gullwatch.asc"
    _run(f"velpin {BY_ADDRESS} --key {right} --only 'gullwatch*' --yes", environment, folder)
    _run("velpin checkup --mend --yes; velpin report --out host.html", environment, folder)
    browser = next(filter(shutil.which, ("chromium", "chromium-browser")), None)
    if browser is None:
        sys.exit("chromium is missing")
    page = folder / "host.html"
    subprocess.run(
        [browser, "--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars",
         "--disable-background-networking", "--disable-component-update", "--disable-sync",
         "--no-first-run", f"--user-data-dir={folder / 'browser'}", "--window-size=1280,800",
         f"--screenshot={target}", f"file://{page}"],
        env=environment, check=True, capture_output=True,
    )  # fmt: skip
    print(target)


def _is_blank(picture: Path) -> bool:
    """Whether a picture has nothing but its background, and at most a cursor."""
    counted = subprocess.run(
        ["identify", "-format", "%k", str(picture)], capture_output=True, text=True, check=True
    )
    return int(counted.stdout) <= _BLANK


if __name__ == "__main__":
    main(sys.argv[1:])
