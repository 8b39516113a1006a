"""Velpin's own store: fetched files, and parsed indexes of fetched and of foreign files.

    fetched/<source>/state.json     what was fetched, when, by whom it was signed
    fetched/<source>/<digest...>    the files it names; never changed once they are there
    parsed/<file>.index             see `index.py`
    memo/                           see `memo.py`

`state.json` is replaced in one rename, so a fetch counts whole or not at all. Everything
here can be rebuilt and may be removed at any time. A folder that is a link, belongs to
someone else or may be written to by others is not believed: it is not read, and rebuilt
before anything is written there.
"""

from __future__ import annotations

import contextlib
import json
import os
import re
import stat
import zlib
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from velpin.errors import CannotWrite, HostFileError, MissingKey, StoreError, VelpinError
from velpin.files import disk
from velpin.files.tree import Tree
from velpin.model.safe_text import bare_address, without_logins
from velpin.model.shapes import is_time
from velpin.store.index import SCHEMA, Index, Parts, Stamp, write_index

if TYPE_CHECKING:
    from velpin.store.memo import Memo

SYSTEM_STORE = "var/cache/velpin"


@dataclass(slots=True)
class Fetched:
    """One source's fetched files, as the last good fetch left them."""

    folder: Path
    address: str
    """Without any login."""
    release: str
    release_file: str = ""
    fetched: float = 0.0
    signed_by: list[str] = field(default_factory=list)
    remote: dict[str, str] = field(default_factory=dict)
    """Where the release file came from: url, etag, last_modified."""
    indexes: dict[str, str] = field(default_factory=dict)
    """File name in the folder for each index the source's configuration asks for."""
    packages_signed_by: list[str] = field(default_factory=list)
    """Keys that were verified to have signed some packages."""
    offered_keys: list[list[str]] = field(default_factory=list)
    """Address, fingerprint and owner of each key that the host's installer does not have yet."""
    dates: list[float] = field(default_factory=list)
    """When the indexes of the last good fetches were made, as they say, oldest first; each once."""

    @property
    def offered(self) -> set[str]:
        """Fingerprints of the keys that are only offered at an address."""
        return {fingerprint for _, fingerprint, _ in self.offered_keys}

    def path(self, name: str) -> Path:
        """The path of one of the folder's files."""
        return self.folder / name

    def release_bytes(self) -> bytes:
        """The text of the release file whose signature was checked; OSError where it is gone."""
        return disk.read_file(self.folder, self.release_file, _LARGEST_RELEASE)

    def put(self, name: str, data: bytes) -> None:
        """Write one of its files, whole or not at all, unless it is there."""
        if not self.path(name).exists():
            disk.write_file(self.folder, name, data, mode=disk.FILES)

    def is_whole(self) -> bool:
        """Whether all its files still are as they were fetched."""
        names = (self.release_file, *self.indexes.values())
        return all(is_as_fetched(self.path(name)) for name in names)


class FetchFailure(NamedTuple):
    """Why the last fetch of a source failed."""

    message: str
    hint: str
    kind: str
    """The kind of error, as it is called in `velpin.errors`."""
    keys: tuple[str, ...] = ()
    """Fingerprints or ids of the keys that the signature of its index names, where none of them is
    named for the source: claimed, not verified."""
    refused: tuple[bytes, bytes | None] | None = None
    """The index's head that was refused for that, and its detached signature if it has one."""

    @property
    def text(self) -> str:
        """What is told of it: what happened, then the next step."""
        return f"{self.message}\n{self.hint}".strip()


_DIGEST = re.compile(r"(?:\A|\.)([0-9a-f]{20,32})(?=\.|\Z)")
_DIGESTS = ("sha256", "sha512", "sha384", "sha224")


def is_as_fetched(path: Path) -> bool:
    """Whether a file that is called after its digest still has it; true of any other file."""
    called = _DIGEST.search(path.name)
    if called is None:
        return True
    import hashlib

    for kind in _DIGESTS:
        try:
            with path.open("rb") as file:
                digest = hashlib.file_digest(file, kind).hexdigest()
        except OSError:
            return False
        if digest.startswith(called.group(1)):
            return True
    return False


def _silently(_path: Path) -> AbstractContextManager[None]:
    return contextlib.nullcontext()


class IndexCache:
    """The store of one host: where to look, in order, and the one place to write."""

    def __init__(self, folders: Sequence[Path], *, ready_only: bool = False) -> None:
        self._folders = list(folders)
        self._ready_only = ready_only
        self._open: dict[Path, Index] = {}
        self.remade: list[str] = []
        """Folders that were rebuilt because they were not believed, and why."""
        self.fresh: list[str] = []
        """Files that were read and parsed anew through this cache."""
        self.while_parsing: Callable[[Path], AbstractContextManager[None]] = _silently
        """What is entered while a file is parsed: for those who tell of it."""

    @property
    def folders(self) -> Sequence[Path]:
        """Where to look, in order."""
        return self._folders

    @property
    def home(self) -> Path:
        """The folder that is written to; CannotWrite where there is none."""
        for folder in self._folders:
            if _may_write(folder):
                return self._own(folder)
        raise CannotWrite(
            f"no right to write {' or '.join(map(str, self._folders))}", "run it as root"
        )

    def doubts(self) -> list[str]:
        """Folders of the store that are not believed, and why."""
        inner = [(folder, *(folder / name for name in _INNER)) for folder in self._folders]
        found = [(path, disk.why_doubted(path)) for paths in inner for path in paths]
        return [f"{path} {why}" for path, why in found if why]

    def _believed(self, *inner: str) -> Iterator[Path]:
        """Folders of the store, or folders in them, that may be read."""
        for folder in self._folders:
            paths = [folder]
            for name in inner:
                paths.append(paths[-1] / name)
            if not any(map(disk.why_doubted, paths)):
                yield paths[-1]

    def _own(self, folder: Path) -> Path:
        """A folder to write to, made where it is missing or not believed."""
        try:
            doubt = disk.make_own_folder(folder)
        except OSError as problem:
            raise CannotWrite(f"{folder}: {problem.strerror}", "run it as root") from problem
        if doubt:
            self.remade.append(f"{folder} {doubt}")
        return folder

    # -- parsed indexes ------------------------------------------------------------------

    def parsed(
        self,
        path: Path,
        parts: Callable[[Path], Parts],
        stamp_of: Callable[[Path], Stamp] = Stamp.of,
        *,
        is_apart: bool = True,
    ) -> Index:
        """The parsed index of a file, made now where there is none or the file has changed;
        `stamp_of` tells that of what is no single file. What came from outside is read by a process
        without rights, unless `is_apart` is False.

        Raises HostFileError where the file cannot be read, or where nothing may be made and there
        is none.
        """
        if path in self._open:
            return self._open[path]
        try:
            stamp = stamp_of(path)
        except OSError as problem:
            raise HostFileError(str(path), 0, problem.strerror or "cannot be read") from problem
        name = f"{_short(path.name)}-{zlib.crc32(os.fsencode(path)):08x}.index"
        for folder in self._believed("parsed"):
            found = _usable(folder / name, stamp)
            if found:
                self._open[path] = found
                return found
        if self._ready_only:
            raise HostFileError(str(path), 0, "has no parsed index yet")
        self._open[path] = self._parse(path, name, stamp, parts, is_apart)
        return self._open[path]

    def _parse(
        self, path: Path, name: str, stamp: Stamp, parts: Callable[[Path], Parts], is_apart: bool
    ) -> Index:
        self.fresh.append(str(path))
        with self.while_parsing(path):
            return self._parse_now(path, name, stamp, parts, is_apart)

    def _parse_now(
        self, path: Path, name: str, stamp: Stamp, parts: Callable[[Path], Parts], is_apart: bool
    ) -> Index:
        try:
            target = self._own(self.home / "parsed") / name
            write_index(target, stamp, parts(path), path, is_apart=is_apart)
            return Index(target)
        except CannotWrite:
            import tempfile

            with tempfile.TemporaryDirectory(prefix="velpin-") as folder:
                target = Path(folder) / name
                write_index(target, stamp, parts(path), path, is_apart=is_apart)
                return Index(target)

    def memo(self, indexes: Sequence[Index]) -> Memo:
        """What was worked out from some parsed indexes before."""
        from velpin.store.memo import Memo

        is_kept = all(index.is_kept for index in indexes)
        return Memo(list(self._believed("memo")) if is_kept else [], indexes)

    # -- fetched files -------------------------------------------------------------------

    def fetched(self, address: str, release: str) -> Fetched | None:
        """The last good fetch of a source, the newest where several folders hold one."""
        folders = self._believed("fetched", _key(address, release))
        address = bare_address(address)
        found = [_read_state(folder) for folder in folders]
        good = [
            fetched
            for fetched in found
            if fetched and (fetched.address, fetched.release) == (address, release)
        ]
        return max(good, key=lambda fetched: fetched.fetched, default=None)

    def place(self, address: str, release: str) -> Fetched:
        """An empty record for a source in the folder that is written to."""
        folder = self._own(self._own(self.home / "fetched") / _key(address, release))
        return Fetched(folder, bare_address(address), release)

    def keep(self, fetched: Fetched) -> None:
        """Make a fetch count, then remove files of the source that it does not name."""
        fetched.dates = fetched.dates[-_MOST_DATES:]
        state = {name: getattr(fetched, name) for name in _STATE}
        data = json.dumps({**state, "sum": _checksum(state)}, indent=1).encode()
        disk.write_file(fetched.folder, "state.json", data, mode=disk.FILES)
        used = {fetched.release_file, "state.json", *fetched.indexes.values()}
        for name in os.listdir(fetched.folder):
            if name not in used:
                with contextlib.suppress(CannotWrite):
                    disk.remove_file(fetched.folder, name)

    def note_failure(self, address: str, release: str, problem: VelpinError) -> None:
        """Remember why the last fetch of a source failed; forgotten by the next good one."""
        said = {
            "message": problem.message, "hint": problem.hint, "kind": type(problem).__name__,
            "keys": list(problem.key_ids) if isinstance(problem, MissingKey) else [],
        }  # fmt: skip
        told = without_logins(json.dumps(said)).encode()
        folder = self.place(address, release).folder
        refused = problem.refused if isinstance(problem, MissingKey) else None
        for name, data in zip(_REFUSED, refused or (None, None), strict=True):
            if data is None or len(data) > _LARGEST_RELEASE:
                disk.remove_file(folder, name)
            else:
                disk.write_file(folder, name, data, mode=disk.FILES)
        disk.write_file(folder, _FAILURE, told, mode=disk.FILES)

    def failure(self, address: str, release: str) -> FetchFailure | None:
        """Why the last fetch of a source failed, None where it did not."""
        for folder in self._believed("fetched", _key(address, release)):
            try:
                told = json.loads(disk.read_file(folder, _FAILURE, _LARGEST_STATE))
                keys = tuple(str(key) for key in told.get("keys", ()))[:_MOST_KEYS]
                return FetchFailure(
                    str(told["message"]), str(told["hint"]), str(told.get("kind", "")), keys,
                    _refused_head(folder) if keys else None,
                )  # fmt: skip
            except (OSError, ValueError, KeyError, TypeError, AttributeError):
                continue
        return None


_FAILURE = "failure.json"
_REFUSED = ("refused.head", "refused.signature")
"""The head of an index that was signed by keys not named for it, and its detached signature."""
_MOST_KEYS = 32
_OFFERED = 3
_MOST_DATES = 12
"""So many dates of a source's indexes are remembered."""
_INNER = ("fetched", "parsed", "memo")
_LARGEST_STATE = 16 << 20
_LARGEST_RELEASE = 64 << 20
_STATE = (
    "address", "release", "release_file", "fetched", "signed_by", "remote", "indexes", "dates",
    "packages_signed_by", "offered_keys",
)  # fmt: skip


def open_cache(tree: Tree, *, ready_only: bool = False) -> IndexCache:
    """The store of a host: under its root, and the user's own cache folder; `ready_only` makes no
    parsed index anew."""
    folders = [tree.path(SYSTEM_STORE)]
    if os.geteuid() != 0:
        import platformdirs

        key = f"{zlib.crc32(os.fsencode(tree.root)):08x}"
        folders.append(platformdirs.user_cache_path("velpin") / f"{_short(str(tree.root))}-{key}")
    return IndexCache(folders, ready_only=ready_only)


def _refused_head(folder: Path) -> tuple[bytes, bytes | None] | None:
    found: list[bytes | None] = []
    for name in _REFUSED:
        try:
            found.append(disk.read_file(folder, name, _LARGEST_RELEASE))
        except OSError:
            found.append(None)
    head, signature = found
    return None if head is None else (head, signature)


def _may_write(folder: Path) -> bool:
    for place in (folder, *folder.parents):
        if place.exists():
            return os.access(place, os.W_OK | os.X_OK)
    return False


def _short(name: str) -> str:
    return re.sub(r"[^A-Za-z0-9.+-]+", "_", name)[-80:].strip("_") or "root"


def _key(address: str, release: str) -> str:
    text = f"{address} {release}"
    _, _, shown = bare_address(address).rpartition("://")
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
        state: dict[str, Any] = json.loads(disk.read_file(folder, "state.json", _LARGEST_STATE))
        if state.pop("sum") != _checksum(state):
            return None
        for name in ("dates", "packages_signed_by", "offered_keys"):
            state.setdefault(name, [])  # not kept by earlier versions
        found = Fetched(folder, **{name: state[name] for name in _STATE})
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError):
        return None
    return found if _is_sound(found) else None


def _checksum(state: Mapping[str, Any]) -> int:
    return zlib.crc32(json.dumps(state, sort_keys=True).encode())


def _is_sound(found: Fetched) -> bool:
    """Whether a record has values of the right kinds, and its files are there."""
    texts = (found.address, found.release, found.release_file)
    tables = (found.remote, found.indexes)
    if not (
        all(isinstance(text, str) for text in texts)
        and is_time(found.fetched)
        and isinstance(found.signed_by, list)
        and isinstance(found.dates, list)
        and all(is_time(date) for date in found.dates)
        and isinstance(found.packages_signed_by, list)
        and all(isinstance(key, str) for key in (*found.signed_by, *found.packages_signed_by))
        and isinstance(found.offered_keys, list)
        and all(_is_offered_key(each) for each in found.offered_keys)
        and all(isinstance(table, dict) for table in tables)
        and all(isinstance(text, str) for table in tables for text in table.values())
    ):
        return False
    names = (found.release_file, *found.indexes.values())
    return all(name and "/" not in name and _is_plain(found.folder / name) for name in names)


def _is_offered_key(told: object) -> bool:
    return (
        isinstance(told, list) and len(told) == _OFFERED and all(isinstance(t, str) for t in told)
    )


def _is_plain(path: Path) -> bool:
    try:
        return stat.S_ISREG(path.lstat().st_mode)
    except (OSError, ValueError):
        return False
