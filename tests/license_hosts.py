"""Hosts of kind rpm-zypp some of whose packages have a license to be agreed to."""

from __future__ import annotations

import gzip
import hashlib
from collections.abc import Mapping
from html import escape
from pathlib import Path

from tests.harbours import ZYPP, RpmHarbour
from velpin.demo.rpm_files import DemoRpm as P
from velpin.demo.rpm_files import mark_of

LICENSES = {("gull", "2-1"): "You must like gulls & <terns>.", ("auk", "1:1-1"): "Auks only.",
            ("crane", "1-1"): "  ", ("heron", "2-1"): "Not this version."}  # fmt: skip
ASKED = [
    (["gull"], ["gull"]),
    (["tern"], []),
    (["skua"], ["auk"]),
    (["crane"], ["crane"]),
    (["heron"], []),
    (["gull", "skua"], ["auk", "gull"]),
    (["--upgrade"], ["gull"]),
]
"""Requests, and the packages whose license is asked about."""


def license_host(folder: Path) -> RpmHarbour:
    """The host; the installer has no list of it yet."""
    harbour = RpmHarbour(folder, ZYPP)
    packages = [P("gull", "2-1"), P("tern", "2-1"), P("skua", "1-1", requires=("auk",)),
                P("auk", "1:1-1"), P("crane", "1-1"), P("heron", "1-1")]  # fmt: skip
    repository = harbour.source("base", *packages)
    add_licenses(repository, LICENSES, packages)
    harbour.installed(P("gull", "1-1"), P("tern", "1-1"))
    return harbour.refresh()


def susedata(licenses: Mapping[tuple[str, str], str], packages: list[P]) -> bytes:
    """The list of some packages, those without a license too."""
    told = ""
    for one in packages:
        epoch, version, release = one.evr
        said = licenses.get((one.name, one.version))
        license_ = f"<eula>{escape(said)}</eula>" if said is not None else ""
        told += (
            f'<package pkgid="{mark_of(one)}" name="{one.name}" arch="{one.arch}">'
            f'<version epoch="{epoch}" ver="{version}" rel="{release}"/>{license_}</package>\n'
        )
    return (
        '<?xml version="1.0" encoding="UTF-8"?>\n<susedata'
        f' xmlns="http://linux.duke.edu/metadata/susedata" packages="{len(packages)}">\n'
        f"{told}</susedata>\n"
    ).encode()


def add_licenses(
    repository: Path, licenses: Mapping[tuple[str, str], str], packages: list[P]
) -> None:
    """Put the list into a repository."""
    data = susedata(licenses, packages)
    packed = gzip.compress(data, mtime=0)
    digest = hashlib.sha256(packed).hexdigest()
    (repository / "repodata" / f"{digest}-susedata.xml.gz").write_bytes(packed)
    head = repository / "repodata/repomd.xml"
    head.write_text(
        head.read_text().replace(
            "</repomd>",
            f'<data type="susedata">\n<checksum type="sha256">{digest}</checksum>\n'
            f'<open-checksum type="sha256">{hashlib.sha256(data).hexdigest()}</open-checksum>\n'
            f'<location href="repodata/{digest}-susedata.xml.gz"/>\n<timestamp>1</timestamp>\n'
            f"<size>{len(packed)}</size>\n<open-size>{len(data)}</open-size>\n</data>\n</repomd>",
        )
    )
