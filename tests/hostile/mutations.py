"""Ways to damage a file, each drawn from a random generator."""

from __future__ import annotations

import gzip
import random
import re
from collections.abc import Callable

ODD = [
    b"\x00", b"\xff\xfe", b"\xc3", b"\r", b"\n", b"\n\n", b"\t", b"\x0c", b"\x1b[2J", b"\xe2\x80\xae",
    b"\xe2\x80\xa8", b"\xc2\x85", b"\xef\xbb\xbf", b"%s%n", b"../../..", b"[", b"]", b"{", b"}", b'"',
    b"'", b"=", b":", b"#", b"$(x)", b"${a:-b}", b"\\", b"/", b"<", b"&x;", b"-----BEGIN PGP", b"@", b"*",
]  # fmt: skip
NUMBERS = [
    b"0", b"-1", b"9" * 30, b"9" * 5000, b"1e999", b"inf", b"nan", b"0x10", b"4294967296", b"1.5",
    "٣".encode(), "²".encode(),
]  # fmt: skip
LARGEST = 4 << 20


def damaged(data: bytes, draw: random.Random) -> bytes:
    """A file with one to four things wrong."""
    for _ in range(draw.choice((1, 1, 1, 2, 4))):
        data = draw.choice(WAYS)(data, draw)[:LARGEST]
    return data


def inside(data: bytes, draw: random.Random) -> bytes:
    """A compressed file whose contents are damaged."""
    try:
        plain = gzip.decompress(data)
    except (OSError, EOFError):
        return damaged(data, draw)
    return gzip.compress(damaged(plain, draw), 1)


def _places(data: bytes, draw: random.Random) -> tuple[int, int]:
    one, other = draw.randint(0, len(data)), draw.randint(0, len(data))
    return min(one, other), max(one, other)


def _flip(data: bytes, draw: random.Random) -> bytes:
    if not data:
        return data
    at = draw.randrange(len(data))
    return data[:at] + bytes([data[at] ^ (1 << draw.randrange(8))]) + data[at + 1 :]


def _bytes(data: bytes, draw: random.Random) -> bytes:
    at = draw.randint(0, len(data))
    return data[:at] + draw.randbytes(draw.randint(1, 8)) + data[at + draw.randint(0, 8) :]


def _cut(data: bytes, draw: random.Random) -> bytes:
    return data[: draw.randint(0, len(data))]


def _without(data: bytes, draw: random.Random) -> bytes:
    first, last = _places(data, draw)
    return data[:first] + data[min(last, first + 200) :]


def _swap(data: bytes, draw: random.Random) -> bytes:
    first, last = _places(data, draw)
    length = min(draw.randint(1, 40), last - first)
    left, right = data[first : first + length], data[last : last + length]
    return data[:first] + right + data[first + length : last] + left + data[last + length :]


def _again(data: bytes, draw: random.Random) -> bytes:
    first, last = _places(data, draw)
    last = min(last, first + 400)
    return data[:first] + data[first:last] * draw.choice((2, 2, 3, 100)) + data[last:]


def _odd(data: bytes, draw: random.Random) -> bytes:
    at = draw.randint(0, len(data))
    return data[:at] + draw.choice(ODD) * draw.choice((1, 1, 1, 50)) + data[at:]


def _number(data: bytes, draw: random.Random) -> bytes:
    found = list(re.finditer(rb"\d+", data))
    if not found:
        return _odd(data, draw)
    one = draw.choice(found)
    return data[: one.start()] + draw.choice(NUMBERS) + data[one.end() :]


def _line(data: bytes, draw: random.Random) -> bytes:
    lines = data.split(b"\n")
    at = draw.randrange(len(lines))
    how = draw.randrange(4)
    if how == 0:
        del lines[at]
    elif how == 1:
        lines.insert(at, draw.choice(lines))
    elif how == 2:
        lines[at] = lines[at].partition(draw.choice((b"=", b":", b" ")))[0]
    else:
        lines[at] += b"x" * draw.choice((1, 5000, 200_000))
    return b"\n".join(lines)


def _word(data: bytes, draw: random.Random) -> bytes:
    words = list(re.finditer(rb"[A-Za-z0-9.+~:/-]+", data))
    if len(words) < 2:
        return _flip(data, draw)
    one, other = draw.choice(words), draw.choice(words)
    return data[: one.start()] + other.group() + data[one.end() :]


def _encoded(data: bytes, draw: random.Random) -> bytes:
    text = data.decode("latin-1")
    return text.encode(draw.choice(("utf-16", "utf-8-sig", "utf-32", "utf-7")))


WAYS: list[Callable[[bytes, random.Random], bytes]] = [
    _flip, _flip, _bytes, _cut, _without, _swap, _again, _odd, _odd, _number, _number, _line, _line,
    _word, _encoded, lambda _data, _draw: b"",
]  # fmt: skip
