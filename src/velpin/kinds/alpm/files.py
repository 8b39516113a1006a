"""Which packages hold a path: asked of the lists of files, where such are here."""

from __future__ import annotations

from collections.abc import Iterator

from velpin.errors import HostFileError
from velpin.kinds.alpm.archive import members, name_and_version
from velpin.kinds.alpm.copies import FILES
from velpin.kinds.alpm.state import AlpmState


def holders(state: AlpmState, path: str) -> list[str]:
    """Packages that hold a path, each with its source, in the order of sources."""
    wanted = path.strip("/").encode("utf-8", "surrogateescape")
    found: dict[str, None] = {}
    for source in state.configuration.sources:
        if not source.on:
            continue
        copy = state.indexes.finder.find(source, FILES)
        if copy.path is None:
            continue
        try:
            for folder, listed in members(copy.path, "/files"):
                if wanted in listed and wanted in _lines(listed):
                    name, version = name_and_version(folder.rpartition("/")[0])
                    found[f"{name} {version} ({source.handle})"] = None
        except (HostFileError, OSError):
            continue
    return list(found)


def _lines(listed: bytes) -> Iterator[bytes]:
    return (line.rstrip(b"/") for line in listed.split(b"\n"))
