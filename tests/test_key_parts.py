"""What a key counts for and until when, which of its parts may sign, who has signed a head, what is
remembered of revocations: each with the value on either side."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import pytest

from tests.made_keys import key
from velpin.core.host_keys import check_not_revoked
from velpin.demo.signer import Signer
from velpin.errors import BadKey, BadSignature, MissingKey
from velpin.files.tree import Tree
from velpin.trust.certifications import _embedded
from velpin.trust.openpgp import (
    Key,
    KeyPart,
    SignedHead,
    _is_cut,
    _packet_size,
    _packets_end,
    key_with,
    read_keys,
    verify_clear,
    verify_detached,
)  # fmt: skip
from velpin.trust.revoked import FOLDER, NAME, Revocations

NOW = 1_800_000_000.0
MAIN, SUB, OTHER = "A" * 40, "B" * 40, "C" * 40
TEXT = b"Origin: Gull\n"


def parted(*parts: KeyPart, **more: Any) -> Key:
    """A key of several parts, the first its primary key."""
    first = parts[0]
    whole = replace(
        key(), fingerprint=first.fingerprint, expires=first.expires, revoked=first.revoked
    )
    return replace(whole, all_parts=parts, **more)


@pytest.mark.parametrize(
    ("parts", "part", "why"),
    [
        ([KeyPart(MAIN), KeyPart(SUB)], SUB, ""),
        ([KeyPart(MAIN, NOW), KeyPart(SUB)], SUB, f"the key {MAIN} expired on 2027-01-15"),
        ([KeyPart(MAIN, NOW + 1), KeyPart(SUB)], SUB, ""),
        ([KeyPart(MAIN, None, True), KeyPart(SUB)], SUB, f"the key {MAIN} was revoked by its owner"),
        ([KeyPart(MAIN, NOW, True), KeyPart(SUB)], SUB, f"the key {MAIN} was revoked by its owner"),
        ([KeyPart(MAIN), KeyPart(SUB, NOW)], SUB, f"the key {SUB} (a subkey) expired on 2027-01-15"),
        ([KeyPart(MAIN), KeyPart(SUB, NOW + 1)], SUB, ""),
        ([KeyPart(MAIN), KeyPart(SUB, NOW)], OTHER, ""),
        ([KeyPart(MAIN), KeyPart(OTHER, NOW), KeyPart(SUB)], SUB, ""),
        ([KeyPart(MAIN), KeyPart(OTHER), KeyPart(SUB, None, True)], SUB,
         f"the key {SUB} (a subkey) was revoked by its owner"),
        ([KeyPart(MAIN), KeyPart(SUB, NOW, True)], SUB, f"the key {SUB} (a subkey) was revoked by its owner"),
        ([KeyPart(MAIN), KeyPart(SUB, NOW)], "", ""),
        ([KeyPart(MAIN), KeyPart(SUB, NOW)], MAIN, ""),
    ],
)  # fmt: skip
def test_until_when_a_part_counts(parts: list[KeyPart], part: str, why: str) -> None:
    assert parted(*parts).why_unusable(part, NOW) == why


def test_the_one_part_that_may_sign_decides() -> None:
    worn = parted(KeyPart(MAIN), KeyPart(SUB, NOW), KeyPart(OTHER))
    assert worn.is_usable(NOW)
    assert not worn.narrowed(SUB).is_usable(NOW)
    assert worn.narrowed(OTHER).is_usable(NOW)
    assert (worn.parts, worn.narrowed(SUB).parts) == ({MAIN, SUB, OTHER}, {SUB})


@pytest.mark.parametrize(
    ("issuers", "goes"),
    [([], False), ([MAIN], True), ([SUB], True), ([OTHER], False), ([OTHER, SUB], True),
     ([SUB[-16:]], True), ([SUB[-16:].lower()], True), ([OTHER[-16:]], False)],
)  # fmt: skip
def test_what_a_key_goes_by(issuers: list[str], goes: bool) -> None:
    made = parted(KeyPart(MAIN), KeyPart(SUB))
    assert made.goes_by(issuers) == goes
    assert not made.narrowed(MAIN).goes_by([SUB])
    assert key_with([key(), made], SUB) is made
    assert key_with([key()], SUB) is None


@pytest.mark.parametrize(
    ("head", "size"),
    [
        (b"\x98\x05", 7), (b"\x99\x01\x02", 3 + 0x102), (b"\x9a\x00\x00\x00\x07", 12), (b"\x9b\x05", None),
        (b"\xc6\x00", 2), (b"\xc6\xbf", 2 + 191), (b"\xc6\xc0\x00", 3 + 192), (b"\xc6\xc1\x05", 3 + 256 + 197),
        (b"\xc6\xdf\xff", 3 + 0x1F00 + 192 + 255), (b"\xc6\xe0", None), (b"\xc6\xfe", None),
        (b"\xc6\xff\x00\x00\x00\x09", 15), (b"\x7f\x05", None), (b"\x80", None), (b"\xc6\xc0", 3 + 192),
    ],
)  # fmt: skip
def test_the_size_of_a_packet(head: bytes, size: int | None) -> None:
    assert _packet_size(head) == size


@pytest.mark.parametrize(
    ("data", "end"),
    [(b"", (0, 0)), (b"\xc6\x01x", (3, 1)), (b"\xc6\x01x\xc2\x02yz", (7, 2)), (b"\xc6\x02x", (4, 1)),
     (b"\xc6\x01xjunk", (3, 1)), (b"junk\xc6\x01x", (0, 0))],
)  # fmt: skip
def test_where_packets_end(data: bytes, end: tuple[int, int]) -> None:
    assert _packets_end(data) == end


def test_whether_a_key_file_is_cut_off(signer: Signer) -> None:
    """Where the last packet is not whole, or the one after it has not even a length."""
    whole = bytes(signer.secret.extract_certificate())
    end = _packets_end(whole)[0]
    assert end == len(whole)
    armoured = signer.public
    for data, cut in (
        (whole, False), (whole[:-1], True), (whole + b"\xc2", True), (whole + b"\xc2\x01", True),
        (whole + b"ab", False), (b"junk", False), (armoured, False),
        (armoured[:-40], True),
    ):  # fmt: skip
        assert _is_cut(data) == cut, data[-3:]


# -- who has signed a head -----------------------------------------------------------------


def test_who_signed_a_head_is_who_was_verified(signer: Signer, stranger: Signer) -> None:
    (mine,), (theirs,) = read_keys(signer.public, "m"), read_keys(stranger.public, "s")
    clear = SignedHead(signer.clear(TEXT))
    apart = SignedHead(TEXT, signer.detached(TEXT))
    both = SignedHead(TEXT, stranger.detached(TEXT) + signer.detached(TEXT))
    for head in (clear, apart):
        assert head.verified_by([theirs, mine]) == (mine.fingerprint,)
        assert head.verified_by([theirs]) == ()
        assert head.verified_by([]) == ()
        assert head.verified_by([replace(mine, revoked=True)]) == ()
        assert head.verified_by([replace(mine, expires=1.0)]) == (mine.fingerprint,)
        assert head.verified_by([mine.narrowed(OTHER)]) == ()
    assert both.verified_by([mine, theirs]) == (mine.fingerprint, theirs.fingerprint)
    assert both.verified_by([theirs]) == (theirs.fingerprint,)
    assert SignedHead(b"Origin: Else\n", signer.detached(TEXT)).verified_by([mine]) == ()


@pytest.mark.parametrize(
    ("before", "behind", "counts"),
    [(b"", b"", True), (b"", b"\n", True), (b"", b"\n\n", False), (b"\n", b"", False), (b"x\n", b"", False),
     (b"", b"x", False)],
)  # fmt: skip
def test_nothing_may_stand_around_a_clear_signed_head(
    signer: Signer, before: bytes, behind: bytes, counts: bool
) -> None:
    keys = read_keys(signer.public, "m")
    data = before + signer.clear(TEXT).rstrip(b"\r\n") + behind
    assert bool(SignedHead(data).verified_by(keys)) == counts
    if counts:
        assert verify_clear(data, keys, "x").signers == (signer.fingerprint,)
    else:
        with pytest.raises(BadSignature, match="text around"):
            verify_clear(data, keys, "x")


def test_of_two_signatures_either_may_be_the_good_one(signer: Signer, stranger: Signer) -> None:
    mine, theirs = read_keys(signer.public, "m"), read_keys(stranger.public, "s")
    good, other = signer.detached(TEXT), stranger.detached(TEXT)
    wrong = signer.detached(b"other text\n")
    for signature in (good + other, other + good, good + wrong, wrong + good):
        assert verify_detached(TEXT, signature, mine, "x").signers == (signer.fingerprint,)
        if other in signature:
            assert verify_detached(TEXT, signature, [*mine, *theirs], "x", every=True).data == TEXT
        with pytest.raises((MissingKey, BadSignature)):
            verify_detached(TEXT, signature, mine, "x", every=True)
    with pytest.raises(BadSignature, match="does not fit"):
        verify_detached(TEXT, wrong, mine, "x")


# -- revocations ---------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("line", "where"),
    [
        (f"{MAIN} /etc/a", "/etc/a"), (f"{MAIN} /etc/a b", "/etc/a b"), (MAIN, ""), (f"{MAIN} ", ""),
        (f"{MAIN[:39]} /etc/a", ""), (f"{MAIN.lower()} /etc/a", ""), (f" {MAIN} /etc/a", ""),
        (f"{SUB} /x\n{MAIN} /etc/a", "/etc/a"), (f"{MAIN} /etc/a\n{SUB} /x", "/etc/a"),
    ],
)  # fmt: skip
def test_what_is_remembered_of_revocations(tmp_path: Path, line: str, where: str) -> None:
    folder = tmp_path / FOLDER
    folder.mkdir(parents=True, mode=0o700)
    (folder / NAME).write_text(f"{line}\n")
    assert Revocations.of(Tree(tmp_path)).where(MAIN) == where


def test_a_revocation_is_written_once_and_where_it_was_seen_first(tmp_path: Path) -> None:
    tree = Tree(tmp_path)
    found = Revocations.of(tree)
    found.remember(tree)
    assert not (tmp_path / FOLDER / NAME).exists()
    found.note(MAIN, "/etc/one")
    found.note(MAIN, "/etc/two")
    found.note(SUB, "/etc/\nthree")
    found.remember(tree)
    assert (tmp_path / FOLDER / NAME).read_text() == f"{MAIN} /etc/one\n{SUB} /etc/ three\n"
    again = Revocations.of(tree)
    again.note(MAIN, "/etc/four")
    (tmp_path / FOLDER / NAME).write_text("")
    again.remember(tree)  # nothing is new
    assert (tmp_path / FOLDER / NAME).read_text() == ""


@pytest.mark.parametrize(
    ("asked", "refused"), [([1], False), ([2], True), ([1, 2], True), ([2, 1], True), ([], False)]
)
def test_a_copy_without_the_revocation_is_refused(
    monkeypatch: pytest.MonkeyPatch, asked: list[int], refused: bool
) -> None:
    seen = Revocations({f"{2:040d}": "/etc/k.asc"})
    monkeypatch.setattr("velpin.core.host_keys.seen_revoked", lambda _host: seen)
    keys = [key(number) for number in asked]
    if refused:
        with pytest.raises(BadKey, match=r"as /etc/k\.asc shows"):
            check_not_revoked(None, keys)  # type: ignore[arg-type]
    else:
        check_not_revoked(None, keys)  # type: ignore[arg-type]


def _subpacket(kind: int, body: bytes, form: int) -> bytes:
    """A part of a signature, its length written in one, two or five bytes (RFC 9580, 5.2.3.7)."""
    size = len(body) + 1
    head = {
        1: lambda: bytes([size]),
        2: lambda: bytes([((size - 192) >> 8) + 192, (size - 192) & 0xFF]),
        5: lambda: b"\xff" + size.to_bytes(4, "big"),
    }[form]()
    return head + bytes([kind]) + body


@pytest.mark.parametrize(
    ("form", "size"), [(1, 1), (1, 190), (2, 191), (2, 500), (2, 8382), (5, 10), (5, 9000)]
)
@pytest.mark.parametrize("before", [(), (1,), (2,), (5,), (1, 2, 5)])
@pytest.mark.parametrize("hashed", [True, False])
def test_a_signature_inside_a_signature_is_found(
    form: int, size: int, before: tuple[int, ...], hashed: bool
) -> None:
    inner = bytes(range(256)) * 40
    others = b"".join(_subpacket(33, b"x" * 300 if each != 1 else b"x", each) for each in before)
    area = others + _subpacket(32 | (0x80 if size % 2 else 0), inner[:size], form)
    areas = (area, others) if hashed else (others, area)
    binding = bytes([4, 0x18, 22, 10])
    for one in areas:
        binding += len(one).to_bytes(2, "big") + one
    assert list(_embedded(binding + b"\0\0")) == [inner[:size]]
    assert list(_embedded(b"\3" + binding[1:])) == []
    assert list(_embedded(b"")) == []
