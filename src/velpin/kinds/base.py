"""What every kind of host offers to the rest of Velpin.

A kind lives in one folder below this one and is named once, in `kinds/__init__.py`. The
rest of Velpin asks a `Host` questions and gets values of `velpin.model`; it never looks
into a kind's files.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, Protocol

from velpin.about import HostFacts, KeyUse, Met, Refreshed, Standing
from velpin.model import Forecast, Note, Offer, Place, Source
from velpin.shifts import AfterUpgrade, Pictured, Turned
from velpin.tree import Edits, Tree
from velpin.wish import Rule, Wish

if TYPE_CHECKING:
    from velpin.change.plan import Plan, SourceWish
    from velpin.errors import HostFileError
    from velpin.fetch.download import Login, Transport
    from velpin.recipes.recipe import Meeting, RecipeFormat
    from velpin.store.shelf import Shelf


class Host(Protocol):
    """One host of some kind, read through a tree and a store."""

    @property
    def kind(self) -> str:
        """The kind's name."""

    @property
    def native(self) -> str:
        """The host's own architecture."""

    @property
    def tree(self) -> Tree:
        """Its files."""

    @property
    def shelf(self) -> Shelf:
        """Velpin's store for it."""

    @property
    def snippet_endings(self) -> tuple[str, ...]:
        """How files end in which vendors write sources for this kind."""

    @property
    def sources(self) -> Sequence[Source]:
        """Sources on, in the order of reading, then those switched off."""

    def with_edits(self, edits: Edits) -> Host:
        """The same host as it would be after some edits, read by the same code."""

    # looking
    def facts(self) -> HostFacts:
        """What host this is."""

    def notes(self) -> Iterable[Note]:
        """Everything odd that was found in the host's files."""

    def refused(self) -> HostFileError | None:
        """The file because of which the installer refuses every request, if there is one."""

    def skipped(self) -> list[tuple[str, str]]:
        """Files in the host's own places that its installer passes over, and why."""

    def standings(self) -> list[Standing]:
        """Every source in the order in which it wins."""

    def source(self, handle: str) -> Source:
        """The source with a handle; Refusal where there is none."""

    def keys(self) -> list[KeyUse]:
        """Every key that vouches for something, and for what."""

    def key_problems(self) -> list[str]:
        """Keys that are named and cannot be used, and why."""

    def compare(self, one: str, other: str) -> int:
        """-1, 0 or 1 for two versions."""

    # building
    @property
    def recipe_format(self) -> RecipeFormat:
        """How recipes are written for this kind of host."""

    def meeting(self, relation: str) -> Meeting | None:
        """What meets a relation as recipes write it: what is installed, else what could be."""

    # choosing
    def knows(self, name: str) -> bool:
        """Whether a package of a name, or a provider of it, is known here."""

    def forecast(self, texts: Sequence[str], source: str = "") -> Forecast:
        """Predict one transaction for all requests together."""

    def forecast_upgrade(self, *, realign: bool = False) -> Forecast:
        """Predict the full upgrade of the host; `realign`: every installed package goes to
        the best source, whatever its vendor. UsageError where this kind has no such upgrade."""

    def offers(self, names: Iterable[str]) -> list[Offer]:
        """Every offer of some names, newest first, also of sources switched off."""

    def offers_from(self, handle: str, glob: str = "*") -> list[Offer]:
        """What one source offers."""

    def near_names(self, name: str) -> tuple[str, ...]:
        """Names like one that is not known."""

    def find(self, text: str, most: int = 40) -> tuple[Sequence[Met], int]:
        """Names and summaries that hold the words of a text, best first, and how many."""

    # the whole host
    def open_indexes(self) -> None:
        """Parse what is not parsed yet of the sources that are on; what is damaged is left."""

    def installed_names(self) -> list[str]:
        """Names of all installed packages."""

    def came_from(self, handle: str) -> list[str]:
        """Installed packages whose version the host takes from a source."""

    def after_upgrade(self) -> AfterUpgrade:
        """How every installed package would stand after the full upgrade."""

    def turned_since(self, before: Any) -> Iterator[Turned]:
        """Names that are not installed and would be answered otherwise than before."""

    def pictured(self, watched: Iterable[str]) -> list[Pictured]:
        """How every installed package stands, and some names that may not be installed."""

    # fetching
    def fetch_proxies(self) -> Mapping[str, str]:
        """Proxies of the host's own configuration, by scheme."""

    def fetch_logins(self) -> Sequence[Login]:
        """Logins for private sources of the host's own configuration."""

    def refresh(
        self,
        handle: str,
        transport: Transport,
        *,
        accept_changed: bool = False,
        files: bool = False,
    ) -> Refreshed:
        """Fetch and check the indexes of one source; failures are returned, not raised.

        `files`: also the list of files, where this kind of host keeps that apart."""

    def read_indexes(self, handle: str) -> tuple[int, list[Note]]:
        """Parse the indexes of a source now; how many offers they hold, and what was odd."""

    # changing
    def plan_add(self, wish: SourceWish, transport: Transport) -> Plan:
        """What adding a source would write."""

    def plan_switch(self, handle: str, on: bool) -> Plan:
        """What switching a source on or off would write."""

    def plan_drop(self, handle: str) -> Plan:
        """What taking a source away would write."""

    def plan_wishes(self, wishes: Sequence[Wish], *, foremost: bool = False) -> Plan:
        """What making some wishes would write; `foremost`: where no other rule wins over them."""

    def plan_lift(self, wishes: Sequence[Wish]) -> Plan:
        """What taking back some wishes would write; Refusal where none such stands."""

    def plan_rule_drop(self, place: Place) -> Plan:
        """What taking away one rule would write, whoever wrote it."""

    def rules(self) -> list[Rule]:
        """Every rule in force, what each decides, and which decide nothing."""


class Kind(Protocol):
    """One kind of host."""

    KIND: str
    SENTENCES: str
    """The module with what those reasons say that only this kind gives."""

    @staticmethod
    def recognises(tree: Tree) -> bool:
        """Whether there is anything of a host of this kind at a root."""

    @staticmethod
    def has_packages(tree: Tree) -> bool:
        """Whether the record of installed packages of this kind holds any."""

    @staticmethod
    def open_host(tree: Tree, shelf: Shelf, *, as_is: bool) -> Host:
        """The host at a root."""
