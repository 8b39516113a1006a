"""What differs between rpm hosts when a transaction is worked out.

Observed rules: docs/how-hosts-choose/rpm.md, "The order of steps".
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

from velpin.kinds.rpm.pool import RpmPackage
from velpin.model.step import Trace


def _never(build: RpmPackage) -> bool:
    return False


@dataclass(slots=True)
class SolverOptions:
    """How one host decides; all observed."""

    multilib: bool = True
    """Whether one name may be installed for two word sizes side by side."""
    downgrades_for_needs: bool = True
    """Whether a need may take an installed package back to a lower version."""
    weak: bool = True
    """Whether what is recommended is installed along."""
    best: bool = False
    """Whether only the best candidate of what was asked for will do."""
    same_vendor: Callable[[RpmPackage, RpmPackage], bool] = lambda one, other: True
    """Whether an installed build may be replaced by one of another's vendor."""
    locked: Callable[[RpmPackage], bool] = _never
    """Whether an installed build may not change."""
    multiple: frozenset[str] = field(default_factory=frozenset)
    """Names, or names provided, of which several versions stand side by side."""
    focus_update: bool = False
    """Whether installed packages that a new one needs are upgraded along."""
    new_first: bool = False
    """Whether what new packages need is settled before installed ones are to stay."""
    stay_first: bool = False
    """Whether all installed packages that can stay do so before others are replaced."""
    follows_arch: bool = False
    """Whether of several that come in one's place that of its own architecture is told."""
    protects_from_replacing: bool = True
    """Whether what is protected may not even be replaced by another name."""
    replaced_by_all: bool = False
    """Whether all names that replace an installed package come together."""
    trace: Trace | None = None
    """Is told each step."""
    not_weak: Callable[[RpmPackage], bool] = _never
    """Whether a build never comes because of a weak relation alone."""
    protected: frozenset[str] = field(default_factory=frozenset)
    """Names of packages that may never go."""
