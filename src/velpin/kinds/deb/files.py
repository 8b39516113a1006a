"""Which files of a configuration folder the host's installer reads, and why it skips others.

Observed rules: docs/how-hosts-choose/deb.md.
"""

from __future__ import annotations

import re

from velpin.files.tree import Tree

_PLAIN_NAME = re.compile(r"[A-Za-z0-9_.:-]+\Z")


def why_skipped(name: str, extensions: tuple[str, ...], *, bare: bool) -> str:
    """Why a file name is passed over, empty where it is read (observed)."""
    if name.startswith("."):
        return "hidden file"
    if not _PLAIN_NAME.match(name):
        return "its name has characters that the host's installer does not accept"
    stem, dot, extension = name.rpartition(".")
    if not dot:
        return "" if bare else "no extension"
    if extension not in extensions:
        return f"extension .{extension} is not read"
    return "" if stem else "hidden file"


def read_and_skipped(
    tree: Tree, folder: str, extensions: tuple[str, ...], *, bare: bool
) -> tuple[list[str], list[tuple[str, str]]]:
    """Names below a folder that are read, in byte order, and those skipped with the reason."""
    read: list[str] = []
    skipped: list[tuple[str, str]] = []
    for name in tree.names(folder):
        why = why_skipped(name, extensions, bare=bare)
        if why:
            skipped.append((f"{folder}/{name}", why))
        else:
            read.append(f"{folder}/{name}")
    return read, skipped
