"""The commands of the installer of alpm hosts.

Observed rules: docs/how-hosts-choose/alpm.md, "What a name may mean".
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.alpm.solver import UNATTENDED
from velpin.model.forecast import Question
from velpin.model.questions import Proceed
from velpin.ports.commands import AskedAs, Commands

if TYPE_CHECKING:
    from collections.abc import Container, Iterator, Sequence

    from velpin.model.forecast import Answer, Forecast
    from velpin.model.request import Request
    from velpin.ports.commands import InstallWords, Words

_PROGRAM = "pacman"


class AlpmCommands(Commands):
    """Commands of the installer of an alpm host."""

    def refresh(self) -> Words:
        """Return the command that brings the installer's own lists up to date."""
        return (_PROGRAM, "-Sy")

    def ways_to_ask(self, request: Request, answer: Answer) -> Iterator[AskedAs]:
        """Yield the one way to ask: a section, a name, a bound."""
        operator = "=" if request.operator == "==" else request.operator
        version = request.version
        if operator == "=" and answer.version is not None:
            version = answer.version  # the installer knows no patterns
        source = f"{request.source}/" if request.source else ""
        asked = request._replace(arch="", operator=operator, version=version)
        yield AskedAs(f"{source}{request.name}{operator}{version}", asked)

    def install(self, wanted: InstallWords) -> Sequence[Words]:
        """Return the commands for some requests; what is to go is a transaction of its own."""
        going = [(_PROGRAM, "-R", *wanted.without)] if wanted.without else []
        if not (wanted.words or wanted.upgrade):
            return going
        return [*going, (_PROGRAM, "-Su" if wanted.upgrade else "-S", *wanted.words)]

    def install_files(self, words: Sequence[str]) -> Sequence[Words]:
        """Return the command for package files."""
        return [(_PROGRAM, "-U", *words)]

    def upgrade(self, *, realign: bool = False) -> Words:
        """Return the command for the full upgrade."""
        return (_PROGRAM, "-Su")

    def questions(
        self, found: Forecast, refreshed: Container[str], *, upgrade: bool
    ) -> Sequence[Question]:
        """Return the last question; the forecast itself says what is asked before."""
        return (Question(Proceed(), default="yes", unattended="yes", option=UNATTENDED),)
