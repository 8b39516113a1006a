"""What the installer of rpm-zypp hosts asks before it carries a transaction out.

Observed rules: docs/how-hosts-choose/rpm.md, "What the installer asks".
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.rpm.questions import HostKeys, LackedKey, sources_of
from velpin.kinds.rpm_zypp.licenses import find_list, with_license
from velpin.model.forecast import Question
from velpin.model.questions import (
    AgreeToLicense,
    ImportKey,
    ImportKeyAt,
    Proceed,
    TakesUnsignedIndex,
)
from velpin.model.safe_text import grouped

if TYPE_CHECKING:
    from collections.abc import Container, Iterator

    from velpin.kinds.rpm.state import RpmState
    from velpin.model.forecast import Forecast
    from velpin.model.reason import Reason

_OPTION = "-y"
_TAKES_KEYS = "--gpg-auto-import-keys"
_AGREES = "--auto-agree-with-licenses"
_CHECKS_NOTHING = "--no-gpg-checks"


def questions(state: RpmState, found: Forecast, refreshed: Container[str]) -> Iterator[Question]:
    """Yield what it asks: about the index of each source that it fetches first, whether to go on,
    and about keys of packages whose index nobody signed."""
    keys = HostKeys(state)
    after = []
    for source in sources_of(state, found):
        fetched = state.indexes.copies[source.handle].fetched
        signers = fetched.signed_by if fetched else ()
        if source.signed_index and source.handle in refreshed:
            if fetched and not signers:
                asks = TakesUnsignedIndex(source=source.handle)
                yield Question(asks, "no", "stops", _OPTION, _CHECKS_NOTHING)
            for key in keys.lacked(source, signers) if signers or not fetched else ():
                if key.fingerprint in ("", *signers):
                    yield _about("index", source.handle, key)
        if source.signed_packages and not signers and fetched:
            missing = keys.lacked(source, fetched.packages_signed_by)
            after += [_about("packages", source.handle, key) for key in missing]
    yield Question(Proceed(), "yes", "yes", _OPTION)
    for name in _with_license(state, found):
        yield Question(AgreeToLicense(name=name), "no", "stops", _OPTION, _AGREES)
    yield from after


def _with_license(state: RpmState, found: Forecast) -> list[str]:
    """Names of what comes about whose license it asks."""
    names: set[str] = set()
    for source in sources_of(state, found):
        path = find_list(state.tree, state.configuration.copy_folders(source))
        wanted = {
            (change.name, change.new, change.arch)
            for change in found.changes
            if change.new and change.source == source.handle
        }
        names.update(with_license(path, wanted) if path else ())
    return sorted(names)


def _about(signed: str, source: str, key: LackedKey) -> Question:
    asks: Reason = ImportKeyAt(signed=signed, source=source, place=key.place)
    if key.fingerprint:
        asks = ImportKey(
            key=key.fingerprint[-8:],
            fingerprint=grouped(key.fingerprint, 8),
            owner=key.owner,
            signed=signed,
            source=source,
            place=key.place,
        )
    return Question(asks, "no", "stops", _OPTION, _TAKES_KEYS)
