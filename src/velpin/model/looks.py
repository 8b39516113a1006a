"""What a look at a repository finds that is no source of the host."""

from __future__ import annotations

from typing import Literal, NamedTuple

from velpin.model.forecast import Offer


class IndexSignature(NamedTuple):
    """Who signed the index of a repository, as far as this host can tell."""

    state: Literal["known", "unknown", "none", "bad"]
    """`known`: by keys of this host, verified; `unknown`: by others, of which nothing is verified;
    `none`: it has no signature; `bad`: it has one that does not hold."""
    keys: tuple[str, ...] = ()
    """Fingerprints of the keys; the ids that the signature claims if it is `unknown`."""
    owners: tuple[str, ...] = ()
    """Of the keys of this host, in the same order."""


class Look(NamedTuple):
    """A repository as it is now; times in seconds since 1970."""

    address: str
    release: str
    """The one that was looked at; empty if its kind has none."""
    releases: tuple[str, ...]
    """All that it is seen to have."""
    is_for_host: bool | None
    """Whether the release is that of this host; None if its kind has none, or it names none."""
    components: tuple[str, ...]
    """Those that were looked at."""
    all_components: tuple[str, ...]
    architectures: tuple[str, ...]
    """Those that its head names, else those of its packages."""
    packages: int
    """Names that it has for this host."""
    made: float | None
    """When its index was made."""
    oldest: float | None
    """When the oldest of those packages was built, if its index says so."""
    newest: float | None
    signature: IndexSignature
    offers: tuple[Offer, ...]
    """Those that were asked for, by name, each in the state that it would have as a source's."""
