"""What working out a transaction is told about a host, and nothing more.

A kind of host makes a `World` for one transaction. The engine asks it which builds there
are and how they relate, and keeps its own state of the matter on the units; it knows no
file format, no version order and no name of an installer.

Observed rules: docs/how-hosts-choose/deb.md, "What counts".
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from enum import Enum
from typing import Any, Literal, NamedTuple, Protocol


class RelationKind(Enum):
    """What a relation says of its owner and its targets."""

    REQUIRES = "requires"
    REQUIRES_FIRST = "requires first"
    RECOMMENDS = "recommends"
    SUGGESTS = "suggests"
    CONFLICTS = "conflicts with"
    BREAKS = "breaks"


NEGATIVE = frozenset((RelationKind.CONFLICTS, RelationKind.BREAKS))
HARD = NEGATIVE | {RelationKind.REQUIRES, RelationKind.REQUIRES_FIRST}
"""Relations that must hold for a build to be in order."""


class Target(NamedTuple):
    """One way to meet a relation: a name, and bounds that only the world understands."""

    name: str
    arch: str = ""
    """The architecture it is for: its owner's where none is written, empty for all."""
    operator: str = ""
    version: str = ""
    exact: bool = False
    """Whether the architecture was written."""

    def __str__(self) -> str:
        arch = f":{self.arch}" if self.exact else ""
        return f"{self.name}{arch}{f' {self.operator} {self.version}' if self.operator else ''}"


class Relation(NamedTuple):
    """A relation with its alternatives, in the order written; negative ones have one target."""

    kind: RelationKind
    targets: tuple[Target, ...]
    implicit: bool = False
    """Whether it follows from the owner's nature and is written nowhere."""

    @property
    def hard(self) -> bool:
        """Whether it must hold."""
        return self.kind in HARD

    @property
    def negative(self) -> bool:
        """Whether it must not be met."""
        return self.kind in NEGATIVE

    def __str__(self) -> str:
        return " | ".join(map(str, self.targets))


CauseCode = (
    RelationKind
    | Literal["asked", "upgrade", "essential", "same source", "state", "unneeded", "unmet"]
)
"""Why a unit was changed: for a relation of some build, or for itself."""


class Cause(NamedTuple):
    """Why a unit was changed, and the build whose relation it is."""

    code: CauseCode
    by: Candidate | None = None
    relation: Relation | None = None


@dataclass(eq=False, slots=True)
class Candidate:
    """One version of a unit."""

    unit: Package
    version: str
    offer: Any = None
    """What the world keeps with it."""


@dataclass(eq=False, slots=True)
class Package:
    """One package of one architecture, and what is being done with it."""

    name: str
    arch: str
    installed: Candidate | None = None
    held: bool = False
    chosen: Candidate | None = None
    fixed: bool = False
    """Whether no later step may change what is being done with it."""
    cause: Cause | None = None
    look_up: Callable[[Package], Candidate | None] | None = None
    """Finds the aim when it is first asked for."""
    _aim: Candidate | None = None
    _intended: Candidate | None = None
    _promised: Candidate | None = None

    @property
    def aim(self) -> Candidate | None:
        """What it would change to; what is installed once that has turned out impossible."""
        if self.look_up is not None:
            self.intend(self.look_up(self))
        return self._aim

    @property
    def intended(self) -> Candidate | None:
        """What it should change to by the host's rules, possible or not."""
        return self._intended if self.look_up is None else self.aim

    @property
    def promised(self) -> Candidate | None:
        """The aim as relations count on it: one that has turned out impossible counts until
        something else is chosen (observed)."""
        return self._promised if self.look_up is None else self.aim

    def intend(self, build: Candidate | None) -> None:
        """Give it an aim."""
        self.look_up, self._aim, self._intended, self._promised = None, build, build, build

    def break_promise(self) -> None:
        """Relations count on the aim as it is now."""
        if self.look_up is None:
            self._promised = self._aim

    def rule_out_aim(self) -> None:
        """Its aim has turned out impossible."""
        if self.look_up is not None:
            self.intend(self.look_up(self))
        self._aim = self.installed

    @property
    def mode(self) -> str:
        """`keep`, `install` or `remove`."""
        if self.chosen is self.installed:
            return "keep"
        return "install" if self.chosen else "remove"

    @property
    def is_new(self) -> bool:
        """Whether it is to be installed and is not on the host now."""
        return self.installed is None and self.chosen is not None


@dataclass(slots=True)
class Weights:
    """What decides which of two packages gives way (see `repair`)."""

    protected: int = 10_000
    essential: int = 5_000
    essential_base: int = 100
    known: int = 1
    """For installed packages that some source still has."""
    relations: dict[RelationKind, int] = field(
        default_factory=lambda: {
            RelationKind.REQUIRES: 1, RelationKind.REQUIRES_FIRST: 1, RelationKind.RECOMMENDS: 1,
            RelationKind.CONFLICTS: -1, RelationKind.BREAKS: -1,
        }
    )  # fmt: skip


class Terms(Protocol):
    """What builds ask of each other."""

    def names(self, build: Candidate) -> Sequence[str]:
        """The names a build can be asked for: its own and those it provides."""

    def relations(self, build: Candidate) -> Sequence[Relation]:
        """All relations of a build, in the order in which the host goes through them."""

    def fits(self, build: Candidate, target: Target) -> bool:
        """Whether a build is what a target means."""

    def exempt(self, owner: Candidate, relation: Relation, other: Candidate) -> bool:
        """Whether a negative relation does not count against a build that its target means."""

    def follows(self, relation: Relation) -> bool:
        """Whether the host acts on a relation of this kind: hard ones, and as configured."""


class World(Protocol):
    """One host, for one transaction."""

    weights: Weights

    @property
    def terms(self) -> Terms:
        """What its builds ask of each other."""

    def installed_units(self) -> Iterable[Package]:
        """Every unit with a build on the host, in the order of rank."""

    def rank(self, unit: Package) -> int:
        """A unit's place where the host goes through all its packages."""

    def installed_holding(self, name: str) -> Sequence[Candidate]:
        """Installed builds that are called so or provide the name."""

    def installed_mentioning(self, name: str) -> Sequence[Candidate]:
        """Installed builds with a relation to the name."""

    def units(self, name: str) -> Sequence[Package]:
        """Units called so, and units of which some build provides the name."""

    def builds(self, unit: Package) -> Sequence[Candidate]:
        """Every build of a unit, newest first."""

    def in_order(self, target: Target, builds: Iterable[Candidate]) -> list[Candidate]:
        """Builds that meet one target, best first."""

    def options(self, target: Target) -> Sequence[Candidate]:
        """All builds a target means: those of the name, newest first, then others."""

    def along(self, build: Candidate) -> Sequence[Package]:
        """Installed units that the host changes together with a build."""

    def may_take(self, unit: Package, aim: Candidate) -> bool:
        """Whether the host lets a unit change to a build, its relations aside."""

    def is_essential(self, unit: Package) -> bool:
        """Whether it may only be removed by name."""

    def is_newer(self, build: Candidate, than: Candidate) -> bool:
        """Whether a build is of a later version than another of its unit."""

    def weight(self, build: Candidate) -> int:
        """What a build's own importance counts."""

    def offered(self, build: Candidate) -> bool:
        """Whether some source has it."""
