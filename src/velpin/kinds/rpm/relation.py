"""What packages say of each other: capabilities with bounds, and relations joined by words.

    capability   name [operator version]         operator is one of < <= = >= >
    joined       ( relation WORD relation ... )  WORD: and or if else unless with without

Source: the package format's documentation of dependencies and of boolean dependencies.

Observed rules: docs/how-hosts-choose/rpm.md, "What is weighed, in turn".
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import NamedTuple

from velpin.kinds.rpm.version import Evr, compare_part, parse

LESS, EQUAL, GREATER = 1, 2, 4
OPERATORS = {
    "": 0, "<": LESS, "<=": LESS | EQUAL, "=": EQUAL, "==": EQUAL,
    ">=": GREATER | EQUAL, ">": GREATER,
}  # fmt: skip
"""Which orders an operator takes in."""

_WRITTEN = {
    LESS: "<", LESS | EQUAL: "<=", EQUAL: "=", GREATER | EQUAL: ">=", GREATER: ">", 0: "",
}  # fmt: skip
_WORDS = ("and", "or", "if", "unless", "with", "without")
_TOKEN = re.compile(r"[^\s()]+(?:\([^\s()]*\)[^\s()]*)+|[()]|[^\s()]+")


class Capability(NamedTuple):
    """A name that can be provided or needed, with a bound; `sense` is a sum of orders."""

    name: str
    sense: int = 0
    version: str = ""

    def __str__(self) -> str:
        return f"{self.name} {_WRITTEN[self.sense]} {self.version}" if self.sense else self.name


class Joined(NamedTuple):
    """Relations joined by one word; `if` and `unless` have two parts, or three with else."""

    word: str
    parts: tuple[RpmRelation, ...]

    def __str__(self) -> str:
        if self.word in ("if", "unless") and len(self.parts) == 3:
            first, second, third = self.parts
            return f"({first} {self.word} {second} else {third})"
        return "(" + f" {self.word} ".join(map(str, self.parts)) + ")"


RpmRelation = Capability | Joined


def capability(name: str, operator: str = "", version: str = "") -> Capability:
    """A capability from its written parts; an operator that is not known counts as none."""
    sense = OPERATORS.get(operator, 0)
    return Capability(name, sense, version) if sense and version else Capability(name)


@lru_cache(maxsize=65536)
def read_relation(text: str) -> RpmRelation:
    """A relation from its text; what cannot be read is a capability called so (nothing
    provides it)."""
    if text.startswith("("):
        tokens = _TOKEN.findall(text)
        try:
            found, rest = _joined(tokens, 0)
            if rest == len(tokens):
                return found
        except (IndexError, ValueError):
            pass
        return Capability(text)
    name, _, bound = text.partition(" ")
    operator, _, version = bound.partition(" ")
    return capability(name, operator, version.strip())


def _joined(tokens: list[str], at: int) -> tuple[RpmRelation, int]:
    """One relation that begins at a token; where it ends."""
    if tokens[at] != "(":
        return _plain(tokens, at)
    first, at = _joined(tokens, at + 1)
    parts, word = [first], ""
    while tokens[at] != ")":
        found = tokens[at]
        if found == "else" and word in ("if", "unless") and len(parts) == 2:
            pass
        elif found not in _WORDS or (word and (found != word or word in ("if", "unless"))):
            raise ValueError(found)
        else:
            word = found
        part, at = _joined(tokens, at + 1)
        parts.append(part)
    if not word:
        return first, at + 1
    return Joined(word, tuple(parts)), at + 1


def _plain(tokens: list[str], at: int) -> tuple[Capability, int]:
    name = tokens[at]
    if name == ")":
        raise ValueError(name)
    if tokens[at + 1] in OPERATORS:
        return capability(name, tokens[at + 1], tokens[at + 2]), at + 3
    return Capability(name), at + 1


def meets(offered: Capability, wanted: Capability) -> bool:
    """Whether a provided capability is what a needed one means.

    A bound without release means every release; a provided name without version meets every
    bound (observed).
    """
    if offered.name != wanted.name:
        return False
    if not (wanted.sense and offered.sense):
        return True
    return overlap(offered.sense, offered.version, wanted.sense, wanted.version)


@lru_cache(maxsize=65536)
def overlap(sense: int, version: str, other_sense: int, other: str) -> bool:
    """Whether two bounds have a version in common."""
    if sense & other_sense & (LESS | GREATER):
        return True
    order, open_release = _order(parse(version), parse(other))
    if open_release < 0:  # the first stands for all its releases
        return bool(sense & EQUAL)
    if open_release > 0:
        return bool(other_sense & EQUAL)
    if order < 0:
        return bool(other_sense & LESS or sense & GREATER)
    if order > 0:
        return bool(other_sense & GREATER or sense & LESS)
    return bool(sense & other_sense & EQUAL)


def _order(one: Evr, other: Evr) -> tuple[int, int]:
    """Their order, and which of the two leaves the release open: -1, 1, or 0 for none."""
    if (one.epoch or 0) != (other.epoch or 0):
        return (-1 if (one.epoch or 0) < (other.epoch or 0) else 1), 0
    order = compare_part(one.version, other.version)
    if order:
        return order, 0
    if one.release is None and other.release is not None:
        return 0, -1
    if one.release is not None and other.release is None:
        return 0, 1
    if one.release is None or other.release is None:
        return 0, 0
    return compare_part(one.release, other.release), 0
