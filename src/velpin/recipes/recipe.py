"""One recipe, and what each kind of host knows of recipes."""

from __future__ import annotations

import json
from collections.abc import Sequence
from typing import NamedTuple, Protocol

from velpin.model.forecast import NeedWhen


class RecipeNeed(NamedTuple):
    """Something a recipe needs, as written there."""

    when: NeedWhen
    relation: str


class Recipe(NamedTuple):
    """One package that can be built."""

    name: str
    version: str
    archs: tuple[str, ...]
    base: str
    """What is built as a whole; several packages may come of it."""
    summary: str = ""
    provides: tuple[str, ...] = ()
    """Relations as written."""
    needs: tuple[RecipeNeed, ...] = ()
    file: str = ""
    """Its file in the folder or archive."""

    def packed(self) -> bytes:
        """As kept in the index store."""
        return json.dumps(self).encode()


def unpack(text: bytes) -> Recipe:
    """A recipe from its kept text."""
    name, version, archs, base, summary, provides, needs, file = json.loads(text)
    return Recipe(
        name, version, tuple(archs), base, summary, tuple(provides),
        tuple(RecipeNeed(*need) for need in needs), file,
    )  # fmt: skip


class Satisfier(NamedTuple):
    """What meets a relation on a host: an installed package, or an offer."""

    package: str
    version: str
    source: str
    """Empty where it is installed."""


class RecipeFormat(Protocol):
    """How recipes are written for one kind of host."""

    described: str
    """Its files, for people."""

    def is_recipe(self, file: str) -> bool:
        """Whether a file is one of recipes, by its name."""

    def head_of(self, file: str) -> int | None:
        """How many bytes at the start of a file tell all, None where the whole does."""

    def read(self, data: bytes, file: str) -> Sequence[Recipe]:
        """The recipes of a file; HostFileError where it is none."""

    def bound(self, name: str, operator: str, version: str) -> str:
        """The relation that a name within a bound is (operator: < <= = >= >), as written here."""

    def names(self, relation: str) -> Sequence[str]:
        """Names that may meet a relation."""

    def meets(self, recipe: Recipe, relation: str) -> bool:
        """Whether what a recipe builds meets a relation."""

    def fits(self, recipe: Recipe, arch: str) -> bool:
        """Whether a recipe can be built for an architecture."""
