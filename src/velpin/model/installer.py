"""The host's installer, as far as it decides how is forecast."""

from __future__ import annotations

from typing import Literal, NamedTuple

GenerationName = Literal["older", "newer"]
GENERATIONS: tuple[GenerationName, ...] = ("older", "newer")
"""Those that decide differently, the oldest first."""


class Installer(NamedTuple):
    """The host's installer, and by which generation's rules it is forecast."""

    package: str
    """The package in the host's record whose version decides."""
    version: str
    """Its version, empty where the record does not hold it."""
    generation: GenerationName | Literal[""] = ""
    """Empty where all generations of this kind's installer decide alike."""
    known_by: Literal["record", "files", "option", "setting", "assumed", ""] = ""
    """What says the generation."""
