"""The commands of the installer of rpm-dnf hosts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.rpm.commands import RpmCommands
from velpin.kinds.rpm.ini import truth
from velpin.kinds.rpm_dnf.questions import questions

if TYPE_CHECKING:
    from collections.abc import Container, Sequence

    from velpin.kinds.rpm_dnf.state import DnfState
    from velpin.model.forecast import Forecast, Question, Reply
    from velpin.model.request import Request
    from velpin.ports.commands import Words


class DnfCommands(RpmCommands):
    """Commands of the installer of an rpm-dnf host."""

    program = "dnf"
    _state: DnfState

    def refresh(self) -> Words:
        """Return the command that brings the installer's own lists up to date."""
        return (self.program, "makecache", "--refresh")

    def _exactly(self, request: Request) -> str:
        arch = f".{request.arch}" if request.arch else ""
        return f"{request.name}-{request.version}{arch}"

    def _swap(self, words: Sequence[str], without: Sequence[str]) -> Sequence[Words]:
        """It swaps one of each; in the newer generation any number is done in one command."""
        if (len(words), len(without)) == (1, 1):
            return [(self.program, "swap", *without, *words)]
        if not words:
            return [self.remove(without)]
        if not self._state.configuration.ways.words.does_several:
            return ()
        return [(self.program, "do", "--action=remove", *without, "--action=install", *words)]

    def remove(self, names: Sequence[str]) -> Words:
        """Return the command that removes packages; what only they needed stays."""
        return (self.program, "remove", self._state.configuration.ways.words.leaves_needed, *names)

    def upgrade(self, *, realign: bool = False) -> Words:
        """Return the command for the full upgrade."""
        return (self.program, "upgrade")

    def questions(
        self, found: Forecast, refreshed: Container[str], *, upgrade: bool
    ) -> Sequence[Question]:
        """Return whether to go on, and about which keys."""
        return tuple(questions(self._state, found, refreshed, self._default()))

    def _default(self) -> Reply:
        """What Enter answers: the settings may have it answered, or say yes for it."""
        said = self._state.configuration.settings_said
        answers = (said.get("assumeyes", ""), said.get("defaultyes", ""))
        return "yes" if any(truth(text, False) for text in answers) else "no"
