"""Looking a path up in `filelists.xml`, the full list of files of a repository.

Only where the main list does not know a path. The text is a stream and is not parsed
further than the one entry that has the path.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked

_END = b"</package>"
_NAME = re.compile(rb'<package\b[^>]*?\bname="([^"]*)"')
_ARCH = re.compile(rb'<package\b[^>]*?\barch="([^"]*)"')
_VERSION = re.compile(rb"<version\b[^>]*>")
_LARGEST_REST = 64 << 20
"""Bytes that may be held without the end of a package among them."""
_FIELD = re.compile(rb'\b(epoch|ver|rel)="([^"]*)"')


class Holder(NamedTuple):
    """A package that has a file."""

    name: str
    arch: str
    version: str


def holders(path: Path, wanted: str) -> Iterator[Holder]:
    """Packages of one list that have a file.

    Raises HostFileError where the list is cut off or damaged.
    """
    from html import escape

    mark = b">" + escape(wanted, quote=False).encode("utf-8", "surrogateescape") + b"</file>"
    for entry in entries_with(path, mark):
        found = _holder(entry)
        if found:
            yield found


def entries_with(path: Path, mark: bytes) -> Iterator[bytes]:
    """The text of each package of a list that has some bytes in it.

    Raises HostFileError where the list is cut off or damaged, or a package far larger than any is.
    """
    rest = b""
    for piece in unpacked(path):
        rest += piece
        last = rest.rfind(_END)
        if last < 0:
            if len(rest) > _LARGEST_REST:
                raise HostFileError(path.name, 0, "a package that is far larger than any is")
            continue
        whole, rest = rest[: last + len(_END)], rest[last + len(_END) :]
        at = whole.find(mark)
        while at >= 0:
            first, end = whole.rfind(b"<package", 0, at), whole.find(_END, at) + len(_END)
            if first >= 0:
                yield whole[first:end]
            at = whole.find(mark, end)


def _holder(text: bytes) -> Holder | None:
    name, arch, version = _NAME.search(text), _ARCH.search(text), _VERSION.search(text)
    if not (name and arch and version):
        return None
    fields = {key.decode(): value.decode() for key, value in _FIELD.findall(version.group())}
    evr = f"{fields.get('ver', '')}-{fields.get('rel', '')}"
    epoch = fields.get("epoch", "0")
    return Holder(
        name.group(1).decode(),
        arch.group(1).decode(),
        evr if epoch in ("", "0") else f"{epoch}:{evr}",
    )
