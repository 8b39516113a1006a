"""Opening a vendor's release package without running anything in it: only its files are read.

    .deb   an `ar` archive with a tar archive of the files in it
    .rpm   a lead, two headers, and a packed `cpio` archive of the files

Source of the layouts: the two formats' published descriptions.
"""

from __future__ import annotations

import io
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked
from velpin.files.text import whole_number

Files = dict[str, bytes]
"""Contents by name below the root, no leading slash."""

_DEB = b"!<arch>\n"
_RPM = b"\xed\xab\xee\xdb"
_HEADER = b"\x8e\xad\xe8"
_CPIO = b"070701"
_POSTIN, _STRING = 1024, 6
"""A tag of an rpm header, and the type of its value."""
_LEAD = 96
_MOST = 64 << 20
_LARGEST = 8 << 20
_MOST_FILES = 2000
_MOST_MEMBERS = 20_000
_LONGEST_NAME = 4096


def is_package(data: bytes) -> bool:
    """Whether bytes begin as a package of either format does."""
    return data.startswith((_DEB, _RPM))


def open_package(data: bytes, where: str) -> Files:
    """The regular files of a package, folders and links left out.

    Raises HostFileError where it is damaged or far larger than a release package is: in bytes,
    packed or unpacked, in files, or in any one of them.
    """
    with _told(where):
        files = _open_deb(data, where) if data.startswith(_DEB) else _open_rpm(data, where)
        return _bounded(files, where)


def open_scripts(data: bytes, where: str) -> tuple[str, tuple[str, ...]]:
    """The script that a package runs once its files are there, empty without one, and the words
    that it is called with.

    Raises HostFileError where the package is damaged.
    """
    with _told(where):
        if not data.startswith(_DEB):
            return _rpm_script(data, where), ("1",)
        script = _control(data, where).get("postinst", b"")
        return script.decode("utf-8", "surrogateescape"), ("configure",)


def control_of(data: bytes, where: str) -> str:
    """The description that a .deb file brings of itself; HostFileError where it has none."""
    with _told(where):
        if not data.startswith(_DEB):
            raise HostFileError(where, 0, "is not a package")
        return _control(data, where).get("control", b"").decode("utf-8", "surrogateescape")


def open_archive(data: bytes, where: str) -> Files:
    """The regular files of a package that is a packed archive; HostFileError as `open_package`."""
    with _told(where):
        return _bounded(_of_tar(_unpacked(data, where), where), where)


def early_member(data: bytes, name: str, where: str) -> bytes:
    """A file near the beginning of a packed archive, of which `data` may be no more than the
    beginning; HostFileError where it is not there."""
    with _told(where):
        for found, content in _of_tar(_beginning(data, where), where):
            if found == name:
                return content
    raise HostFileError(where, 0, f"is not a package: it has no {name}")


@contextmanager
def _told(where: str) -> Iterator[None]:
    """Tell what a damaged package ends in as that."""
    import tarfile

    try:
        yield
    except (
        ValueError, tarfile.TarError, EOFError, OSError, IndexError, OverflowError, MemoryError,
        RecursionError,
    ) as problem:  # fmt: skip
        raise HostFileError(where, 0, f"a damaged package: {problem}") from problem


def _rpm_script(data: bytes, where: str) -> str:
    """The script of an rpm package's second header that is run after its files are there."""
    at = _after_header(data, _LEAD, where)
    at += -at % 8
    end = _after_header(data, at, where)
    count = int.from_bytes(data[at + 8 : at + 12], "big")
    store = at + 16 + 16 * count
    for number in range(min(count, _MOST_MEMBERS)):
        entry = data[at + 16 + 16 * number : at + 32 + 16 * number]
        tag, kind, offset = (int.from_bytes(entry[n : n + 4], "big") for n in (0, 4, 8))
        if (tag, kind) == (_POSTIN, _STRING):
            text = data[store + offset : end].partition(b"\0")[0]
            return "#!/bin/sh\n" + text.decode("utf-8", "surrogateescape")
    return ""


def _bounded(files: Iterator[tuple[str, bytes]], where: str) -> Files:
    found: Files = {}
    for name, data in files:
        if len(found) >= _MOST_FILES:
            raise HostFileError(where, 0, "far more files than a release package has")
        if name:
            found[name] = data
    return found


def _control(data: bytes, where: str) -> Files:
    """What a .deb file says of itself, and its scripts."""
    packed = _deb_member(data, "control.tar", where)
    return _bounded(_of_tar(_unpacked(packed, where), where), where)


def _open_deb(data: bytes, where: str) -> Iterator[tuple[str, bytes]]:
    return _of_tar(_unpacked(_deb_member(data, "data.tar", where), where), where)


def _deb_member(data: bytes, wanted: str, where: str) -> bytes:
    at = len(_DEB)
    for _ in range(_MOST_MEMBERS):
        if at + 60 > len(data):
            break
        name = data[at : at + 16].decode("ascii", "replace").strip().rstrip("/")
        size = whole_number(data[at + 48 : at + 58].decode("ascii", "replace").strip())
        if size is None or at + 60 + size > len(data):
            raise HostFileError(where, 0, "a package with a member whose size is none")
        if name.startswith(wanted):
            return data[at + 60 : at + 60 + size]
        at += 60 + size + size % 2
    raise HostFileError(where, 0, "a package without files in it")


def _of_tar(plain: bytes, where: str) -> Iterator[tuple[str, bytes]]:
    import tarfile

    with tarfile.open(fileobj=io.BytesIO(plain), mode="r:") as archive:
        for count, member in enumerate(archive):
            if count > _MOST_MEMBERS:
                raise HostFileError(where, 0, "far more files than a release package has")
            if not member.isreg() or member.issparse() or member.size > _LARGEST:
                continue
            file = archive.extractfile(member)
            if file is not None:
                yield _plain_name(member.name), file.read(_LARGEST)


def _open_rpm(data: bytes, where: str) -> Iterator[tuple[str, bytes]]:
    at = _after_header(data, _LEAD, where)
    at += -at % 8
    at = _after_header(data, at, where)
    return _of_cpio(_unpacked(data[at:], where), where)


def _after_header(data: bytes, at: int, where: str) -> int:
    if data[at : at + 3] != _HEADER or len(data) < at + 16:
        raise HostFileError(where, 0, "a package without a header")
    count = int.from_bytes(data[at + 8 : at + 12], "big")
    size = int.from_bytes(data[at + 12 : at + 16], "big")
    end = at + 16 + 16 * count + size
    if end > len(data):
        raise HostFileError(where, 0, "a package that is cut off")
    return end


def _of_cpio(plain: bytes, where: str) -> Iterator[tuple[str, bytes]]:
    at = 0
    for _ in range(_MOST_MEMBERS):
        if plain[at : at + 6] != _CPIO:
            break
        mode, size, length = (_hexadecimal(plain, at + 6 + 8 * n) for n in (1, 6, 11))
        start = at + 110 + length
        if not 0 < length <= _LONGEST_NAME or start + size > len(plain):
            break
        name = plain[at + 110 : start - 1].decode("utf-8", "replace")
        start += -start % 4
        if name == "TRAILER!!!":
            return
        if mode & 0o170000 == 0o100000 and size <= _LARGEST:
            yield _plain_name(name), plain[start : start + size]
        at = start + size
        at += -at % 4
    raise HostFileError(where, 0, "a package whose files are cut off")


def _hexadecimal(plain: bytes, at: int) -> int:
    """A field of eight digits; ValueError where it is none, a sign or blank among them."""
    return int.from_bytes(bytes.fromhex(plain[at : at + 8].decode("ascii")), "big")


def _plain_name(name: str) -> str:
    return "/".join(part for part in name.split("/") if part not in ("", ".", ".."))


def _beginning(data: bytes, where: str) -> bytes:
    """The first of some packed bytes, unpacked, as far as they go."""
    found = bytearray()
    try:
        for piece in _pieces(data):
            found += piece
            if len(found) > _LARGEST:
                break
    except HostFileError as problem:  # what is cut off ends so; what it holds is looked at
        if not found:
            raise _damaged(problem, where) from problem
    return bytes(found)


def _unpacked(data: bytes, where: str) -> bytes:
    """Packed bytes, unpacked, up to a bound."""
    found = bytearray()
    try:
        for piece in _pieces(data):
            found += piece
            if len(found) > _MOST:
                break
    except HostFileError as problem:
        raise _damaged(problem, where) from problem
    if len(found) > _MOST:
        raise HostFileError(where, 0, "far larger than a release package is")
    return bytes(found)


def _pieces(data: bytes) -> Iterator[bytes]:
    with tempfile.TemporaryDirectory(prefix="velpin-") as folder:
        path = Path(folder) / "packed"
        path.write_bytes(data)
        yield from unpacked(path)


def _damaged(problem: HostFileError, where: str) -> HostFileError:
    return HostFileError(where, 0, f"a damaged package: {problem.what}")
