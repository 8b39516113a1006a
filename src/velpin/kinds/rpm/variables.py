"""Variables in source files: `$name`, `${name}` and, where the layout knows it, defaults.

A variable that is not known stays as it is written (observed).

Observed rules: docs/how-hosts-choose/rpm.md.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping

from velpin.files.text import HostText, stripped
from velpin.files.tree import Tree
from velpin.store.name_search import nearest

_ALWAYS_SET = ("releasever", "basearch", "arch")
"""Variables that the installer sets itself."""
_USE = re.compile(r"\$(?:\{(\w+)(?::([-+])([^{}]*))?\}|(\w+))")


def substituted(text: str, variables: Mapping[str, str], *, defaults: bool = False) -> str:
    """A text with its variables put in; `defaults` where `${name:-text}` is understood."""

    def put(found: re.Match[str]) -> str:
        name = found.group(1) or found.group(4)
        mark, other = found.group(2), found.group(3)
        value = variables.get(name)
        if mark and not defaults:
            return found.group()
        if mark == "-":
            return value or other
        if mark == "+":
            return other if value else ""
        return value if value is not None else found.group()

    return _USE.sub(put, text)


def unknown_in(text: str) -> list[str]:
    """Variables that were left in a text because nothing says what they are."""
    return list(dict.fromkeys(found.group(1) or found.group(4) for found in _USE.finditer(text)))


def unset_in(text: str, known: Iterable[str]) -> Iterator[tuple[str, list[str]]]:
    """Variables in a text that nothing sets, not the installer either, each with those that may
    have been meant."""
    for name in unknown_in(text):
        if name not in _ALWAYS_SET:
            yield name, nearest(name, {*known, *_ALWAYS_SET})


def read_folder(tree: Tree, folder: str) -> dict[str, str]:
    """Variables that stand one to a file: the file's name, its first line."""
    found = {}
    for name in tree.names(folder):
        if re.fullmatch(r"\w+", name):
            lines = HostText(tree.read(f"{folder}/{name}")).lines
            found[name] = stripped(lines[0]) if lines else ""
    return found
