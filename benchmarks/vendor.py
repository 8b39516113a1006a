"""One more source, as large as the largest of a host, that offers much of the same."""

from __future__ import annotations

import hashlib
import random
import re
import sys
from email.utils import formatdate
from pathlib import Path

from velpin.files.tree import Tree
from velpin.kinds import open_ports
from velpin.ports.view import View
from velpin.store.cache import open_cache

_VERSION = re.compile(rb"(?m)^Version: (.*)$")
_NAME = re.compile(rb"(?m)^Package: (.*)$")
_CHANGES = (
    (0.4, _VERSION, rb"Version: \1+v1"),
    (0.6, _VERSION, rb"Version: \1~v1"),
    (0.7, _NAME, rb"Package: vv-\1"),
)
"""Up to which share of all entries: newer, older, a name of its own; the rest is the very same."""


def write_vendor(root: Path, folder: Path, suite: str = "vendor") -> None:
    """Write a repository below a folder, and the source for it on the host at `root`."""
    tree = Tree(root)
    host = open_ports(View(tree, open_cache(tree), True))
    index = max(host.indexes.on(), key=lambda index: index.count)
    pick = random.Random(3)
    entries = [
        _changed(entry, pick.random())
        for block in index.blocks()
        for entry in block.split(b"\n\n")
        if entry.strip()
    ]
    data = b"\n\n".join(entry.strip(b"\n") for entry in entries) + b"\n"
    path = folder / "dists" / suite / "main/binary-amd64/Packages"
    path.parent.mkdir(parents=True)
    path.write_bytes(data)
    (folder / "dists" / suite / "Release").write_text(
        f"Origin: Vendor\nSuite: {suite}\nCodename: {suite}\nArchitectures: amd64\n"
        f"Components: main\nDate: {formatdate(usegmt=True)}\nSHA256:\n"
        f" {hashlib.sha256(data).hexdigest()} {len(data)} main/binary-amd64/Packages\n"
    )
    line = f"deb [arch=amd64 trusted=yes] file://{folder} {suite} main\n"
    (root / "etc/apt/sources.list.d/one-more.list").write_text(line)


def _changed(entry: bytes, share: float) -> bytes:
    for most, found, put in _CHANGES:
        if share < most:
            return found.sub(put, entry, count=1)
    return entry


if __name__ == "__main__":
    write_vendor(Path(sys.argv[1]), Path(sys.argv[2]))
