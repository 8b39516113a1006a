"""The commands of installers of rpm hosts: how they are asked for one request.

Observed rules: docs/how-hosts-choose/rpm.md, "Requests".
"""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING

from velpin.ports.commands import AskedAs, Commands

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from velpin.kinds.rpm.state import RpmState
    from velpin.model.forecast import Answer
    from velpin.model.request import Request
    from velpin.ports.commands import InstallWords, Words


class RpmCommands(Commands):
    """Commands of the installer of an rpm host."""

    program: str
    goes_back: str = ""
    """The option with which an older version takes the place of a newer one; empty if none is
    needed."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def ways_to_ask(self, request: Request, answer: Answer) -> Iterator[AskedAs]:
        """Yield how to ask: by name, from a source, by version."""
        arch = f".{request.arch}" if request.arch else ""
        if not (request.operator or request.source):
            yield AskedAs(f"{request.name}{arch}", request)
            return
        if request.source and not request.operator:
            yield from self._from_source(request, arch)
        if answer.version is not None:
            exact = request._replace(
                name=answer.package, operator="=", version=answer.version, source=""
            )
            for with_arch in dict.fromkeys((request.arch, answer.arch)):
                narrowed = exact._replace(arch=with_arch)
                yield AskedAs(self._exactly(narrowed), narrowed)

    def _from_source(self, request: Request, arch: str) -> Iterator[AskedAs]:
        """Yield how to ask for a name from one source; nothing if there is no way."""
        yield from ()

    @abstractmethod
    def _exactly(self, request: Request) -> str:
        """Return the word for one version of a name."""

    def install(self, wanted: InstallWords) -> Sequence[Words]:
        """Return the command for some requests."""
        if wanted.upgrade:
            return ()
        options = [self.goes_back] if wanted.allow_older and self.goes_back else []
        words = [*options, *wanted.words]
        if wanted.without:
            return self._swap(words, wanted.without)
        return [(self.program, "install", *words)]

    @abstractmethod
    def _swap(self, words: Sequence[str], without: Sequence[str]) -> Sequence[Words]:
        """Return the command that installs some packages and removes others in one transaction."""
