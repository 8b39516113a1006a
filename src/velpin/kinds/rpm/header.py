"""Package headers: the tagged values a package and the host's own record carry.

    preamble   (in package files)  8E AD E8 01 00 00 00 00
    count      u32  how many index entries
    size       u32  bytes of data
    entry      u32 tag, u32 type, u32 offset, u32 count - 16 bytes each, big endian
    data

Source: the published package file format (header structure), read with no help but the
standard library's.
"""

from __future__ import annotations

import struct
from typing import Any

from velpin.errors import HostFileError
from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.namespaces import implied_supplements, todays_form

NAME, VERSION, RELEASE, EPOCH, SUMMARY, DESCRIPTION = 1000, 1001, 1002, 1003, 1004, 1005
BUILT, SIZE, VENDOR, ARCH, SOURCE, LONG_SIZE = 1006, 1009, 1011, 1022, 1044, 5009
LICENSE, PACKAGER, URL = 1014, 1015, 1020
DIR_INDEXES, BASE_NAMES, DIR_NAMES = 1116, 1117, 1118
RELATIONS = {
    RpmLink.PROVIDES: (1047, 1112, 1113),
    RpmLink.REQUIRES: (1049, 1048, 1050),
    RpmLink.CONFLICTS: (1054, 1053, 1055),
    RpmLink.OBSOLETES: (1090, 1114, 1115),
    RpmLink.RECOMMENDS: (5046, 5048, 5047),
    RpmLink.SUGGESTS: (5049, 5051, 5050),
    RpmLink.SUPPLEMENTS: (5052, 5054, 5053),
    RpmLink.ENHANCES: (5055, 5057, 5056),
}
"""Tags of names, flags and versions for each kind of relation (see `entry`)."""

_MAGIC = b"\x8e\xad\xe8\x01\x00\x00\x00\x00"
LEAD, LEAD_SIZE = b"\xed\xab\xee\xdb", 96
_LESS, _GREATER, _EQUAL = 2, 4, 8
_SENSE = {
    _LESS: "<",
    _LESS | _EQUAL: "<=",
    _EQUAL: "=",
    _GREATER | _EQUAL: ">=",
    _GREATER: ">",
}
_INTERNAL = 1 << 24
"""Flag of a need that only the installing program itself can meet."""
_MOST = 1 << 28
_NUMBERS = {1: "B", 2: "B", 3: "H", 4: "I", 5: "Q"}
_TEXT, _BYTES, _TEXTS, _TRANSLATED = 6, 7, 8, 9

Header = dict[int, Any]
"""Values by tag: a list of numbers or texts, a text, or bytes."""


def read_header(data: bytes, where: str, start: int = 0) -> tuple[Header, int]:
    """The values of the header at a place, and where it ends.

    Raises HostFileError where the bytes are no header.
    """
    if data[start : start + 8] == _MAGIC:
        start += 8
    try:
        count, size = struct.unpack_from(">II", data, start)
        first = start + 8 + 16 * count
        if count * 16 > _MOST or size > _MOST or first + size > len(data):
            raise HostFileError(where, 0, "a package header is cut off")
        found: Header = {}
        for at in range(count):
            tag, kind, offset, items = struct.unpack_from(">IIiI", data, start + 8 + 16 * at)
            value = _value(data, kind, first + offset, items, first + size)
            if value is not None:
                found[tag] = value
    except (struct.error, ValueError, IndexError) as problem:
        raise HostFileError(where, 0, f"not a package header: {problem}") from problem
    return found, first + size


def read_package_header(data: bytes, where: str) -> Header:
    """The values of a package file's main header: behind its lead and its signatures.

    Raises HostFileError where the bytes do not begin as a package does.
    """
    if not data.startswith(LEAD):
        raise HostFileError(where, 0, "is not a package")
    _, end = read_header(data, where, LEAD_SIZE)
    return read_header(data, where, end + -end % 8)[0]


def _value(data: bytes, kind: int, at: int, items: int, end: int) -> Any:
    if not 0 <= at <= end or items > end - at:
        return None
    if kind in _NUMBERS:
        return list(struct.unpack_from(f">{items}{_NUMBERS[kind]}", data, at))
    if kind == _BYTES:
        return data[at : at + items]
    if kind == _TEXT:
        return data[at : data.index(b"\0", at, end)].decode("utf-8", "replace")
    if kind in (_TEXTS, _TRANSLATED):
        texts = []
        for _ in range(items):
            stop = data.index(b"\0", at, end)
            texts.append(data[at:stop].decode("utf-8", "replace"))
            at = stop + 1
        return texts
    return None


def text_of(header: Header, tag: int) -> str:
    """A text value, empty where there is none."""
    value = header.get(tag, "")
    if isinstance(value, list):
        value = value[0] if value else ""
    return str(value).replace("\t", " ").replace("\n", " ")


def number_of(header: Header, tag: int) -> int:
    """A number, 0 where there is none."""
    value = header.get(tag)
    return int(value[0]) if isinstance(value, list) and value else 0


def version_of(header: Header) -> str:
    """The full version, its epoch where that is not 0."""
    epoch = number_of(header, EPOCH)
    text = f"{text_of(header, VERSION)}-{text_of(header, RELEASE)}"
    return f"{epoch}:{text}" if epoch else text


def relations_of(header: Header) -> dict[str, list[str]]:
    """Relations as texts by their kind."""
    found: dict[str, list[str]] = {}
    for kind, (names, flags, versions) in RELATIONS.items():
        if names not in header:
            continue
        senses = header.get(flags, [])
        texts = header.get(versions, [])
        told: dict[str, None] = {}
        for at, name in enumerate(header[names]):
            sense = senses[at] if at < len(senses) else 0
            if kind == RpmLink.REQUIRES and (sense & _INTERNAL or name.startswith("rpmlib(")):
                continue
            operator = _SENSE.get(sense & (_LESS | _GREATER | _EQUAL), "")
            version = texts[at] if at < len(texts) else ""
            text = f"{name} {operator} {version}" if operator and version else name
            told[todays_form(kind, text)] = None
        found[kind] = list(told)
    more = list(implied_supplements(found.get(RpmLink.PROVIDES, ())))
    if more:
        found[RpmLink.SUPPLEMENTS] = [*found.get(RpmLink.SUPPLEMENTS, ()), *more]
    return found


def files_of(header: Header) -> list[str]:
    """All files it brings, by path."""
    names, folders = header.get(BASE_NAMES, []), header.get(DIR_NAMES, [])
    indexes = header.get(DIR_INDEXES, [])
    return [
        f"{folders[index]}{name}"
        for name, index in zip(names, indexes, strict=False)
        if index < len(folders)
    ]
