"""Rules as values, and their form on the command line.

The command is what a person types and what stands beside the records that a rule became, so that
they can be told from others, changed and taken back.
"""

from __future__ import annotations

import shlex
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from typing import ClassVar, Literal, NamedTuple

from velpin.model.reason import Place, Reason, Sentence
from velpin.model.shell import as_typed

RuleKind = Literal["prefer", "confine", "pin", "bar", "keep"]


@dataclass(frozen=True)
class Prefer:
    """A source goes before others, whatever the versions."""

    kind: ClassVar[RuleKind] = "prefer"
    names: ClassVar[tuple[str, ...]] = ()
    version: ClassVar[str] = ""

    source: str
    over: tuple[str, ...] = ()
    under: tuple[str, ...] = ()
    over_all: bool = False


@dataclass(frozen=True)
class Confine:
    """A source provides only some packages."""

    kind: ClassVar[RuleKind] = "confine"
    version: ClassVar[str] = ""

    source: str
    names: tuple[str, ...] = ()
    """Package names or globs; an architecture may follow a colon."""


@dataclass(frozen=True)
class Pin:
    """Packages come in a version, from a source, or both."""

    kind: ClassVar[RuleKind] = "pin"

    names: tuple[str, ...]
    version: str = ""
    """A version or a glob."""
    source: str = ""
    allow_older: bool = False
    """Also if that means going back."""


@dataclass(frozen=True)
class Bar:
    """Packages, versions or components never come."""

    kind: ClassVar[RuleKind] = "bar"

    names: tuple[str, ...] = ()
    version: str = ""
    source: str = ""
    pre_releases: bool = False
    """Only versions that are not final, and components made for such."""
    components: tuple[str, ...] = ()
    """Only these components of the source."""


@dataclass(frozen=True)
class Keep:
    """Installed packages stay as they are."""

    kind: ClassVar[RuleKind] = "keep"
    source: ClassVar[str] = ""
    version: ClassVar[str] = ""

    names: tuple[str, ...]


Rule = Prefer | Confine | Pin | Bar | Keep
"""What the administrator wants to win, in Velpin's own words; sources by handle. What rules of a
kind never have is empty."""


def sources_in(rule: Rule) -> Iterator[str]:
    """The sources that a rule names, as it names them."""
    if rule.source:
        yield rule.source
    if isinstance(rule, Prefer):
        yield from (*rule.over, *rule.under)


def with_names(rule: Rule, names: tuple[str, ...]) -> Rule:
    """A rule about other names; one about a whole source stays as it is."""
    return rule if isinstance(rule, Prefer) else replace(rule, names=names)


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


_NOW = {"--section": "--component"}
"""Options that were called otherwise when hosts' files were written."""


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
    if isinstance(rule, Prefer | Confine):
        yield rule.source
    for name in rule.names:
        yield f"{name}@{rule.version}" if rule.version else name


def _options(rule: Rule) -> Iterator[str]:
    match rule:
        case Prefer():
            yield from _each("--over", rule.over)
            yield from _each("--under", rule.under)
            yield from ["--over-all"] * rule.over_all
        case Pin():
            yield from _each("--from", [rule.source] if rule.source else [])
            yield from ["--allow-older"] * rule.allow_older
        case Bar():
            yield from _each("--from", [rule.source] if rule.source else [])
            yield from _each("--component", rule.components)
            yield from ["--pre-releases"] * rule.pre_releases
        case _:
            pass


def _each(option: str, values: Iterable[str]) -> Iterator[str]:
    for value in values:
        yield from (option, value)


_SWITCHES = ("--over-all", "--allow-older", "--pre-releases")


def read_rule(text: str) -> Rule | None:
    """The rule that a command says; None if it says none."""
    try:
        words = [_NOW.get(word, word) for word in shlex.split(text)]
    except ValueError:
        return None
    if len(words) < 2 or words[0] != "velpin":
        return None
    rule = _read(words[1], words[2:])
    return rule if rule and words_of(rule) == words[1:] else None


def _read(kind: str, words: list[str]) -> Rule | None:
    options: dict[str, list[str]] = {}
    plain: list[str] = []
    rest = iter(words)
    for word in rest:
        if word.startswith("--"):
            options.setdefault(word, []).append("" if word in _SWITCHES else next(rest, ""))
        else:
            plain.append(word)
    source = (options.get("--from") or [""])[-1]
    match kind:
        case "prefer" if plain:
            over, under = (tuple(options.get(name, ())) for name in ("--over", "--under"))
            return Prefer(plain[0], over, under, "--over-all" in options)
        case "confine" if len(plain) > 1:
            return Confine(plain[0], tuple(plain[1:]))
        case "pin" if plain:
            names, version = _names_and_version(plain)
            return Pin(names, version, source, "--allow-older" in options)
        case "bar" if plain or source:
            names, version = _names_and_version(plain)
            components = tuple(options.get("--component", ()))
            return Bar(names, version, source, "--pre-releases" in options, components)
        case "keep" if plain:
            return Keep(tuple(plain))
        case _:
            return None


def _names_and_version(plain: list[str]) -> tuple[tuple[str, ...], str]:
    """The names of a rule, and the version that stands behind each."""
    version = next((text.rpartition("@")[2] for text in plain if "@" in text[1:]), "")
    names = (text.removesuffix(f"@{version}") if version else text for text in plain)
    return tuple(names), version
