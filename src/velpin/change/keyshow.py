"""Keys on their way in: only the ones that were announced, shown as they are."""

from __future__ import annotations

from collections.abc import Collection, Sequence

from velpin.change.plan import KeyShown, SourceWish
from velpin.errors import TrustError, UsageError
from velpin.trust.openpgp import Key, bare

_LEAST_FINGERPRINT = 32


def agreeing(keys: Sequence[Key], wish: SourceWish) -> list[Key]:
    """The keys that a wish's fingerprint means, all where it names none.

    Raises UsageError for one that is too short, TrustError where no key has it.
    """
    if not wish.fingerprint:
        return list(keys)
    wanted = bare(wish.fingerprint)
    if len(wanted) < _LEAST_FINGERPRINT:
        raise UsageError(
            f"{wish.fingerprint!r} is too short for a fingerprint", "give all 40 characters of it"
        )
    fitting = [key for key in keys if key.fingerprint == wanted]
    if not fitting:
        had = ", ".join(key.grouped for key in keys) or "no key"
        raise TrustError(
            f"the fingerprint does not agree: expected {wanted}, found {had}",
            "do not add it; ask whoever runs the source which key is theirs",
        )
    return fitting


def shown(key: Key, signers: Collection[str] | None, wish: SourceWish, now: float) -> KeyShown:
    """A key as it is shown before it is trusted; `signers` as seen, None where nothing was."""
    state = "revoked" if key.revoked else "expired" if key.is_expired(now) else "good"
    return KeyShown(
        key.owner,
        key.grouped,
        key.created,
        key.expires,
        key.algorithm,
        state,  # type: ignore[arg-type]
        None if signers is None else key.fingerprint in signers,
        True if wish.fingerprint else None,
    )
