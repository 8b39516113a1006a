"""Rules and rules as values, and a rule in words: the command that says it, and back.

The command is what a person types and what stands beside the rules it became, so that they
can be told from others, changed and taken back.
"""

from __future__ import annotations

import shlex
from collections.abc import Iterator
from typing import Literal, NamedTuple

from velpin.model.reason import Place, Reason, Sentence
from velpin.model.shell import as_typed

RuleKind = Literal["prefer", "confine", "pin", "bar", "keep"]


class Rule(NamedTuple):
    """What the administrator wants to win, in Velpin's own words; sources by handle."""

    kind: RuleKind
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
    """Of a bar: only versions that are not final, and components for such."""
    components: tuple[str, ...] = ()
    """Of a bar: these components of the source."""


class Verdict(NamedTuple):
    """Whether a rule is what a forecast shows; `rival` is the place of a rule that wins."""

    holds: bool
    why: Reason | None = None
    rival: Place | None = None


class RuleInForce(NamedTuple):
    """A recorded rule that is in force, or would be if anything heeded it."""

    place: Place
    says: Sentence
    rule: Rule | None
    """Set where Velpin wrote it."""
    priority: int
    """The host's own priority in it."""
    offers: int
    """How many offers have their priority from it."""
    installed: tuple[str, ...]
    """Installed packages of which it decides what comes next."""
    dead: Reason | None = None
    """Why it decides nothing."""


_VALUES = {"--over": "over", "--under": "under", "--component": "components"}
_SWITCHES = {
    "--over-all": "over_all", "--allow-older": "allow_older", "--pre-releases": "pre_releases",
}  # fmt: skip
_NOW = {"--section": "--component"}
"""Options that were called otherwise when hosts' files were written."""
_NAMED = {"pin": "source", "bar": "source"}
_KINDS = ("prefer", "confine", "pin", "bar", "keep")


def command_of(rule: Rule, *, lift: bool = False) -> str:
    """The command that makes a rule, or takes it back."""
    return as_typed(["velpin", *words_of(rule), *(["--lift"] if lift else [])])


def short_of(rule: Rule) -> str:
    """That command without the program's name, for summaries and lists."""
    return as_typed(words_of(rule))


def words_of(rule: Rule) -> list[str]:
    """The words of that command, without the program's name."""
    return [rule.kind, *_subjects(rule), *_options(rule)]


def _subjects(rule: Rule) -> Iterator[str]:
    if rule.kind in ("prefer", "confine"):
        yield rule.source
    for name in rule.names:
        yield f"{name}@{rule.version}" if rule.version else name


def _options(rule: Rule) -> Iterator[str]:
    if rule.kind in _NAMED and rule.source:
        yield from ("--from", rule.source)
    for option, field in _VALUES.items():
        for value in getattr(rule, field):
            yield from (option, value)
    yield from (option for option, field in _SWITCHES.items() if getattr(rule, field))


def read_rule(text: str) -> Rule | None:
    """The rule that a command says; None where it says none."""
    try:
        words = [_NOW.get(word, word) for word in shlex.split(text)]
    except ValueError:
        return None
    if len(words) < 2 or words[0] != "velpin" or words[1] not in _KINDS:
        return None
    return _read(words[1], words[2:])


def _read(kind: str, words: list[str]) -> Rule | None:
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
    if kind == "pin" or (kind == "bar" and any("@" in text[1:] for text in plain)):
        version = next((text.rpartition("@")[2] for text in plain if "@" in text[1:]), "")
        plain = [text.removesuffix(f"@{version}") if version else text for text in plain]
    rule = Rule(kind, tuple(plain), source, version, **found, **switches)  # type: ignore[arg-type]
    said = bool(rule.names or (kind in ("prefer", "bar") and source))
    return rule if said and words_of(rule) == [kind, *words] else None
