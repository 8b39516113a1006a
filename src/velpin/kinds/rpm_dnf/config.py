"""The configuration of an rpm-dnf host: the main file, source files, variables.

Observed rules: docs/how-hosts-choose/rpm.md.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from fnmatch import fnmatchcase

from velpin.errors import HostFileError
from velpin.files.text import HostText
from velpin.files.tree import Tree
from velpin.kinds.rpm.ini import IniSection, leading_number, read_sections, truth, words
from velpin.kinds.rpm.source import UNSAID, RpmSource
from velpin.kinds.rpm.variables import read_folder, substituted
from velpin.model.reason import Note, Place

_MAIN = "etc/dnf/dnf.conf"
_OLDER_MAIN = "etc/yum.conf"
FOLDERS = ("etc/yum.repos.d", "etc/yum/repos.d", "etc/distro.repos.d")
VARIABLES = ("etc/yum/vars", "etc/dnf/vars")
_PROTECTED = "dnf glob:/etc/yum/protected.d/*.conf glob:/etc/dnf/protected.d/*.conf"
_MULTIPLE = (
    "kernel", "kernel-PAE", "installonlypkg(kernel)", "installonlypkg(kernel-module)",
    "installonlypkg(vm)", "multiversion(kernel)",
)  # fmt: skip


@dataclass(slots=True)
class DnfConfig:
    """All that the files say."""

    main: IniSection
    sources: list[RpmSource] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)
    errors: list[HostFileError] = field(default_factory=list)
    skipped: list[tuple[str, str]] = field(default_factory=list)

    def switch(self, key: str, default: bool) -> bool:
        """A switch of the main section; a word that is none counts as the default."""
        value = self.main.find(key)
        return truth(value.text, default) if value else default

    def listed(self, *keys: str) -> tuple[str, ...]:
        """A list of the main section; several keys add up."""
        return listed(self.main, *keys)

    @property
    def multiple(self) -> frozenset[str]:
        """Names of which several versions stand side by side."""
        return frozenset((*_MULTIPLE, *self.listed("installonlypkgs")))


def is_older(tree: Tree) -> bool:
    """Whether a host is of the generation before, whose settings lie elsewhere."""
    return not tree.exists("etc/dnf") and tree.exists(_OLDER_MAIN)


def main_file(tree: Tree) -> str:
    """The file of the main section."""
    return _OLDER_MAIN if is_older(tree) else _MAIN


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


def read_config(tree: Tree, variables: Mapping[str, str]) -> DnfConfig:
    """Read the main file and every source file, in the installer's order."""
    found = DnfConfig(IniSection("main", 0))
    sections: list[tuple[str, IniSection]] = []
    main = main_file(tree)
    for file in (main, *_source_files(tree, found)):
        try:
            read = read_sections(tree.read(file) or b"", file)
        except HostFileError as problem:
            found.errors.append(problem)
            continue
        for section in read:
            if section.name == "main":  # no source, in whatever file it stands
                found.main = section if file == main else found.main
            else:
                sections.append((file, section))
    seen: dict[str, RpmSource] = {}
    for file, section in sections:
        source = _source(tree, file, section, found, variables)
        if source.handle in seen:
            found.notes.append(
                Note(
                    source.places[0],
                    f"{source.handle} stands in {seen[source.handle].places[0]} already",
                )
            )
            continue
        seen[source.handle] = source
    held = list(seen.values())
    found.sources = [s for s in held if s.on] + [s for s in held if not s.on]
    return found


def _source_files(tree: Tree, config: DnfConfig) -> list[str]:
    found = []
    for folder in FOLDERS:
        for name in tree.names(folder):
            if name.endswith(".repo"):
                found.append(f"{folder}/{name}")
            else:
                config.skipped.append((f"{folder}/{name}", "its name does not end in .repo"))
    return found


def _source(
    tree: Tree, file: str, section: IniSection, config: DnfConfig, variables: Mapping[str, str]
) -> RpmSource:
    place = Place(file, section.line)

    def get(key: str) -> str:
        return substituted(section.get(key), variables)

    urls = tuple(word.rstrip("/") for word in words(get("baseurl")))
    mirrors = get("metalink") or get("mirrorlist")
    address = urls[0] if urls else mirrors
    if not address:
        config.notes.append(
            Note(place, f"{section.name} has no address (baseurl, mirrorlist or metalink)")
        )
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
        on=truth(section.get("enabled", "1"), True),
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
        name=get("name"),
    )


def _number(section: IniSection, key: str, default: int, config: DnfConfig, file: str) -> int:
    value = section.find(key)
    if value is None:
        return default
    number = leading_number(value.text)
    if number is None:
        config.notes.append(
            Note(Place(file, value.line), f"{key}={value.text} is not a number and is ignored")
        )
        return default
    return number


def read_variables(tree: Tree, base: Mapping[str, str]) -> dict[str, str]:
    """The host's variables: those of its release and architecture, then the folders'."""
    found = dict(base)
    for folder in VARIABLES:
        found.update(read_folder(tree, folder))
    return found


def addresses(sources: Sequence[RpmSource]) -> list[str]:
    """All addresses of some sources."""
    return [url for source in sources for url in (*source.urls, source.mirrors) if url]
