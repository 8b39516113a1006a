"""Wishes and rules as values, and a wish in words: the command that says it, and back.

The command is what a person types and what stands beside the rules it became, so that they
can be told from others, changed and taken back.
"""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterable, Iterator
from typing import Literal, NamedTuple

from velpin.model import Place, Reason

WishKind = Literal["prefer", "confine", "pin", "bar", "keep"]


class Wish(NamedTuple):
    """What the administrator wants to win, in Velpin's own words; sources by handle."""

    kind: WishKind
    names: tuple[str, ...] = ()
    """Package names or globs; an architecture may follow a colon."""
    source: str = ""
    """The source that is preferred, confined, barred, or that a pin takes from."""
    version: str = ""
    """Of a pin: a version or a glob."""
    over: tuple[str, ...] = ()
    under: tuple[str, ...] = ()
    over_all: bool = False
    allow_older: bool = False
    """Of a pin: also where that means going back."""
    pre_releases: bool = False
    """Of a bar: only versions that are not final, and sections for such."""
    sections: tuple[str, ...] = ()
    """Of a bar: these sections of the source."""


class Verdict(NamedTuple):
    """Whether a wish is what a forecast shows; `rival` is the place of a rule that wins."""

    holds: bool
    why: Reason | None = None
    rival: Place | None = None


class Rule(NamedTuple):
    """A recorded wish that is in force, or would be if anything heeded it."""

    place: Place
    says: Reason
    wish: Wish | None
    """Set where Velpin wrote it."""
    numbers: int
    """The host's own number in it."""
    offers: int
    """How many offers have their number from it."""
    installed: tuple[str, ...]
    """Installed packages of which it decides what comes next."""
    dead: Reason | None = None
    """Why it decides nothing."""


_VALUES = {"--over": "over", "--under": "under", "--section": "sections"}
_SWITCHES = {
    "--over-all": "over_all", "--allow-older": "allow_older", "--pre-releases": "pre_releases",
}  # fmt: skip
_NAMED = {"pin": "source", "bar": "source"}
_PLAIN = re.compile(r"[\w@%+:,./-][\w@%+=:,./~-]*", re.ASCII)
_KINDS = ("prefer", "confine", "pin", "bar", "keep")


def command_of(wish: Wish, *, lift: bool = False) -> str:
    """The command that makes a wish, or takes it back."""
    return as_typed(["velpin", *words_of(wish), *(["--lift"] if lift else [])])


def short_of(wish: Wish) -> str:
    """That command without the program's name, for summaries and lists."""
    return as_typed(words_of(wish))


def as_typed(words: Iterable[str]) -> str:
    """Words as a person types them: quoted where a shell would take them for something else."""
    return " ".join(word if _PLAIN.fullmatch(word) else shlex.quote(word) for word in words)


def words_of(wish: Wish) -> list[str]:
    """The words of that command, without the program's name."""
    return [wish.kind, *_subjects(wish), *_options(wish)]


def _subjects(wish: Wish) -> Iterator[str]:
    if wish.kind in ("prefer", "confine"):
        yield wish.source
    for name in wish.names:
        yield f"{name}@{wish.version}" if wish.version else name


def _options(wish: Wish) -> Iterator[str]:
    if wish.kind in _NAMED and wish.source:
        yield from ("--from", wish.source)
    for option, field in _VALUES.items():
        for value in getattr(wish, field):
            yield from (option, value)
    yield from (option for option, field in _SWITCHES.items() if getattr(wish, field))


def read_wish(text: str) -> Wish | None:
    """The wish that a command says; None where it says none."""
    try:
        words = shlex.split(text)
    except ValueError:
        return None
    if len(words) < 2 or words[0] != "velpin" or words[1] not in _KINDS:
        return None
    return _read(words[1], words[2:])


def _read(kind: str, words: list[str]) -> Wish | None:
    found: dict[str, tuple[str, ...]] = {}
    switches: dict[str, bool] = {}
    plain: list[str] = []
    source = ""
    rest = iter(words)
    for word in rest:
        if word in _SWITCHES:
            switches[_SWITCHES[word]] = True
        elif word in _VALUES:
            field = _VALUES[word]
            found[field] = (*found.get(field, ()), next(rest, ""))
        elif word == "--from":
            source = next(rest, "")
        elif word.startswith("--"):
            return None
        else:
            plain.append(word)
    if kind in ("prefer", "confine"):
        source, plain = (plain[0], plain[1:]) if plain else ("", [])
    version = ""
    if kind == "pin" or (kind == "bar" and any("@" in one[1:] for one in plain)):
        version = next((one.rpartition("@")[2] for one in plain if "@" in one[1:]), "")
        plain = [one.removesuffix(f"@{version}") if version else one for one in plain]
    wish = Wish(kind, tuple(plain), source, version, **found, **switches)  # type: ignore[arg-type]
    said = bool(wish.names or (kind in ("prefer", "bar") and source))
    return wish if said and words_of(wish) == [kind, *words] else None
