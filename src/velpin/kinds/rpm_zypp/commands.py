"""The commands of the installer of rpm-zypp hosts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.rpm.commands import RpmCommands
from velpin.kinds.rpm_zypp.questions import questions
from velpin.ports.commands import AskedAs

if TYPE_CHECKING:
    from collections.abc import Container, Iterator, Sequence

    from velpin.model.forecast import Forecast, Question
    from velpin.model.request import Request
    from velpin.ports.commands import Words


class ZyppCommands(RpmCommands):
    """Commands of the installer of an rpm-zypp host."""

    program = "zypper"
    goes_back = "--oldpackage"

    def refresh(self) -> Words:
        """Return the command that brings the installer's own lists up to date."""
        return (self.program, "refresh")

    def _from_source(self, request: Request, arch: str) -> Iterator[AskedAs]:
        yield AskedAs(f"{request.source}:{request.name}{arch}", request)

    def _exactly(self, request: Request) -> str:
        arch = f".{request.arch}" if request.arch else ""
        return f"{request.name}{arch}={request.version}"

    def _swap(self, words: Sequence[str], without: Sequence[str]) -> Sequence[Words]:
        return [(self.program, "install", *words, *(f"!{name}" for name in without))]

    def upgrade(self, *, realign: bool = False) -> Words:
        """Return the command for the full upgrade, or for the one to the best sources."""
        return (self.program, "dist-upgrade" if realign else "update")

    def upgrade_from(self, source: str) -> Words:
        """Return the command for the upgrade to one source."""
        return (self.program, "dist-upgrade", "--from", source)

    def questions(
        self, found: Forecast, refreshed: Container[str], *, upgrade: bool
    ) -> Sequence[Question]:
        """Return whether to go on, and about which keys and indexes."""
        return tuple(questions(self._state, found, refreshed))
