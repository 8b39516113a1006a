"""What it would take to build a package: every need, where it would come from, in order."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.model import Building, BuildPlan, Change, Need, NeedHow, NeedWhen, Reason
from velpin.recipes.recipe import Recipe, RecipeFormat
from velpin.recipes.shelved import providing, recipes_in
from velpin.store.index import Index

if TYPE_CHECKING:
    from velpin.kinds.base import Host

_MOST_STEPS = 60


class Shelved(NamedTuple):
    """One source of recipes that is on, and its parsed recipes."""

    handle: str
    recipes: Index


class Found(NamedTuple):
    """A recipe and the source that has it."""

    recipe: Recipe
    source: str


def newest(
    shelved: Sequence[Shelved],
    form: RecipeFormat,
    relation: str,
    arch: str,
    wanted: Callable[[str], bool] = bool,
) -> Found | None:
    """The newest recipe that meets a relation, of its name before one that provides it; of
    equal ones that of the first source. `wanted` tells of versions whether they will do."""
    for look in (recipes_in, providing):
        best: Found | None = None
        for one in shelved:
            for name in form.names(relation):
                for recipe in look(one.recipes, name):
                    if not (form.meets(recipe, relation) and form.fits(recipe, arch)):
                        continue
                    if not wanted(recipe.version):
                        continue
                    if best is None or form.compare(recipe.version, best.recipe.version) > 0:
                        best = Found(recipe, one.handle)
        if best is not None:
            return best
    return None


def plan_for(
    host: Host, shelved: Sequence[Shelved], form: RecipeFormat, asked: str, found: Found
) -> BuildPlan:
    """What building a package would need: what of it is here, what the host's installer would
    bring, what would have to be built before."""
    arch = host.native
    steps: dict[str, Building] = {}
    _step(host, shelved, form, found, arch, steps, [])
    needs = [need for step in steps.values() for need in step.needs]
    wanted = sorted({need.package for need in needs if need.how == "source"})
    nowhere = [need.relation for need in needs if need.how == "nowhere"]
    changes: tuple[Change, ...] = ()
    problem: Reason | None = None
    if nowhere:
        problem = Reason("cannot-build", {"relations": ", ".join(dict.fromkeys(nowhere))})
    elif wanted:
        told = host.forecast(wanted)
        changes = told.changes
        if not told.ok:
            problem = Reason("needs-refused", {"packages": ", ".join(wanted)}, told.chain)
    return BuildPlan(asked, tuple(steps.values()), changes, problem)


def _step(
    host: Host,
    shelved: Sequence[Shelved],
    form: RecipeFormat,
    found: Found,
    arch: str,
    steps: dict[str, Building],
    above: Sequence[str],
) -> None:
    """Put into the steps what a recipe needs to have built, then itself."""
    recipe = found.recipe
    if recipe.name in steps or len(steps) >= _MOST_STEPS:
        return
    needs = []
    own = form.meets
    for need in recipe.needs:
        if own(recipe, need.relation):
            continue
        met = host.meeting(need.relation)
        if met is not None:
            how: NeedHow = "source" if met.source else "installed"
            needs.append(_need(need.relation, need.when, how, *met))
            continue
        other = newest(shelved, form, need.relation, arch)
        if other is None or other.recipe.name in above:
            needs.append(_need(need.relation, need.when, "nowhere"))
            continue
        _step(host, shelved, form, other, arch, steps, [*above, recipe.name])
        needs.append(
            _need(
                need.relation, need.when, "recipe", other.recipe.name, other.recipe.version,
                other.source,
            )
        )  # fmt: skip
    steps[recipe.name] = Building(
        recipe.name, recipe.version, found.source, recipe.file, tuple(needs)
    )


def _need(
    relation: str,
    when: NeedWhen,
    how: NeedHow,
    package: str = "",
    version: str = "",
    source: str = "",
) -> Need:
    return Need(relation, when, how, package, version, source)


def all_in(shelved: Sequence[Shelved], name: str) -> Iterator[Found]:
    """Every recipe of a name."""
    for one in shelved:
        for recipe in recipes_in(one.recipes, name):
            yield Found(recipe, one.handle)
