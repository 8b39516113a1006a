"""Steps of a solver, for those who want to see how it came to its answer."""

from __future__ import annotations

from collections.abc import Callable
from typing import Literal, NamedTuple

StepKind = Literal["decided", "follows", "conflict", "back to"]
"""Something was chosen where several would do; it follows from what was chosen before; what
follows contradicts itself; a choice was taken back and is ruled out now."""


class Step(NamedTuple):
    """One step of a solver."""

    kind: StepKind
    what: str
    """The package, with its version if that is what was decided; `not` before one that does not
    come. Empty for a conflict, which is told by its cause."""
    because: str = ""
    """Why, as the packages' relations say it; empty where the solver was free."""

    def __str__(self) -> str:
        return "  ".join(filter(None, (f"{self.kind:9}", self.what, self.because)))


Trace = Callable[[Step], None]
"""Is called with each step as it is made."""
