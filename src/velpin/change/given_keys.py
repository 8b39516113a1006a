"""Keys that were given with a new source."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.change.plan import NewSource
from velpin.errors import TrustError, UsageError
from velpin.trust.certifications import is_fingerprint_of
from velpin.trust.openpgp import Key, bare, read_keys

_LEAST_FINGERPRINT = 32
"""Hexadecimal digits by which a key may be named."""


def given_keys(new: NewSource) -> list[Key]:
    """The keys that were given with a source, those with its fingerprint; none where none was.

    Raises BadKey for what is no key, TrustError where none has the fingerprint.
    """
    if not new.key:
        return []
    return agreeing(read_keys(new.key, new.key_name or "the key"), new)


def agreeing(keys: Sequence[Key], new: NewSource) -> list[Key]:
    """The keys with the fingerprint that was given, all where none was.

    Raises UsageError for one that is too short, TrustError where no key has it.
    """
    if not new.fingerprint:
        return list(keys)
    wanted = [bare(text) for text in new.fingerprint.split(",")]
    if any(len(text) < _LEAST_FINGERPRINT for text in wanted):
        raise UsageError(
            f"{new.fingerprint!r} is too short for a fingerprint", "give all 40 characters of it"
        )
    fitting = [key for key in keys if any(is_fingerprint_of(text, key) for text in wanted)]
    if not fitting:
        present = ", ".join(key.grouped for key in keys) or "no key"
        raise TrustError(
            f"the fingerprint does not agree: expected {', '.join(wanted)}, found {present}",
            "do not add it; ask the vendor which key is theirs",
        )
    return fitting
