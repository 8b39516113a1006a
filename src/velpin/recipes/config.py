"""The sources of recipes of one host: a small file for each, Velpin's own.

etc/velpin/recipes/NAME.toml

address = "/srv/recipes"        a folder, an archive, or where an archive is fetched from
on = true
"""

from __future__ import annotations

import json
import tomllib
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import unquote, urlsplit

from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.model.reason import Note, Place
from velpin.model.source import Source

FOLDER = "etc/velpin/recipes"
ENDING = ".toml"
RELEASE = "recipes"
"""Stands in the store for the release that sources of packages have."""


@dataclass(frozen=True, slots=True)
class RecipeSource(Source):
    """One source of recipes."""

    file: str = ""

    @property
    def local(self) -> Path | None:
        """The folder or archive on this machine, None where it is fetched."""
        parts = urlsplit(self.address)
        if parts.scheme in ("", "file"):
            return Path(unquote(parts.path))
        return None


def file_of(handle: str) -> str:
    """The file of a source of recipes."""
    return f"{FOLDER}/{handle}{ENDING}"


def text_of(address: str, *, on: bool = True) -> bytes:
    """What that file says."""
    told = f"# added by velpin\naddress = {json.dumps(address, ensure_ascii=False)}\n"
    return f"{told}on = {'true' if on else 'false'}\n".encode()


def has_recipes(tree: Tree) -> bool:
    """Whether a host has sources of recipes."""
    return any(name.endswith(ENDING) for name in tree.names(FOLDER))


def read_sources(tree: Tree) -> tuple[list[RecipeSource], list[Note]]:
    """The sources of recipes in the order of their names, and what is wrong with files."""
    found, notes = [], []
    for name in tree.names(FOLDER):
        if not name.endswith(ENDING):
            continue
        file = f"{FOLDER}/{name}"
        try:
            found.append(_source(tree, file, name.removesuffix(ENDING)))
        except HostFileError as problem:
            notes.append(Note(Place(file, problem.line), problem.what))
    return found, notes


def _source(tree: Tree, file: str, handle: str) -> RecipeSource:
    try:
        told = tomllib.loads((tree.read(file) or b"").decode("utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as problem:
        raise HostFileError(file, 0, str(problem)) from problem
    address, on = told.get("address"), told.get("on", True)
    if not isinstance(address, str) or not address or not isinstance(on, bool):
        raise HostFileError(file, 0, "needs an address, and on = true or false")
    return RecipeSource(
        handle=handle, repository=handle, address=address, release=RELEASE, components=(),
        url=address, on=on, places=(Place(file, 0),), file=file,
    )  # fmt: skip
