"""Relations between packages of an alpm host: `NAME`, `NAME>=VERSION` and the like.

Observed rules: docs/how-hosts-choose/alpm.md, "Bounds".
"""

from __future__ import annotations

from functools import lru_cache
from typing import NamedTuple

from velpin.kinds.alpm.version import compare

OPERATORS = ("<=", ">=", "=", "<", ">")


class AlpmRelation(NamedTuple):
    """A name, and perhaps a bound of its version."""

    name: str
    operator: str = ""
    version: str = ""

    def __str__(self) -> str:
        return f"{self.name}{self.operator}{self.version}"


@lru_cache(maxsize=65536)
def read_relation(text: str) -> AlpmRelation:
    """A relation from its text; what follows a colon and a blank is for people."""
    text = text.partition(": ")[0]
    for mark in "<>=":
        name, found, version = text.partition(mark)
        if found:
            operator = mark
            if mark != "=" and version.startswith("="):
                operator, version = f"{mark}=", version[1:]
            return AlpmRelation(name, operator, version)
    return AlpmRelation(text)


def fits(version: str, operator: str, wanted: str) -> bool:
    """Whether a version lies within a bound; the release counts only where both have one."""
    if not operator:
        return True
    order = compare(version, wanted)
    if operator in ("=", "=="):
        return order == 0
    if operator in (">", ">="):
        return order > 0 or (order == 0 and operator == ">=")
    return order < 0 or (order == 0 and operator == "<=")


def provision_fits(provided: AlpmRelation, wanted: AlpmRelation) -> bool:
    """Whether what a package provides satisfies a relation: without a version it satisfies
    only one without a bound (observed)."""
    if provided.name != wanted.name:
        return False
    if not wanted.operator:
        return True
    return provided.operator == "=" and fits(provided.version, wanted.operator, wanted.version)
