"""Long descriptions, which an archive may keep apart from its indexes, in lists by language."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked
from velpin.kinds.deb.control import parse_stanza
from velpin.kinds.deb.stanzas import stanzas_of

if TYPE_CHECKING:
    from velpin.files.tree import Tree

_LIST = "_i18n_Translation-en"
"""What stands in the name of such a list in place of the architecture's index."""


def long_description(tree: Tree, indexes: Iterable[Path], fields: Mapping[str, str]) -> str:
    """The description of a package in the lists beside some indexes, by the checksum that its
    stanza has of it; empty where none has it or can be read."""
    wanted = fields.get("description-md5", "")
    if not wanted:
        return ""
    name = fields.get("package", "").encode()
    for path in _lists_beside(tree, indexes):
        try:
            for stanza in stanzas_of(unpacked(path)):
                if name in stanza and wanted.encode() in stanza:
                    found = parse_stanza(stanza)
                    if found.get("description-md5") == wanted:
                        return found.get("description-en", "")
        except (HostFileError, OSError):
            continue
    return ""


def _lists_beside(tree: Tree, indexes: Iterable[Path]) -> Iterable[Path]:
    """The lists of descriptions of the same components, each once."""
    for folder, start in dict.fromkeys(map(_start_of, indexes)):
        if not start or not folder.is_relative_to(tree.root):
            continue
        inside = str(folder.relative_to(tree.root))
        for name in tree.names(inside):
            if name.startswith(start + _LIST):
                yield tree.path(f"{inside}/{name}")


def _start_of(index: Path) -> tuple[Path, str]:
    """The folder of an index and what its name has before the architecture."""
    start, mark, _ = index.name.partition("_binary-")
    return index.parent, start if mark else ""
