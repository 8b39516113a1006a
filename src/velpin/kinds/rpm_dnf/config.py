"""The configuration of an rpm-dnf host: the main file, source files, variables.

Observed rules: docs/how-hosts-choose/rpm.md.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from fnmatch import fnmatchcase

from velpin.errors import HostFileError
from velpin.files.text import HostText
from velpin.files.tree import Tree
from velpin.kinds.rpm.ini import IniSection, leading_number, read_sections, truth, words
from velpin.kinds.rpm.source import UNSAID, RpmSource
from velpin.kinds.rpm.variables import read_folder, substituted
from velpin.kinds.rpm_dnf.generation import DnfGeneration
from velpin.model.reason import Note, Place

_MAIN = "etc/dnf/dnf.conf"
_OLDER_MAIN = "etc/yum.conf"
_PROTECTED = "dnf glob:/etc/yum/protected.d/*.conf glob:/etc/dnf/protected.d/*.conf"
_MULTIPLE = (
    "kernel", "kernel-PAE", "installonlypkg(kernel)", "installonlypkg(kernel-module)",
    "installonlypkg(vm)", "multiversion(kernel)",
)  # fmt: skip


@dataclass(slots=True)
class DnfConfig:
    """All that the files say."""

    main: IniSection
    """All main sections as one, what counts last."""
    parts: list[tuple[str, IniSection]] = field(default_factory=list)
    """The main sections by their files, in the order of reading."""
    sources: list[RpmSource] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)
    errors: list[HostFileError] = field(default_factory=list)
    skipped: list[tuple[str, str]] = field(default_factory=list)

    def switch(self, key: str, default: bool) -> bool:
        """A switch of the main section; a word that is none counts as the default."""
        value = self.main.find(key)
        return truth(value.text, default) if value else default

    def listed(self, *keys: str) -> tuple[str, ...]:
        """A list of the main sections; several keys, and several files, add up (observed)."""
        found = [word for _, part in self.parts for word in listed(part, *keys)]
        return tuple(dict.fromkeys(found))

    @property
    def multiple(self) -> frozenset[str]:
        """Names of which several versions stand side by side."""
        return frozenset((*_MULTIPLE, *self.listed("installonlypkgs")))


def is_yum_host(tree: Tree) -> bool:
    """Whether a host is of the generation before, whose settings lie elsewhere."""
    return not tree.exists("etc/dnf") and tree.exists(_OLDER_MAIN)


def main_file(tree: Tree) -> str:
    """The file of the main section."""
    return _OLDER_MAIN if is_yum_host(tree) else _MAIN


def read_protected(tree: Tree, main: IniSection) -> frozenset[str]:
    """Names of packages that may never go; `glob:` names files that list some."""
    found = set()
    for word in words(main.get("protected_packages", _PROTECTED)):
        mark, path = word[:5], word[5:].lstrip("/")
        if mark != "glob:":
            found.add(word)
            continue
        folder, _, pattern = path.rpartition("/")
        for name in tree.names(folder):
            if fnmatchcase(name, pattern):
                lines = HostText(tree.read(f"{folder}/{name}")).lines
                found.update(word for line in lines for word in words(line.partition("#")[0]))
    return frozenset(found)


def listed(section: IniSection, *keys: str) -> tuple[str, ...]:
    """A list of a section; several keys add up, of one key the last line counts (observed)."""
    found = [word for key in keys for word in words(section.get(key))]
    return tuple(dict.fromkeys(found))


def read_config(tree: Tree, variables: Mapping[str, str], ways: DnfGeneration) -> DnfConfig:
    """Read the main files, every source file and what overrides them, in the installer's order."""
    found = DnfConfig(IniSection("main", 0))
    sections: list[tuple[str, IniSection]] = []
    main = main_file(tree)
    for file in _by_name(tree, ways.places.drop_ins, ".conf"):
        for section in _sections(tree, file, found, ways):
            if section.name == "main":
                found.parts.append((file, section))
    for file in (main, *_source_files(tree, found, ways)):
        for section in _sections(tree, file, found, ways):
            if section.name != "main":
                sections.append((file, section))
            elif file == main:  # no source, in whatever file it stands
                found.parts.append((file, section))
    for _, part in found.parts:
        found.main.values += part.values
    overrides = [
        (file, section)
        for file in _by_name(tree, ways.places.overrides, ".repo")
        for section in _sections(tree, file, found, ways)
        if section.name != "main"
    ]
    seen: dict[str, RpmSource] = {}
    for file, section in sections:
        if section.name in seen:
            place = Place(file, section.line)
            there = seen[section.name].places[0]
            found.notes.append(
                Note(place, f"{section.name} stands in {there} already", "listed-twice")
            )
            continue
        source = _source(tree, file, _overridden(section, overrides), found, variables, ways)
        seen[source.handle] = source
    held = list(seen.values())
    found.sources = [s for s in held if s.on] + [s for s in held if not s.on]
    return found


def _sections(tree: Tree, file: str, config: DnfConfig, ways: DnfGeneration) -> list[IniSection]:
    """The sections of one file; of a damaged one none, and an error."""
    try:
        read = read_sections(tree.read(file) or b"", file)
    except HostFileError as problem:
        config.errors.append(problem)
        return []
    if not ways.strict_files:
        return read
    merged: dict[str, IniSection] = {}
    for section in read:
        if len(section.name.split()) > 1:
            what = f"{section.name!r} is no name of a source: it holds a blank"
            config.errors.append(HostFileError(file, section.line, what))
        first = merged.setdefault(section.name, section)
        if first is not section:
            first.values += section.values
    return list(merged.values())


def _by_name(tree: Tree, folders: Sequence[str], ending: str) -> list[str]:
    """Files of some folders in the order of their names; of one name only the last folder's."""
    found = {
        name: f"{folder}/{name}"
        for folder in folders
        for name in tree.names(folder)
        if name.endswith(ending)
    }
    return [found[name] for name in sorted(found)]


def _overridden(section: IniSection, overrides: Sequence[tuple[str, IniSection]]) -> IniSection:
    """A source's section with what other files say of it, the last wins."""
    values = [
        replace(value, file=file)
        for file, other in overrides
        if other.name == section.name or fnmatchcase(section.name, other.name)
        for value in other.values
    ]
    if not values:
        return section
    return replace(section, values=[*section.values, *values])


def _source_files(tree: Tree, config: DnfConfig, ways: DnfGeneration) -> list[str]:
    found = []
    for folder in ways.places.folders:
        for name in tree.names(folder):
            if name.endswith(".repo"):
                found.append(f"{folder}/{name}")
            else:
                config.skipped.append((f"{folder}/{name}", "its name does not end in .repo"))
    return found


def _source(
    tree: Tree,
    file: str,
    section: IniSection,
    config: DnfConfig,
    variables: Mapping[str, str],
    ways: DnfGeneration,
) -> RpmSource:
    place = Place(file, section.line)

    def get(key: str) -> str:
        return substituted(section.get(key), variables, defaults=ways.default_values)

    urls = tuple(word.rstrip("/") for word in words(get("baseurl")))
    mirrors = get("metalink") or get("mirrorlist")
    address = urls[0] if urls else mirrors
    if not address:
        config.notes.append(
            Note(place, f"{section.name} has no address (baseurl, mirrorlist or metalink)")
        )
    on = truth(section.get("enabled", "1"), True)
    if ways.strict_files and on and not address:
        what = f"{section.name} is on and has no address"
        config.errors.append(HostFileError(file, section.line, what))
    main = config.main
    check = section.find("gpgcheck") or main.find("gpgcheck")
    index = section.find("repo_gpgcheck") or main.find("repo_gpgcheck")
    optional = section.find("skip_if_unavailable") or main.find("skip_if_unavailable")
    return RpmSource(
        handle=section.name,
        repository=section.name,
        address=address,
        release="",
        components=(),
        url=address,
        on=on,
        places=(place,),
        section=section,
        file=file,
        priority=_number(section, "priority", UNSAID, config, file),
        cost=_number(section, "cost", 1000, config, file),
        urls=urls,
        mirrors=mirrors,
        excludes=listed(section, "exclude", "excludepkgs"),
        includes=listed(section, "includepkgs"),
        hotfixes=truth(section.get("module_hotfixes", "0"), False),
        optional=truth(optional.text, False) if optional else False,
        signed_packages=truth(check.text, False) if check else False,
        signed_index=truth(index.text, False) if index else False,
        keys=tuple(words(get("gpgkey"))),
        elsewhere=tuple({v.key: v.file for v in section.values if v.file}.items()),
    )


def _number(section: IniSection, key: str, default: int, config: DnfConfig, file: str) -> int:
    value = section.find(key)
    if value is None:
        return default
    number = leading_number(value.text)
    if number is None:
        config.notes.append(
            Note(
                Place(value.file or file, value.line),
                f"{key}={value.text} is not a number and is ignored",
            )
        )
        return default
    return number


def read_variables(tree: Tree, base: Mapping[str, str], folders: Sequence[str]) -> dict[str, str]:
    """The host's variables: those of its release and architecture, then the folders'."""
    found = dict(base)
    for folder in folders:
        found.update(read_folder(tree, folder))
    return found


def addresses(sources: Sequence[RpmSource]) -> list[str]:
    """All addresses of some sources."""
    return [url for source in sources for url in (*source.urls, source.mirrors) if url]
