"""The files of one host, seen through an overlay of edits that are not written yet.

Everything that reads a host reads it through a Tree, so a considered change is read by
the very same code as the host itself. Symbolic links are followed as the host would
follow them: an absolute target starts at the root, and `..` never leaves it. What is then read,
written or removed is opened part by part below the root, so that nothing outside is met even
where a link is put there meanwhile.
"""

from __future__ import annotations

import errno
import os
import re
import stat
from collections.abc import Mapping
from pathlib import Path

from velpin.errors import HostFileError, NotAHost
from velpin.files import disk
from velpin.files.text import HostText, stripped

Edits = Mapping[str, bytes | None]
"""New contents by file name below the root; None removes a file."""
Modes = Mapping[str, int]
"""New permission bits by file name below the root, of files whose contents may stay."""

_MOST_LINKS = 40
_LARGEST = 512 << 20
"""No file of a host that is read whole may hold more bytes."""


_NO_NAME = "[\\0\\ud800-\\udc7f\\udd00-\\udfff]"
"""Characters that no file's name can hold: the others of that range stand for single bytes."""


class Tree:
    """A host's files by name relative to its root (`etc/apt/sources.list`)."""

    __slots__ = ("_resolved", "modes", "overlay", "root")

    def __init__(
        self, root: Path, overlay: Edits | None = None, modes: Modes | None = None
    ) -> None:
        if not os.path.isdir(root):
            raise NotAHost(f"{root} is not a folder", "give the host's root with --root DIR")
        self.root = Path(os.path.realpath(root))
        self.overlay: dict[str, bytes | None] = dict(overlay or {})
        self.modes: dict[str, int] = dict(modes or {})
        self._resolved: dict[str, str] = {}

    def with_edits(self, edits: Edits, modes: Modes | None = None) -> Tree:
        """The same host as it would be after `edits` (None removes a file) and new `modes`."""
        found = Tree(self.root, {**self.overlay, **edits}, {**self.modes, **(modes or {})})
        found._resolved = self._resolved
        return found

    def path(self, name: str) -> Path:
        """The real path behind `name`, links resolved inside the root.

        Raises HostFileError where links go in a circle.
        """
        return self.root / self.resolved(name)

    def resolved(self, name: str) -> str:
        """The name below the root that `name` means, with no link in it.

        Raises HostFileError where links go in a circle.
        """
        if name in self._resolved:
            return self._resolved[name]
        if "\0" in name or not name.isascii():  # no file is called so, and no call takes it
            name = re.sub(_NO_NAME, "\ufffd", name)
        root, links = str(self.root), 0
        head, slash, tail = name.strip("/").rpartition("/")
        start = self.resolved(head) if slash else ""
        here = start.split("/") if start else []
        todo = [tail] if tail not in ("", ".") else []
        while todo:
            part = todo.pop()
            if part == "..":
                here = here[:-1]
                continue
            target = _read_link(os.path.join(root, *here, part))
            if target is None:
                here.append(part)
                continue
            links += 1
            if links > _MOST_LINKS:
                raise HostFileError(name, 0, "symbolic links go in a circle")
            if target.startswith("/"):
                here = []
            todo += [piece for piece in reversed(target.split("/")) if piece not in ("", ".")]
        found = "/".join(here)
        self._resolved[name] = found
        return found

    def read(self, name: str) -> bytes | None:
        """The bytes of a file, None where there is none.

        Raises HostFileError where it is there and cannot be read.
        """
        if name in self.overlay:
            return self.overlay[name]
        try:
            return disk.read_file(self.root, self.resolved(name), _LARGEST)
        except (FileNotFoundError, NotADirectoryError, IsADirectoryError):
            return None
        except OSError as found:
            raise HostFileError(name, 0, _why(found)) from found

    def write(
        self,
        name: str,
        data: bytes,
        *,
        mode: int | None = None,
        owner: tuple[int, int] | None = None,
        attributes: disk.Attributes | None = None,
    ) -> None:
        """Put a file on disk, whole or not at all, where links lead; CannotWrite leaves what was
        there."""
        disk.write_file(
            self.root, self.resolved(name), data, mode=mode, owner=owner, attributes=attributes
        )

    def remove(self, name: str) -> None:
        """Remove a file from disk, a link itself and not where it leads; one that is not there is
        no error."""
        disk.remove_file(self.root, self.place(name))

    def write_link(self, name: str, target: str) -> None:
        """Make a symbolic link with a text as its target; CannotWrite leaves what was there."""
        disk.write_link(self.root, self.place(name), target)
        self._resolved.clear()

    def place(self, name: str) -> str:
        """Where a name itself is, below the root: links of its folders are followed, its own is
        not."""
        head, slash, tail = name.strip("/").rpartition("/")
        folder = self.resolved(head) if slash else ""
        return f"{folder}/{tail}" if folder else tail

    def link(self, name: str) -> str | None:
        """The target of a symbolic link as it is written; None for anything else."""
        return _read_link(str(self.root / self.place(name)))

    def attributes(self, name: str) -> disk.Attributes:
        """The extended attributes of a file."""
        return disk.read_attributes(self.root, self.resolved(name))

    def remove_empty_folder(self, name: str) -> None:
        """Remove a folder from disk where it is empty."""
        disk.remove_empty_folder(self.root, self.resolved(name))

    def clear_parts(self, name: str) -> None:
        """Remove what a kill left of a file that was being written."""
        disk.clear_parts(self.root, self.resolved(name))

    def names(self, folder: str) -> list[str]:
        """Names of the files in a folder in byte order; folders and the like are left out.

        Raises HostFileError where it cannot be read."""
        found: dict[str, None] = {}
        try:
            with os.scandir(self.path(folder)) as entries:
                found = {entry.name: None for entry in entries if self._is_file(folder, entry)}
        except (FileNotFoundError, NotADirectoryError):
            pass
        except OSError as problem:
            raise HostFileError(folder, 0, _why(problem)) from problem
        for name, text in self.overlay.items():
            head, _, tail = name.rpartition("/")
            if head == folder:
                if text is None:
                    found.pop(tail, None)
                else:
                    found[tail] = None
        return sorted(found, key=os.fsencode)

    def folders(self, folder: str) -> list[str]:
        """Names of the folders in a folder in byte order; those of files not written yet too.

        Raises HostFileError where it cannot be read."""
        found: dict[str, None] = {}
        try:
            with os.scandir(self.path(folder)) as entries:
                found = {entry.name: None for entry in entries if self._is_folder(folder, entry)}
        except (FileNotFoundError, NotADirectoryError):
            pass
        except OSError as problem:
            raise HostFileError(folder, 0, _why(problem)) from problem
        head = "" if folder in ("", ".") else f"{folder}/"
        for name, text in self.overlay.items():
            inner, slash, _ = name.removeprefix(head).partition("/")
            if name.startswith(head) and slash and text is not None:
                found[inner] = None
        return sorted(found, key=os.fsencode)

    def _is_file(self, folder: str, entry: os.DirEntry[str]) -> bool:
        if entry.is_symlink():
            return os.path.isfile(self.path(f"{folder}/{entry.name}"))
        return entry.is_file(follow_symlinks=False)

    def _is_folder(self, folder: str, entry: os.DirEntry[str]) -> bool:
        if entry.is_symlink():
            return os.path.isdir(self.path(f"{folder}/{entry.name}"))
        return entry.is_dir(follow_symlinks=False)

    def stat(self, name: str) -> os.stat_result | None:
        """The file's status, None where there is none on disk."""
        try:
            found = os.lstat(self.path(name))
        except OSError:
            return None
        return found if stat.S_ISREG(found.st_mode) else None

    def mode(self, name: str) -> int | None:
        """The permission bits of a file, links followed; None where there is none."""
        if name in self.overlay and self.overlay[name] is None:
            return None
        if name in self.modes:
            return self.modes[name]
        found = self.stat(name)
        if found is None:
            return disk.FILES if name in self.overlay else None
        return found.st_mode & 0o7777

    def exists(self, name: str) -> bool:
        """Whether the file or folder is there."""
        if name in self.overlay:
            return self.overlay[name] is not None
        inner = f"{name}/"
        written = any(
            file.startswith(inner) and data is not None for file, data in self.overlay.items()
        )
        return written or os.path.exists(self.path(name))


def read_release_fields(tree: Tree) -> dict[str, str]:
    """The fields of etc/os-release, quotes taken off."""
    data = tree.read("etc/os-release") or tree.read("usr/lib/os-release") or b""
    fields = {}
    for line in HostText(data).lines:
        name, equals, value = stripped(line).partition("=")
        if equals and not name.startswith("#"):
            fields[name] = value.strip("\"'")
    return fields


def _read_link(path: str) -> str | None:
    try:
        return os.readlink(path)
    except OSError:
        return None


def _why(problem: OSError) -> str:
    if problem.errno in (errno.EACCES, errno.EPERM):
        return "no right to read it"
    return problem.strerror or "cannot be read"
