"""The exact commands of a host's own installer, as words of a command line."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple, Protocol

if TYPE_CHECKING:
    from collections.abc import Container, Iterable, Sequence

    from velpin.model.forecast import Answer, Forecast, Question
    from velpin.model.request import Request

Words = tuple[str, ...]
"""One command, word by word; quoted where it is shown."""


class AskedAs(NamedTuple):
    """One request as the installer is asked it."""

    word: str
    request: Request
    """What the installer understands by that word."""


class InstallWords(NamedTuple):
    """What one transaction is to do, in the installer's words."""

    words: Sequence[str]
    upgrade: bool = False
    """Whether the full upgrade is made along with it."""
    without: Sequence[str] = ()
    """Installed packages that are to go."""
    allow_older: bool = False
    """Whether a version may take the place of a newer one."""
    options: Sequence[str] = ()
    """Options without which the installer stops, whatever is answered."""


class Commands(Protocol):
    """Commands of the installer; those that a kind does not have are empty."""

    takes_addresses: bool = True
    """Whether the installer fetches a package file that is given by its address."""

    def refresh(self) -> Words:
        """Return the command that brings the installer's own indexes up to date."""
        return ()

    def ways_to_ask(self, request: Request, answer: Answer) -> Iterable[AskedAs]:
        """Return how the installer could be asked for what a request gets, the shortest first;
        that it then does the same is for the core to try."""
        return ()

    def install(self, wanted: InstallWords) -> Sequence[Words]:
        """Return the commands for some requests; empty if there are none that do just that."""
        return ()

    def remove(self, names: Sequence[str]) -> Words:
        """Return the command that removes packages; empty if `install` does that as well, whatever
        else is asked for."""
        return ()

    def install_files(self, words: Sequence[str]) -> Sequence[Words]:
        """Return the commands for package files, and for names if both go in one command."""
        return self.install(InstallWords(words))

    def upgrade(self, *, realign: bool = False) -> Words:
        """Return the command for the full upgrade."""
        return ()

    def upgrade_from(self, source: str) -> Words:
        """Return the command for the upgrade to one source."""
        return ()

    def questions(
        self, found: Forecast, refreshed: Container[str], *, upgrade: bool
    ) -> Sequence[Question]:
        """Return what the installer asks when it is given the commands of a forecast, beside what
        the forecast says already.

        `refreshed` are the sources whose indexes it fetches first.
        """
        return ()


class NoCommands(Commands):
    """Of a kind that names none."""
