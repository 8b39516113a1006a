"""The files of a made-up host, without those that are Velpin's own."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

OWN = ("var/lib/velpin", "var/cache/velpin")


def host_files(root: Path) -> Iterator[tuple[str, Path]]:
    """All that lies below a root but what Velpin keeps for itself, folders too: names and paths,
    in order."""
    for path in sorted(root.rglob("*")):
        name = str(path.relative_to(root))
        if not name.startswith(OWN):
            yield name, path
