"""The demo: a short tour on a made-up host, and chapters that go through the whole job; every
command is run for real."""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import NamedTuple

from velpin.demo.build import Scene, build
from velpin.demo.serve import served
from velpin.errors import UsageError
from velpin.front.screen import Screen, signed
from velpin.model.shell import as_typed
from velpin.trust.openpgp import read_keys

_ADDRESS = "http://deb.gullwatch.example/apt"


class Step(NamedTuple):
    """One command of the walk: why, its words, and the exit code it must have."""

    why: str
    words: Sequence[str]
    code: int = 0
    host: str = "host"
    """The folder of the host that it is about."""
    first: int = 0
    """Show only so many of its first lines."""
    last: int = 0
    """Show only so many of its last lines."""
    shows: str = ""
    """A text to be shown before."""


class Chapter(NamedTuple):
    """A part of the demo that stands alone."""

    title: str
    steps: Callable[[Scene], list[Step]]
    fetched: bool = True
    """Whether the host has fetched its indexes before it begins."""


def _tour(scene: Scene) -> list[Step]:
    """What convinces in a quarter of an hour: the answer, the reason, a vendor added safely."""
    right, wrong = str(scene.keys / "gullwatch.asc"), str(scene.keys / "stranger.asc")
    add = ["add", "gullwatch", "--url", _ADDRESS, "--suite", "jetty"]
    own = ["--only", "gullwatch*", "--only", "libtide1"]
    return [
        Step("A vendor's page says: run these lines. What would they do to this host?",
             ["add", str(scene.page), "--preview"], first=8, shows=_first_part(scene)),
        Step("Nothing of it was run. Which sources are there already?",
             ["sources"]),
        Step("Where would tide-gauge come from, and why not the newer one?",
             ["forecast", "tide-gauge", "--why"]),
        Step("A vendor has a program that is wanted. But is this the vendor's key?",
             [*add, "--key", wrong], 4),
        Step("With the right key: what would that source do to this host?",
             [*add, "--key", right, "--preview"], last=4),
        Step("Let it give its own programs and the one library they need; nothing else.",
             [*add, "--key", right, *own, "--yes"]),
        Step("What would the installer do now?", ["forecast", "gullwatch"]),
        Step("Taken back, byte for byte.", ["undo", "--yes"], last=1),
    ]  # fmt: skip


def _first_part(scene: Scene) -> str:
    """The part of the vendor's page for this kind of host."""
    part = scene.page.read_text().partition("On Mooring")[2].partition("On Lightship")[0]
    return "\n".join(line for line in part.splitlines()[1:] if line)


def _page_chapter(scene: Scene) -> list[Step]:
    """A vendor's page and a setup script: read, never run, and made safely."""
    right = str(scene.keys / "gullwatch.asc")
    print_of = read_keys(Path(right).read_bytes(), right)[0].fingerprint
    page, script = str(scene.page), "http://deb.gullwatch.example/setup.sh"
    return [
        Step("A vendor's page, as it was copied.", ["add", page, "--preview"],
             shows=scene.page.read_text()),
        Step("The same page means something else on a host of another kind.",
             ["add", page, "--preview"], host="lightship"),
        Step("Another vendor says: fetch this and hand it to a shell. What would it do?",
             ["add", f"curl -fsSL {script} | sudo sh", "--preview"], 1),
        Step("One line was not followed, so a yes is not enough. The page, then: with the"
             " fingerprint that the vendor publishes, and confined to what is wanted.",
             ["add", page, "--fingerprint", print_of, "--only", "gullwatch*", "--only", "libtide1",
              "--yes"]),
        Step("As the page has it: install these two.", ["forecast", "gullwatch", "gullwatch-maps"]),
        Step("Taken back, byte for byte.", ["undo", "--yes"], last=1),
    ]  # fmt: skip


def _vendor_chapter(scene: Scene) -> list[Step]:
    """A vendor's source, from the first question to the last undo."""
    right, wrong = str(scene.keys / "gullwatch.asc"), str(scene.keys / "stranger.asc")
    print_of = read_keys(Path(right).read_bytes(), right)[0].fingerprint
    by_address = ["add", "gullwatch", "--url", _ADDRESS, "--suite", "jetty", "--component", "main"]
    proven = ["--key", right, "--fingerprint", print_of]
    tides = ["forecast", "tide-forecast", "libtide1@1.6-1~jetty1"]
    watched = ["--for", "gullwatch", "--for", "tide-gauge"]
    return [
        Step("What host is this?", ["host"]),
        Step("Fetch the indexes of its sources; every signature is checked.", ["refresh"]),
        Step("Which sources are there, and which one wins?", ["sources", "--files"]),
        Step("Where does tide-gauge come from, and why?", ["forecast", "tide-gauge", "--why"]),
        Step("What would the next full upgrade do?", ["forecast", "--upgrade"]),
        Step("A program of Fogworks: would the host's installer take it?", [*tides[:2]], 1),
        Step("The way out that velpin has tried, in full.", tides),
        Step("And the vendor's program that all mention?", ["forecast", "gullwatch"], 1),
        Step(
            "The vendor's page has a snippet. It was written for another release.",
            ["add", str(scene.snippet), "--name", "gullwatch", "--key", right],
            1,
        ),
        Step(
            "So by address - but this key came from somewhere else.",
            [*by_address, "--key", wrong],
            4,
        ),
        Step(
            "With the vendor's own key, and the fingerprint they publish.",
            [*by_address, *proven, *watched, "--yes"],
        ),
        Step("Ask again.", ["forecast", "gullwatch", "tide-gauge"]),
        Step("Who brings what?", ["forecast", "gullwatch", "--tree"]),
        Step("Which key signs for what now?", ["keys"]),
        *_rules_chapter(),
        Step("What did velpin change?", ["journal"]),
        Step("Take it all back, byte for byte, the last change first.", ["undo", "--yes"]),
        Step("The rule before it.", ["undo", "--yes"]),
        Step("The confinement.", ["undo", "--yes"]),
        Step("The source and its key.", ["undo", "--yes"]),
        Step("And all is as it was.", ["forecast", "gullwatch"], 1),
    ]


def _rules_chapter() -> list[Step]:
    """What should win, said in plain words, proved, listed."""
    older = ["pin", "storm-flag@1.9-1"]
    return [
        Step("A picture of how the host stands, for later.", ["shift", "--save", "before.picture"]),
        Step(
            "Gullwatch would replace a library of the base system: let it give only its own.",
            ["confine", "gullwatch", "gullwatch*", "--yes"],
        ),
        Step(
            "It needs a newer library, though. What would be the ways?",
            ["want", "gullwatch", "--preview"],
        ),
        Step(
            "The distribution's own newer one, then.",
            ["pin", "libtide1", "--from", "mooring-jetty-fresh", "--yes"],
        ),
        Step("The proof.", ["forecast", "gullwatch", "libtide1", "--why"]),
        Step("Storm flags were better in the version before.", older, 1),
        Step("That is meant.", [*older, "--allow-older", "--yes"]),
        Step("Which rules are in force, and what does each decide?", ["rules"]),
        Step("What would come differently than before?", ["shift", "--since", "before.picture"], 1),
    ]


def _checkup_chapter(_scene: Scene) -> list[Step]:
    """What is wrong with the host, mended; and its next release, rehearsed."""
    return [
        Step("Is anything wrong with this host's sources?", ["checkup"], 1),
        Step("Mend all that takes no choice, as one change.", ["checkup", "--mend", "--yes"]),
        Step("What would the move to the next release bring?", ["checkup", "--next", "pier"], 1),
        Step("Nothing of that was made; and the mends are taken back.", ["undo", "--yes"]),
        Step("The whole host as one page, to look at and keep.", ["report", "--out", "host.html"]),
    ]


_HARBOUR = "http://catalog.harbour.example/harbour.toml"


def _catalog_chapter(scene: Scene) -> list[Step]:
    """Sources that a catalog knows, with their addresses for this host."""
    key = str(scene.keys / "harbour.asc")
    print_of = read_keys(Path(key).read_bytes(), key)[0].fingerprint
    return [
        Step(
            "The harbours keep a catalog of known sources, signed by their master.",
            ["catalog", "add", _HARBOUR, "--key", key, "--fingerprint", print_of, "--yes"],
        ),
        Step("What is there for this host, and what is not?", ["catalog", "--all"]),
        Step("One of them, with its address filled in.", ["catalog", "gullwatch"]),
        Step(
            "Added by its name: the mirror chosen, the key compared.",
            ["add", "gullwatch", "--only", "gullwatch*", "--preview"],
        ),
        Step(
            "What this host is to have stands in a file, and what must stay true. The vendor's new"
            " library is caught.",
            ["conform", "observatory.toml", "--yes"],
            1,
        ),
        Step(
            "Confined, and with the distribution's own newer library.",
            ["conform", "observatory-2.toml", "--yes"],
        ),
        Step("A second time changes nothing.", ["conform", "observatory-2.toml", "--yes"]),
        Step("For a timer: is all as agreed?", ["expect", "observatory-2.toml"]),
        Step("The whole host, written down.", ["export", "--out", "whole.toml"]),
        Step(
            "And a host that was built anew is made like it.",
            ["conform", "whole.toml", "--yes"],
            host="rebuilt",
        ),
        Step("The same forecast there.", ["forecast", "gullwatch"], host="rebuilt"),
        Step("On the first host all is taken back.", ["undo", "--yes"]),
        Step("The catalog, too.", ["undo", "--yes"]),
    ]


def _lightship_chapter(scene: Scene) -> list[Step]:
    """The same work on a host of the rpm kind: the same words, the same screens."""
    right = str(scene.keys / "gullwatch.asc")
    print_of = read_keys(Path(right).read_bytes(), right)[0].fingerprint
    snippet = str(scene.root.parent / "gullwatch.repo")

    def step(why: str, *words: str, code: int = 0) -> Step:
        return Step(why, words, code, host="lightship")

    return [
        step("The other host, out at the lightship, is of another kind.", "host"),
        step("Fetch its indexes.", "refresh"),
        step("The distribution's tide-gauge is an old one.", "forecast", "tide-gauge"),
        step(
            "The vendor's snippet names the address of its key: fetched, compared, shown.",
            "add", snippet, "--fingerprint", print_of, "--for", "tide-gauge", "--yes",
        ),
        step("Now the newest wins.", "forecast", "tide-gauge", "--why"),
        step("Who else would come from there? It replaces a package.", "forecast", "--upgrade"),
        step(
            "Not that way: the distribution first, whatever the version.",
            "prefer", "lightship", "--over", "gullwatch", "--yes",
        ),
        step("The lower number wins.", "forecast", "tide-gauge", "--why"),
        step("And gullwatch still has what only it has.", "forecast", "gullwatch"),
        step("The rules of that host.", "rules"),
        step("Taken back.", "undo", "--yes"),
        step("And the source.", "undo", "--yes"),
    ]  # fmt: skip


def _skerry_chapter(scene: Scene) -> list[Step]:
    """A host of the alpm kind, where the order of sections decides; and recipes."""
    right = scene.keys / "gullwatch.asc"
    print_of = read_keys(right.read_bytes(), right.name)[0].fingerprint
    snippet, recipes = scene.skerry.parent / "gullwatch.conf", scene.skerry.parent / "recipes"

    def step(why: str, *words: str, code: int = 0) -> Step:
        return Step(why, words, code, host="skerry")

    return [
        step("A third one, on the skerry: its sources are sections in an order.", "host"),
        step("Fetch its list.", "refresh"),
        step(
            "The vendor's section goes last, where it takes over nothing.",
            "add", str(snippet), "--key", str(right), "--fingerprint", print_of,
            "--for", "tide-gauge", "--yes",
        ),
        step("The order decides, not the version.", "forecast", "tide-gauge", "--why"),
        step(
            "Choices are made one after the other there, and never taken back.",
            "forecast", "libtide", "gullwatch", code=1,
        ),
        step("The way out that velpin has tried.", "forecast", "gullwatch", "libtide"),
        step("The vendor first, then? What would that do?",
             "prefer", "gullwatch", "--over", "skerry", "--preview"),
        step("A version cannot be pinned here; the nearest is said.",
             "pin", "lamp-control@1.0*", code=1),
        step("That, then.", "keep", "lamp-control", "--yes"),
        step("A folder of build recipes can be a source too.",
             "add", "gull-recipes", "--recipes", str(recipes), "--yes"),
        step("What it would take to build something from there; nothing is built.",
             "forecast", "gull-cam", code=1),
        step("All sources, those of recipes last.", "sources"),
        step("Taken back.", "undo", "--yes"),
        step("The rule.", "undo", "--yes"),
        step("And the source.", "undo", "--yes"),
    ]  # fmt: skip


TOUR = "tour"
CHAPTERS: Mapping[str, Chapter] = {
    TOUR: Chapter("the short tour: the answer, the reason, a vendor's source added safely", _tour),
    "page": Chapter("a vendor's page of instructions: read, never run", _page_chapter),
    "vendor": Chapter("a vendor's source and the rules about it, in full", _vendor_chapter, False),
    "checkup": Chapter("what is wrong with the host, and its next release", _checkup_chapter),
    "catalog": Chapter("sources that a catalog knows, a host in a file", _catalog_chapter),
    "lightship": Chapter("the same work on a host of the rpm kind", _lightship_chapter, False),
    "skerry": Chapter("a host of the alpm kind, and build recipes", _skerry_chapter, False),
}
"""The parts of the demo, by name."""


def list_chapters() -> None:
    """Print the names of the chapters, and what each is about."""
    screen = Screen()
    screen.table(["", ""], [[(name, "name"), each.title] for name, each in CHAPTERS.items()])
    screen.gap()
    screen.line("one of them: ", ("velpin demo CHAPTER", "command"))


def run_demo(names: Sequence[str], keep: Path | None) -> int:
    """Make the scene and walk through some chapters, each on hosts of its own; leave the last ones
    in `keep` if given, which walks through no chapter but one that is named. The exit code;
    UsageError for a chapter that is none."""
    for name in names:
        if name not in CHAPTERS:
            raise UsageError(f"the demo has no chapter {name!r}", "velpin demo --list")
    if keep is not None:
        return _run_kept(names[-1], keep)
    for name in names:
        with tempfile.TemporaryDirectory(prefix="velpin-demo-") as folder:
            code = _walk(build(Path(folder)), CHAPTERS[name])
        if code:
            return code
    _tell_gone()
    return 0


def _run_kept(name: str, keep: Path) -> int:
    try:
        keep.mkdir(parents=True, exist_ok=True)
        is_empty = not any(keep.iterdir())
    except OSError as problem:
        raise UsageError(f"{keep}: {problem.strerror}") from problem
    if not is_empty:
        raise UsageError(f"{keep} is not empty", "give a folder that is new or empty")
    scene = build(keep.resolve())
    _tell_kept(keep, scene)
    if name != TOUR:
        sys.stdout.write("\n")
        return _walk(scene, CHAPTERS[name])
    with served(scene.www) as proxy:
        for root in scene.roots:
            _run(scene, Step("", ["refresh"], host=root.name), proxy, shown=False)
    return 0


def _walk(scene: Scene, chapter: Chapter) -> int:
    screen = Screen()
    screen.line(
        ("A made-up host", "name"),
        " of a harbour observatory, its distribution and two vendors, served from this machine.",
    )
    with served(scene.www) as proxy:
        if chapter.fetched:
            _run(scene, Step("", ["refresh"]), proxy, shown=False)
        for number, step in enumerate(chapter.steps(scene)):
            if number and not _goes_on(screen):
                return 0
            _tell_step(screen, scene, step)
            code = _run(scene, step, proxy)
            if code:
                screen.line((f"(exit code {code})", "quiet"))
            if code != step.code:
                screen.line(signed(f"the demo expected exit code {step.code}, not {code}", "bad"))
                return 1
    return 0


def _goes_on(screen: Screen) -> bool:
    """Wait for the reader, where there is one; whether the demo is to go on."""
    if not (screen.drawn and sys.stdin.isatty()):
        return True
    screen.stream.write("\n[Enter goes on, q ends] ")
    screen.stream.flush()
    try:
        said = input().strip().lower()
    except EOFError:
        return False
    screen.stream.write("\x1b[A\r\x1b[K\x1b[A")  # the question goes again
    return not said.startswith("q")


def _tell_step(screen: Screen, scene: Scene, step: Step) -> None:
    words = (word.replace(str(scene.root.parent) + "/", "") for word in step.words)
    cut = f" | head -n {step.first}" if step.first else f" | tail -n {step.last}" * bool(step.last)
    screen.gap()
    screen.line((f"# {step.why}", "quiet"))
    for line in step.shows.splitlines():
        screen.line((line, "quiet"), indent=4)
    screen.line((f"$ {as_typed(['velpin', *words])}{cut}", "command"))
    sys.stdout.flush()


def _run(scene: Scene, step: Step, proxy: str, *, shown: bool = True) -> int:
    """Run the command of a step; its exit code."""
    root = scene.root.parent / step.host
    done = subprocess.run(
        [sys.executable, "-m", "velpin", "--root", str(root), *step.words],
        env={**os.environ, "http_proxy": proxy, "no_proxy": ""},
        cwd=scene.root.parent,
        stdin=subprocess.DEVNULL,
        stdout=subprocess.PIPE if step.first or step.last or not shown else None,
        stderr=None if sys.stdout.isatty() and shown else subprocess.STDOUT,
        check=False,
    )
    if done.stdout and shown:
        lines = done.stdout.decode("utf-8", "replace").rstrip("\n").split("\n")
        chosen = lines[: step.first] if step.first else lines[-step.last :]
        sys.stdout.write("\n".join(chosen) + "\n")
        sys.stdout.flush()
    return done.returncode


def _tell_gone() -> None:
    screen = Screen()
    screen.head("That was the demo; its hosts are gone again")
    screen.line("now your own host, nothing is changed:  ", ("velpin sources", "command"))
    screen.line("where would a package come from:        ",
                ("velpin forecast NAME --why", "command"))  # fmt: skip
    screen.line("is anything wrong with the sources:     ", ("velpin checkup", "command"))
    screen.line("more of the demo, or a host to play on: ",
                ("velpin demo --list", "command"), ", ",
                ("velpin demo --keep DIR", "command"))  # fmt: skip


def _tell_kept(keep: Path, scene: Scene) -> None:
    screen = Screen()
    screen.line(("Three made-up hosts", "name"), f" in {scene.root.parent}; look around:")
    for root in scene.roots:
        screen.line((f"velpin --root {root} sources", "command"), indent=2)
    screen.line("to fetch, serve their repositories:")
    screen.line((f"velpin demo --serve {keep}", "command"), indent=2)
    sys.stdout.flush()


def serve_kept(folder: Path) -> None:
    """Serve a kept demo until interrupted."""
    www = folder / "www"
    if not www.is_dir():
        raise UsageError(f"{folder} holds no demo", f"make one: velpin demo --keep {folder}")
    screen = Screen()
    with served(www) as proxy:
        screen.line("serving; in another terminal:")
        command = f"http_proxy={proxy} velpin --root {folder / 'host'} refresh"
        screen.line((command, "command"), indent=2)
        sys.stdout.flush()
        try:
            import threading

            threading.Event().wait()
        except KeyboardInterrupt:
            return
