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
from velpin.kinds.rpm.filelists import entries_with
from velpin.kinds.rpm.listed import evr_of
from velpin.kinds.rpm.version import compare

if TYPE_CHECKING:
    from velpin.files.tree import Tree

_LIST = re.compile(r"(?:\w+-)?susedata\.xml(?:\.\w+)?")
_LICENSE = b"<eula"

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

    for text in entries_with(path, _LICENSE):
        try:
            element = ElementTree.fromstring(text)
        except ElementTree.ParseError:
            continue
        version = element.find("version")
        name = element.get("name", "")
        if name in names and version is not None and element.find("eula") is not None:
            yield name, evr_of(version), element.get("arch", "")
