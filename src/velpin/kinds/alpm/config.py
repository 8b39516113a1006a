"""The configuration of an alpm host: one file of sections, and the files it includes.

    [options]            settings of the host
    [NAME]               a source; the order of sections is the order in which they win
    Include = GLOB       the lines of other files, at that place; a section goes on after them

Comments begin a line. Read as the host's installer reads it (observed).

Observed rules: docs/how-hosts-choose/alpm.md, "The configuration".
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from fnmatch import fnmatchcase
from itertools import takewhile

from velpin.errors import HostFileError
from velpin.files.text import HostText, stripped, words
from velpin.files.tree import Tree
from velpin.kinds.alpm.source import ALL_USES, USES, AlpmSource, Check, Level
from velpin.model.reason import Note, Place

MAIN = "etc/pacman.conf"
OPTIONS = "options"
_RECORD = "local"
"""What the record of installed packages is called."""
_DEEPEST = 10
_LISTS = ("IgnorePkg", "IgnoreGroup", "HoldPkg", "Architecture", "NoUpgrade", "NoExtract")
_OTHERS = frozenset(
    (
        *_LISTS, "CacheDir", "HookDir", "DBPath", "RootDir", "GPGDir", "LogFile", "XferCommand",
        "CleanMethod", "SigLevel", "LocalFileSigLevel", "RemoteFileSigLevel", "UseSyslog", "Color",
        "NoProgressBar", "VerbosePkgLists", "CheckSpace", "ILoveCandy", "TotalDownload",
        "DisableDownloadTimeout", "ParallelDownloads", "DownloadUser", "DisableSandbox",
        "DisableSandboxFilesystem", "DisableSandboxSyscalls",
    )
)  # fmt: skip
OF_SOURCES = ("Server", "CacheServer", "Include", "SigLevel", "Usage")
"""Directives that a source's section may hold."""

OFF_HEAD = re.compile(r"(?a)^#\s*\[([^\[\]\s]+)\]\s*$")
OFF_LINE = re.compile(r"(?a)^#\s*(" + "|".join(OF_SOURCES) + r")\s*=")
NAME = re.compile(r"[A-Za-z0-9@_+][A-Za-z0-9@._+-]*\Z")
"""What the section of a source can be called."""
HEAD = re.compile(r"(?as)^\s*\[(.*)\]\s*$")


class Directive:
    """One line `KEY = VALUE`; the value is None where there is no equal sign."""

    __slots__ = ("key", "place", "text")

    def __init__(self, key: str, text: str | None, place: Place) -> None:
        self.key, self.text, self.place = key, text, place


@dataclass(slots=True)
class ConfigSection:
    """One section with its lines, those of included files among them."""

    name: str
    places: list[Place]
    directives: list[Directive] = field(default_factory=list)

    def of(self, key: str) -> Iterator[Directive]:
        """Its lines of a key, in order."""
        return (directive for directive in self.directives if directive.key == key)


@dataclass(slots=True)
class AlpmConfig:
    """All that the files say."""

    options: ConfigSection = field(default_factory=lambda: ConfigSection(OPTIONS, []))
    sections: list[ConfigSection] = field(default_factory=list)
    """Those of sources, in the order in which they win."""
    off: list[ConfigSection] = field(default_factory=list)
    """Sections that are commented out."""
    files: list[str] = field(default_factory=list)
    """Files read, in the order of reading; one may be there several times."""
    notes: list[Note] = field(default_factory=list)
    errors: list[HostFileError] = field(default_factory=list)

    def listed(self, key: str) -> list[tuple[str, Place]]:
        """The words of a list of the host's settings; lines add up."""
        return [
            (word, directive.place)
            for directive in self.options.of(key)
            for word in (directive.text or "").split(" ")
            if word
        ]


def read_config(tree: Tree) -> AlpmConfig:
    """Read the main file and all it includes; what makes it unreadable is kept as an error."""
    found = AlpmConfig()
    try:
        _Reader(tree, found).file(MAIN, Place(MAIN, 0), 0)
    except HostFileError as problem:
        found.errors.append(problem)
    return found


class _Reader:
    """Goes through files line by line; the section it is in goes on from file to file."""

    def __init__(self, tree: Tree, config: AlpmConfig) -> None:
        self._tree, self._config = tree, config
        self._section: ConfigSection | None = None

    def file(self, name: str, said: Place, depth: int) -> None:
        """Read one file and those it includes; HostFileError at the first line refused."""
        if depth > _DEEPEST:
            raise HostFileError(said.file, said.line, f"includes go too deep, at {name}")
        data = self._tree.read(name)
        if data is None:
            raise HostFileError(said.file, said.line, f"/{name} is not there")
        self._config.files.append(name)
        off: ConfigSection | None = None
        host_text = HostText(data, name)
        if host_text.mark:
            raise HostFileError(
                name, 1, "begins with a byte order mark, which the installer refuses"
            )
        for number, line in host_text.numbered():
            text, place = stripped(line), Place(name, number)
            if text.startswith("#"):
                off = self._commented(text, place, off)
                continue
            if not text:
                continue
            off = None
            if text.startswith("[") and text.endswith("]"):
                self._head(text[1:-1], place)
            else:
                self._directive(text, place, depth)

    def _commented(
        self, text: str, place: Place, off: ConfigSection | None
    ) -> ConfigSection | None:
        head = OFF_HEAD.match(text)
        if head:
            return ConfigSection(head.group(1), [place])
        line = OFF_LINE.match(text)
        if line and off:
            if not off.directives:
                self._config.off.append(off)
            directive = Directive(line.group(1), stripped(text.partition("=")[2]), place)
            off.directives += (
                self._servers(directive) if directive.key == "Include" else [directive]
            )
        return off

    def _servers(self, include: Directive) -> list[Directive]:
        """The lines that a commented Include would bring in; one that brings nothing itself."""
        found = [include]
        for name in included(self._tree, include.text or ""):
            for number, line in HostText(self._tree.read(name), name).numbered():
                key, equals, value = stripped(line).partition("=")
                if equals and stripped(key) == "Server":
                    found.append(Directive("Server", stripped(value), Place(name, number)))
        return found

    def _head(self, name: str, place: Place) -> None:
        if name in ("", _RECORD):  # passed over with all its lines (observed)
            self._section = ConfigSection(name, [place])
            self._config.notes.append(Note(place, f"no source may be called [{name}]"))
            return
        if name == OPTIONS:
            self._section = self._config.options
            return
        for section in self._config.sections:
            if section.name == name:
                self._section = ConfigSection(
                    name, [place]
                )  # its lines count for nothing (observed)
                note = f"[{name}] is there twice; only the first counts ({section.places[0]})"
                self._config.notes.append(Note(place, note, "listed-twice"))
                return
        self._section = ConfigSection(name, [place])
        self._config.sections.append(self._section)

    def _directive(self, text: str, place: Place, depth: int) -> None:
        key, equals, value = text.partition("=")
        key = stripped(key)
        directive = Directive(key, stripped(value) if equals else None, place)
        if key == "Include":
            self._include(directive, depth)
            return
        if self._section is None:
            raise HostFileError(place.file, place.line, f"{key} stands before any section")
        known = key in OF_SOURCES if self._section.name != OPTIONS else key in _OTHERS
        if not known:
            where = f"in [{self._section.name}]"
            self._config.notes.append(Note(place, f"{key} means nothing {where}"))
            return
        if self._section.name != OPTIONS:
            _check_source(directive)
            if key == "Server" and not directive.text:
                note = (
                    f"Server says nothing: no server of {self._section.name} from here on is used"
                )
                self._config.notes.append(Note(place, note))
        elif key == "SigLevel":
            read_level([directive], Level())
        self._section.directives.append(directive)

    def _include(self, directive: Directive, depth: int) -> None:
        if not directive.text:
            raise HostFileError(directive.place.file, directive.place.line, "Include names no file")
        for name in included(self._tree, directive.text):
            self.file(name, directive.place, depth + 1)


def _check_source(one: Directive) -> None:
    """A line of a source that makes the whole configuration unreadable (observed)."""
    if one.text is None:
        raise HostFileError(one.place.file, one.place.line, f"{one.key} says nothing")
    if one.key == "SigLevel":
        read_level([one], Level())
    if one.key == "Usage":
        for word in words(one.text or ""):
            if word not in (*USES, "All"):
                raise HostFileError(one.place.file, one.place.line, f"no Usage is called {word}")


def included(tree: Tree, glob: str) -> list[str]:
    """Files that an Include's glob finds, in the order of names; the text itself where none."""
    name = glob.lstrip("/")
    if not any(mark in name for mark in "*?["):
        return [name]
    found = [""]
    for part in name.split("/"):
        found = [path for folder in found for path in _matches(tree, folder, part)]
    return sorted(found) or [name]


def _matches(tree: Tree, folder: str, part: str) -> list[str]:
    head = f"{folder}/" if folder else ""
    if not any(mark in part for mark in "*?["):
        return [head + part] if tree.exists(head + part) else []
    names = [*tree.names(folder or "."), *tree.folders(folder or ".")]
    hidden = part.startswith(".")
    return [
        head + name
        for name in sorted(set(names))
        if fnmatchcase(name, part) and (hidden or not name.startswith("."))
    ]


_CHECKS: dict[str, Check] = {"Never": "never", "Optional": "optional", "Required": "required"}


def read_level(lines: list[Directive], before: Level) -> Level:
    """What some SigLevel lines make of a level; HostFileError for a word that is none."""
    found = before
    for directive in lines:
        for word in words(directive.text or ""):
            bare = word.removeprefix("Package").removeprefix("Database")
            packages = not word.startswith("Database")
            index = not word.startswith("Package")
            if bare in _CHECKS:
                check = _CHECKS[bare]
                found = found._replace(
                    of_packages=check if packages else found.of_packages,
                    of_index=check if index else found.of_index,
                )
            elif bare in ("TrustAll", "TrustedOnly"):
                if index:
                    found = found._replace(any_key=bare == "TrustAll")
            else:
                raise HostFileError(
                    directive.place.file, directive.place.line, f"no SigLevel is called {word}"
                )
    return found


def sources_of(config: AlpmConfig, arch: str) -> list[AlpmSource]:
    """The sources, those that are on in their order, then those switched off."""
    common = read_level(list(config.options.of("SigLevel")), Level())
    on = [_source(section, rank, arch, common) for rank, section in enumerate(config.sections, 1)]
    names = {source.handle for source in on}
    off: dict[str, AlpmSource] = {}
    for section in config.off:
        if section.name not in names and section.name != OPTIONS and _could_be_on(section):
            off.setdefault(section.name, _source(section, 0, arch, common))
    return [*on, *off.values()]


def _could_be_on(section: ConfigSection) -> bool:
    """Whether a commented section names a real address: comments explain sections, too."""
    return any("://" in (directive.text or "") for directive in section.of("Server")) or any(
        (directive.text or "").startswith("/") for directive in section.of("Include")
    )


def address_of(text: str, name: str, arch: str) -> str:
    """A server's address with its variables put in."""
    return text.replace("$repo", name).replace("$arch", arch or "$arch").rstrip("/")


def _source(section: ConfigSection, rank: int, arch: str, common: Level) -> AlpmSource:
    said = takewhile(bool, (directive.text or "" for directive in section.of("Server")))  # observed
    servers = [address_of(text, section.name, arch) for text in said]
    uses = {word for directive in section.of("Usage") for word in words(directive.text or "")}
    try:
        level = read_level(list(section.of("SigLevel")), common)
    except HostFileError:
        level = common
    address = servers[0] if servers else ""
    return AlpmSource(
        handle=section.name,
        repository=section.name,
        address=address,
        release=section.name,
        components=(),
        url=address,
        on=rank > 0,
        places=tuple(section.places),
        rank=rank,
        servers=tuple(servers),
        uses=ALL_USES if not uses or "All" in uses else frozenset(uses),
        level=level,
    )
