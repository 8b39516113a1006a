"""Ways to damage a file, each drawn from a random generator."""

from __future__ import annotations

import gzip
import json
import random
import re
import zlib
from collections.abc import Callable
from typing import Any

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
    if draw.random() < 0.3 and data[:1] in (b"{", b"[", b"v", b"-"):
        return restructured(data, draw)[:LARGEST]
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


# -- structure and types -------------------------------------------------------------------

OTHER: list[object] = [
    None, True, False, 0, -1, 1.5, 1e300, float("nan"), 10**30, "", "x", "\x00", "a\nb", [], {}, [[]],
    {"": None}, [1, "2", None], {"a": {"b": []}}, "9" * 400, ["x"] * 50,
]  # fmt: skip
"""Values of other kinds than the one that is there."""


def restructured(data: bytes, draw: random.Random) -> bytes:
    """A file of JSON, JSON lines or TOML, or a list of modules, in which values have other types,
    are missing, doubled or deep; any other file as it is."""
    for way in (_json, _json_lines, _toml, _yaml):
        try:
            return way(data, draw)
        except (ValueError, TypeError, LookupError, RecursionError, AttributeError):
            continue
    return _flip(data, draw)


def _mutated(value: Any, draw: random.Random) -> Any:
    """A value with one of its parts replaced, taken away, doubled or put deeper."""
    if isinstance(value, dict) and value and draw.random() < 0.8:
        key = draw.choice(sorted(value))
        how = draw.randrange(6)
        if how == 0:
            return {name: each for name, each in value.items() if name != key}
        if how == 1:
            return {**value, f"{key}x": value[key]}
        return {**value, key: _mutated(value[key], draw)}
    if isinstance(value, list) and value and draw.random() < 0.8:
        at = draw.randrange(len(value))
        how = draw.randrange(6)
        if how == 0:
            return value[:at] + value[at + 1 :]
        if how == 1:
            return value + [value[at]] * draw.choice((1, 1, 300))
        return [*value[:at], _mutated(value[at], draw), *value[at + 1 :]]
    if draw.random() < 0.2:
        for _ in range(draw.choice((1, 40, 400))):
            value = [value]
        return value
    return draw.choice(OTHER)


def _json(data: bytes, draw: random.Random) -> bytes:
    value = _mutated(json.loads(data), draw)
    if isinstance(value, dict) and "sum" in value and draw.random() < 0.9:  # else nothing is read
        value.pop("sum")
        value["sum"] = zlib.crc32(json.dumps(value, sort_keys=True).encode())
    return json.dumps(value, indent=1).encode()


def _json_lines(data: bytes, draw: random.Random) -> bytes:
    lines = data.decode().rstrip("\n").split("\n")
    at = draw.randrange(len(lines))
    lines[at] = json.dumps(_mutated(json.loads(lines[at]), draw))
    return ("\n".join(lines) + "\n").encode()


def _toml(data: bytes, draw: random.Random) -> bytes:
    import tomllib

    import tomli_w

    value = tomllib.loads(data.decode())
    if not value:
        raise ValueError("no TOML")
    return tomli_w.dumps(_mutated(value, draw)).encode()


def _yaml(data: bytes, draw: random.Random) -> bytes:
    if not data.startswith(b"---\ndocument: modulemd"):
        raise ValueError("no list of modules")
    import yaml

    documents = list(yaml.safe_load_all(data))
    if draw.random() < 0.25:  # values that stand for values that stand for values
        bomb = "a0: &a0 [x, x]\n" + "".join(
            f"a{n}: &a{n} [{', '.join([f'*a{n - 1}'] * 9)}]\n" for n in range(1, 12)
        )
        return data + f"---\ndocument: modulemd\ndata:\n  name: b\n  stream: *a0\n{bomb}".encode()
    at = draw.randrange(len(documents))
    documents[at] = _mutated(documents[at], draw)
    return yaml.safe_dump_all(documents, explicit_start=True).encode()


WAYS: list[Callable[[bytes, random.Random], bytes]] = [
    _flip, _flip, _bytes, _cut, _without, _swap, _again, _odd, _odd, _number, _number, _line, _line,
    _word, _encoded, lambda _data, _draw: b"",
]  # fmt: skip
