"""Packages of each format with files in them."""

from __future__ import annotations

import gzip
import io
import tarfile
from collections.abc import Callable

from velpin.demo.rpm_files import packed_header

Pack = Callable[[bytes], bytes]


Files = dict[str, bytes]


def tar_of(files: Files) -> bytes:
    held = io.BytesIO()
    with tarfile.open(fileobj=held, mode="w") as archive:
        folder = tarfile.TarInfo("./etc")
        folder.type = tarfile.DIRTYPE
        archive.addfile(folder)
        for name, data in files.items():
            told = tarfile.TarInfo(f"./{name}")
            told.size = len(data)
            archive.addfile(told, io.BytesIO(data))
        link = tarfile.TarInfo("./etc/linked.list")
        link.type, link.linkname = tarfile.SYMTYPE, "/etc/passwd"
        archive.addfile(link)
    return held.getvalue()


def deb_of(
    files: Files, pack: Pack = gzip.compress, *, script: bytes = b"#!/bin/sh\ntouch /ran\n"
) -> bytes:
    """A package of the one format: an archive of a version, what would be run, the files."""
    run = gzip.compress(tar_of({"postinst": script} if script else {}))
    parts = {"debian-binary": b"2.0\n", "control.tar.gz": run, "data.tar.gz": pack(tar_of(files))}
    told = b"!<arch>\n"
    for name, data in parts.items():
        told += f"{name:16}{0:<12}{0:<6}{0:<6}{100644:<8}{len(data):<10}`\n".encode()
        told += data + b"\n" * (len(data) % 2)
    return told


def cpio_of(files: Files) -> bytes:
    told = b""
    for name, data, mode in [
        ("./etc", b"", 0o040755), *((f"./{n}", d, 0o100644) for n, d in files.items()),
        ("TRAILER!!!", b"", 0),
    ]:  # fmt: skip
        fields = [0, mode, 0, 0, 1, 0, len(data), 0, 0, 0, 0, len(name) + 1, 0]
        told += b"070701" + b"".join(b"%08x" % field for field in fields)
        told += name.encode() + b"\0"
        told += b"\0" * (-len(told) % 4)
        told += data
        told += b"\0" * (-len(told) % 4)
    return told


def rpm_of(files: Files, pack: Pack = gzip.compress, *, script: bytes = b"") -> bytes:
    """A package of the other format: a lead, the signatures' header, its own, the files."""
    mark = b"\x8e\xad\xe8\x01" + b"\0" * 4
    lead = b"\xed\xab\xee\xdb" + b"\0" * 92
    signatures = mark + packed_header([(1000, 4, 1, b"\0\0\0\x01"), (1004, 7, 3, b"abc")])
    signatures += b"\0" * (-len(signatures) % 8)
    tags = [(1000, 6, 1, b"name\0")]
    if script:
        tags.append((1024, 6, 1, script + b"\0"))
    return lead + signatures + mark + packed_header(tags) + pack(cpio_of(files))
