"""Vendors' instructions in the demo's names, what must come of each, and a host to read them for."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from velpin.errors import FetchError
from velpin.instructions.reading import readings
from velpin.instructions.words import UNKNOWN
from velpin.kinds.deb.version import compare
from velpin.model.instructions import Reading

FOLDER = Path(__file__).parent / "instructions"
_SECTION = (
    "[gullwatch]\nname=Gullwatch\nbaseurl=http://rpm.gullwatch.example/ls9\nenabled=0\n"
    "gpgcheck=1\ngpgkey=http://rpm.gullwatch.example/key.asc\n"
)
_SCRIPT = """#!/bin/sh
[ "$1" = --beta ] && nightly=1
dnf config-manager --add-repo http://rpm.gullwatch.example/ls9
if [ -n "$nightly" ]; then dnf config-manager --add-repo http://rpm.gullwatch.example/nightly; fi
"""
SITE = {
    "http://rpm.gullwatch.example/gullwatch.repo": _SECTION,
    "http://rpm.gullwatch.example/setup.sh": _SCRIPT,
    "http://deb.gullwatch.example/setup.sh": "#!/bin/sh\nset -e\n. /etc/os-release\n"
    'echo "deb http://deb.gullwatch.example/apt $VERSION_CODENAME main"'
    " > /etc/apt/sources.list.d/gullwatch.list\n",
    "http://deb.gullwatch.example/apt/dists/jetty/InRelease": "Suite: jetty\n",
}
"""What the made-up network has."""

_RELEASES = {
    "deb": "NAME=Mooring\nID=mooring\nVERSION_ID=4\nVERSION_CODENAME=jetty\n"
    'VERSION="4 (jetty)"\nPRETTY_NAME="Mooring 4 (jetty)"\n',
    "rpm": 'NAME="Lightship Linux"\nID=lightship\nVERSION_ID=9.4\n',
    "alpm": 'NAME="Skerry Linux"\nID=skerry\n',
}


class MadeUp:
    """A host as instructions ask about it."""

    def __init__(self, kind: str, generation: str = "older") -> None:
        self.generation = generation
        self.kind, self.arch = kind, "amd64" if kind == "deb" else "x86_64"
        self._text = _RELEASES[kind.partition("-")[0]]
        pairs = (line.partition("=") for line in self._text.splitlines())
        self.release = {key: value.strip('"') for key, _, value in pairs}
        self.asked: list[str] = []

    def read(self, file: str) -> bytes | None:
        """Its release's file; of its other files nothing is known."""
        self.asked.append(file)
        if file == "etc/os-release":
            return self._text.encode()
        return UNKNOWN.encode() if self.has(file) and "." in file else None

    def has(self, file: str) -> bool:
        """What every host has."""
        return file in ("etc", "usr", "etc/os-release", "etc/pacman.conf", "etc/apt/sources.list")

    def compare(self, one: str, other: str) -> int:
        """As deb hosts order versions."""
        return compare(one, other)

    def opened(self, packed: bytes, where: str) -> dict[str, bytes]:
        """Nothing that these texts name is a package."""
        return {}


class Case(NamedTuple):
    """One text, for one kind of host, and what must come of it."""

    kind: str
    title: str
    text: str
    wanted: list[str]


def cases(name: str) -> Iterator[Case]:
    """The instructions of a file: a title, a text, and behind `---` what must come of it."""
    kind = name.removeprefix("scripts-")
    for part in (FOLDER / f"{name}.txt").read_text().split("=== ")[1:]:
        title, _, rest = part.partition("\n")
        text, _, wanted = rest.partition("\n---\n")
        yield Case(kind, title, text.rstrip("\n") + "\n", wanted.splitlines())


def fetch(address: str) -> bytes:
    """What stands at an address of the made-up network; FetchError where nothing does."""
    if address in SITE:
        return SITE[address].encode()
    raise FetchError(address, "there is nothing")


def read(kind: str, text: str) -> list[Reading]:
    """What a text comes to on a host of a kind."""
    return readings(text, "page", MadeUp(kind), fetch)


def told(found: list[Reading]) -> list[str]:
    """Readings in words, a line for each thing."""
    lines: list[str] = []
    for number, reading in enumerate(found, 1):
        lines += [f"way {number}: {'; '.join(reading.way)}"] if len(found) > 1 else []
        lines += _told(reading)
    return lines


def _told(reading: Reading) -> Iterator[str]:
    for source in reading.sources:
        parts = (" ".join(line.split()) for line in source.snippet.splitlines())
        yield "source " + " | ".join(part for part in parts if part and "name=" not in part)
        for key in source.keys:
            yield (
                "  key "
                + " ".join(filter(None, (key.fingerprint, key.address)))
                + ("written out" if key.text else "")
                + (" for all" if key.for_all else "")
            )
    yield from (f"package {address}" for address in reading.packages)
    yield from (f"rule {rule!r}" for rule in reading.rules)
    for each in reading.preferences:
        yield " ".join([each.how, each.machine or f"by {each.publisher}", *each.names])
    yield from (f"switch {name} {'on' if on else 'off'}" for name, on in reading.switches)
    yield from (f"request {request}" for request in reading.requests)
    for line in reading.lines:
        lines = f"{line.first}" if line.first == line.last else f"{line.first}-{line.last}"
        stops = "!" if line in reading.unfollowed else ""
        yield f"{line.script and 'script '}{lines}{stops} {line.says.text}"
