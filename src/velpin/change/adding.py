"""What every kind of host does when a source is added: only the keys that were announced, shown as
they are; what a first fetch tells of the source."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence

from velpin.change.plan import KeyShown, NewSource, Plan
from velpin.errors import BadKey, MissingKey, NotThere, Refusal, TrustError, UsageError
from velpin.model.host import RefreshResult
from velpin.model.reason import Reason
from velpin.model.source import Source
from velpin.trust.openpgp import Key, bare, read_keys

_LEAST_FINGERPRINT = 32


def agreeing(keys: Sequence[Key], new: NewSource) -> list[Key]:
    """The keys that a rule's fingerprint means, all where it names none.

    Raises UsageError for one that is too short, TrustError where no key has it.
    """
    if not new.fingerprint:
        return list(keys)
    wanted = bare(new.fingerprint)
    if len(wanted) < _LEAST_FINGERPRINT:
        raise UsageError(
            f"{new.fingerprint!r} is too short for a fingerprint", "give all 40 characters of it"
        )
    fitting = [key for key in keys if key.fingerprint == wanted]
    if not fitting:
        had = ", ".join(key.grouped for key in keys) or "no key"
        raise TrustError(
            f"the fingerprint does not agree: expected {wanted}, found {had}",
            "do not add it; ask the vendor which key is theirs",
        )
    return fitting


def shown(key: Key, signers: Collection[str] | None, new: NewSource, now: float) -> KeyShown:
    """A key as it is shown before it is trusted; `signers` as seen, None where nothing was."""
    state = "revoked" if key.revoked else "expired" if key.is_expired(now) else "good"
    return KeyShown(
        key.owner,
        key.fingerprint,
        key.created,
        key.expires,
        key.algorithm,
        state,  # type: ignore[arg-type]
        None if signers is None else key.fingerprint in signers,
        True if new.fingerprint else None,
    )


def keys_given(source: Source, new: NewSource) -> list[Key]:
    """The keys that are given for a source that is there already.

    Raises Refusal where none is given, BadKey where nothing given is one, TrustError where none
    has the fingerprint.
    """
    if not new.key:
        raise Refusal(
            f"{source.handle} is on this host already ({source.places[0]})",
            "give --key FILE-or-URL to name the key it is to be signed with",
        )
    keys = agreeing(read_keys(new.key, new.key_name or "the key"), new)
    if not keys:
        raise BadKey(f"{new.key_name}: holds no key")
    return keys


def take_result(
    plan: Plan,
    source: Source,
    result: RefreshResult,
    nothing_there: Callable[[], Reason] | None = None,
) -> None:
    """Put into a plan what came of fetching the source it adds; `nothing_there` tells why it has
    nothing for this host."""
    for warning in result.warnings:
        plan.notes.append(Reason("source-warning", {"source": source.handle, "what": warning}))
    if isinstance(result.error, MissingKey):
        plan.error = MissingKey(
            result.error.message,
            result.error.key_ids,
            "get that key from the vendor, and give it: --key FILE-or-URL",
        )
    elif isinstance(result.error, NotThere):
        facts = {"source": source.handle, "what": result.error.message}
        told = nothing_there() if nothing_there else Reason("nothing-there", dict(facts))
        plan.findings.append(told)
    elif result.error:
        plan.error = result.error
