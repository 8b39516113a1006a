"""What it would take to build a package: every need, where it would come from, in order."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.core.forecasting import bare_forecast
from velpin.model.forecast import Building, BuildPlan, Change, Need, NeedHow
from velpin.model.reason import Reason
from velpin.recipes.reasons import CannotBuild, NeedsRefused
from velpin.recipes.recipe import Recipe, RecipeNeed
from velpin.recipes.stored import providing, recipes_in
from velpin.store.index import Index

if TYPE_CHECKING:
    from velpin.ports.bundle import Ports

_MOST_STEPS = 60


class StoredRecipes(NamedTuple):
    """One source of recipes that is on, and its parsed recipes."""

    handle: str
    recipes: Index


class Found(NamedTuple):
    """A recipe and the source that has it."""

    recipe: Recipe
    source: str


class RecipeBook:
    """The recipes of one host's sources that are on, and what building from them would take."""

    def __init__(self, ports: Ports, stored: Sequence[StoredRecipes]) -> None:
        self._ports, self._form = ports, ports.recipes.format
        self.stored = stored

    def named(self, name: str) -> Iterator[Found]:
        """Every recipe of a name."""
        for stored in self.stored:
            for recipe in recipes_in(stored.recipes, name):
                yield Found(recipe, stored.handle)

    def newest(
        self, relation: str, *, source: str = "", wanted: Callable[[str], bool] = bool
    ) -> Found | None:
        """The newest recipe that meets a relation, of its name before one that provides it; of
        equal ones that of the first source. `source` names the only one to look in, `wanted`
        tells of versions whether they will do."""
        for look in (recipes_in, providing):
            best: Found | None = None
            for hit in self._meeting(relation, source, look):
                if not wanted(hit.recipe.version):
                    continue
                if (
                    best is None
                    or self._ports.packages.compare(hit.recipe.version, best.recipe.version) > 0
                ):
                    best = hit
            if best is not None:
                return best
        return None

    def _meeting(
        self, relation: str, source: str, look: Callable[[Index, str], list[Recipe]]
    ) -> Iterator[Found]:
        for stored in self.stored:
            if source not in ("", stored.handle):
                continue
            for name in self._form.names(relation):
                for recipe in look(stored.recipes, name):
                    if self._form.meets(recipe, relation) and self._form.fits(
                        recipe, self._ports.configuration.native
                    ):
                        yield Found(recipe, stored.handle)

    def plan(self, asked: str, found: Found) -> BuildPlan:
        """What building a package would need: what of it is here, what the host's installer would
        bring, what would have to be built before."""
        steps: dict[str, Building] = {}
        self._step(found, steps, [])
        needs = [need for step in steps.values() for need in step.needs]
        wanted = sorted({need.package for need in needs if need.how == "source"})
        nowhere = [need.relation for need in needs if need.how == "nowhere"]
        changes: tuple[Change, ...] = ()
        problem: Reason | None = None
        if nowhere:
            problem = CannotBuild(relations=tuple(dict.fromkeys(nowhere)))
        elif wanted:
            told = bare_forecast(self._ports, wanted)
            changes = told.changes
            if not told.ok:
                problem = NeedsRefused(packages=tuple(wanted), because=told.because)
        return BuildPlan(asked, tuple(steps.values()), changes, problem)

    def _step(self, found: Found, steps: dict[str, Building], above: Sequence[str]) -> None:
        """Put into the steps what a recipe needs to have built, then itself."""
        recipe = found.recipe
        if recipe.name in steps or len(steps) >= _MOST_STEPS:
            return
        needs = [
            self._need(need, steps, [*above, recipe.name])
            for need in recipe.needs
            if not self._form.meets(recipe, need.relation)
        ]
        steps[recipe.name] = Building(
            recipe.name, recipe.version, found.source, recipe.file, tuple(needs)
        )

    def _need(self, need: RecipeNeed, steps: dict[str, Building], above: Sequence[str]) -> Need:
        """How one need would be met; what has to be built for it is put into the steps."""
        met = self._ports.recipes.satisfier(need.relation)
        if met is not None:
            how: NeedHow = "source" if met.source else "installed"
            return Need(need.relation, need.when, how, *met)
        other = self.newest(need.relation)
        if other is None or other.recipe.name in above[:-1]:
            return Need(need.relation, need.when, "nowhere")
        self._step(other, steps, above)
        recipe = other.recipe
        return Need(need.relation, need.when, "recipe", recipe.name, recipe.version, other.source)
