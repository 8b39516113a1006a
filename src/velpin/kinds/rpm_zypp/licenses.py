"""Packages whose license the installer asks about, as its own copies of lists tell (observed).

`susedata` is a list beside the main one that Velpin does not fetch: it is large, and would be
fetched for this alone.

    <package name="gull" arch="x86_64"><version epoch="0" ver="2" rel="1"/><eula>..</eula></package>

Observed rules: docs/how-hosts-choose/rpm.md, "What the installer asks".
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked
from velpin.kinds.rpm.version import compare

if TYPE_CHECKING:
    from velpin.files.tree import Tree

_LIST = re.compile(r"(?:\w+-)?susedata\.xml(?:\.\w+)?")
_PACKAGE = re.compile(rb"<package\b(?:(?!<package\b).)*?</package>", re.DOTALL)
_END, _LICENSE = b"</package>", b"<eula"
_LARGEST_REST = 64 << 20
"""Bytes that may be held without the end of a package among them."""

Wanted = tuple[str, str, str]
"""Name, full version, architecture."""


def find_list(tree: Tree, folders: Collection[str]) -> Path | None:
    """The installer's own copy of a source's list, in the first of its folders that has one."""
    for folder in folders:
        inside = f"{folder}/repodata"
        for name in tree.names(inside):
            if _LIST.fullmatch(name):
                return tree.path(f"{inside}/{name}")
    return None


def with_license(path: Path, wanted: Collection[Wanted]) -> list[str]:
    """Names of those of some packages about whose license the installer asks; none where the list
    cannot be read."""
    names = {name for name, _, _ in wanted}
    try:
        return sorted({name for name, version, arch in _licensed(path, names)
                       if any(_is_same((name, version, arch), one) for one in wanted)})  # fmt: skip
    except (HostFileError, OSError):
        return []


def _is_same(one: Wanted, other: Wanted) -> bool:
    return (one[0], one[2]) == (other[0], other[2]) and not compare(one[1], other[1])


def _licensed(path: Path, names: Collection[str]) -> Iterator[Wanted]:
    from xml.etree import ElementTree

    for text in _packages(path):
        if _LICENSE not in text:
            continue
        try:
            element = ElementTree.fromstring(text)
        except ElementTree.ParseError:
            continue
        version = element.find("version")
        name = element.get("name", "")
        if name in names and version is not None and element.find("eula") is not None:
            epoch = version.get("epoch", "0")
            full = f"{version.get('ver', '')}-{version.get('rel', '')}"
            yield name, full if epoch in ("", "0") else f"{epoch}:{full}", element.get("arch", "")


def _packages(path: Path) -> Iterator[bytes]:
    """The text of each package of a list."""
    rest = b""
    for piece in unpacked(path):
        rest += piece
        end = rest.rfind(_END)
        if end < 0:
            if len(rest) > _LARGEST_REST:
                raise HostFileError(path.name, 0, "a package that is far larger than any is")
            continue
        whole, rest = rest[: end + len(_END)], rest[end + len(_END) :]
        if _LICENSE in whole:
            yield from (found.group() for found in _PACKAGE.finditer(whole))
