"""Velpin's own store: fetched files, and parsed indexes of fetched and of foreign files.

    fetched/<source>/state.json     what was fetched, when, by whom it was signed
    fetched/<source>/<digest...>    the files it names; never changed once they are there
    parsed/<file>.index             see `index.py`
    memo/                           see `memo.py`

`state.json` is replaced in one rename, so a fetch counts whole or not at all. Everything
here can be made anew and may be removed at any time.
"""

from __future__ import annotations

import json
import os
import re
import zlib
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

from velpin.errors import CannotWrite, HostFileError, StoreError
from velpin.store.index import SCHEMA, Index, Part, Stamp, write_index
from velpin.tree import Tree

if TYPE_CHECKING:
    from velpin.store.memo import Memo

SYSTEM_STORE = "var/cache/velpin"


@dataclass(slots=True)
class Fetched:
    """One source's fetched files, as the last good fetch left them."""

    folder: Path
    address: str
    release: str
    release_file: str = ""
    fetched: float = 0.0
    signed_by: list[str] = field(default_factory=list)
    remote: dict[str, str] = field(default_factory=dict)
    """Where the release file came from: url, etag, last_modified."""
    indexes: dict[str, str] = field(default_factory=dict)
    """File name in the folder for each index the source's configuration asks for."""

    def path(self, name: str) -> Path:
        """The path of one of the folder's files."""
        return self.folder / name

    def release_bytes(self) -> bytes:
        """The text of the release file whose signature was checked."""
        return self.path(self.release_file).read_bytes()


class Shelf:
    """The store of one host: where to look, in order, and the one place to write."""

    def __init__(self, folders: Sequence[Path]) -> None:
        self._folders = list(folders)
        self._open: dict[Path, Index] = {}
        self.fresh: list[str] = []
        """Files that were read and parsed anew through this shelf."""

    @property
    def home(self) -> Path:
        """The folder that is written to."""
        for folder in self._folders:
            if _may_write(folder):
                return folder
        raise CannotWrite(
            f"no right to write {' or '.join(map(str, self._folders))}", "run it as root"
        )

    # -- parsed indexes ------------------------------------------------------------------

    def parsed(
        self,
        path: Path,
        parts: Callable[[Path], list[Part]],
        stamp_of: Callable[[Path], Stamp] = Stamp.of,
    ) -> Index:
        """The parsed index of a file, made now where there is none or the file has changed;
        `stamp_of` tells that of what is no single file.

        Raises HostFileError where the file cannot be read.
        """
        if path in self._open:
            return self._open[path]
        try:
            stamp = stamp_of(path)
        except OSError as problem:
            raise HostFileError(str(path), 0, problem.strerror or "cannot be read") from problem
        name = f"{_short(path.name)}-{zlib.crc32(os.fsencode(path)):08x}.index"
        for folder in self._folders:
            found = _usable(folder / "parsed" / name, stamp)
            if found:
                self._open[path] = found
                return found
        self._open[path] = self._parse(path, name, stamp, parts)
        return self._open[path]

    def _parse(
        self, path: Path, name: str, stamp: Stamp, parts: Callable[[Path], list[Part]]
    ) -> Index:
        self.fresh.append(str(path))
        try:
            target = self.home / "parsed" / name
            write_index(target, stamp, parts(path))
            return Index(target)
        except CannotWrite:
            import tempfile

            with tempfile.TemporaryDirectory(prefix="velpin-") as folder:
                target = Path(folder) / name
                write_index(target, stamp, parts(path))
                return Index(target)

    def memo(self, indexes: Sequence[Index]) -> Memo:
        """What was worked out from some parsed indexes before."""
        from velpin.store.memo import Memo

        return Memo(self._folders, indexes)

    # -- fetched files -------------------------------------------------------------------

    def fetched(self, address: str, release: str) -> Fetched | None:
        """The last good fetch of a source, the newest where several folders hold one."""
        found = [
            _read_state(folder / "fetched" / _key(address, release)) for folder in self._folders
        ]
        good = [one for one in found if one and (one.address, one.release) == (address, release)]
        return max(good, key=lambda one: one.fetched, default=None)

    def place(self, address: str, release: str) -> Fetched:
        """An empty record for a source in the folder that is written to."""
        return Fetched(self.home / "fetched" / _key(address, release), address, release)

    def keep(self, fetched: Fetched) -> None:
        """Make a fetch count, then remove files of the source that it does not name."""
        from velpin.change.disk import write_file

        state = {name: getattr(fetched, name) for name in _STATE}
        write_file(fetched.path("state.json"), json.dumps(state, indent=1).encode(), mode=0o644)
        used = {fetched.release_file, "state.json", *fetched.indexes.values()}
        for entry in fetched.folder.iterdir():
            if entry.name not in used and not entry.name.endswith(".lock"):
                entry.unlink(missing_ok=True)

    def note_failure(self, address: str, release: str, message: str, hint: str) -> None:
        """Remember why the last fetch of a source failed; forgotten by the next good one."""
        from velpin.change.disk import write_file

        path = self.place(address, release).path(_FAILURE)
        write_file(path, json.dumps({"message": message, "hint": hint}).encode(), mode=0o644)

    def failure(self, address: str, release: str) -> str:
        """Why the last fetch of a source failed, empty where it did not."""
        for folder in self._folders:
            try:
                path = folder / "fetched" / _key(address, release) / _FAILURE
                told = json.loads(path.read_bytes())
                return f"{told['message']}\n{told['hint']}".strip()
            except (OSError, ValueError, KeyError, TypeError):
                continue
        return ""


_FAILURE = "failure.json"
_STATE = ("address", "release", "release_file", "fetched", "signed_by", "remote", "indexes")


def open_shelf(tree: Tree) -> Shelf:
    """The store of a host: under its root, and the user's own cache folder."""
    folders = [tree.path(SYSTEM_STORE)]
    if os.geteuid() != 0:
        import platformdirs

        key = f"{zlib.crc32(os.fsencode(tree.root)):08x}"
        folders.append(platformdirs.user_cache_path("velpin") / f"{_short(str(tree.root))}-{key}")
    return Shelf(folders)


def _may_write(folder: Path) -> bool:
    for place in (folder, *folder.parents):
        if place.exists():
            return os.access(place, os.W_OK | os.X_OK)
    return False


def _short(name: str) -> str:
    return re.sub(r"[^A-Za-z0-9.+-]+", "_", name)[-80:].strip("_") or "root"


def _key(address: str, release: str) -> str:
    text = f"{address} {release}"
    _, _, shown = address.rpartition("://")
    return f"{_short(shown + '_' + release)}-{zlib.crc32(text.encode('utf-8', 'replace')):08x}"


def _usable(path: Path, stamp: Stamp) -> Index | None:
    if not path.exists():
        return None
    try:
        found = Index(path)
    except StoreError:
        return None
    return found if found.schema == SCHEMA and found.stamp == stamp else None


def _read_state(folder: Path) -> Fetched | None:
    try:
        state: dict[str, Any] = json.loads((folder / "state.json").read_bytes())
        found = Fetched(folder, **{name: state[name] for name in _STATE})
    except (OSError, ValueError, KeyError, TypeError):
        return None
    names = (found.release_file, *found.indexes.values())
    return found if all((folder / name).is_file() for name in names) else None
