"""Opening a vendor's release package without running anything in it: only its files are read.

    .deb   an `ar` archive with a tar archive of the files in it
    .rpm   a lead, two headers, and a packed `cpio` archive of the files

Source of the layouts: the two formats' published descriptions.
"""

from __future__ import annotations

import io
import tarfile
import tempfile
from collections.abc import Iterator
from pathlib import Path

from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked

Files = dict[str, bytes]
"""Contents by name below the root, no leading slash."""

_DEB = b"!<arch>\n"
_RPM = b"\xed\xab\xee\xdb"
_HEADER = b"\x8e\xad\xe8"
_CPIO = b"070701"
_LEAD = 96
_MOST = 64 << 20
_LARGEST = 8 << 20


def is_package(data: bytes) -> bool:
    """Whether bytes begin as a package of either format does."""
    return data.startswith((_DEB, _RPM))


def open_package(data: bytes, where: str) -> Files:
    """The regular files of a package, folders and links left out.

    Raises HostFileError where it is damaged or far larger than a release package is.
    """
    try:
        return _open_deb(data, where) if data.startswith(_DEB) else _open_rpm(data, where)
    except (ValueError, tarfile.TarError, EOFError, OSError) as problem:
        raise HostFileError(where, 0, f"a damaged package: {problem}") from problem


def _open_deb(data: bytes, where: str) -> Files:
    at = len(_DEB)
    while at + 60 <= len(data):
        name = data[at : at + 16].decode("ascii", "replace").strip().rstrip("/")
        size = int(data[at + 48 : at + 58])
        if name.startswith("data.tar"):
            plain = _unpacked(data[at + 60 : at + 60 + size], where)
            with tarfile.open(fileobj=io.BytesIO(plain)) as archive:
                return dict(_of_tar(archive))
        at += 60 + size + size % 2
    raise HostFileError(where, 0, "a package without files in it")


def _of_tar(archive: tarfile.TarFile) -> Iterator[tuple[str, bytes]]:
    for member in archive:
        if member.isfile() and member.size <= _LARGEST:
            file = archive.extractfile(member)
            if file is not None:
                yield _plain_name(member.name), file.read()


def _open_rpm(data: bytes, where: str) -> Files:
    at = _after_header(data, _LEAD, where)
    at += -at % 8
    at = _after_header(data, at, where)
    return dict(_of_cpio(_unpacked(data[at:], where), where))


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
    while plain[at : at + 6] == _CPIO:
        fields = [int(plain[at + 6 + 8 * n : at + 14 + 8 * n], 16) for n in range(13)]
        mode, size, length = fields[1], fields[6], fields[11]
        name = plain[at + 110 : at + 110 + length - 1].decode("utf-8", "replace")
        start = at + 110 + length
        start += -start % 4
        if name == "TRAILER!!!":
            return
        if start + size > len(plain):
            break
        if mode & 0o170000 == 0o100000 and size <= _LARGEST:
            yield _plain_name(name), plain[start : start + size]
        at = start + size
        at += -at % 4
    raise HostFileError(where, 0, "a package whose files are cut off")


def _plain_name(name: str) -> str:
    return "/".join(part for part in name.split("/") if part not in ("", ".", ".."))


def _unpacked(data: bytes, where: str) -> bytes:
    """Packed bytes, unpacked, up to a bound."""
    with tempfile.TemporaryDirectory(prefix="velpin-") as folder:
        path = Path(folder) / "packed"
        path.write_bytes(data)
        pieces, size = [], 0
        try:
            for piece in unpacked(path):
                size += len(piece)
                if size > _MOST:
                    raise HostFileError(where, 0, "far larger than a release package is")
                pieces.append(piece)
        except HostFileError as problem:
            if problem.file == where:
                raise
            what = f"a damaged package: {problem.what}"
            raise HostFileError(where, 0, what) from problem
        return b"".join(pieces)
