"""What a stanza says of other packages, and the few other fields a transaction depends on.

Grammar (the distribution's policy manual, section "Syntax of relationship fields"):

    field       = relation ("," relation)*
    relation    = alternative ("|" alternative)*
    alternative = name [":" arch] ["(" operator version ")"]

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

import re
from functools import lru_cache
from typing import NamedTuple

from velpin.files.text import whole_number
from velpin.kinds.deb.engine.world import NEGATIVE, Relation, RelationKind, Target
from velpin.kinds.deb.version import compare

FIELDS = {
    "pre-depends": RelationKind.REQUIRES_FIRST,
    "depends": RelationKind.REQUIRES,
    "conflicts": RelationKind.CONFLICTS,
    "breaks": RelationKind.BREAKS,
    "recommends": RelationKind.RECOMMENDS,
    "suggests": RelationKind.SUGGESTS,
}
"""Relation fields in the order in which the host goes through them (observed)."""

_ALTERNATIVE = re.compile(
    r"\s*([^\s:(\[<|,]+)(?::([a-z0-9-]+))?\s*(?:\(\s*(<<|<=|>=|>>|=|<|>)\s*([^)\s]+)\s*\))?"
)
_WANTED = re.compile(
    r"^(Pre-Depends|Depends|Conflicts|Breaks|Recommends|Suggests|Provides|Multi-Arch|Essential"
    r"|Protected|Important|Priority|Source|Phased-Update-Percentage|Installed-Size|Size|Section|Filename)"
    r":[ \t]*(.*(?:\n[ \t].*)*)",
    re.MULTILINE | re.IGNORECASE,
)
_OLD_OPERATORS = {"<": "<=", ">": ">="}
_MARKS = ("essential", "protected", "important")
_PRIORITIES = ("required", "important", "standard", "optional", "extra")
PRIORITY_WEIGHT = (3, 2, 1, -1, -2)


class Provided(NamedTuple):
    """A name that a version provides, at which version (or empty), and for which architecture:
    its own, where empty; `any` only for what asks so."""

    name: str
    version: str
    arch: str = ""


class DebFacts(NamedTuple):
    """What one version's stanza says that bears on a transaction."""

    relations: tuple[Relation, ...]
    provides: tuple[Provided, ...]
    multi_arch: str
    essential: bool
    """Whether it is marked so that it may not be removed without being asked."""
    priority: int
    """0 (required) to 4 (extra)."""
    source: str
    """Name of the source package, empty where it is the package's own."""
    source_version: str
    phased: int
    """The share of hosts it is meant for by now, in percent."""
    size: int
    """Bytes to fetch."""
    disk: int
    """Bytes on disk."""
    section: str
    has_file: bool
    """Whether it says where its file lies."""


def read_facts(text: bytes, arch: str, native: str) -> DebFacts:
    """The facts of one stanza of a package of some architecture (never `all`); `native` is
    the host's first."""
    found = _WANTED.findall(text.decode("utf-8", "replace"))
    fields = {name.lower(): value for name, value in found}
    relations = [
        Relation(kind, targets)
        for name, kind in FIELDS.items()
        if name in fields
        for targets in _targets(fields[name], kind, arch, native)
    ]
    source, _, version = fields.get("source", "").partition("(")
    marks = (
        fields.get(name, "").strip().lower() for name in ("essential", "protected", "important")
    )
    return DebFacts(
        tuple(relations),
        tuple(_provided(fields.get("provides", ""))),
        fields.get("multi-arch", "no").strip().lower(),
        "yes" in marks,
        _priority(fields.get("priority", "")),
        source.strip(),
        version.strip(" )\n"),
        _number(fields.get("phased-update-percentage", ""), 100),
        _number(fields.get("size", ""), 0),
        _number(fields.get("installed-size", ""), 0) * 1024,
        fields.get("section", "").strip(),
        bool(fields.get("filename", "").strip()),
    )


def _number(text: str, otherwise: int) -> int:
    found = whole_number(text.strip())
    return otherwise if found is None else found


def _priority(text: str) -> int:
    text = text.strip().lower()
    return _PRIORITIES.index(text) if text in _PRIORITIES else len(_PRIORITIES) - 1


def _targets(value: str, kind: RelationKind, arch: str, native: str) -> list[tuple[Target, ...]]:
    found: list[tuple[Target, ...]] = []
    negative = kind in NEGATIVE
    for part in value.split(","):
        if not part.strip():
            continue
        targets = [
            _target(alternative, "" if negative else arch, native)
            for alternative in part.split("|")
        ]
        kept = tuple(target for target in targets if target is not None)
        if negative:
            found += [(target,) for target in kept]
        elif kept:
            found.append(kept)
    return found


@lru_cache(maxsize=65536)
def _target(text: str, arch: str, native: str) -> Target | None:
    match = _ALTERNATIVE.match(text)
    if match is None:
        return None
    name, written, operator, version = match.groups("")
    operator = _OLD_OPERATORS.get(operator, operator)
    wanted = native if written == "native" else written or arch
    return Target(name.lower(), wanted, operator, version, bool(written))


def _provided(value: str) -> list[Provided]:
    found = []
    for part in value.split(","):
        match = _ALTERNATIVE.match(part)
        if match:
            name, arch, _, version = match.groups("")
            found.append(Provided(name.lower(), version, arch))
    return found


_TESTS = {
    "<<": (-1,),
    "<=": (-1, 0),
    "=": (0,),
    ">=": (0, 1),
    ">>": (1,),
    "!=": (-1, 1),
}


def satisfies(version: str, target: Target) -> bool:
    """Whether a version is within a target's bounds."""
    return not target.operator or compare(version, target.version) in _TESTS[target.operator]
