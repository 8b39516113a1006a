"""What a vendor's instructions come to, as values."""

from __future__ import annotations

from typing import Literal, NamedTuple

from velpin.model.reason import Reason
from velpin.model.rule import Rule


class LineRead(NamedTuple):
    """What was made of some lines."""

    first: int
    """Counted from 1."""
    last: int
    script: str
    """The address of the script that they stand in; empty for the text itself."""
    says: Reason


class KeyRead(NamedTuple):
    """Where a key is to be had, as a text says."""

    address: str = ""
    """Of the key, or of the key server that has it."""
    fingerprint: str = ""
    """The one that is asked from a key server."""
    text: bytes = b""
    """The key itself, if it stands in the text."""
    for_all: bool = False
    """Whether the text takes it for every source."""


class SourceRead(NamedTuple):
    """A source that a text describes, in the words of this host's own files."""

    snippet: str
    file: str
    """Where the text would write it; empty if it only shows it."""
    keys: tuple[KeyRead, ...] = ()


class PagePreference(NamedTuple):
    """A priority of a text for what comes from one machine, or from one publisher."""

    machine: str
    publisher: str
    how: Literal["only", "names", "over", "under"]
    """`only`: of the source nothing but some names; `names`: they come from it, whatever others
    have; `over` and `under`: it goes before all others, or behind them."""
    names: tuple[str, ...] = ()
    line: int = 0
    """Of the text, counted from 1; 0 if it stands in a script that the text fetches."""


class Reading(NamedTuple):
    """What a vendor's instructions would do, of which nothing was run."""

    lines: tuple[LineRead, ...] = ()
    sources: tuple[SourceRead, ...] = ()
    packages: tuple[str, ...] = ()
    """Addresses of release packages."""
    rules: tuple[Rule, ...] = ()
    switches: tuple[tuple[str, bool], ...] = ()
    """Sources of the host that it switches on or off."""
    requests: tuple[str, ...] = ()
    """What it has installed, as words for `velpin forecast`."""
    unfollowed: tuple[LineRead, ...] = ()
    """Lines behind which a source, a key or a rule may be, and that were not followed."""
    preferences: tuple[PagePreference, ...] = ()
    way: tuple[str, ...] = ()
    """Conditions that were answered, and how, on the way to this."""

    @property
    def is_empty(self) -> bool:
        """Whether it brings nothing to this host."""
        return not (self.sources or self.packages or self.rules or self.switches)
