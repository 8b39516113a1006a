"""A made-up rpm host with one source of many packages, the same at every run."""

from __future__ import annotations

import sys
from pathlib import Path

from benchmarks.layers import layered
from velpin.demo.rpm_files import DemoRpm, write_record, write_rpm_repository


def packages(count: int) -> list[DemoRpm]:
    """So many packages, each with a library and some files."""
    return [
        DemoRpm(
            one.name,
            f"{one.version}-1.mo4",
            summary=one.summary,
            requires=(
                *one.needs, *([f"lib{one.needs_lib}.so.1()(64bit)"] if one.needs_lib else ()),
            ),
            provides=(f"lib{one.name}.so.1()(64bit)", f"pkgconfig({one.name})"),
            files=(
                f"/usr/bin/{one.name}", f"/etc/{one.name}.conf",
                f"/usr/share/doc/{one.name}/README",
            ),
        )
        for one in layered(count)
    ]  # fmt: skip


def write_rpm_host(folder: Path, count: int, installed: int = 1500) -> Path:
    """Write the source and two hosts with it, one of each layout; gives their folder.

    Some packages of the lowest layers are installed, half of them older than offered.
    """
    offered = packages(count)
    write_rpm_repository(folder / "bench", offered, date=1_700_000_000)
    other = [
        DemoRpm(one.name, "9.100-1.mo4", vendor="Vendor", requires=one.requires)
        for one in offered[:: max(1, count // 60_000)][: count * 6 // 10]
    ]
    write_rpm_repository(folder / "vendor", other, date=1_700_000_000)
    here = [
        DemoRpm(one.name, "0.0-1.mo4" if place % 2 else one.version, requires=one.requires,
                provides=one.provides, files=one.files)
        for place, one in enumerate(offered[:installed])
    ]  # fmt: skip
    release = DemoRpm("mooring-release", "4-1", "noarch", provides=("system-release = 4",))
    for kind, sources in (("dnf", "etc/yum.repos.d"), ("zypp", "etc/zypp/repos.d")):
        root = folder / kind
        write_record(root / "var/lib/rpm/rpmdb.sqlite", [release, *here])
        texts = {"etc/os-release": "ID=mooring\nVERSION_ID=4\n"}
        if kind == "dnf":
            texts["etc/dnf/dnf.conf"] = "[main]\ngpgcheck=0\n"
        for name, lines in (("bench", ""), ("vendor", "priority=120\n")):
            texts[f"{sources}/{name}.repo"] = (
                f"[{name}]\nbaseurl=file://{folder}/{name}\ngpgcheck=0\n{lines}"
            )
        for name, text in texts.items():
            path = root / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text)
    return folder


if __name__ == "__main__":
    write_rpm_host(Path(sys.argv[1]), int(sys.argv[2]))
