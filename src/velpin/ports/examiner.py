"""What a checkup asks of one kind of host alone."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from velpin.model.reason import Place
    from velpin.model.source import Source
    from velpin.model.source_reasons import Unchecked
    from velpin.ports.checks import Check, Mend


class Examiner(Protocol):
    """The checks of a kind, and where its files say what a checkup looks at."""

    def own_checks(self) -> Sequence[Check]:
        """Return the checks that only this kind of host has."""
        return ()

    def is_checked(self, source: Source) -> bool:
        """Return whether any signature of a source, of its index or its packages, is checked."""
        return False

    def check_mends(self, source: Source, reason: Unchecked) -> Sequence[Mend]:
        """Return ways to switch a check on again that `Signers.checks_off` told of."""
        return ()

    def place_of_check(self, source: Source, reason: Unchecked) -> Place:
        """Return where a check is switched off that `Signers.checks_off` told of."""
        return source.places[0]

    def key_file_mends(self, source: Source) -> Sequence[Mend]:
        """Return ways to make a key file usable that a source names and the host's installer cannot
        read; the keys stay the same."""
        return ()

    def login_files(self) -> Sequence[str]:
        """Return the files of the configuration that hold passwords."""
        return ()

    def own_files(self) -> Sequence[str]:
        """Return the files of the configuration that decide what is installed from where."""
        return ()

    def endings_of(self, folder: str) -> Sequence[str]:
        """Return how files must end to be read in one of the host's folders; nothing if as
        source files do."""
        return ()

    def half_installed(self) -> Iterable[tuple[str, str]]:
        """Return packages whose installation was not finished, and how they stand."""
        return ()
