"""A host that has sources of recipes beside its own: the same questions, some answered more
fully. What the host's installer does is never otherwise because of them.
"""

from __future__ import annotations

import os
from collections.abc import Iterable, Iterator, Sequence
from fnmatch import fnmatchcase
from functools import cached_property
from itertools import islice
from typing import TYPE_CHECKING

from velpin.core.forecasting import host_name
from velpin.core.offers import offers_of
from velpin.errors import HostFileError, Refusal, StoreError
from velpin.host.checkup import HostCheckup
from velpin.host.host import Host, check_texts
from velpin.host.packages import HostPackages
from velpin.host.sources import HostSources
from velpin.model.forecast import BuildPlan, Forecast, Offer, PassedOver
from velpin.model.host import RefreshResult, SearchHit, SourceStatus
from velpin.model.reason import Note, Place
from velpin.model.reasons import Lacking, Needs, Unknown
from velpin.model.request import Request, parse_request
from velpin.model.shell import shell_word
from velpin.model.source import Source
from velpin.recipes.building import Found, RecipeBook, StoredRecipes
from velpin.recipes.changing import plan_drop, plan_switch
from velpin.recipes.config import RecipeSource, read_sources
from velpin.recipes.fetching import refresh_recipes
from velpin.recipes.reasons import NewerRecipes, NoRecipe, OnlyToBeBuilt, ToBeBuilt
from velpin.recipes.stored import index_of, path_of
from velpin.store.name_search import nearest, search

if TYPE_CHECKING:
    from pathlib import Path

    from velpin.change.plan import Plan
    from velpin.core.access import Access
    from velpin.fetch.download import Transport
    from velpin.model.host import HostFacts, RefreshResult, SearchHit, SourceState, SourceStatus
    from velpin.ports.bundle import Ports
    from velpin.ports.fetcher import RefreshOption
    from velpin.store.index import Index


"""Why a need cannot be met: nothing there would do."""


class RecipeShelf:
    """The sources of recipes of one host, and what they hold."""

    def __init__(self, ports: Ports) -> None:
        self.ports = ports

    @cached_property
    def _read(self) -> tuple[list[RecipeSource], list[Note]]:
        return read_sources(self.ports.tree)

    @property
    def sources(self) -> list[RecipeSource]:
        """The sources of recipes."""
        return self._read[0]

    @property
    def notes(self) -> list[Note]:
        """What is odd in their files."""
        return self._read[1]

    def source(self, handle: str) -> RecipeSource | None:
        """The source of recipes with a handle."""
        return next((source for source in self.sources if source.handle == handle), None)

    def path_of(self, source: RecipeSource) -> Path | None:
        """Where the recipes of a source lie, None where they were not fetched."""
        return path_of(self.ports.view.cache, source)

    def index_of(self, path: Path) -> Index:
        """The parsed recipes of a source."""
        return index_of(self.ports.view.cache, path, self.ports.recipes.format)

    @cached_property
    def recipes(self) -> RecipeBook:
        """The recipes of the sources that are on and can be read."""
        found = []
        for source in self.sources:
            path = self.path_of(source) if source.on else None
            if path is None:
                continue
            try:
                found.append(StoredRecipes(source.handle, self.index_of(path)))
            except (HostFileError, StoreError):
                continue
        return RecipeBook(self.ports, found)

    def near_to_build(self, name: str, found: tuple[str, ...]) -> tuple[str, ...]:
        """Names like one that is not known, with those that could be built."""
        names = {name for stored in self.recipes.stored for name in stored.recipes.names()}
        new = [near for near in nearest(name, names) if near not in found and near != name]
        more = [f"{near} (to be built)" for near in new]
        return (*found, *more)[:6]


class RecipeHost(Host):
    """A host and its sources of recipes; each question is first answered without them."""

    @cached_property
    def _shelf(self) -> RecipeShelf:
        return RecipeShelf(self._ports)

    @cached_property
    def sources(self) -> RecipeHostSources:
        """The host's sources, then those of recipes."""
        return RecipeHostSources(self._shelf, self._access)

    @cached_property
    def packages(self) -> RecipeHostPackages:
        """Its packages, and what could be built."""
        return RecipeHostPackages(self._shelf, self._access)

    @cached_property
    def checkup(self) -> HostCheckup:
        """What is wrong with it; files of recipe sources too."""
        return HostCheckup(self._ports, self._access, self._shelf.notes)

    def facts(self) -> HostFacts:
        """What host this is; sources of recipes count as others do."""
        told = super().facts()
        on = sum(source.on for source in self._shelf.sources)
        counts = told.sources._replace(
            on=told.sources.on + on, off=told.sources.off + len(self._shelf.sources) - on
        )
        return told._replace(sources=counts)

    def forecast(
        self,
        texts: Sequence[str],
        source: str = "",
        *,
        upgrade: bool = False,
        without: Sequence[str] = (),
        allow_older: bool = False,
    ) -> Forecast:
        """Predict one transaction for all requests together; what recipes could add is told
        beside it."""
        check_texts(texts)
        requests = [parse_request(text, self._knows, source) for text in texts]
        by_recipe = [request for request in requests if self._shelf.source(request.source)]
        rest = [
            text for text, request in zip(texts, requests, strict=True) if request not in by_recipe
        ]
        if rest or not by_recipe:
            found = super().forecast(
                rest, source, upgrade=upgrade, without=without, allow_older=allow_older
            )
            found = self._told_beside(found)
        else:
            found = Forecast(host_name(self._ports), ok=False, problem=None)
        if not by_recipe:
            return found
        builds = tuple(self._build(request, request.source) for request in by_recipe)
        names = tuple(request.name for request in by_recipe)
        return found._replace(
            ok=False, problem=OnlyToBeBuilt(name=names), changes=(),
            download_bytes=0, disk_bytes=0, builds=(*builds, *found.builds),
        )  # fmt: skip

    def forecast_upgrade(self, *, realign: bool = False, source: str = "") -> Forecast:
        """Predict the full upgrade; newer recipes of installed packages that no source has are
        told beside it."""
        found = super().forecast_upgrade(realign=realign, source=source)
        newer = [f"{hit.recipe.name} {hit.recipe.version} ({hit.source})" for hit in self._newer()]
        if not newer:
            return found
        note = NewerRecipes(packages=tuple(newer))
        return found._replace(notes=(*found.notes, note))

    def _newer(self) -> Iterator[Found]:
        """Recipes newer than what is installed, of packages that no source has."""
        for name in self.packages.installed_names():
            if not any(self._shelf.recipes.named(name)):
                continue
            found, here = self._shelf.recipes.newest(name), self._ports.recipes.satisfier(name)
            if found is None or here is None or (here.package, here.source) != (name, ""):
                continue
            if self.packages.compare(found.recipe.version, here.version) <= 0:
                continue
            if not any(offer.source for offer in offers_of(self._ports, [name])):
                yield found

    def _knows(self, name: str) -> bool:
        return self._ports.packages.knows(name) or any(self._shelf.recipes.named(name))

    def _told_beside(self, found: Forecast) -> Forecast:
        """A forecast with what recipes have: last among what was passed over, and what could
        be built where nothing can be had otherwise."""
        answers = []
        builds: list[BuildPlan] = []
        for answer in found.answers:
            more = tuple(
                PassedOver(hit.recipe.version, hit.source, ToBeBuilt())
                for hit in self._shelf.recipes.named(answer.package)
            )
            near = answer.near
            if answer.problem is not None and answer.outcome == "none":
                plan = self._build(parse_request(answer.asked, self._knows))
                builds += [plan] if plan.steps else []
                if plan.steps:
                    near = ()
                elif isinstance(answer.problem, Unknown):
                    near = self._shelf.near_to_build(answer.package, near)
            answers.append(answer._replace(passed_over=(*answer.passed_over, *more), near=near))
        builds += self._for_lacks(found)
        return found._replace(answers=tuple(answers), builds=tuple(builds))

    def _for_lacks(self, found: Forecast) -> Iterator[BuildPlan]:
        """What could be built of that for lack of which a request is refused."""
        for reason in found.because:
            if isinstance(reason, Needs) and any(isinstance(c, Lacking) for c in reason.because):
                recipe = self._shelf.recipes.newest(reason.relation)
                if recipe is not None:
                    yield self._shelf.recipes.plan(reason.relation, recipe)

    def _build(self, request: Request, source: str = "") -> BuildPlan:
        """What building what a request means would take, from recipes of one source where that is
        named; without steps where nothing fits."""
        found = self._meant(request, source)
        if found is None:
            none = NoRecipe(name=request.name, source=source)
            return BuildPlan(request.text, (), (), none)
        return self._shelf.recipes.plan(request.text, found)

    def _meant(self, request: Request, source: str) -> Found | None:
        """The recipe a request means: a glob is held against versions, a bound is a relation."""
        operator = "=" if request.operator == "==" else request.operator
        if operator == "=" and any(mark in request.version for mark in "*?["):
            return self._shelf.recipes.newest(
                request.name,
                source=source,
                wanted=lambda version: fnmatchcase(version, request.version),
            )
        name = request.name
        bound = (
            self._ports.recipes.format.bound(name, operator, request.version) if operator else name
        )
        return self._shelf.recipes.newest(bound, source=source)


class RecipeHostSources(HostSources):
    """The host's sources, then those of recipes."""

    def __init__(self, shelf: RecipeShelf, access: Access) -> None:
        super().__init__(shelf.ports, access)
        self._shelf = shelf

    def _all(self) -> Sequence[Source]:
        return [*super()._all(), *self._shelf.sources]

    def find(self, handle: str) -> Source:
        """Return the source with a handle; Refusal if there is none."""
        return self._shelf.source(handle) or super().find(handle)

    def statuses(self) -> list[SourceStatus]:
        """Return every source in the order in which it wins, those of recipes last."""
        return [*super().statuses(), *(self._status(source) for source in self._shelf.sources)]

    def _status(self, source: RecipeSource) -> SourceStatus:
        path, count, problem = self._shelf.path_of(source), 0, ""
        if source.on and path is not None:
            try:
                count = self._shelf.index_of(path).count
            except (HostFileError, StoreError) as found:
                problem = found.message
        state: SourceState = "off" if not source.on else "on" if path else "not fetched"
        dated = path.stat().st_mtime if path is not None and os.path.exists(path) else None
        return SourceStatus(
            source=source, state=state, tier=None,
            priorities=(), channel=("recipes: to be built",), signed="", signers=(),
            offers=count, dated=dated, copy="velpin" if path is not None else "", problem=problem,
        )  # fmt: skip

    def _again(self) -> HostSources:
        return RecipeHostSources(RecipeShelf(self._ports.with_edits({})), self._access)

    def _fetch_one(
        self, source: Source, transport: Transport, options: Sequence[RefreshOption]
    ) -> RefreshResult:
        """Fetch one source; of a folder or archive on this machine there is nothing to fetch."""
        recipes = self._shelf.source(source.handle)
        if recipes is None:
            return super()._fetch_one(source, transport, options)
        return refresh_recipes(
            self._ports.view.cache, recipes, self._ports.recipes.format, transport
        )

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the recipes of a source now; how many there are, and what was odd."""
        source = self._shelf.source(handle)
        if source is None:
            return super().read_indexes(handle)
        path = self._shelf.path_of(source)
        if path is None:
            return 0, []
        index = self._shelf.index_of(path)
        return index.count, [Note(Place(path.name, note.line), note.text) for note in index.notes]

    def plan_switch(self, handle: str, on: bool) -> Plan:
        """What switching a source on or off would write."""
        source = self._shelf.source(handle)
        if source is None:
            return super().plan_switch(handle, on)
        return plan_switch(self._ports.tree, source, on)

    def plan_drop(self, handle: str) -> Plan:
        """What taking a source away would write."""
        source = self._shelf.source(handle)
        if source is None:
            return super().plan_drop(handle)
        return plan_drop(self._ports.tree, source)


class RecipeHostPackages(HostPackages):
    """Its packages, and what could be built."""

    def __init__(self, shelf: RecipeShelf, access: Access) -> None:
        super().__init__(shelf.ports, access)
        self._shelf = shelf

    def offers(self, names: Iterable[str], *, full: bool = False) -> list[Offer]:
        """Every offer of some names, what is to be built last."""
        found = []
        for name in names:
            found += super().offers([name], full=full)
            found += [self._offer(hit) for hit in self._shelf.recipes.named(name)]
        return found

    def _offer(self, found: Found) -> Offer:
        recipe = found.recipe
        source = self._shelf.source(found.source)
        url = source.url if source else ""
        return Offer(
            recipe.name, " ".join(recipe.archs), recipe.version, found.source, "", url,
            recipe.summary, 0, "to be built", False,
        )  # fmt: skip

    def offers_from(self, handle: str, glob: str = "*") -> list[Offer]:
        """What one source offers; Refusal where no source has the handle."""
        source = self._shelf.source(handle)
        if source is None:
            return super().offers_from(handle, glob)
        for stored in self._shelf.recipes.stored:
            if stored.handle == handle:
                names = sorted({row.name for row in stored.recipes.matching(glob)})
                return [
                    self._offer(found)
                    for name in names
                    for found in self._shelf.recipes.named(name)
                    if found.source == handle
                ]
        state = "is switched off" if not source.on else "cannot be read"
        raise Refusal(f"{handle} {state}", f"velpin refresh {shell_word(handle)}")

    def near_names(self, name: str) -> tuple[str, ...]:
        """Names like one that is not known."""
        return self._shelf.near_to_build(name, super().near_names(name))

    def find(self, text: str, most: int = 40) -> tuple[list[SearchHit], int]:
        """Names and summaries that hold the words of a text; what only recipes have comes last."""
        found, count = super().find(text, most)
        known = {hit.name for hit in found}
        here, many = search((stored.recipes for stored in self._shelf.recipes.stored), text, most)
        new = [
            SearchHit(
                name, f"{summary} (to be built)".strip(), None, hit.recipe.version, hit.source
            )
            for name, summary in here
            if name not in known
            for hit in islice(self._shelf.recipes.named(name), 1)
        ]
        return [*found, *new][:most], count + many - (len(here) - len(new))

    def came_from(self, handle: str) -> list[str]:
        """Installed packages whose version comes from a source; of recipes that is not known."""
        return [] if self._shelf.source(handle) else super().came_from(handle)
