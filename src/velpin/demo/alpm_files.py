"""Writes what an alpm host and its repositories consist of: lists, the record, packages."""

from __future__ import annotations

import gzip
import hashlib
import io
import lzma
import tarfile
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

_WRITTEN = 1_790_000_000
"""When all files inside archives were written, in seconds since 1970."""


def _zstd(data: bytes) -> bytes:
    try:
        from compression import zstd  # type: ignore[import-not-found,unused-ignore]
    except ImportError:
        from backports import zstd
    return zstd.compress(data)  # type: ignore[no-any-return,unused-ignore]


PACKERS: Mapping[str, Callable[[bytes], bytes]] = {
    "": bytes, "gz": lambda data: gzip.compress(data, mtime=0), "xz": lzma.compress, "zst": _zstd,
}  # fmt: skip


@dataclass(frozen=True)
class DemoArchive:
    """One made-up package; relations as texts (`name>=1.0`), sizes in bytes."""

    name: str
    version: str = "1.0-1"
    arch: str = "x86_64"
    summary: str = ""
    depends: tuple[str, ...] = ()
    provides: tuple[str, ...] = ()
    conflicts: tuple[str, ...] = ()
    replaces: tuple[str, ...] = ()
    optional: tuple[str, ...] = ()
    groups: tuple[str, ...] = ()
    files: tuple[str, ...] = ()
    size: int = 10_000
    disk: int = 30_000
    built: int = 1_700_000_000
    as_dependency: bool = False
    """Whether, where it is installed, another brought it in."""
    homepage: str = ""
    license: tuple[str, ...] = ()
    base: str = ""
    """What it was built with, where that is called otherwise."""

    @property
    def folder(self) -> str:
        """Its folder in lists and in the record."""
        return f"{self.name}-{self.version}"

    @property
    def file(self) -> str:
        """The name of its file."""
        return f"{self.folder}-{self.arch}.pkg.tar.gz"

    def relations(self) -> Iterator[tuple[str, Sequence[str]]]:
        """Its lists, by field."""
        yield "GROUPS", self.groups
        yield "REPLACES", self.replaces
        yield "DEPENDS", self.depends
        yield "OPTDEPENDS", self.optional
        yield "CONFLICTS", self.conflicts
        yield "PROVIDES", self.provides


def _fields(told: Iterable[tuple[str, Sequence[str]]]) -> bytes:
    return "".join(
        f"%{name}%\n" + "".join(f"{value}\n" for value in values) + "\n"
        for name, values in told
        if values
    ).encode()


def desc(one: DemoArchive) -> bytes:
    """What a list says of a package."""
    digest = hashlib.sha256(one.file.encode()).hexdigest()
    return _fields(
        [
            ("FILENAME", [one.file]), ("NAME", [one.name]), ("BASE", [one.base or one.name]),
            ("VERSION", [one.version]), ("DESC", [one.summary] if one.summary else []),
            ("CSIZE", [str(one.size)]), ("ISIZE", [str(one.disk)]), ("SHA256SUM", [digest]),
            ("ARCH", [one.arch]), ("BUILDDATE", [str(one.built)]),
            ("URL", [one.homepage] if one.homepage else []), ("LICENSE", one.license),
            ("PACKAGER", ["Harbour Crew <crew@mooring.example>"]), *one.relations(),
        ]
    )  # fmt: skip


def archive(files: Iterable[tuple[str, bytes]]) -> bytes:
    """Some files as an archive; folders come before what is in them."""
    out = io.BytesIO()
    seen: set[str] = set()
    with tarfile.open(fileobj=out, mode="w", format=tarfile.PAX_FORMAT) as tar:
        for name, data in files:
            folder = name.rpartition("/")[0]
            if folder and folder not in seen:
                seen.add(folder)
                head = tarfile.TarInfo(folder)
                head.type, head.mode, head.mtime = tarfile.DIRTYPE, 0o755, _WRITTEN
                tar.addfile(head)
            head = tarfile.TarInfo(name)
            head.size, head.mtime = len(data), _WRITTEN
            tar.addfile(head, io.BytesIO(data))
    return out.getvalue()


def write_alpm_repository(
    folder: Path,
    name: str,
    packages: Sequence[DemoArchive],
    *,
    packed: str = "gz",
    sign: Callable[[bytes], bytes] | None = None,
    with_files: bool = False,
) -> Path:
    """Write a repository's list, signed where a signer is given. Gives its folder."""
    folder.mkdir(parents=True, exist_ok=True)
    lists = {"db": [(f"{archive.folder}/desc", desc(archive)) for archive in packages]}
    if with_files:
        lists["files"] = [
            *lists["db"],
            *(
                (f"{archive.folder}/files", _fields([("FILES", archive.files)]))
                for archive in packages
            ),
        ]
    for ending, files in lists.items():
        data = PACKERS[packed](archive(files))
        (folder / f"{name}.{ending}").write_bytes(data)
        if sign:
            (folder / f"{name}.{ending}.sig").write_bytes(sign(data))
    return folder


def write_alpm_record(folder: Path, packages: Iterable[DemoArchive]) -> None:
    """Write the record of installed packages."""
    folder.mkdir(parents=True, exist_ok=True)
    (folder / "ALPM_DB_VERSION").write_text("9\n")
    for archive in packages:
        place = folder / archive.folder
        place.mkdir(exist_ok=True)
        (place / "files").write_bytes(_fields([("FILES", archive.files)]))
        (place / "desc").write_bytes(
            _fields(
                [
                    ("NAME", [archive.name]), ("VERSION", [archive.version]),
                    ("BASE", [archive.base or archive.name]), ("ARCH", [archive.arch]),
                    ("DESC", [archive.summary] if archive.summary else []),
                    ("URL", [archive.homepage] if archive.homepage else []),
                    ("LICENSE", archive.license),
                    ("BUILDDATE", [str(archive.built)]), ("INSTALLDATE", [str(archive.built)]),
                    ("SIZE", [str(archive.disk)]),
                    ("REASON", ["1"] if archive.as_dependency else []),
                    ("VALIDATION", ["none"]), *archive.relations(),
                ]
            )
        )  # fmt: skip
