"""Package files of every kind, made for a test."""

from __future__ import annotations

import gzip
import io
import tarfile
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import NamedTuple

from tests.harbours import ALPM, DEB, DNF, RPM, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm, file_name, package_beginning


class Made(NamedTuple):
    """One package, whatever the kind of host; versions and relations as all kinds write them."""

    name: str
    version: str
    needs: tuple[str, ...] = ()
    gives: tuple[str, ...] = ()
    recommends: tuple[str, ...] = ()
    arch: str = ""


def _plain_arch(kind: str) -> str:
    return {DEB: "all", ALPM: "any"}.get(kind, "noarch")


def _bounded(relation: str, kind: str) -> str:
    """`name >= 1` as a kind writes it."""
    name, _, bound = relation.partition(" ")
    if not bound:
        return name
    return {DEB: f"{name} ({bound})", ALPM: name + bound.replace(" ", "")}.get(kind, relation)


def _tar(files: dict[str, bytes]) -> bytes:
    held = io.BytesIO()
    with tarfile.open(fileobj=held, mode="w") as archive:
        for name, data in files.items():
            member = tarfile.TarInfo(name)
            member.size = len(data)
            archive.addfile(member, io.BytesIO(data))
    return held.getvalue()


def ar_of(parts: dict[str, bytes]) -> bytes:
    told = b"!<arch>\n"
    for name, data in parts.items():
        told += f"{name:16}{0:<12}{0:<6}{0:<6}{100644:<8}{len(data):<10}`\n".encode()
        told += data + b"\n" * (len(data) % 2)
    return told


def deb_of(control: str) -> bytes:
    """A package of a deb host with nothing in it but what it says of itself."""
    return ar_of({
        "debian-binary": b"2.0\n",
        "control.tar.gz": gzip.compress(_tar({"./control": control.encode()})),
        "data.tar.gz": gzip.compress(_tar({})),
    })  # fmt: skip


def control_of(one: Made) -> str:
    fields = {
        "Package": one.name, "Version": one.version, "Architecture": one.arch or _plain_arch(DEB),
        "Maintainer": "Crew <crew@mooring.example>", "Installed-Size": "30",
        "Depends": ", ".join(_bounded(each, DEB) for each in one.needs),
        "Recommends": ", ".join(_bounded(each, DEB) for each in one.recommends),
        "Provides": ", ".join(one.gives), "Description": one.name,
    }  # fmt: skip
    return "".join(f"{name}: {value}\n" for name, value in fields.items() if value)


def demo_rpm(one: Made) -> DemoRpm:
    return DemoRpm(
        one.name, f"{one.version}-1", one.arch or "noarch", one.name, requires=one.needs,
        provides=one.gives, recommends=one.recommends,
    )  # fmt: skip


def packed_archive(files: dict[str, bytes]) -> bytes:
    """A package of an alpm host with some files in it."""
    return gzip.compress(_tar(files))


def archive_of(info: str) -> bytes:
    """A package of an alpm host with nothing in it but what it says of itself."""
    return gzip.compress(_tar({".MTREE": b"", ".PKGINFO": info.encode()}))


def info_of(one: Made) -> str:
    told = [
        ("pkgname", one.name), ("pkgbase", one.name), ("pkgver", f"{one.version}-1"),
        ("pkgdesc", one.name), ("size", "30"), ("arch", one.arch or _plain_arch(ALPM)),
        ("builddate", "1700000000"), *(("depend", _bounded(each, ALPM)) for each in one.needs),
        *(("provides", each) for each in one.gives),
        *(("optdepend", f"{each}: for more") for each in one.recommends),
    ]  # fmt: skip
    return "# made for a test\n" + "".join(f"{name} = {value}\n" for name, value in told)


def write_package(kind: str, folder: Path, one: Made) -> Path:
    """The package's file in a folder."""
    folder.mkdir(parents=True, exist_ok=True)
    if kind in RPM:
        path = folder / file_name(demo_rpm(one))
        path.write_bytes(package_beginning(demo_rpm(one), None))
    elif kind == DEB:
        path = folder / f"{one.name}_{one.version}.deb"
        path.write_bytes(deb_of(control_of(one)))
    else:
        path = folder / f"{one.name}-{one.version}-1-any.pkg.tar.gz"
        path.write_bytes(archive_of(info_of(one)))
    return path


# -- what installing them does -----------------------------------------------------------------

OFFERS = (
    Made("foo", "2"), Made("lib", "1"), Made("prov", "1", gives=("virt",)), Made("rec", "1"),
    Made("other", "1", ("foo",)),
)  # fmt: skip
INSTALLED = Made("foo", "1.5")


class Row(NamedTuple):
    """A request, and what changes: by kind where they differ; None if it is refused."""

    title: str
    files: tuple[Made, ...]
    names: tuple[str, ...]
    changes: dict[str, str] | None
    differing: Mapping[str, dict[str, str] | None] = MappingProxyType({})


A_NEEDS_B = Made("a", "1", ("b",))
_FULL = {"need": "1", "lib": "1", "prov": "1", "rec": "1"}
ROWS = (
    Row("newer than what is installed", (Made("foo", "1.7"),), (), {"foo": "1.7"}),
    Row("the version that a source has", (Made("foo", "2"),), (), {"foo": "2"}),
    Row("newer than any source has", (Made("foo", "3"),), (), {"foo": "3"}),
    Row(
        "older than what is installed", (Made("foo", "1"),), (), {"foo": "1"}, {ZYPP: {}}
    ),
    Row("beside a name", (Made("foo", "1.7"),), ("other",), {"foo": "1.7", "other": "1"}),
    Row(
        "its needs come from sources, what it recommends too",
        (Made("need", "1", ("lib", "virt"), recommends=("rec",)),), (), _FULL,
        {ALPM: {"need": "1", "lib": "1", "prov": "1"}},
    ),
    Row("a need that nobody meets", (A_NEEDS_B,), (), None),
    Row("a need that another file meets", (A_NEEDS_B, Made("b", "1")), (), {"a": "1", "b": "1"}),
    Row(
        "an older version of what a source has", (Made("na", "1", ("lib",)), Made("lib", "0.5")),
        (), {"na": "1", "lib": "0.5"},
    ),
    Row("a need of a version that no source has", (Made("n", "1", ("lib >= 2",)),), (), None),
    Row("a need of the version that a source has", (Made("n", "1", ("lib >= 1",)),), (),
        {"n": "1", "lib": "1"}),
    Row("two versions of one package, the newer last", (Made("foo", "1.7"), Made("foo", "3")), (),
        {"foo": "3"}, {DNF: None}),
)  # fmt: skip


def harbour(kind: str, folder: Path) -> DebHarbour | RpmHarbour | AlpmHarbour:
    """A host with something installed and a source, refreshed."""
    if kind == DEB:
        deb = DebHarbour(folder)
        deb.source("mooring", *map(_fields, OFFERS))
        deb.installed(_fields(INSTALLED))
        return deb.refresh()
    if kind == ALPM:
        alpm = AlpmHarbour(folder)
        alpm.source("mooring", *map(_archive, OFFERS))
        alpm.installed(_archive(INSTALLED))
        return alpm.refresh()
    rpm = RpmHarbour(folder, kind)
    rpm.source("mooring", *map(demo_rpm, OFFERS))
    rpm.installed(demo_rpm(INSTALLED))
    return rpm.refresh()


def _fields(one: Made) -> dict[str, str]:
    pairs = (line.partition(": ") for line in control_of(one).splitlines())
    return {**{name: value for name, _, value in pairs}, "Size": "10", "Filename": "pool/x.deb"}


def _archive(one: Made) -> DemoArchive:
    return DemoArchive(one.name, f"{one.version}-1", "any", depends=one.needs, provides=one.gives)


def wanted(row: Row, kind: str) -> dict[str, str] | None:
    """What changes on a kind of host, without the release of the version."""
    return row.differing.get(kind, row.changes)
