"""Recipes of rpm hosts: source packages (`.src.rpm`), and lists of them (`primary.xml`).

What a source package requires is what building it needs; what it provides names the packages
that come of it. Where an older one says nothing of these, only its own name is known.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache

from velpin.errors import HostFileError
from velpin.kinds.rpm.arch import NOARCH
from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.header import (
    NAME,
    RELEASE,
    SUMMARY,
    VERSION,
    read_package_header,
    relations_of,
    text_of,
    version_of,
)
from velpin.kinds.rpm.primary import listed_sources
from velpin.kinds.rpm.relation import EQUAL, Capability, Joined, RpmRelation, meets, read_relation
from velpin.kinds.rpm.solve.policy import Policy
from velpin.kinds.rpm.state import RpmState
from velpin.ports.recipes import Recipes
from velpin.recipes.recipe import Recipe, RecipeNeed, Satisfier

_PACKAGE = re.compile(r".*\.(no)?src\.rpm\Z")
_LIST = re.compile(r"(.*-)?primary\.xml(\.(gz|xz|bz2|zst))?\Z")
_ONLY, _NOT_FOR = 1061, 1059
"""Tags of architectures it is for and not for (the package format's table of tags)."""
_HEAD = 32 << 20
"""No package's headers are larger, in bytes."""


class SourcePackages:
    """The format of recipes of rpm hosts."""

    described = "source packages (.src.rpm) and lists of them (primary.xml)"

    def is_recipe(self, file: str) -> bool:
        """Whether a file is one of recipes, by its name."""
        return _PACKAGE.match(file) is not None or _LIST.match(file) is not None

    def head_of(self, file: str) -> int | None:
        """How many bytes at the start of a file tell all, None where the whole does."""
        return _HEAD if _PACKAGE.match(file) else None

    def read(self, data: bytes, file: str) -> Sequence[Recipe]:
        """The recipes of a file; HostFileError where it is none."""
        return list(_of_package(data, file) if _PACKAGE.match(file) else _of_list(data, file))

    def bound(self, name: str, operator: str, version: str) -> str:
        """The relation that a name within a bound is."""
        return f"{name} {operator} {version}"

    def names(self, relation: str) -> Sequence[str]:
        """Names that may meet a relation."""
        return [capability.name for capability in _alternatives(read_relation(relation))]

    def meets(self, recipe: Recipe, relation: str) -> bool:
        """Whether what a recipe builds meets a relation."""
        built = Capability(recipe.name, EQUAL, recipe.version)
        return any(
            meets(built, capability) for capability in _alternatives(read_relation(relation))
        )

    def fits(self, recipe: Recipe, arch: str) -> bool:
        """Whether a recipe can be built for an architecture."""
        if f"!{arch}" in recipe.archs:
            return False
        only = [arch for arch in recipe.archs if not arch.startswith("!")]
        return not only or arch in only or NOARCH in only


def _of_package(data: bytes, file: str) -> Iterator[Recipe]:
    header = read_package_header(data, file)
    if not (text_of(header, NAME) and text_of(header, VERSION) and text_of(header, RELEASE)):
        raise HostFileError(file, 0, "a source package without name or version")
    archs = (*header.get(_ONLY, ()), *(f"!{arch}" for arch in header.get(_NOT_FOR, ())))
    yield from _recipes(
        text_of(header, NAME), version_of(header), text_of(header, SUMMARY), archs,
        relations_of(header), file,
    )  # fmt: skip


def _of_list(data: bytes, file: str) -> Iterator[Recipe]:
    for package in listed_sources(data, file):
        yield from _recipes(
            package.name, package.version, package.summary, (), package.relations, file
        )


def _recipes(
    base: str,
    version: str,
    summary: str,
    archs: Sequence[str],
    relations: Mapping[str, Sequence[str] | Mapping[str, None]],
    file: str,
) -> Iterator[Recipe]:
    needs = [
        RecipeNeed("builds", str(part))
        for text in relations.get(RpmLink.REQUIRES, ())
        for part in _all_of(read_relation(text))
    ]
    provided = map(_as_built, relations.get(RpmLink.PROVIDES, ()))
    built = {
        capability.name: capability.version for capability in provided if capability is not None
    }
    for name, its_version in (built or {base: version}).items():
        yield Recipe(
            name, its_version, tuple(archs), base, summary,
            needs=tuple(dict.fromkeys(needs)), file=file,
        )  # fmt: skip


def _as_built(text: str) -> Capability | None:
    """A package that comes of it: stated with just its version."""
    found = read_relation(text)
    plain = isinstance(found, Capability) and found.sense == EQUAL and "(" not in found.name
    return found if plain and isinstance(found, Capability) else None


def _all_of(relation: RpmRelation) -> Iterator[RpmRelation]:
    """Relations joined by `and`, each by itself."""
    if isinstance(relation, Joined) and relation.word == "and":
        for part in relation.parts:
            yield from _all_of(part)
    else:
        yield relation


@lru_cache(maxsize=4096)
def _alternatives(relation: RpmRelation) -> tuple[Capability, ...]:
    """The capabilities each of which would do."""
    if isinstance(relation, Capability):
        return (relation,)
    parts = relation.parts if relation.word == "or" else relation.parts[:1]
    return tuple(capability for part in parts for capability in _alternatives(part))


# -- what meets a need ---------------------------------------------------------------------


class RpmRecipes(Recipes):
    """Build recipes for an rpm host."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    @property
    def format(self) -> SourcePackages:
        """How recipes are written for this kind of host."""
        return SourcePackages()

    def satisfier(self, relation: str) -> Satisfier | None:
        """What meets a relation here: what is installed, else what the installer would take first;
        of a need on a condition nothing where that does not hold."""
        return _satisfier(self._state, read_relation(relation))


def _satisfier(state: RpmState, relation: RpmRelation) -> Satisfier | None:
    if isinstance(relation, Joined) and relation.word in ("if", "unless"):
        first, condition, *rest = relation.parts
        holds = any(package.installed for package in state.packages.pool.meeting(condition))
        if holds == (relation.word == "if"):
            return _satisfier(state, first)
        return _satisfier(state, rest[0]) if rest else Satisfier("", "", "")
    found = state.packages.pool.meeting(relation)
    here = next((package for package in found if package.installed), None)
    if here is not None:
        return Satisfier(here.name, here.version, "")
    best = next(iter(Policy(state.packages.pool).order(found)), None)
    return Satisfier(best.name, best.version, best.origin.handle) if best else None
