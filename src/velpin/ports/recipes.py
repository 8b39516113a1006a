"""Building packages from recipes: their format, and what meets the relations in them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from velpin.recipes.recipe import RecipeFormat, Satisfier


class Recipes(Protocol):
    """Build recipes of one kind of host."""

    @property
    def format(self) -> RecipeFormat:
        """How build recipes are written for this kind of host."""

    def satisfier(self, relation: str) -> Satisfier | None:
        """Return what meets a relation as recipes write it: what is installed, else what could
        be."""
