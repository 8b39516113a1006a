"""The record as an SQLite database.

table Packages   hnum, blob - one package header each (see `header`)
"""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.errors import HostFileError

if TYPE_CHECKING:
    import sqlite3


MAGIC = b"SQLite format 3\0"


def blobs(path: Path) -> Iterator[tuple[int, bytes]]:
    """Number and header of every package.

    Raises HostFileError where the database is damaged.
    """
    import sqlite3
    import tempfile

    try:
        with (
            tempfile.TemporaryDirectory(prefix="velpin-") as folder,
            closing(_opened(path, Path(folder))) as found,
        ):
            for number, blob in found.execute("SELECT hnum, blob FROM Packages ORDER BY hnum"):
                if not isinstance(blob, bytes):
                    raise HostFileError(str(path), 0, f"package {number} has no header")
                yield number, blob
    except sqlite3.Error as problem:
        raise HostFileError(str(path), 0, f"a damaged database: {problem}") from problem


def log_of(path: Path) -> Path:
    """Where its write-ahead log lies, while there is one: what was written last stands there."""
    return path.with_name(path.name + "-wal")


def _opened(path: Path, folder: Path) -> sqlite3.Connection:
    """Opened without writing beside it; with its write-ahead log, where one is there."""
    import shutil
    import sqlite3

    log = log_of(path)
    if log.is_file() and not log.is_symlink() and log.stat().st_size:
        copy = folder / path.name
        shutil.copyfile(path, copy)
        shutil.copyfile(log, log_of(copy))
        return sqlite3.connect(copy)
    quoted = str(path).replace("%", "%25").replace("?", "%3f").replace("#", "%23")
    return sqlite3.connect(f"file:{quoted}?mode=ro&immutable=1", uri=True)
