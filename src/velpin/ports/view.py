"""How a host is looked at: through which files, with which indexes, for which generation."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

from velpin.files.own_settings import read_generation
from velpin.model.installer import GENERATIONS

if TYPE_CHECKING:
    from velpin.files.tree import Edits, Modes, Tree
    from velpin.model.installer import GenerationName, Installer
    from velpin.model.step import Trace
    from velpin.store.amended import Amendment, LinksOf
    from velpin.store.cache import IndexCache
    from velpin.store.index import Index


class View:
    """One look at a host. Another look at it shares nothing of what was read through this one.

    `as_is`: only the indexes count that the host's installer has now. `generation`: that of the
    installer which is asked about, whichever the host has. `has_indexes`: whether the sources have
    indexes at all. `trace` is told each step of a solver. `amendment`: what a transaction that is
    not made has made of the record of packages.
    """

    __slots__ = ("amendment", "as_is", "cache", "generation", "has_indexes", "trace", "tree")

    def __init__(
        self,
        tree: Tree,
        cache: IndexCache,
        as_is: bool = False,
        generation: GenerationName | Literal[""] = "",
        has_indexes: bool = True,
        trace: Trace | None = None,
        amendment: Amendment | None = None,
    ) -> None:
        self.tree, self.cache, self.as_is = tree, cache, as_is
        self.generation, self.has_indexes, self.trace = generation, has_indexes, trace
        self.amendment = amendment

    def _with(self, **fields: Any) -> View:
        """The same but for some fields."""
        return View(**{**{name: getattr(self, name) for name in self.__slots__}, **fields})

    def with_edits(self, edits: Edits, modes: Modes | None = None) -> View:
        """The same after some edits and new permission bits of files; nobody is told the steps."""
        return self._with(tree=self.tree.with_edits(edits, modes), trace=None)

    def with_generation(self, generation: GenerationName) -> View:
        """The same with an installer of a generation."""
        return self._with(generation=generation, trace=None)

    def with_installers_indexes(self) -> View:
        """The same with the indexes that the host's installer has, and no newer ones."""
        return self._with(as_is=True, trace=None)

    def without_indexes(self) -> View:
        """The same as if no source had an index: for what only the host's own files tell, and
        quickly."""
        return self._with(has_indexes=False, trace=None)

    def traced(self, trace: Trace) -> View:
        """The same with somebody who is told each step of a solver."""
        return self._with(trace=trace)

    def with_store(self, cache: IndexCache) -> View:
        """The same with Velpin's own indexes from another store."""
        return self._with(cache=cache, as_is=False)

    def amended(self, amendment: Amendment) -> View:
        """The same after a transaction: with what it makes of the record of packages."""
        return self._with(amendment=amendment, trace=None)

    def record(self, index: Index, state: str, links_of: LinksOf | None = None) -> Index:
        """The record of packages as this view shows it; `state` is that of a package that was
        installed since."""
        if self.amendment is None:
            return index
        from velpin.store.amended import AmendedIndex

        return AmendedIndex(index, self.amendment, state, links_of)

    def installer(self, recorded: Installer) -> Installer:
        """The installer, and the generation that forecasts are for: as asked, else as the host
        itself tells, else as Velpin's settings do, else the older."""
        if self.generation:
            return recorded._replace(generation=self.generation, known_by="option")
        if recorded.generation:
            return recorded
        told = read_generation(self.tree)
        if told:
            return recorded._replace(generation=told, known_by="setting")
        return recorded._replace(generation=GENERATIONS[0], known_by="assumed")
