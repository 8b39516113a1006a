"""A host that has sources of recipes beside its own: the same questions, some answered more
fully. What the host's installer does is never otherwise because of them.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from fnmatch import fnmatchcase
from functools import cached_property
from itertools import islice
from typing import TYPE_CHECKING, Any, cast

from velpin.errors import HostFileError, Refusal, StoreError
from velpin.model import (
    BuildPlan,
    Forecast,
    Note,
    Offer,
    PassedOver,
    Place,
    Reason,
    Request,
    Source,
)
from velpin.recipes.building import Found, Recipes, Shelved
from velpin.recipes.config import RecipeSource, read_sources
from velpin.recipes.shelved import index_of, path_of
from velpin.request import parse_request

if TYPE_CHECKING:
    from pathlib import Path

    from velpin.about import HostFacts, Met, Refreshed, SourceState, Standing
    from velpin.change.plan import Plan
    from velpin.fetch.download import Transport
    from velpin.kinds.base import Host
    from velpin.recipes.recipe import RecipeFormat
    from velpin.shifts import Turned
    from velpin.tree import Edits


_LACKS = ("nothing-called", "nothing-fits", "none-fits")
"""Why a need cannot be met: nothing there would do."""


def with_recipes(host: Host) -> Host:
    """A host together with its sources of recipes."""
    return cast("Host", RecipeHost(host))


class RecipeHost:
    """A host and its sources of recipes; what is not here the host answers itself."""

    def __init__(self, inner: Host) -> None:
        self.inner = inner

    def __getattr__(self, name: str) -> Any:
        return getattr(self.inner, name)

    @cached_property
    def _read(self) -> tuple[list[RecipeSource], list[Note]]:
        return read_sources(self.inner.tree)

    @property
    def recipe_sources(self) -> list[RecipeSource]:
        """The sources of recipes."""
        return self._read[0]

    @property
    def _form(self) -> RecipeFormat:
        return self.inner.recipe_format

    def _path_of(self, source: RecipeSource) -> Path | None:
        return path_of(self.inner.shelf, source)

    @cached_property
    def _recipes(self) -> Recipes:
        """The recipes of the sources that are on and can be read."""
        found = []
        for source in self.recipe_sources:
            path = self._path_of(source) if source.on else None
            if path is None:
                continue
            try:
                found.append(Shelved(source.handle, index_of(self.inner.shelf, path, self._form)))
            except (HostFileError, StoreError):
                continue
        return Recipes(self.inner, found)

    def _recipe_source(self, handle: str) -> RecipeSource | None:
        return next((one for one in self.recipe_sources if one.handle == handle), None)

    def with_edits(self, edits: Edits) -> Host:
        """The same host as it would be after some edits."""
        return with_recipes(self.inner.with_edits(edits))

    # -- looking ---------------------------------------------------------------------------

    @property
    def sources(self) -> Sequence[Source]:
        """The host's sources, then those of recipes."""
        return [*self.inner.sources, *self.recipe_sources]

    def source(self, handle: str) -> Source:
        """The source with a handle; Refusal where there is none."""
        return self._recipe_source(handle) or self.inner.source(handle)

    def facts(self) -> HostFacts:
        """What host this is; sources of recipes count as others do."""
        told = self.inner.facts()
        on = sum(one.on for one in self.recipe_sources)
        return told._replace(
            on=told.on + on, off=told.off + len(self.recipe_sources) - on, notes=tuple(self.notes())
        )

    def notes(self) -> Iterable[Note]:
        """Everything odd that was found."""
        yield from self.inner.notes()
        yield from self._read[1]

    def standings(self) -> list[Standing]:
        """Every source in the order in which it wins, those of recipes last."""
        return [*self.inner.standings(), *(self._standing(one) for one in self.recipe_sources)]

    def _standing(self, source: RecipeSource) -> Standing:
        from velpin.about import Standing

        path, count, problem = self._path_of(source), 0, ""
        if source.on and path is not None:
            try:
                count = index_of(self.inner.shelf, path, self._form).count
            except (HostFileError, StoreError) as found:
                problem = found.message
        state: SourceState = "off" if not source.on else "on" if path else "not fetched"
        dated = path.stat().st_mtime if path is not None and path.exists() else None
        return Standing(
            source=source, state=state, tier=None,
            numbers=(), channel=("recipes: to be built",), signed="", signers=(),
            offers=count, dated=dated, copy="velpin" if path is not None else "", problem=problem,
        )  # fmt: skip

    # -- choosing --------------------------------------------------------------------------

    def offers(self, names: Iterable[str]) -> list[Offer]:
        """Every offer of some names, what is to be built last."""
        found = []
        for name in names:
            found += self.inner.offers([name])
            found += [self._offer(one) for one in self._recipes.named(name)]
        return found

    def _offer(self, found: Found) -> Offer:
        recipe = found.recipe
        source = self.source(found.source)
        return Offer(
            recipe.name, " ".join(recipe.archs), recipe.version, found.source, "", source.url,
            recipe.summary, 0, "to be built", False,
        )  # fmt: skip

    def offers_from(self, handle: str, glob: str = "*") -> list[Offer]:
        """What one source offers."""
        source = self._recipe_source(handle)
        if source is None:
            return self.inner.offers_from(handle, glob)
        for one in self._recipes.shelved:
            if one.handle == handle:
                names = sorted({row.name for row in one.recipes.matching(glob)})
                return [
                    self._offer(found)
                    for name in names
                    for found in self._recipes.named(name)
                    if found.source == handle
                ]
        state = "is switched off" if not source.on else "cannot be read"
        raise Refusal(f"{handle} {state}", f"velpin refresh {handle}")

    def near_names(self, name: str) -> tuple[str, ...]:
        """Names like one that is not known."""
        return self._near_to_build(name, self.inner.near_names(name))

    def _near_to_build(self, name: str, found: tuple[str, ...]) -> tuple[str, ...]:
        from velpin.near import nearest

        names = {one for shelved in self._recipes.shelved for one in shelved.recipes.names()}
        new = [one for one in nearest(name, names) if one not in found and one != name]
        more = [f"{one} (to be built)" for one in new]
        return (*found, *more)[:6]

    def find(self, text: str, most: int = 40) -> tuple[list[Met], int]:
        """Names and summaries that hold the words of a text; what only recipes have comes last."""
        from velpin.about import Met
        from velpin.near import search

        found, count = self.inner.find(text, most)
        known = {one.name for one in found}
        here, many = search((one.recipes for one in self._recipes.shelved), text, most)
        new = [
            Met(name, f"{summary} (to be built)".strip(), None, one.recipe.version, one.source)
            for name, summary in here
            if name not in known
            for one in islice(self._recipes.named(name), 1)
        ]
        return [*found, *new][:most], count + many - (len(here) - len(new))

    def forecast(self, texts: Sequence[str], source: str = "") -> Forecast:
        """Predict one transaction for all requests together; what recipes could add is told
        beside it."""
        requests = [parse_request(text, self._knows, source) for text in texts]
        by_recipe = [one for one in requests if self._recipe_source(one.source)]
        rest = [text for text, one in zip(texts, requests, strict=True) if one not in by_recipe]
        if not by_recipe:
            return self._told_beside(self.inner.forecast(texts, source))
        builds = tuple(self._build(one, one.source) for one in by_recipe)
        if rest:
            found = self._told_beside(self.inner.forecast(rest, source))
        else:
            found = Forecast(self.inner.kind, self.inner.native, False, None, (), (), 0, 0)
        names = ", ".join(one.name for one in by_recipe)
        return found._replace(
            ok=False, problem=Reason("only-to-be-built", {"name": names}), changes=(),
            download_bytes=0, disk_bytes=0, exit_code=1, builds=(*builds, *found.builds),
        )  # fmt: skip

    def forecast_upgrade(self, *, realign: bool = False) -> Forecast:
        """Predict the full upgrade; newer recipes of installed packages that no source has are
        told beside it."""
        found = self.inner.forecast_upgrade(realign=realign)
        newer = [f"{one.recipe.name} {one.recipe.version} ({one.source})" for one in self._newer()]
        if not newer:
            return found
        note = Reason("newer-recipes", {"packages": ", ".join(newer)})
        return found._replace(notes=(*found.notes, note))

    def _newer(self) -> Iterator[Found]:
        """Recipes newer than what is installed, of packages that no source has."""
        for name in self.inner.installed_names():
            if not any(self._recipes.named(name)):
                continue
            found, here = self._recipes.newest(name), self.inner.meeting(name)
            if found is None or here is None or (here.package, here.source) != (name, ""):
                continue
            if self.inner.compare(found.recipe.version, here.version) <= 0:
                continue
            if not any(one.source for one in self.inner.offers([name])):
                yield found

    def _knows(self, name: str) -> bool:
        return self.inner.knows(name) or any(self._recipes.named(name))

    def _told_beside(self, found: Forecast) -> Forecast:
        """A forecast with what recipes have: last among what was passed over, and what could
        be built where nothing can be had otherwise."""
        answers = []
        builds: list[BuildPlan] = []
        for answer in found.answers:
            more = tuple(
                PassedOver(one.recipe.version, one.source, Reason("to-be-built", {}))
                for one in self._recipes.named(answer.package)
            )
            near = answer.near
            if answer.problem is not None and answer.outcome == "none":
                plan = self._build(parse_request(answer.asked, self._knows))
                builds += [plan] if plan.steps else []
                if plan.steps:
                    near = ()
                elif answer.problem.code == "unknown":
                    near = self._near_to_build(answer.package, near)
            answers.append(answer._replace(passed_over=(*answer.passed_over, *more), near=near))
        builds += self._for_lacks(found)
        return found._replace(answers=tuple(answers), builds=tuple(builds))

    def _for_lacks(self, found: Forecast) -> Iterator[BuildPlan]:
        """What could be built of that for lack of which a request is refused."""
        for reason in found.chain:
            if reason.code == "needs" and any(one.code in _LACKS for one in reason.then):
                relation = str(reason.facts["relation"])
                recipe = self._recipes.newest(relation)
                if recipe is not None:
                    yield self._recipes.plan(relation, recipe)

    def _build(self, request: Request, source: str = "") -> BuildPlan:
        """What building what a request means would take, from recipes of one source where that is
        named; without steps where nothing fits."""
        found = self._meant(request, source)
        if found is None:
            facts = {"name": request.name, "source": source}
            return BuildPlan(request.text, (), (), Reason("no-recipe", dict(facts)))
        return self._recipes.plan(request.text, found)

    def _meant(self, request: Request, source: str) -> Found | None:
        """The recipe a request means: a glob is held against versions, a bound is a relation."""
        operator = "=" if request.operator == "==" else request.operator
        if operator == "=" and any(mark in request.version for mark in "*?["):
            return self._recipes.newest(
                request.name,
                source=source,
                wanted=lambda version: fnmatchcase(version, request.version),
            )
        name = request.name
        bound = self._form.bound(name, operator, request.version) if operator else name
        return self._recipes.newest(bound, source=source)

    def turned_since(self, before: Any) -> Iterator[Turned]:
        """Names that are not installed and would be answered otherwise than before."""
        return self.inner.turned_since(getattr(before, "inner", before))

    # -- fetching and changing -------------------------------------------------------------

    def refresh(self, handle: str, transport: Transport, **more: Any) -> Refreshed:
        """Fetch one source; of a folder or archive on this machine there is nothing to fetch."""
        source = self._recipe_source(handle)
        if source is None:
            return self.inner.refresh(handle, transport, **more)
        from velpin.recipes.fetching import refresh_recipes

        return refresh_recipes(self.inner.shelf, source, self._form, transport)

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the recipes of a source now; how many there are, and what was odd."""
        source = self._recipe_source(handle)
        if source is None:
            return self.inner.read_indexes(handle)
        path = self._path_of(source)
        if path is None:
            return 0, []
        index = index_of(self.inner.shelf, path, self._form)
        return index.count, [Note(Place(path.name, line), text) for line, text in index.notes]

    def came_from(self, handle: str) -> list[str]:
        """Installed packages whose version comes from a source; of recipes that is not known."""
        return [] if self._recipe_source(handle) else self.inner.came_from(handle)

    def plan_switch(self, handle: str, on: bool) -> Plan:
        """What switching a source on or off would write."""
        source = self._recipe_source(handle)
        if source is None:
            return self.inner.plan_switch(handle, on)
        from velpin.recipes.changing import plan_switch

        return plan_switch(self.inner.tree, source, on)

    def plan_drop(self, handle: str) -> Plan:
        """What taking a source away would write."""
        source = self._recipe_source(handle)
        if source is None:
            return self.inner.plan_drop(handle)
        from velpin.recipes.changing import plan_drop

        return plan_drop(self.inner.tree, source)
