"""Recipes read from a folder or an archive into the index store, and asked there."""

from __future__ import annotations

import io
import os
import tarfile
import zipfile
import zlib
from collections.abc import Iterable, Iterator
from contextlib import suppress
from functools import partial
from pathlib import Path

from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked
from velpin.recipes.config import RecipeSource
from velpin.recipes.recipe import Recipe, RecipeFormat, unpack
from velpin.store.cache import IndexCache
from velpin.store.index import Batch, Index, IndexNote, IndexPart, Notes, ParsedEntry, Stamp

_IN_BLOCK = 64
_NO_ARCHIVE = (tarfile.TarError, zipfile.BadZipFile, zlib.error, RuntimeError)
"""What is raised for archives that are damaged, or locked with a password."""
_DEEPEST = 4
_LARGEST = 256 << 20
"""The most an archive may unpack to."""
_LARGEST_FILE = 256 << 20


def path_of(cache: IndexCache, source: RecipeSource) -> Path | None:
    """The folder or archive of a source; None where it is not fetched yet."""
    if source.local is not None:
        return source.local
    fetched = cache.fetched(source.address, source.release)
    return fetched.path(fetched.release_file) if fetched else None


def index_of(cache: IndexCache, path: Path, form: RecipeFormat) -> Index:
    """The parsed recipes of a folder or archive.

    Raises HostFileError where it cannot be read.
    """
    return cache.parsed(path, partial(_parts, form), partial(_stamp, form), is_apart=False)


def recipes_in(index: Index, name: str) -> list[Recipe]:
    """The recipes of a name."""
    return [unpack(index.text(row)) for row in index.rows(name)]


def providing(index: Index, name: str) -> list[Recipe]:
    """The recipes of packages that provide a name."""
    return [unpack(index.text(row)) for row in index.providers(name)]


def _stamp(form: RecipeFormat, path: Path) -> Stamp:
    """A folder has changed where a recipe came, went or was written anew."""
    if not os.path.isdir(path):
        return Stamp.of(path)
    count, newest = 0, path.stat().st_mtime_ns
    for file in _files(form, path):
        count += 1
        with suppress(OSError):  # a link to nowhere is told when it is read
            newest = max(newest, file.stat().st_mtime_ns)
    return Stamp(str(path), count, newest)


def _files(
    form: RecipeFormat, path: str | os.PathLike[str], deeper: int = _DEEPEST
) -> Iterator[os.DirEntry[str]]:
    """The files of recipes below a folder, in no order; folders that begin with a dot or may not
    be read are passed over. There may be tens of thousands, and each command goes through them."""
    try:
        entries = os.scandir(path)
    except OSError:
        return
    with entries:
        for entry in entries:
            if entry.is_dir(follow_symlinks=False):
                if deeper and not entry.name.startswith("."):
                    yield from _files(form, entry.path, deeper - 1)
            elif form.is_recipe(entry.name):
                yield entry


def _parts(form: RecipeFormat, path: Path) -> list[IndexPart]:
    return [partial(_batches, form, path)]


def _batches(form: RecipeFormat, path: Path, notes: Notes) -> Iterator[Batch]:
    held: list[Recipe] = []
    for file, data in _contents(form, path, notes):
        try:
            held += form.read(data, file)
        except HostFileError as problem:
            notes.append(IndexNote(problem.line, f"{file}: {problem.what}"))
        if len(held) >= _IN_BLOCK:
            yield _batch(form, held)
            held = []
    if held:
        yield _batch(form, held)


def _batch(form: RecipeFormat, held: Iterable[Recipe]) -> Batch:
    block = bytearray()
    entries: list[ParsedEntry] = []
    provides: list[tuple[str, int]] = []
    for at, recipe in enumerate(held):
        text = recipe.packed()
        summary = " ".join(recipe.summary.split())
        entries.append(
            ParsedEntry(recipe.name, " ".join(recipe.archs), recipe.version,
                  recipe.base if recipe.base != recipe.name else "", "", len(block), len(text),
                  summary)
        )  # fmt: skip
        block += text
        names = dict.fromkeys(name for told in recipe.provides for name in form.names(told))
        provides += [(name, at) for name in names]
    return Batch(bytes(block), entries, provides, [])


def _contents(form: RecipeFormat, path: Path, notes: Notes) -> Iterator[tuple[str, bytes]]:
    """Every file of recipes with its bytes, compressed ones unpacked."""
    if os.path.isdir(path):
        for name in sorted(entry.path for entry in _files(form, path)):
            file = Path(name)
            try:
                yield str(file.relative_to(path)), _plain(form, file)
            except (OSError, HostFileError) as problem:
                notes.append(IndexNote(0, str(problem)))
        return
    if form.is_recipe(path.name):
        yield path.name, _plain(form, path)
        return
    yield from _archived(form, path)


def _plain(form: RecipeFormat, path: Path) -> bytes:
    """A file's bytes, unpacked, as many as tell all."""
    enough = form.head_of(path.name)
    data = bytearray()
    for piece in unpacked(path):
        data += piece
        if enough is not None and len(data) >= enough:
            break
        if len(data) > _LARGEST_FILE:
            raise HostFileError(str(path), 0, f"more than {_LARGEST_FILE} bytes")
    return bytes(data)


def _archived(form: RecipeFormat, path: Path) -> Iterator[tuple[str, bytes]]:
    try:
        yield from _zipped(form, path) if zipfile.is_zipfile(path) else _tarred(form, path)
    except (*_NO_ARCHIVE, EOFError, OSError) as problem:
        raise HostFileError(str(path), 0, f"no folder, and no archive: {problem}") from problem


def _zipped(form: RecipeFormat, path: Path) -> Iterator[tuple[str, bytes]]:
    with zipfile.ZipFile(path) as opened:
        for told in opened.infolist():
            if not form.is_recipe(_last(told.filename)):
                continue
            if told.file_size > _LARGEST_FILE:
                raise HostFileError(str(path), 0, f"{told.filename} is too large")
            with opened.open(told) as file:
                yield told.filename, file.read(_enough(form, told.filename))


def _tarred(form: RecipeFormat, path: Path) -> Iterator[tuple[str, bytes]]:
    data = bytearray()
    for piece in unpacked(path):
        data += piece
        if len(data) > _LARGEST:
            raise HostFileError(str(path), 0, f"unpacks to more than {_LARGEST} bytes")
    with tarfile.open(fileobj=io.BytesIO(data)) as tar:
        for member in tar:
            file = tar.extractfile(member) if member.isfile() else None
            if file is not None and form.is_recipe(_last(member.name)):
                yield member.name.removeprefix("./"), file.read(_enough(form, member.name))


def _enough(form: RecipeFormat, name: str) -> int:
    """How many bytes of a file in an archive to read, -1 for all."""
    enough = form.head_of(_last(name))
    return -1 if enough is None else enough


def _last(name: str) -> str:
    return name.rpartition("/")[2]
