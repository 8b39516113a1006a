"""Lists of mirrors that a source's address names: `mirror:`, `mirror+http:`, `mirror+file:`.

    ADDRESS [tab] [KEY:VALUE ...]     a line a mirror; # begins a comment

`priority` (lower first; those without come last), `type` (`index` or `deb`: what it has), `arch`,
`suite`, `codename`, `component` - each may stand several times - say what a mirror is for.

Observed rules: docs/how-hosts-choose/deb.md, "Sources and copies".
"""

from __future__ import annotations

import re

from velpin.errors import FetchError
from velpin.files.text import decode, whole_number
from velpin.kinds.deb.sources import DebSource

LARGEST = 1 << 20
_PREFIX = "mirror+"
_LAST = 1 << 30
_ADDRESS = re.compile(r"(?:https?|ftp|file|copy)://?[^\s/]*/", re.ASCII)
_MOST = 20
"""So many mirrors are tried at most."""


def list_address(address: str) -> str:
    """Where the list of mirrors lies that an address names."""
    if address.startswith("mirror:"):
        return "http:" + address.removeprefix("mirror:")
    return address.removeprefix(_PREFIX)


def read_mirrors(data: bytes, source: DebSource) -> list[str]:
    """Base addresses for a source, those to be tried first at the front.

    Raises FetchError where none is for it.
    """
    found: list[tuple[int, int, str]] = []
    for at, line in enumerate(decode(data).splitlines()):
        address, _, more = line.strip().partition("\t")
        if not _ADDRESS.match(address):  # a remark, or a file that is no list of mirrors
            continue
        said: dict[str, list[str]] = {}
        for word in more.split():
            key, _, value = word.partition(":")
            said.setdefault(key, []).append(value)
        if _is_for(source, said):
            priority = whole_number(said.get("priority", [""])[0])
            found.append((_LAST if priority is None else priority, at, address.rstrip("/")))
    if not found:
        raise FetchError(
            f"{source.address}: the list names no mirror for this source",
            "look at the list; each line is an address, then what it is for",
        )
    return [address for _, _, address in sorted(found)[:_MOST]]


def _is_for(source: DebSource, said: dict[str, list[str]]) -> bool:
    if "index" not in said.get("type", ["index"]):
        return False
    if "arch" in said and not set(said["arch"]) & {*source.archs, "all"}:
        return False
    return all(
        source.release in said[key] for key in ("suite", "codename", "release") if key in said
    )
