"""The keys of a host: which there are, what each was seen to sign, which were seen revoked."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.errors import BadKey, VelpinError
from velpin.trust.named import keys_in
from velpin.trust.openpgp import Key
from velpin.trust.revoked import Revocations

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from velpin.model.host import KeyUse
    from velpin.ports.bundle import Ports


def key_uses(ports: Ports) -> list[KeyUse]:
    """Every key that may sign for something, with what it was verified to have signed."""
    signers = ports.signers
    signed = {
        source.handle: {*signers.index_signers(source), *signers.package_signers(source)}
        for source in ports.configuration.sources
    }
    return [
        use._replace(signs=tuple(name for name, keys in signed.items() if use.fingerprint in keys))
        for use in signers.uses()
    ]


def uses_of(ports: Ports, but: Collection[str] = ()) -> dict[str, tuple[str, ...]]:
    """Return the sources that each key is named for, or was verified to have signed, by its
    fingerprint; `but` are handles that do not count. A key that may sign for all sources and was
    not seen to sign any has no use."""
    found: dict[str, list[str]] = {}
    signers = ports.signers
    for source in ports.configuration.sources:
        if not source.on or source.handle in but:
            continue
        signed = (*signers.index_signers(source), *signers.package_signers(source))
        for fingerprint in {*signers.keys_of(source).own, *signed}:
            found.setdefault(fingerprint, []).append(source.handle)
    return {fingerprint: tuple(handles) for fingerprint, handles in found.items()}


def seen_revoked(ports: Ports) -> Revocations:
    """All revocations that are known here."""
    found = Revocations.of(ports.tree)
    named = (
        key for source in ports.configuration.sources for key in ports.signers.keys_of(source).keys
    )
    for key in (*keys_in(ports.tree, ports.signers.key_files()), *named):
        if key.revoked:
            found.note(key.fingerprint, f"/{key.where.lstrip('/')}")
    return found


def check_not_revoked(ports: Ports, keys: Sequence[Key]) -> None:
    """BadKey for a copy of a key without the revocation that this host has seen."""
    revocations = seen_revoked(ports) if keys else None
    for key in keys:
        where = revocations.where(key.fingerprint) if revocations else ""
        if where:
            raise BadKey(
                f"the key {key.grouped} was revoked by its owner, as {where} shows; a copy of it"
                " without the revocation does not take that back",
                "ask the vendor which key replaces it",
            )


def remember_revoked(ports: Ports) -> None:
    """Write down what is seen revoked now, so that a later copy of a key cannot take it back; a
    host whose files cannot be read has nothing to remember."""
    try:
        seen_revoked(ports).remember(ports.tree)
    except VelpinError:
        return
