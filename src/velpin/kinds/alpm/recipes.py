"""Recipes of alpm hosts: `.SRCINFO` files.

One section for what is built as a whole (`pkgbase = NAME`) and one for each package that
comes of it (`pkgname = NAME`), which overrules what it says itself. A key may end in an
architecture (`depends_x86_64`).
"""

from __future__ import annotations

import platform
from collections.abc import Sequence

from velpin.errors import HostFileError
from velpin.kinds.alpm.relation import fits, provision_fits, read_relation
from velpin.kinds.alpm.state import AlpmState
from velpin.model.forecast import NeedWhen
from velpin.ports.recipes import Recipes
from velpin.recipes.recipe import Recipe, RecipeNeed, Satisfier

_NEEDS: tuple[tuple[str, NeedWhen], ...] = (
    ("depends", "runs"),
    ("makedepends", "builds"),
    ("checkdepends", "checks"),
)
Values = dict[str, list[str]]


class SourceInfo:
    """The format of recipes of alpm hosts."""

    described = ".SRCINFO files"

    def is_recipe(self, file: str) -> bool:
        """Whether a file is one of recipes, by its name."""
        return file == ".SRCINFO" or file.endswith(".SRCINFO")

    def head_of(self, file: str) -> int | None:
        """How many bytes at the start of a file tell all: the whole."""
        return None

    def read(self, data: bytes, file: str) -> Sequence[Recipe]:
        """The recipes of a file; HostFileError where it is none."""
        base: Values = {}
        packages: list[Values] = []
        here: Values | None = None
        for number, raw in enumerate(data.decode("utf-8", "replace").split("\n"), 1):
            line = raw.strip()
            if not line or line.startswith("#"):
                continue
            key, equals, value = (part.strip() for part in line.partition("="))
            if not equals:
                raise HostFileError(file, number, f"{line!r} is no KEY = VALUE")
            if key == "pkgbase":
                here = base
            elif key == "pkgname":
                here = {}
                packages.append(here)
            if here is None:
                raise HostFileError(file, number, f"{key} stands before pkgbase")
            here.setdefault(key, []).append(value)
        if not (base.get("pkgver") and base.get("pkgrel") and packages):
            raise HostFileError(file, 0, "names no version or no package")
        return [_recipe(base, package, file) for package in packages]

    def bound(self, name: str, operator: str, version: str) -> str:
        """The relation that a name within a bound is."""
        return f"{name}{operator}{version}"

    def names(self, relation: str) -> Sequence[str]:
        """Names that may meet a relation."""
        return (read_relation(relation).name,)

    def meets(self, recipe: Recipe, relation: str) -> bool:
        """Whether what a recipe builds meets a relation."""
        wanted = read_relation(relation)
        if recipe.name == wanted.name and fits(recipe.version, wanted.operator, wanted.version):
            return True
        return any(provision_fits(read_relation(name), wanted) for name in recipe.provides)

    def fits(self, recipe: Recipe, arch: str) -> bool:
        """Whether a recipe can be built for an architecture."""
        return "any" in recipe.archs or arch in recipe.archs


def _recipe(base: Values, own: Values, file: str) -> Recipe:
    def listed(key: str) -> list[str]:
        """A list, of the package itself where it says one, with that of this architecture."""
        keys = (key, f"{key}_{platform.machine()}")
        return [value for name in keys for value in own.get(name, base.get(name, [])) if value]

    def one(key: str) -> str:
        return next(iter(own.get(key, base.get(key, []))), "")

    epoch = f"{one('epoch')}:" if one("epoch") not in ("", "0") else ""
    needs = [RecipeNeed(when, text) for key, when in _NEEDS for text in listed(key)]
    return Recipe(
        name=own["pkgname"][0],
        version=f"{epoch}{one('pkgver')}-{one('pkgrel')}",
        archs=tuple(listed("arch")),
        base=base["pkgbase"][0],
        summary=one("pkgdesc"),
        provides=tuple(listed("provides")),
        needs=tuple(dict.fromkeys(needs)),
        file=file,
    )


class AlpmRecipes(Recipes):
    """Build recipes for an alpm host."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    @property
    def format(self) -> SourceInfo:
        """How recipes are written for this kind of host."""
        return SourceInfo()

    def satisfier(self, relation: str) -> Satisfier | None:
        """What is installed and meets it, else what would come for it as a dependency."""
        wanted = read_relation(relation)
        for here in self._state.packages.pool.installed_satisfying(wanted):
            return Satisfier(here.name, here.version, "")
        origins = [
            origin
            for origin in self._state.packages.pool.origins
            if origin.source and origin.source.installs
        ]
        found = self._state.packages.work().find(wanted, origins)
        return Satisfier(found.name, found.version, found.origin.handle) if found else None
