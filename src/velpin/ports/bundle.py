"""The ports of one host together, and the same host after a change."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import TYPE_CHECKING, Self

from velpin.errors import Refusal

if TYPE_CHECKING:
    from velpin.files.tree import Edits, Modes
    from velpin.ports.answers import Answers
    from velpin.ports.composer import Composer
    from velpin.ports.configuration import Configuration
    from velpin.ports.describer import Describer
    from velpin.ports.editor import Editor
    from velpin.ports.examiner import Examiner
    from velpin.ports.fetcher import Fetcher
    from velpin.ports.indexes import Indexes
    from velpin.ports.next_release import NextReleases
    from velpin.ports.offers import Offers
    from velpin.ports.packages import Packages
    from velpin.ports.provenance import Provenance
    from velpin.ports.readiness import Readiness
    from velpin.ports.recipes import Recipes
    from velpin.ports.rule_writer import RuleWriter
    from velpin.ports.rules import Rules
    from velpin.ports.signers import Signers
    from velpin.ports.standing import Standing
    from velpin.ports.transactions import Transactions
    from velpin.ports.view import View


class Ports(ABC):
    """What one host of a kind can be asked. A kind loads the module of a port when it is first
    asked, so that a question costs what answers it and no more."""

    kind: str

    def __init__(self, view: View) -> None:
        self.view, self.tree = view, view.tree

    def with_edits(self, edits: Edits, modes: Modes | None = None) -> Self:
        """Return the same host as it would be after some edits and new permission bits of files,
        read by the same code."""
        return self.seen(self.view.with_edits(edits, modes))

    def seen(self, view: View) -> Self:
        """Return the same host as another view shows it."""
        return type(self)(view)

    def _absent(self, what: str) -> Refusal:
        return Refusal(f"{what} on hosts of kind {self.kind}")

    @property
    @abstractmethod
    def configuration(self) -> Configuration:
        """What its own files say."""

    @property
    @abstractmethod
    def indexes(self) -> Indexes:
        """Indexes, and the record of installed packages."""

    @property
    @abstractmethod
    def packages(self) -> Packages:
        """Installed packages and known names."""

    @property
    @abstractmethod
    def offers(self) -> Offers:
        """What there is of each name."""

    @property
    @abstractmethod
    def transactions(self) -> Transactions:
        """What its installer would make of requests."""

    @property
    @abstractmethod
    def answers(self) -> Answers:
        """What each name gets."""

    @property
    @abstractmethod
    def standing(self) -> Standing:
        """How its sources stand beside each other."""

    @property
    @abstractmethod
    def signers(self) -> Signers:
        """Who may sign what."""

    @property
    @abstractmethod
    def provenance(self) -> Provenance:
        """Whose sources and packages are whose."""

    @property
    @abstractmethod
    def fetcher(self) -> Fetcher:
        """Fetches its indexes."""

    @property
    def composer(self) -> Composer:
        """New sources; Refusal if this kind has none."""
        raise self._absent("sources cannot be added")

    @property
    @abstractmethod
    def editor(self) -> Editor:
        """Edits of its sources."""

    @property
    @abstractmethod
    def rules(self) -> Rules:
        """The rules that stand."""

    @property
    @abstractmethod
    def rule_writer(self) -> RuleWriter:
        """Writes rules."""

    @property
    def describer(self) -> Describer:
        """Its sources in a file; Refusal if this kind has none."""
        raise self._absent("sources cannot be written to a file of the host")

    @property
    @abstractmethod
    def examiner(self) -> Examiner:
        """What a checkup asks of this kind alone."""

    @property
    def next_releases(self) -> NextReleases:
        """Other releases of its distribution; Refusal if this kind has none."""
        raise self._absent("there are no other releases")

    @property
    def recipes(self) -> Recipes:
        """Build recipes; Refusal if this kind has none."""
        raise self._absent("there are no build recipes")

    @property
    @abstractmethod
    def readiness(self) -> Readiness:
        """What stands in the way of every request."""
