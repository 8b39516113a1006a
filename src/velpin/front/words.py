"""Words for people: what decided, why a package changes, ages, sizes, counts."""

from __future__ import annotations

import time
from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.model.forecast import Change

if TYPE_CHECKING:
    from velpin.model.shift import Selection

DECIDED = {
    "only offer": "the only offer",
    "installed": "nothing else may replace what is installed",
    "version": "the newest version",
    "rule": "chosen by a rule",
    "target release": "chosen by the target release",
    "source priority": "chosen by its source's priority",
    "architecture": "chosen for the host's own architecture",
    "cost": "chosen by the lower cost",
    "reading order": "chosen by the order in which sources are read",
    "order of sources": "chosen by the order of sources",
    "group": "chosen with its group",
    "installed provider": "chosen because it is installed",
    "conflict": "chosen because of a conflict",
    "vendor": "chosen by its vendor: what is newer is another vendor's",
    "request": "chosen by the request",
}
"""What decided which version a request gets, behind how it stands now."""


ROLES = {
    "asked": "",
    "requires": "{by} needs it",
    "recommends": "{by} recommends it",
    "suggests": "{by} suggests it",
    "source": "built together with {by}",
    "upgrade": "",
    "essential": "it is essential",
    "state": "its installation was interrupted",
    "replaced": "{by} replaces it",
    "replaces": "it replaces {by}",
    "supplements": "it supplements what is installed",
    "removed": "it is in the way and no source has it",
    "breaks": "{by} breaks the old version",
    "conflicts": "{by} conflicts with it",
    "broken": "it needs {relation}",
    "unneeded": "nothing needs it any more",
    "follows": "the old version needs {relation}",
}
"""Why a package changes."""


def role(change: Change) -> str:
    """Why a package changes, in words."""
    code = change.role
    if code == "breaks" and change.new is None:
        code = "conflicts"
    return ROLES[code].format(by=change.by, relation=change.relation)


def age(seconds: float | None, now: float | None = None) -> str:
    """How long ago something was, in one unit."""
    if seconds is None:
        return ""
    past = (now if now is not None else time.time()) - seconds
    for size, unit in ((86400 * 365, "year"), (86400, "day"), (3600, "hour"), (60, "minute")):
        if past >= size:
            count = int(past // size)
            return f"{count} {unit}{'s' if count != 1 else ''}"
    return "just now"


def size(count: int) -> str:
    """A number of bytes as people read it, in units of 1000."""
    value, unit = float(abs(count)), "B"
    for unit in ("B", "kB", "MB", "GB", "TB"):
        if value < 999.5 or unit == "TB":
            break
        value /= 1000
    digits = 0 if unit == "B" or value >= 10 else 1
    return f"{'-' if count < 0 else ''}{value:.{digits}f} {unit}"


def counted(count: int) -> str:
    """A count as people read it, its thousands apart."""
    return f"{count:,}".replace(",", " ")


def several(count: int, one: str, many: str = "") -> str:
    """A count with its noun."""
    return f"{counted(count)} {one if count == 1 else many or one + 's'}"


def shortened(names: Sequence[str], most: int = 6) -> str:
    """The first few of a list of names, and how many more there are."""
    shown = ", ".join(names[:most])
    return f"{shown} and {counted(len(names) - most)} more" if len(names) > most else shown


def selected(selection: Selection | None, absent: str) -> str:
    """A version and its source, or the word for a package that is not there."""
    if selection is None:
        return absent
    version, source = selection
    return f"{version} from {source}" if source else f"{version}, in no source"
