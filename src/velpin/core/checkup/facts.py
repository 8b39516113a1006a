"""What a checkup asks of one kind of host alone; each kind answers in its own `checkup.py`."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Hashable, Iterable, Mapping, Sequence
from typing import TYPE_CHECKING

from velpin.core.publisher import domain_of

if TYPE_CHECKING:
    from velpin.core.adapter import Adapter
    from velpin.core.checkup.examination import Check, Mend
    from velpin.core.checkup.next_release import NextRelease
    from velpin.fetch.download import Transport
    from velpin.model.finding import Severity
    from velpin.model.reason import Note, Place, Reason
    from velpin.model.source import Source
    from velpin.ports.packages import Installed
    from velpin.trust.named import NamedKeys
    from velpin.trust.openpgp import SignedHead


class KindFacts(ABC):
    """The host of one kind as a checkup asks it."""

    host: Adapter[Source]

    tiers_matter = True
    """Whether sources can stand equal, so that the newest version wins."""
    other_endings: tuple[str, ...] = ()
    """How files end in which sources for other kinds of host are written."""

    @abstractmethod
    def own_checks(self) -> Sequence[Check]:
        """The checks that only this kind of host has."""

    @abstractmethod
    def keys_of(self, source: Source) -> NamedKeys:
        """The keys that may sign a source or its packages; what cannot be used is told."""

    @abstractmethod
    def index_signers(self, source: Source) -> Sequence[str]:
        """Fingerprints of the keys that were verified to have signed the copy of the index that
        counts. What a signature merely claims is not here."""

    def package_signers(self, source: Source) -> Sequence[str]:
        """Fingerprints of the keys that were verified to have signed some of its packages."""
        return ()

    def index_head(self, source: Source) -> SignedHead | None:
        """The signed head of the copy of the index that counts, where Velpin has not verified it:
        one that the host's installer keeps."""
        return None

    @abstractmethod
    def is_checked(self, source: Source) -> bool:
        """Whether any signature of a source, of its index or its packages, is checked."""

    @abstractmethod
    def check_mends(self, source: Source, reason: Reason) -> Sequence[Mend]:
        """Ways to switch a check on again that `checks_off` told of."""

    @abstractmethod
    def place_of_check(self, source: Source, reason: Reason) -> Place:
        """Where a check is switched off that `checks_off` told of."""

    @abstractmethod
    def key_files(self) -> Sequence[str]:
        """Files of the host that hold keys which sign for sources, or could."""

    def key_file_mends(self, source: Source) -> Sequence[Mend]:
        """Ways to make a key file usable that a source names and the host's installer cannot read;
        the keys stay the same."""
        return ()

    def key_addresses(self, source: Source) -> Sequence[str]:
        """Addresses that the configuration of a source names for its keys."""
        return ()

    @abstractmethod
    def login_files(self) -> Sequence[str]:
        """Files of the configuration that hold passwords."""

    @abstractmethod
    def own_files(self) -> Sequence[str]:
        """Files of the configuration that decide what is installed from where."""

    def endings_of(self, folder: str) -> Sequence[str]:
        """How files must end to be read in one of the host's folders."""
        return self.host.composer.snippet_endings

    def note_severity(self, note: Note) -> Severity | None:
        """How bad an odd entry is, where it is not just ignored."""
        return None

    def publisher_of(self, source: Source) -> str:
        """Who publishes a source, as far as that can be told."""
        return domain_of(source.address)

    def identity_of(self, source: Source) -> Hashable | None:
        """What two sources have alike that are one release at two addresses; None where that is
        not known."""
        return None

    def is_part_of_same(self, one: Source, other: Source) -> bool:
        """Whether two sources are parts of one repository, which may be alike."""
        return False

    def valid_until(self, source: Source) -> float | None:
        """Until when the index of a source holds, in seconds since 1970, where it says so."""
        return None

    @abstractmethod
    def installer_looked_at(self, source: Source) -> float | None:
        """When the host's installer last asked for the index of a source, as far as that can be
        told, in seconds since 1970."""

    def as_installer_sees(self) -> Adapter[Source]:
        """The same host with the indexes that its installer has."""
        found = self.host.again(self.host.tree)
        found.as_is = True
        return found

    # -- the next release --------------------------------------------------------------------

    @abstractmethod
    def moves_to(self, release: str, transport: Transport) -> NextRelease:
        """What each source would need for another release of the host, and what says the release
        to a rehearsal. Refusal where that release is none, or nothing here names one."""

    def catalog_fields(self, source: Source) -> Mapping[str, object]:
        """What a catalog says of a source of this kind beside its address."""
        return {}

    def set_of(self, here: Installed) -> tuple[str, str] | None:
        """What an installed package was built from, and the version of that."""
        return None

    def stand_side_by_side(self, members: Sequence[tuple[Installed, str]]) -> bool:
        """Whether packages built from one thing are made to stand beside each other in several
        versions."""
        return len({here.name for here, _ in members}) == 1

    def half_installed(self) -> Iterable[tuple[str, str]]:
        """Packages whose installation was not finished, and how they stand."""
        return ()

    def is_made_here(self, here: Installed) -> bool:
        """Whether a package is one that no source ever has."""
        return False

    def never_taken(self, priority: int) -> bool:
        """Whether a version with a priority is never taken."""
        return False
