"""The catalogs that a host has: `etc/velpin/catalogs/*.toml`, each believed as its owner and its
permissions allow."""

from __future__ import annotations

import os
import time
from typing import NamedTuple

from velpin.core.catalog.format import Catalog, read_catalog
from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.model.reason import Note, Place
from velpin.ports.kind import KIND_NAMES

FOLDER = "etc/velpin/catalogs"
ENDING = ".toml"
_WRITABLE = 0o022
_ROOT = 0


class Shelf(NamedTuple):
    """All catalogs that are believed and understood, and what was found with the others."""

    catalogs: tuple[Catalog, ...]
    notes: tuple[Note, ...]
    errors: tuple[HostFileError, ...]


def read_shelf(tree: Tree) -> Shelf:
    """Every catalog of a host, by the names of their files."""
    catalogs, notes, errors = [], [], []
    for name in tree.names(FOLDER):
        file = f"{FOLDER}/{name}"
        if not name.endswith(ENDING):
            continue
        doubt = why_doubted(tree, file)
        if doubt:
            notes.append(Note(Place(file, 0), f"{doubt}: this catalog is not believed"))
            continue
        try:
            catalog = read_catalog(tree.read(file) or b"", file, list(KIND_NAMES))
        except HostFileError as problem:
            errors.append(problem)
            continue
        if catalog.has_expired(time.time()):
            note = f"expired on {catalog.expires}: this catalog is not believed"
            notes.append(Note(Place(file, 0), note))
            continue
        catalogs.append(catalog)
    return Shelf(tuple(catalogs), tuple(notes), tuple(errors))


def why_doubted(tree: Tree, file: str) -> str:
    """Why a file is not believed, empty where it is: it must be of the user who runs or of root,
    and nobody else may write it."""
    mode, found = tree.mode(file), tree.stat(file)
    if mode is not None and mode & _WRITABLE:
        return "others may write it"
    if found is not None and found.st_uid not in (_ROOT, os.geteuid()):
        return f"belongs to user {found.st_uid}"
    return ""
