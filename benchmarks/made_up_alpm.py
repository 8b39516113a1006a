"""A made-up alpm host with one source of many packages, the same at every run."""

from __future__ import annotations

import sys
from pathlib import Path

from benchmarks.layers import layered
from velpin.demo.alpm_files import DemoArchive, write_alpm_record, write_alpm_repository


def packages(count: int) -> list[DemoArchive]:
    """So many packages, each with a library."""
    return [
        DemoArchive(
            one.name,
            f"{one.version}-1",
            summary=one.summary,
            depends=(*one.needs, *([f"lib{one.needs_lib}.so=1-64"] if one.needs_lib else [])),
            provides=(f"lib{one.name}.so=1-64",),
        )
        for one in layered(count)
    ]


def write_alpm_host(folder: Path, count: int, installed: int = 1500) -> Path:
    """Write the host and its two sources below a folder; gives its root.

    Some packages of the lowest layers are installed, half of them older than offered.
    """
    offered = packages(count)
    write_alpm_repository(folder / "bench", "bench", offered)
    other = [
        DemoArchive(one.name, "9.100-1", depends=one.depends, provides=one.provides)
        for one in offered[: count * 6 // 10]
    ]
    write_alpm_repository(folder / "vendor", "vendor", other)
    root = folder / "alpm"
    write_alpm_record(
        root / "var/lib/pacman/local",
        [
            DemoArchive(one.name, "0.0-1" if place % 2 else one.version, depends=one.depends,
                    provides=one.provides)
            for place, one in enumerate(offered[:installed])
        ],
    )  # fmt: skip
    sections = "".join(f"\n[{name}]\nServer = file://{folder}/{name}\n" for name in _SOURCES)
    for name, text in (
        ("etc/os-release", "ID=skerry\n"),
        ("etc/pacman.conf", f"[options]\nArchitecture = x86_64\nSigLevel = Never\n{sections}"),
    ):
        path = root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)
    return root


_SOURCES = ("bench", "vendor")

if __name__ == "__main__":
    write_alpm_host(Path(sys.argv[1]), int(sys.argv[2]))
