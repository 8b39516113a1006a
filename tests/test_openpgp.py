"""Keys and signatures: what was signed is what is used, and causes are told apart."""

from __future__ import annotations

import pytest

from velpin.demo.build import Signer, new_signer
from velpin.errors import BadKey, BadSignature, MissingKey
from velpin.trust.openpgp import (
    armoured,
    bare,
    clear_issuers,
    grouped,
    key_with,
    read_keys,
    verify_clear,
    verify_detached,
)

TEXT = b"Origin: Gull\n- dash\nSuite: jetty\n"


def test_a_key_is_described(signer: Signer) -> None:
    (key,) = read_keys(signer.public, "k.asc")
    assert key.fingerprint == signer.fingerprint
    assert key.owner == "Gullwatch Packages <packages@gullwatch.example>"
    assert (key.algorithm, key.revoked) == ("EdDSA", False)
    assert key.expires is not None
    assert round((key.expires - key.created) / 86400) == 1095
    assert len(key.parts) == 3
    assert bare(f"0x{grouped(key.fingerprint.lower())}") == key.fingerprint


def test_both_forms_and_several_keys(signer: Signer, stranger: Signer) -> None:
    both = read_keys(signer.public + b"\n" + stranger.public, "k")
    binary = read_keys(bytes(both[0].cert) + bytes(both[1].cert), "k")
    assert [key.fingerprint for key in both] == [key.fingerprint for key in binary]
    assert read_keys(armoured(both), "k") == both


@pytest.mark.parametrize("data", [b"", b"no key", b"-----BEGIN PGP PUBLIC KEY BLOCK-----\n\nxx\n-----END PGP PUBLIC KEY BLOCK-----",
                                  b"\0\0\0\x20\x01\x01\0\x02KBXf" + b"\0" * 20])  # fmt: skip
def test_files_that_hold_no_key(data: bytes) -> None:
    with pytest.raises(BadKey, match=r"^k\.asc: "):
        read_keys(data, "k.asc")


def test_only_what_was_signed_is_used(signer: Signer) -> None:
    keys = read_keys(signer.public, "k")
    signed = signer.clear(TEXT)
    for data in (signed, b"Evil: 1\n" + signed, signed + b"\nEvil: 1\n"):
        found = verify_clear(data, keys, "InRelease")
        assert found.data == TEXT
        assert found.signers == (signer.fingerprint,)
    assert verify_detached(TEXT, signer.detached(TEXT), keys, "Release").data == TEXT


def test_any_one_of_several_signatures_is_enough(signer: Signer, stranger: Signer) -> None:
    both = stranger.detached(TEXT) + signer.detached(TEXT)
    import pysequoia

    packets = b"".join(
        bytes(packet)
        for one in (stranger, signer)
        for packet in pysequoia.packet.PacketPile.from_bytes(one.detached(TEXT))
    )
    keys = read_keys(signer.public, "k")
    assert verify_detached(TEXT, packets, keys, "Release").signers == (signer.fingerprint,)
    assert both.count(b"BEGIN PGP SIGNATURE") == 2


def test_changed_bytes_and_unknown_keys_are_told_apart(signer: Signer, stranger: Signer) -> None:
    keys = read_keys(signer.public, "k")
    with pytest.raises(BadSignature, match="changed after it was signed"):
        verify_clear(signer.clear(TEXT).replace(b"jetty", b"wreck"), keys, "InRelease")
    with pytest.raises(BadSignature, match="changed after it was signed"):
        verify_detached(TEXT + b"x", signer.detached(TEXT), keys, "Release")
    with pytest.raises(MissingKey) as problem:
        verify_clear(stranger.clear(TEXT), keys, "InRelease")
    (issuer,) = problem.value.key_ids
    assert key_with(read_keys(stranger.public, "s"), issuer)
    assert clear_issuers(stranger.clear(TEXT), "x") == (issuer,)


def test_an_expired_key_is_told(signer: Signer, monkeypatch: pytest.MonkeyPatch) -> None:
    keys = read_keys(signer.public, "k")
    end = keys[0].expires or 0
    assert (keys[0].is_expired(end - 1), keys[0].is_expired(end)) == (False, True)
    monkeypatch.setattr("time.time", lambda: end + 86400)
    with pytest.raises(BadSignature, match=f"{signer.fingerprint} expired on 20"):
        verify_clear(signer.clear(TEXT).replace(b"jetty", b"wreck"), keys, "InRelease")
    still = new_signer("Young <y@gull.example>", days=None)
    assert read_keys(still.public, "k")[0].expires is None
    assert not read_keys(still.public, "k")[0].is_expired(9e12)


@pytest.mark.parametrize("data", [b"Origin: x\n", b"-----BEGIN PGP SIGNED MESSAGE-----\n\nx\n",
                                  b"-----BEGIN PGP SIGNATURE-----\nzz\n-----END PGP SIGNATURE-----"])  # fmt: skip
def test_files_without_a_readable_signature(data: bytes, signer: Signer) -> None:
    with pytest.raises(BadSignature):
        verify_clear(data, read_keys(signer.public, "k"), "InRelease")
    with pytest.raises(BadSignature):
        verify_detached(TEXT, data, read_keys(signer.public, "k"), "Release")
