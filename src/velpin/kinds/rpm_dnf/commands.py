"""The commands of the installer of rpm-dnf hosts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.rpm.commands import RpmCommands

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.model.request import Request
    from velpin.ports.commands import Words


class DnfCommands(RpmCommands):
    """Commands of the installer of an rpm-dnf host."""

    program = "dnf"

    def refresh(self) -> Words:
        """Return the command that brings the installer's own lists up to date."""
        return (self.program, "makecache", "--refresh")

    def _exactly(self, request: Request) -> str:
        arch = f".{request.arch}" if request.arch else ""
        return f"{request.name}-{request.version}{arch}"

    def _swap(self, words: Sequence[str], without: Sequence[str]) -> Sequence[Words]:
        """It takes one of each."""
        if (len(words), len(without)) != (1, 1):
            return ()
        return [(self.program, "swap", *without, *words)]

    def upgrade(self, *, realign: bool = False) -> Words:
        """Return the command for the full upgrade."""
        return (self.program, "upgrade")
