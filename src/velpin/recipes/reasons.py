"""Reasons that only sources of recipes give."""

from __future__ import annotations

from velpin.model.reason import FromSource, Reason

# -- why an offer was passed over --------------------------------------------------------------


class ToBeBuilt(Reason):
    says = "would have to be built; packages that are built already are always preferred"


# -- why a request is refused ------------------------------------------------------------------


class OnlyToBeBuilt(Reason):
    says = "{name} would have to be built, which the host's installer does not do"
    name: tuple[str, ...]


class CannotBuild(Reason):
    says = "building needs what is not available anywhere: {relations}"
    relations: tuple[str, ...]


class NeedsRefused(Reason):
    says = "the host's installer would refuse what building needs: {packages}"
    packages: tuple[str, ...]


class NoRecipe(FromSource):
    says = "no recipe for {name}{from_source} fits this host"
    name: str


# -- notes -------------------------------------------------------------------------------------


class NewerRecipes(Reason):
    says = (
        "only recipes have something newer than what is installed: {packages}; nothing is built,"
        " and velpin forecast NAME%SOURCE shows what it would take"
    )
    packages: tuple[str, ...]


class RecipesFound(Reason):
    says = (
        "{source} has {count} recipes; packages that are built already are always preferred, and"
        " nothing is built"
    )
    source: str
    count: int


class NoRecipesThere(Reason):
    says = "{source} has no recipes: looked for {what}"
    source: str
    what: str
