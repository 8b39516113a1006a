"""Keys and signatures: what was signed is what is used, and causes are told apart."""

from __future__ import annotations

import base64
import contextlib
from datetime import UTC, datetime, timedelta
from typing import NamedTuple

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from pysequoia.packet import SignatureType, Tag

from tests.made_keys import MADE
from velpin.demo.build import Signer, new_signer
from velpin.errors import BadKey, BadSignature, MissingKey
from velpin.trust.openpgp import (
    _parts,
    armoured,
    bare,
    clear_issuers,
    grouped,
    key_with,
    only_keys,
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
    found = verify_clear(signed, keys, "InRelease")
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
    with pytest.raises(MissingKey):  # where every one must be good, as on alpm hosts
        verify_detached(TEXT, packets, keys, "x.db", every=True)
    all_keys = [*keys, *read_keys(stranger.public, "s")]
    assert len(verify_detached(TEXT, packets, all_keys, "x.db", every=True).signers) == 2
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


# -- texts around what was signed (docs/how-hosts-choose/signatures.md) ------------------------


@pytest.mark.parametrize("around", ["Evil: 1\n{}", "{}Evil: 1\n", "\n{}", "{}\n"])
def test_text_around_a_signed_message_is_refused(signer: Signer, around: str) -> None:
    data = around.format(signer.clear(TEXT).decode()).encode()
    with pytest.raises(BadSignature) as problem:
        verify_clear(data, read_keys(signer.public, "k"), "InRelease")
    told = "InRelease: there is text around the signed message that nobody signed"
    assert problem.value.message == told


def test_text_between_a_message_and_its_signature_is_refused(signer: Signer) -> None:
    data = signer.clear(TEXT).replace(
        b"-----BEGIN PGP SIGNATURE", b"Evil: 1\n-----BEGIN PGP SIGNATURE"
    )
    with pytest.raises(BadSignature, match="changed after it was signed"):
        verify_clear(data, read_keys(signer.public, "k"), "InRelease")


@pytest.mark.parametrize("around", ["x\n{}", "{}x\n", "\n{}", "{}\n\n", "{0}x\n{0}"])
def test_other_text_in_a_signature_file_is_refused(signer: Signer, around: str) -> None:
    signature = around.format(signer.detached(TEXT).decode()).encode()
    with pytest.raises(BadSignature) as problem:
        verify_detached(TEXT, signature, read_keys(signer.public, "k"), "Release")
    assert problem.value.message == "Release: its signature file holds other text as well"


def test_several_armoured_signatures_in_one_file_are_taken(
    signer: Signer, stranger: Signer
) -> None:
    both = stranger.detached(TEXT) + signer.detached(TEXT)
    found = verify_detached(TEXT, both, read_keys(signer.public, "k"), "Release", binary=False)
    assert found.signers == (signer.fingerprint,)


def test_a_binary_signature_is_for_those_hosts_that_take_one(signer: Signer) -> None:
    keys, signature = read_keys(signer.public, "k"), signer.detached_binary(TEXT)
    assert verify_detached(TEXT, signature, keys, "x.db").signers == (signer.fingerprint,)
    with pytest.raises(BadSignature) as problem:
        verify_detached(TEXT, signature, keys, "Release", binary=False)
    assert problem.value.message == "Release: its signature is not armoured text"


# -- why a signature counts for nothing ----------------------------------------------------

SAID = b"hello\n"


@pytest.mark.parametrize(
    ("key", "signature", "why"),
    [
        ("expired", "expired", "the key {} expired on 2024-01-31"),
        ("subexp", "subexp", "the key {sub} (a subkey) expired on 2024-01-31"),
        ("revoked2", "revoked", "the key {} was revoked by its owner"),
        ("good", "goodsha1", "the signature is made with SHA-1, which is too weak"),
        ("good", "goodexp", "the signature expired on 2024-01-20"),
    ],
)
def test_the_true_reason_is_told(key: str, signature: str, why: str) -> None:
    keys = read_keys(MADE[f"{key}.gpg"], "k")
    sub = keys[0].all_parts[-1].fingerprint
    with pytest.raises(BadSignature) as problem:
        verify_detached(SAID, MADE[f"m.{signature}.sig"], keys, "x")
    assert problem.value.message == f"x: {why.format(keys[0].fingerprint, sub=sub)}"
    if f"m.{signature}.asc" in MADE:
        with pytest.raises(BadSignature) as problem:
            verify_clear(MADE[f"m.{signature}.asc"], keys, "x")
        assert problem.value.message == f"x: {why.format(keys[0].fingerprint, sub=sub)}"


def test_a_good_old_signature_counts() -> None:
    keys = read_keys(MADE["good.gpg"], "k")
    assert verify_detached(SAID, MADE["m.good.sig"], keys, "x").signers == (keys[0].fingerprint,)
    assert verify_clear(MADE["m.good.asc"], keys, "x").data == SAID.strip()


def test_a_signature_dated_in_the_future_is_told(monkeypatch: pytest.MonkeyPatch) -> None:
    keys = read_keys(MADE["good.gpg"], "k")
    monkeypatch.setattr("velpin.trust.openpgp._signers", lambda _valid, _keys: ())
    monkeypatch.setattr("time.time", lambda: 1704672000.0)
    with pytest.raises(BadSignature, match=r"dated 2024-01-10, which is yet to come$"):
        verify_detached(SAID, MADE["m.good.sig"], keys, "x")


def test_weak_keys_are_passed_over_with_a_note_and_end_nothing() -> None:
    problems: list[str] = []
    data = MADE["rsa1024.gpg"] + MADE["sha1self.gpg"] + MADE["good.gpg"]
    (key,) = read_keys(data, "ring.gpg", problems)
    assert verify_detached(SAID, MADE["m.good.sig"], [key], "x").signers == (key.fingerprint,)
    assert len(problems) == 2
    assert all(one.startswith("ring.gpg: the key ") for one in problems)
    assert all(one.endswith("; passed over") for one in problems)
    with pytest.raises(BadKey, match=r"^ring\.gpg: the key [0-9A-F]{40}: Policy rejected"):
        read_keys(MADE["rsa1024.gpg"], "ring.gpg")


def test_a_signature_that_names_no_issuer_is_not_told_as_a_blank() -> None:
    from velpin.trust.openpgp import explain_missing

    found = explain_missing(MissingKey("x: signed by a key that it does not name", ()), "gull", [])
    assert found.hint.startswith("get its key from the vendor")


def test_only_the_part_that_is_named_may_sign() -> None:
    (key,) = read_keys(MADE["good.gpg"], "k")
    (two,) = read_keys(MADE["subexp.gpg"], "k")
    verify_detached(SAID, MADE["m.good.sig"], [key.narrowed(key.fingerprint)], "x")
    primary = two.narrowed(two.fingerprint)
    with pytest.raises(MissingKey):
        verify_detached(SAID, MADE["m.subexp.sig"], [primary], "x")
    assert primary.parts == {two.fingerprint}
    assert len(two.parts) == 2


@given(st.sampled_from(sorted(MADE)), st.integers(0, 400), st.integers(0, 255))
@example("sha1self.gpg", 272, 214)  # a packet of a kind that the standard does not have
def test_no_damaged_key_or_signature_is_a_traceback(name: str, at: int, byte: int) -> None:
    data = bytearray(MADE[name])
    data[at % len(data)] = byte
    keys = read_keys(MADE["good.gpg"], "k")
    with contextlib.suppress(BadKey, BadSignature, MissingKey):
        read_keys(bytes(data), "k", [])
    with contextlib.suppress(BadSignature, MissingKey):
        verify_detached(SAID, bytes(data), keys, "x")
    with contextlib.suppress(BadSignature, MissingKey):
        verify_clear(bytes(data), keys, "x")


def test_what_is_a_key_is_known_from_what_was_parsed(signer: Signer) -> None:
    key = armoured(read_keys(signer.public, "k"))
    assert [one.fingerprint for one in only_keys(key + b"\n" + key)] == [signer.fingerprint] * 2
    for data in (
        b"",
        b"[BEGIN PGP]\ngpgcheck=0\n",
        key + b"gpgcheck=0\n",
        b"# a note\n" + key,
        key.replace(b"\n\n", b"\nComment: trusted=yes\n\n", 1),
        b"-----BEGIN PGP PUBLIC KEY BLOCK-----\ngpgcheck=0\n-----END PGP PUBLIC KEY BLOCK-----\n",
    ):
        assert only_keys(data) == [], data


# -- bounds --------------------------------------------------------------------------------

PACKETS = {
    "user ids": b"\xcd\x00", "unknown": b"\xfc\x00", "signatures": b"\xc2\x00", "old form": b"\xb4\x00",
    "two octets": b"\xcd\xc0\x00" + b"a" * 192, "four octets": b"\xcd\xff\x00\x00\x00\x02ab",
}  # fmt: skip


@pytest.mark.parametrize("packet", PACKETS.values(), ids=PACKETS)
def test_no_more_packets_than_keys_of_that_size_have(signer: Signer, packet: bytes) -> None:
    import pysequoia

    good = bytes(pysequoia.Cert.from_bytes(signer.public))
    assert read_keys(good + packet * 50, "x"), "a few are of no account"
    if len(packet) < 32:
        for behind in (b"", b"xx"):
            with pytest.raises(BadKey, match="far more than keys of that size have"):
                read_keys(good + packet * 3000 + behind, "x")
    else:
        assert read_keys(good + packet * 3000, "x")


@pytest.mark.parametrize("is_armoured", [False, True])
def test_a_key_with_much_behind_it_that_is_no_packet(signer: Signer, is_armoured: bool) -> None:

    import pysequoia

    good = bytes(pysequoia.Cert.from_bytes(signer.public))
    for junk, is_told in ((1025, True), (1024, False)):
        data = good + b"x" * junk
        if is_armoured:
            begin, end = (
                b"-----BEGIN PGP PUBLIC KEY BLOCK-----",
                b"-----END PGP PUBLIC KEY BLOCK-----",
            )
            data = b"\n".join([begin, b"Comment: x", b"", *base64.encodebytes(data).split(), end])
        passed: list[str] = []
        with pytest.raises(BadKey):
            read_keys(data, "x")
        more = signer.public + b"\n" + data
        if is_armoured:
            assert read_keys(more, "x", passed)
            assert any(f"is damaged at byte {len(good)}" in each for each in passed) == is_told


def test_all_forms_of_a_key_say_the_same(signer: Signer) -> None:
    windows = signer.public.replace(b"\n", b"\r\n")
    for data in (signer.public, windows, b"key:\n" + signer.public + b"\nend"):
        assert [key.fingerprint for key in read_keys(data, "x")] == [signer.fingerprint]


class Packet(NamedTuple):
    """What is asked of a packet of a certificate."""

    tag: Tag
    signature_type: SignatureType | None = None
    signature_created: datetime | None = None
    key_validity_period: timedelta | None = None
    fingerprint: str = "AB"
    key_created: datetime = datetime(2026, 1, 1, tzinfo=UTC)


def binding(made: int, days: int | None) -> Packet:
    """A binding made on a day of January, by which a subkey lasts so many days."""
    return Packet(
        Tag.Signature, SignatureType.SubkeyBinding, datetime(2026, 1, made, tzinfo=UTC),
        timedelta(days) if days else None,
    )  # fmt: skip


SUBKEY = Packet(Tag.PublicSubkey)
REVOKED = Packet(Tag.Signature, SignatureType.SubkeyRevocation)
OTHER = binding(20, 1)._replace(signature_type=SignatureType.PositiveCertification)


@pytest.mark.parametrize(
    ("packets", "days", "revoked"),
    [
        ([], None, False),
        ([binding(1, 30)], 30, False),
        ([binding(1, 30), binding(5, 90)], 90, False),
        ([binding(5, 90), binding(1, 30)], 90, False),
        ([binding(1, 90), binding(5, 30), binding(3, 60)], 30, False),
        ([binding(1, 30), binding(5, None)], None, False),
        ([binding(5, None), binding(1, 30)], None, False),
        ([binding(5, 30), binding(5, 90)], 30, False),
        ([binding(1, 30), OTHER], 30, False),
        ([binding(1, 30), REVOKED], 30, True),
        ([REVOKED, binding(1, 30)], 30, True),
    ],
    ids=["unbound", "once", "renewed", "the older one comes later", "the newest in the middle",
         "made to last", "made to last, the older one later", "two of one second: the first",
         "a certification binds nothing", "bound and revoked", "revoked and bound"],
)  # fmt: skip
def test_the_newest_binding_says_how_long_a_subkey_lasts(
    packets: list[Packet], days: int | None, revoked: bool
) -> None:
    first = [Packet(Tag.PublicKey, fingerprint="CD"), binding(9, 5)]
    last = [SUBKEY._replace(fingerprint="EF"), binding(9, 7)]
    before, part, after = _parts([*first, SUBKEY, *packets, *last])
    start = SUBKEY.key_created.timestamp()
    assert (part.fingerprint, part.revoked) == ("AB", revoked)
    assert part.expires == (start + days * 86400 if days else None)
    assert (before.fingerprint, before.expires) == ("CD", start + 5 * 86400)
    assert (after.fingerprint, after.expires, after.revoked) == ("EF", start + 7 * 86400, False)
