"""The commands of the installer of deb hosts.

Observed rules: docs/how-hosts-choose/deb.md, "Requests".
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.deb.preferences import release_pin
from velpin.kinds.deb.questions import questions
from velpin.kinds.deb.requests import source_filter
from velpin.ports.commands import AskedAs, Commands

if TYPE_CHECKING:
    from collections.abc import Container, Iterator, Sequence

    from velpin.kinds.deb.state import DebState
    from velpin.model.forecast import Answer, Forecast, Question
    from velpin.model.request import Request
    from velpin.ports.commands import InstallWords, Words

_PROGRAM = "apt-get"


class DebCommands(Commands):
    """Commands of the installer of a deb host."""

    takes_addresses = False

    def __init__(self, state: DebState) -> None:
        self._state = state

    def refresh(self) -> Words:
        """Return the command that brings the installer's own indexes up to date."""
        return (_PROGRAM, "update")

    def ways_to_ask(self, request: Request, answer: Answer) -> Iterator[AskedAs]:
        """Yield how to ask: a plain name, one of a suite, one of a version."""
        arch = f":{request.arch}" if request.arch else ""
        if not (request.operator or request.source):
            yield AskedAs(f"{request.name}{arch}", request)
            return
        if request.source and not request.operator:
            for suite in self._suites(request.source, answer):
                word = f"{request.name}{arch}/{suite}"
                yield AskedAs(word, request._replace(source=suite))
        if answer.version is not None:
            exact = request._replace(
                name=answer.package, operator="=", version=answer.version, source=""
            )
            yield AskedAs(f"{answer.package}{arch}={answer.version}", exact)

    def _suites(self, asked: str, answer: Answer) -> Iterator[str]:
        """Yield the suites and codenames that the installer may be told for a source; of a text
        that means more to Velpin only if the installer understands the same by it."""
        state = self._state
        configuration, indexes = state.configuration, state.indexes
        own_words = {source.handle for source in configuration.sources}
        own_words |= {source.repository for source in configuration.sources}
        texts: list[str | None] = [asked]
        for origin, _ in indexes.opened:
            if origin.source == answer.source:
                texts += [origin.site.archive, origin.site.codename]
        origins = [*(origin for origin, _ in indexes.opened), indexes.own_origin]
        for text in dict.fromkeys(filter(None, texts)):
            meant, pin = source_filter(state, text), release_pin(text)
            if text not in own_words or all(
                meant(origin) == pin.selects_site(origin.site) for origin in origins
            ):
                yield text

    def install(self, wanted: InstallWords) -> Sequence[Words]:
        """Return the command for some requests; a `-` behind a name removes the package."""
        going = [f"{name}-" for name in wanted.without]
        verb = "dist-upgrade" if wanted.upgrade else "install"
        return [(_PROGRAM, *wanted.options, verb, *wanted.words, *going)]

    def upgrade(self, *, realign: bool = False) -> Words:
        """Return the command for the full upgrade."""
        return (_PROGRAM, "dist-upgrade")

    def questions(
        self, found: Forecast, refreshed: Container[str], *, upgrade: bool
    ) -> Sequence[Question]:
        """Return whether to go on, and what it wants an option for when it runs unattended."""
        return tuple(questions(self._state, found, upgrade=upgrade))
