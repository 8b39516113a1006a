"""The configuration of an rpm-zypp host: settings, source files, vendors, variables.

Observed rules: docs/how-hosts-choose/rpm.md.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from velpin.errors import HostFileError
from velpin.files.text import HostText, stripped
from velpin.files.tree import Tree
from velpin.kinds.rpm.ini import IniSection, leading_number, read_sections, truth, words
from velpin.kinds.rpm.safexml import read_document
from velpin.kinds.rpm.source import UNSAID, RpmSource
from velpin.kinds.rpm.variables import read_folder, substituted
from velpin.kinds.rpm_zypp.generation import OLDER
from velpin.model.reason import Note, Place

LIBRARY = "etc/zypp/zypp.conf"
_HOST_FOLDER, _VENDOR_FOLDERS = "etc/zypp", ("usr/share/zypp", "usr/etc/zypp")
TOOL = "etc/zypp/zypper.conf"
SOURCES = "etc/zypp/repos.d"
VENDORS = "etc/zypp/vendors.d"
VARIABLES = "etc/zypp/vars.d"
PRODUCTS = "etc/products.d"
MULTIVERSION = "etc/zypp/multiversion.d"
_KINDS = ("", "none", "rpm-md", "rpm", "repomd", "yum")
"""Types of source that are lists of packages as read here."""


@dataclass(slots=True)
class ZyppConfig:
    """All that the files say."""

    settings: dict[str, str] = field(default_factory=dict)
    """By name, those of the library; those of the tool with `section/` in front."""
    sources: list[RpmSource] = field(default_factory=list)
    vendors: list[tuple[str, ...]] = field(default_factory=list)
    """Groups of vendors that count as one, by the beginnings of their names."""
    vendor_places: list[Place] = field(default_factory=list)
    """Where each group is said."""
    multiple: tuple[str, ...] = ()
    notes: list[Note] = field(default_factory=list)
    errors: list[HostFileError] = field(default_factory=list)
    skipped: list[tuple[str, str]] = field(default_factory=list)

    def switch(self, name: str, default: bool) -> bool:
        """A setting that is a switch; a word that is none counts as the default."""
        return truth(self.settings.get(name, ""), default)


def library_files(tree: Tree) -> list[str]:
    """The files of the library's settings, in the order of reading: later values win.

    The host's own file, even an empty one, hides the vendor's of the same name; drop-ins come
    after the main file, by name (observed on hosts of the newer generation; on others there
    is only the host's main file).
    """
    folders = (*_VENDOR_FOLDERS, _HOST_FOLDER)
    name = LIBRARY.rpartition("/")[2]
    mains = [f"{folder}/{name}" for folder in folders if tree.stat(f"{folder}/{name}")]
    drops = {
        drop: f"{folder}/{name}.d/{drop}"
        for folder in folders
        for drop in tree.names(f"{folder}/{name}.d")
        if drop.endswith(".conf")
    }
    return [*(mains[-1:] or [LIBRARY]), *(drops[drop] for drop in sorted(drops))]


def read_config(
    tree: Tree, variables: Mapping[str, str], multiple: str = OLDER.multiple
) -> ZyppConfig:
    """Read every file of the configuration; `multiple`: names of which several versions stand side
    by side if nothing is said."""
    found = ZyppConfig()
    for file, mark in (*((file, False) for file in library_files(tree)), (TOOL, True)):
        for section in _sections(tree, file, found):
            for value in section.values:
                name = f"{section.name}/{value.key}" if mark else value.key
                found.settings[name] = value.text
    sections: list[tuple[str, IniSection]] = []
    for name in tree.names(SOURCES):
        file = f"{SOURCES}/{name}"
        if name.endswith(".repo"):
            sections += [(file, section) for section in _sections(tree, file, found)]
        else:
            found.skipped.append((file, "its name does not end in .repo"))
    seen: dict[str, RpmSource] = {}
    for file, section in sections:
        source = _source(file, section, found, variables)
        if source.handle in seen:
            first = seen[source.handle].places[0]
            found.notes.append(
                Note(source.places[0], f"{source.handle} stands in {first} already", "listed-twice")
            )
            continue
        seen[source.handle] = source
    held = list(seen.values())
    found.sources = [s for s in held if s.on] + [s for s in held if not s.on]
    for name in tree.names(VENDORS):
        file = f"{VENDORS}/{name}"
        for section in () if name.startswith(".") else _sections(tree, file, found):
            group = [vendor.strip().lower() for vendor in section.get("vendors").split(",")]
            if section.name == "main" and any(group):
                found.vendors.append(tuple(vendor for vendor in group if vendor))
                found.vendor_places.append(Place(file, section.line))
    found.multiple = tuple(_multiple(tree, found, multiple))
    return found


def _sections(tree: Tree, file: str, config: ZyppConfig) -> list[IniSection]:
    try:
        return read_sections(tree.read(file) or b"", file)
    except HostFileError as problem:
        config.errors.append(problem)
        return []


def _multiple(tree: Tree, config: ZyppConfig, default: str) -> list[str]:
    """Names of which several versions stand side by side; in the newer generation only as the
    files say (observed)."""
    found = words(config.settings.get("multiversion", default))
    for name in tree.names(MULTIVERSION):
        lines = HostText(tree.read(f"{MULTIVERSION}/{name}")).lines
        found += [stripped(line) for line in lines if stripped(line) and line[0] != "#"]
    return [name.removeprefix("provides:") for name in found]


def _source(
    file: str, section: IniSection, config: ZyppConfig, variables: Mapping[str, str]
) -> RpmSource:
    place = Place(file, section.line)

    def get(key: str) -> str:
        return substituted(section.get(key), variables, defaults=True)

    inner = get("path").strip("/")
    urls = tuple(
        word.rstrip("/") + (f"/{inner}" if inner else "") for word in words(get("baseurl"))
    )
    mirrors = get("metalink") or get("mirrorlist")
    address = urls[0] if urls else mirrors
    if not address:
        config.notes.append(Note(place, f"{section.name} has no address (baseurl or mirrorlist)"))
    form = section.get("type").strip().lower()
    if form not in _KINDS:
        config.notes.append(
            Note(place, f"{section.name} is of type {section.get('type')}, which is not read here")
        )
    check = section.find("gpgcheck")
    every = config.settings.get("gpgcheck", "on")
    index = section.find("repo_gpgcheck")
    packages = section.find("pkg_gpgcheck")
    signed = truth(check.text if check else every, True)
    return RpmSource(
        handle=section.name,
        repository=section.name,
        address=address,
        release="",
        components=(),
        url=address,
        on=_on(section.get("enabled", "1")),
        places=(place,),
        section=section,
        file=file,
        priority=_number(section, config, file),
        urls=urls,
        mirrors=mirrors,
        optional=True,
        signed_packages=truth(packages.text, signed) if packages else signed,
        signed_index=truth(index.text, signed) if index else signed,
        keys=tuple(words(get("gpgkey"))),
        unread="" if form in _KINDS else form,
    )


def _on(text: str) -> bool:
    """Numbers but 0 and the usual words switch it on; anything else does not (observed)."""
    number = leading_number(text)
    return truth(text, bool(number))


def _number(section: IniSection, config: ZyppConfig, file: str) -> int:
    value = section.find("priority")
    if value is None:
        return UNSAID
    number = leading_number(value.text)
    if number is None:
        config.notes.append(
            Note(
                Place(file, value.line),
                f"priority={value.text} is not a number and is ignored",
            )
        )
    return number or UNSAID


def base_product_version(tree: Tree) -> str:
    """The version of the base product, empty where none is installed."""
    names = tree.names(PRODUCTS)
    for name in [name for name in names if name == "baseproduct"] + [
        name for name in names if name.endswith(".prod")
    ]:
        version = _product_version(tree.read(f"{PRODUCTS}/{name}") or b"", f"{PRODUCTS}/{name}")
        if version:
            return version
    return ""


def _product_version(data: bytes, file: str) -> str:
    """The first `version` right below the root of a product's description."""
    versions: list[str] = []
    depth = 0

    def began(name: str, attributes: dict[str, str], line: int) -> None:
        nonlocal depth
        depth += 1

    def ended(name: str, attributes: dict[str, str], text: str) -> None:
        nonlocal depth
        depth -= 1
        if depth == 1 and name == "version":
            versions.append(text)

    read_document(data, file, began, end=ended)
    return versions[0] if versions else ""


def read_variables(tree: Tree, base: Mapping[str, str]) -> dict[str, str]:
    """The host's variables: those of its release and architecture, then the folder's."""
    return {**base, **read_folder(tree, VARIABLES)}
