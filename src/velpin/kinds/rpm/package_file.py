"""Package files of an rpm host as a repository, for a forecast of what installing them does.

Observed rules: docs/how-hosts-choose/rpm.md, "Package files".
"""

from __future__ import annotations

import hashlib
from typing import TYPE_CHECKING
from xml.etree import ElementTree as Xml

from velpin.change.plan import NewSource
from velpin.kinds.rpm import header
from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.header import Header
from velpin.kinds.rpm.version import compare
from velpin.ports.unlisted import PackagesAsSource

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from velpin.ports.unlisted import PackageFile

_COMMON = "http://linux.duke.edu/metadata/common"
_RPM = "http://linux.duke.edu/metadata/rpm"
_REPO = "http://linux.duke.edu/metadata/repo"
_FLAGS = {"=": "EQ", "<": "LT", ">": "GT", "<=": "LE", ">=": "GE"}
_NO_XML = dict.fromkeys([*range(9), 11, 12, *range(14, 32), 0xFFFE, 0xFFFF])
"""Characters that no XML text may hold."""


def as_source(
    packages: Sequence[PackageFile], folder: Path, handle: str, *, more: str = "",
    newest_alone: bool = False,
) -> PackagesAsSource:  # fmt: skip
    """Write a repository of some packages into a folder; `more` are further lines of its section.

    With `newest_alone` two versions of one package both ask for the newer.

    Raises HostFileError for a file that is no package.
    """
    root = Xml.Element(
        "metadata", {"xmlns": _COMMON, "xmlns:rpm": _RPM, "packages": str(len(packages))}
    )
    asked: list[tuple[str, str]] = []
    newest: dict[str, str] = {}
    for package in packages:
        head = header.read_package_header(package.data, package.name)
        _describe(Xml.SubElement(root, "package", type="rpm"), head, package)
        name, arch = header.text_of(head, header.NAME), header.text_of(head, header.ARCH)
        key, version = f"{name}:{arch}", header.version_of(head)
        asked.append((key, version))
        if key not in newest or compare(newest[key], version) < 0:
            newest[key] = version
    requests = [
        f"{key}@{newest[key] if newest_alone else version}%{handle}" for key, version in asked
    ]
    primary = Xml.tostring(root, encoding="utf-8", xml_declaration=True)
    (folder / "repodata").mkdir()
    (folder / "repodata" / "primary.xml").write_bytes(primary)
    (folder / "repodata" / "repomd.xml").write_bytes(_repomd(primary))
    section = f"[{handle}]\nbaseurl=file:///\nenabled=1\ngpgcheck=0\nrepo_gpgcheck=0\n{more}"
    new = NewSource(snippet=section, snippet_name="package files", keep_options=True)
    return PackagesAsSource(new, requests)


def _repomd(primary: bytes) -> bytes:
    root = Xml.Element("repomd", xmlns=_REPO)
    data = Xml.SubElement(root, "data", type="primary")
    digest = hashlib.sha256(primary).hexdigest()
    for name in ("checksum", "open-checksum"):
        Xml.SubElement(data, name, type="sha256").text = digest
    Xml.SubElement(data, "location", href="repodata/primary.xml")
    for name in ("size", "open-size"):
        Xml.SubElement(data, name).text = str(len(primary))
    return bytes(Xml.tostring(root, encoding="utf-8", xml_declaration=True))


def _describe(into: Xml.Element, head: Header, package: PackageFile) -> None:
    """Put into an element what an index says of a package."""

    def add(name: str, text: str = "", **attributes: str) -> None:
        told = {key: _clean(value) for key, value in attributes.items()}
        Xml.SubElement(into, name, told).text = _clean(text)

    text, number = header.text_of, header.number_of
    add("name", text(head, header.NAME))
    add("arch", text(head, header.ARCH))
    add(
        "version", epoch=str(number(head, header.EPOCH)), ver=text(head, header.VERSION),
        rel=text(head, header.RELEASE),
    )  # fmt: skip
    add("summary", text(head, header.SUMMARY))
    add("time", file="0", build=str(number(head, header.BUILT)))
    size = number(head, header.LONG_SIZE) or number(head, header.SIZE)
    add("size", package=str(package.size), installed=str(size), archive="0")
    add("location", href=package.name.rpartition("/")[2])
    form = Xml.SubElement(into, "format")
    Xml.SubElement(form, "rpm:vendor").text = _clean(text(head, header.VENDOR))
    Xml.SubElement(form, "rpm:sourcerpm").text = _clean(text(head, header.SOURCE))
    for kind, relations in header.relations_of(head).items():
        listed = Xml.SubElement(form, f"rpm:{RpmLink(kind).name.lower()}")
        for relation in relations:
            Xml.SubElement(listed, "rpm:entry", _entry(relation))
    for path in header.files_of(head):
        Xml.SubElement(form, "file").text = _clean(path)


def _entry(relation: str) -> dict[str, str]:
    """A relation as the attributes of its element."""
    name, _, rest = _clean(relation).partition(" ")
    operator, _, version = rest.partition(" ")
    if relation.startswith("(") or operator not in _FLAGS:
        return {"name": _clean(relation)}
    epoch, _, full = version.rpartition(":")
    number, dash, release = full.rpartition("-")
    found = {"name": name, "flags": _FLAGS[operator], "epoch": epoch or "0"}
    return {**found, "ver": number if dash else full, **({"rel": release} if dash else {})}


def _clean(text: str) -> str:
    return text.translate(_NO_XML)
