"""Writing files so that a reader, a crash or a full disk never meets half of one, and so that
nothing is written, read or removed by way of a link that somebody planted.

A new file is written beside the old one under a name nobody can guess, synced, and renamed over
it; then the folder is synced. Folders are opened one part after the other below a base folder,
and no part may be a link: what links mean on a host is worked out before (`tree.py`).
"""

from __future__ import annotations

import contextlib
import os
import re
import stat
from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import IO

from velpin.errors import CannotWrite

Attributes = Mapping[str, bytes]
"""Extended attributes of a file, access lists among them, by their full names."""

_FOLDER = os.O_RDONLY | os.O_DIRECTORY | os.O_NOFOLLOW | os.O_CLOEXEC
_NEW = os.O_RDWR | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC
_READ = os.O_RDONLY | os.O_NOFOLLOW | os.O_NONBLOCK | os.O_CLOEXEC
_PART = re.compile(r"\..+\.[0-9a-f]{16}\.velpin-part\Z", re.DOTALL)
FOLDERS = 0o755
FILES = 0o644
_ROOT = 0


def write_file(
    base: Path,
    name: str,
    data: bytes,
    *,
    mode: int | None = None,
    owner: tuple[int, int] | None = None,
    attributes: Attributes | None = None,
    folders: int = FOLDERS,
) -> None:
    """Put `data` at `name` below `base`, whole or not at all; missing folders are made.

    `mode`, `owner` (user id, group id) and extended `attributes` default to those of the file
    that is there, else 0644, the writer's own and none; `folders` is the mode of folders that are
    made, whatever the umask. CannotWrite leaves the old file as it was.
    """
    with _translated(base, name), opened_folder(base, name, make=folders) as (folder, last):
        before = _status(folder, last)
        if mode is None:
            mode = before.st_mode & 0o7777 if before else FILES
        if owner is None and before:
            owner = (before.st_uid, before.st_gid)
        if attributes is None:
            attributes = _attributes_in(folder, last) if before else {}
        part = part_of(last)
        try:
            _write_new(folder, part, data, mode, owner, attributes)
            os.replace(part, last, src_dir_fd=folder, dst_dir_fd=folder)
            os.fsync(folder)
        finally:
            with contextlib.suppress(OSError):
                os.unlink(part, dir_fd=folder)


def part_of(name: str) -> str:
    """A name beside a file under which it is written first; a kill may leave it there."""
    return f".{name[:200]}.{os.urandom(8).hex()}.velpin-part"


def clear_parts(base: Path, name: str) -> None:
    """Remove what kills left of files in the folder of `name`, which nobody else writes to now."""
    try:
        with opened_folder(base, name) as (folder, _):
            for left in os.listdir(folder):
                if _PART.match(left):
                    with contextlib.suppress(OSError):
                        os.unlink(left, dir_fd=folder)
    except OSError:
        return


def read_file(base: Path, name: str, most: int) -> bytes:
    """The bytes of a plain file below `base`.

    Raises FileNotFoundError or another OSError where it cannot be read, is no plain file, has a
    link in its way, or is larger than `most` bytes.
    """
    with open_plain(base, name) as file:
        if os.fstat(file.fileno()).st_size > most:
            raise OSError(0, f"is larger than {most} bytes")
        return file.read(most + 1)


@contextlib.contextmanager
def open_plain(base: Path, name: str) -> Iterator[IO[bytes]]:
    """A plain file below `base`, open for reading.

    Raises OSError where it cannot be read, is no plain file, or has a link in its way.
    """
    with opened_folder(base, name) as (folder, last):
        handle = os.open(last, _READ, dir_fd=folder)
    with os.fdopen(handle, "rb") as file:
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            raise OSError(0, "is no plain file")
        yield file


def write_link(base: Path, name: str, target: str) -> None:
    """Make a symbolic link at `name` below `base`, in place of what is there."""
    with _translated(base, name), opened_folder(base, name, make=FOLDERS) as (folder, last):
        part = part_of(last)
        try:
            os.symlink(target, part, dir_fd=folder)
            os.replace(part, last, src_dir_fd=folder, dst_dir_fd=folder)
            os.fsync(folder)
        finally:
            with contextlib.suppress(OSError):
                os.unlink(part, dir_fd=folder)


def read_attributes(base: Path, name: str) -> Attributes:
    """The extended attributes of a plain file below `base`; none where it has none, or where
    they cannot be told."""
    try:
        with opened_folder(base, name) as (folder, last):
            return _attributes_in(folder, last)
    except OSError:
        return {}


def _attributes_in(folder: int, name: str) -> Attributes:
    try:
        handle = os.open(name, _READ, dir_fd=folder)
    except OSError:
        return {}
    try:
        return {each: os.getxattr(handle, each) for each in os.listxattr(handle)}
    except OSError:
        return {}
    finally:
        os.close(handle)


def _set_attributes(handle: int, attributes: Attributes) -> None:
    """Set extended attributes; what the system itself keeps (labels) is left where it refuses."""
    for name, value in attributes.items():
        try:
            os.setxattr(handle, name, value)
        except OSError:
            if not name.startswith("security."):
                raise


def remove_file(base: Path, name: str) -> None:
    """Remove a file; one that is not there is no error."""
    with (
        _translated(base, name),
        contextlib.suppress(FileNotFoundError),
        opened_folder(base, name) as (folder, last),
    ):
        os.unlink(last, dir_fd=folder)
        os.fsync(folder)


def rename_file(base: Path, name: str, new: str) -> None:
    """Give a file another name in its folder, in place of what is called so."""
    with _translated(base, name), opened_folder(base, name) as (folder, last):
        os.replace(last, new, src_dir_fd=folder, dst_dir_fd=folder)
        os.fsync(folder)


def remove_empty_folder(base: Path, name: str) -> None:
    """Remove a folder where it is empty; leave it where it is not."""
    with contextlib.suppress(OSError), opened_folder(base, name) as (folder, last):
        os.rmdir(last, dir_fd=folder)


@contextlib.contextmanager
def opened_folder(base: Path, name: str, *, make: int | None = None) -> Iterator[tuple[int, str]]:
    """The folder in which `name` lies, open, and the last part of the name; `make` is the mode
    of folders that are missing. OSError where one is a link or cannot be opened."""
    *parts, last = name.split("/")
    here = os.open(base, _FOLDER & ~os.O_NOFOLLOW) if make is None else _made_base(base, make)
    try:
        for part in parts:
            if make is not None:
                _make_folder(here, part, make)
            inner = os.open(part, _FOLDER, dir_fd=here)
            os.close(here)
            here = inner
        yield here, last
    finally:
        os.close(here)


def _made_base(base: Path, mode: int) -> int:
    if not base.exists():
        parent = _made_base(base.parent, mode)
        try:
            _make_folder(parent, base.name, mode)
        finally:
            os.close(parent)
    return os.open(base, _FOLDER & ~os.O_NOFOLLOW)


def _make_folder(here: int, part: str, mode: int) -> None:
    with contextlib.suppress(FileExistsError):
        os.mkdir(part, 0o700, dir_fd=here)
        made = os.open(part, _FOLDER, dir_fd=here)
        try:
            os.fchmod(made, mode)
        finally:
            os.close(made)
        os.fsync(here)


def _status(folder: int, name: str) -> os.stat_result | None:
    try:
        return os.stat(name, dir_fd=folder, follow_symlinks=False)
    except FileNotFoundError:
        return None


def _write_new(
    folder: int, part: str, data: bytes, mode: int, owner: tuple[int, int] | None,
    attributes: Attributes,
) -> None:  # fmt: skip
    handle = os.open(part, _NEW, 0o600, dir_fd=folder)
    with os.fdopen(handle, "wb") as file:
        file.write(data)
        file.flush()
        if owner and owner != (os.geteuid(), os.getegid()):
            os.fchown(handle, *owner)
        os.fchmod(handle, mode)
        if attributes:
            _set_attributes(handle, attributes)
            os.fchmod(handle, mode)  # an access list brings group bits of its own
        os.fsync(handle)


@contextlib.contextmanager
def _translated(base: Path, name: str) -> Iterator[None]:
    try:
        yield
    except OSError as problem:
        raise CannotWrite(f"{base / name}: {problem.strerror}") from problem


# -- folders of Velpin's own ---------------------------------------------------------------


def why_doubted(path: Path) -> str:
    """Why what lies in a folder of Velpin's own is not believed, empty where it is, or where
    there is none: it must be a folder, of the user who runs or of root, that nobody else may
    write to."""
    try:
        found = path.lstat()
    except OSError:
        return ""
    if not stat.S_ISDIR(found.st_mode):
        return "is not a folder"
    if found.st_uid not in (_ROOT, os.geteuid()):
        return f"belongs to user {found.st_uid}"
    return "may be written to by others" if found.st_mode & 0o022 else ""


def make_own_folder(path: Path, mode: int = FOLDERS) -> str:
    """Make a folder of Velpin's own, anew where the one that is there is not believed: why it
    was not, else an empty text. OSError where that cannot be."""
    doubt = why_doubted(path)
    if doubt:
        import shutil

        if path.is_symlink() or not path.is_dir():
            path.unlink()
        else:
            shutil.rmtree(path)
    if not path.exists():
        path.parent.mkdir(parents=True, exist_ok=True)
        with contextlib.suppress(FileExistsError):  # another thread was faster
            path.mkdir(mode=0o700)
    found = path.stat()
    if found.st_uid == os.geteuid() and found.st_mode & 0o7777 != mode:
        path.chmod(mode)
    return doubt


def open_new(path: Path) -> IO[bytes]:
    """A new file that nothing is called yet, to be written; FileExistsError where something is."""
    handle = os.open(path, _NEW, 0o600)
    os.fchmod(handle, FILES)
    return os.fdopen(handle, "wb")


def open_again(path: Path, *, more: bool) -> IO[bytes]:
    """A file of one's own to be written, at its end where `more`; anything that is no plain file
    of the user who runs is removed first."""
    found = None
    with contextlib.suppress(FileNotFoundError):
        found = path.lstat()
    if found and not (
        more
        and stat.S_ISREG(found.st_mode)
        and found.st_uid == os.geteuid()
        and found.st_nlink == 1
    ):
        path.unlink()
        found = None
    if found is None:
        return open_new(path)
    handle = os.open(path, os.O_WRONLY | os.O_APPEND | os.O_NOFOLLOW | os.O_CLOEXEC)
    return os.fdopen(handle, "ab")


def temporary_for(path: Path) -> Path:
    """A path beside another under which it may be written first."""
    return path.with_name(part_of(path.name))
