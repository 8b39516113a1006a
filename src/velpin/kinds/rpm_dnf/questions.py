"""What the installer of rpm-dnf hosts asks before it carries a transaction out.

Observed rules: docs/how-hosts-choose/rpm.md, "What the installer asks".
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.rpm.questions import HostKeys, sources_of
from velpin.model.forecast import Question
from velpin.model.questions import ImportKey, ImportKeyAt, Proceed
from velpin.model.safe_text import grouped

if TYPE_CHECKING:
    from collections.abc import Container, Iterator

    from velpin.kinds.rpm.questions import LackedKey
    from velpin.kinds.rpm.source import RpmSource
    from velpin.kinds.rpm.state import RpmState
    from velpin.model.forecast import Forecast, Reply

_OPTION = "-y"


def questions(
    state: RpmState, found: Forecast, refreshed: Container[str], default: Reply
) -> Iterator[Question]:
    """Yield what it asks: the keys of signed indexes that it fetches first, whether to go on, and
    the keys of packages once these are fetched; `default` is what its settings answer."""
    keys = HostKeys(state)
    sources = list(sources_of(state, found))
    for source in sources:
        if source.signed_index and source.handle in refreshed and not _has_ring(state, source):
            for key in keys.named(source):
                yield _about(state, "index", source.handle, key, default)
    yield Question(Proceed(), default, "yes", _OPTION)
    for source in sources:
        fetched = state.indexes.copies[source.handle].fetched
        if source.signed_packages:
            for key in keys.lacked(source, fetched.packages_signed_by if fetched else ()):
                yield _about(state, "packages", source.handle, key, default)


def _has_ring(state: RpmState, source: RpmSource) -> bool:
    """Whether the installer has taken keys for the index of a source: a ring beside its copy, which
    has nothing to do with the record of packages (observed)."""
    folders = state.configuration.copy_folders(source)
    return any(state.tree.exists(f"{folder}/pubring") for folder in folders)


def _about(state: RpmState, signed: str, source: str, key: LackedKey, default: Reply) -> Question:
    """The question about one key, with its fingerprint as this generation prints it."""
    if not key.fingerprint:
        elsewhere = ImportKeyAt(signed=signed, source=source, place=key.place)
        return Question(elsewhere, default, "yes", _OPTION)
    newer = state.configuration.installer.generation == "newer"
    asks = ImportKey(
        key=f"0x{key.fingerprint[-8:]}",
        fingerprint=key.fingerprint if newer else grouped(key.fingerprint),
        owner=key.owner,
        signed=signed,
        source=source,
        place=key.place,
    )
    return Question(asks, default, "yes", _OPTION)
