"""Module streams: which packages they hide (observed).

With an active stream of a module (the one enabled, else the default one) its packages show,
those of other streams are hidden, and so is every plain package that has the name of one of
its packages or provides such a name, in any source. Without one all of the module's
packages are hidden. Sources marked for hotfixes are let be.

Observed rules: docs/how-hosts-choose/rpm.md, "What is weighed, in turn".
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked
from velpin.files.tree import Tree
from velpin.kinds.rpm.ini import read_sections
from velpin.kinds.rpm.pool import RpmPackage
from velpin.kinds.rpm.version import parse

FOLDER = "etc/dnf/modules.d"
_MOST = 256 << 20


@dataclass(slots=True)
class Stream:
    """One stream of a module: its packages, and the platforms and modules it needs."""

    module: str
    name: str
    packages: set[str] = field(default_factory=set)
    """Full names: name-epoch:version-release.arch."""
    requires: list[dict[str, list[str]]] = field(default_factory=list)


@dataclass(slots=True)
class Modules:
    """All streams that sources have, the default of each module, and what the host says."""

    streams: dict[tuple[str, str], Stream] = field(default_factory=dict)
    defaults: dict[str, str] = field(default_factory=dict)
    states: dict[str, tuple[str, str]] = field(default_factory=dict)
    """By module: `enabled` or `disabled`, and the stream."""

    def active(self, platform: str) -> dict[str, str]:
        """By module the stream that is active on a platform, with what those streams need."""
        found: dict[str, str] = {}
        for module in sorted({module for module, _ in self.streams}):
            state, stream = self.states.get(module, ("", ""))
            if state == "disabled":
                continue
            name = stream if state == "enabled" else self.defaults.get(module, "")
            declared = self.streams.get((module, name))
            if declared and self._fits(declared, platform):
                found[module] = name
        return self._with_needs(found)

    def _fits(self, stream: Stream, platform: str) -> bool:
        wanted = [
            requirement["platform"]
            for requirement in stream.requires
            if requirement.get("platform")
        ]
        if not wanted or not platform:
            return True
        return any(
            platform in names
            or (all(n.startswith("-") for n in names) and f"-{platform}" not in names)
            for names in wanted
        )

    def _with_needs(self, active: dict[str, str]) -> dict[str, str]:
        """Streams whose needs can be had; a needed module's default or only stream comes too."""
        found = dict(active)
        todo = list(active)
        while todo:
            module = todo.pop()
            if module not in found:
                continue
            for needs in self.streams[module, found[module]].requires:
                for other, names in needs.items():
                    if other == "platform" or other in found:
                        continue
                    choice = names or sorted(s for m, s in self.streams if m == other)
                    if self.states.get(other, ("",))[0] == "disabled":
                        found.pop(module, None)
                    elif len(choice) == 1 and (other, choice[0]) in self.streams:
                        found[other] = choice[0]
                        todo.append(other)
        return found


class Hiding:
    """Which builds the modules of a host hide."""

    def __init__(self, modules: Modules, platform: str) -> None:
        self.active = modules.active(platform)
        self._shown: set[str] = set()
        self._of_module: dict[str, Stream] = {}
        self._names: dict[str, Stream] = {}
        for (module, name), stream in modules.streams.items():
            active = self.active.get(module) == name
            for package in stream.packages:
                self._of_module.setdefault(package, stream)
                if active:
                    self._shown.add(package)
                    self._names.setdefault(package.rsplit("-", 2)[0], stream)

    @property
    def names(self) -> frozenset[str]:
        """Names of packages that some stream has."""
        return frozenset(package.rsplit("-", 2)[0] for package in self._of_module)

    def __bool__(self) -> bool:
        return bool(self._of_module)

    def hides(self, build: RpmPackage) -> Stream | None:
        """The stream because of which a build is hidden, None where none is."""
        if build.origin.hotfixes:
            return None
        full = full_name(build)
        if full in self._shown:
            return None
        if full in self._of_module:
            return self._of_module[full]
        for name in (build.name, *(capability.name for capability in build.provides)):
            if name in self._names:
                return self._names[name]
        return None


def full_name(build: RpmPackage) -> str:
    """A build as module lists write it, epoch always there."""
    evr = parse(build.version)
    return f"{build.name}-{evr.epoch or 0}:{evr.version}-{evr.release}.{build.arch}"


def read_states(tree: Tree) -> dict[str, tuple[str, str]]:
    """What the host says of each module."""
    found = {}
    for name in tree.names(FOLDER):
        if not name.endswith(".module"):
            continue
        file = f"{FOLDER}/{name}"
        for section in read_sections(tree.read(file) or b"", file):
            found[section.name] = (section.get("state").lower(), section.get("stream"))
    return found


def read_modules(
    paths: Iterable[tuple[str, Path]], states: Mapping[str, tuple[str, str]]
) -> Modules:
    """The streams that some module lists tell of.

    Raises HostFileError, with the line, where one is not well-formed.
    """
    found = Modules(states=dict(states))
    for where, path in paths:
        for document in _documents(path, where):
            _take(found, document)
    return found


def _documents(path: Path, where: str) -> Iterable[Any]:
    import yaml

    loader = getattr(yaml, "CSafeLoader", yaml.SafeLoader)
    pieces, size = [], 0
    for piece in unpacked(path):
        size += len(piece)
        if size > _MOST:
            raise HostFileError(where, 0, "too large for a list of modules")
        pieces.append(piece)
    try:
        return list(yaml.load_all(b"".join(pieces), Loader=loader))
    except yaml.YAMLError as problem:
        mark = getattr(problem, "problem_mark", None)
        line = mark.line + 1 if mark else 0
        raise HostFileError(where, line, "a list of modules that is not well-formed") from problem


def _take(found: Modules, document: Any) -> None:
    if not isinstance(document, dict) or not isinstance(document.get("data"), dict):
        return
    data: dict[str, Any] = document["data"]
    if document.get("document") == "modulemd":
        key = (str(data.get("name", "")), str(data.get("stream", "")))
        stream = found.streams.setdefault(key, Stream(*key))
        artifacts = data.get("artifacts") or {}
        stream.packages.update(map(str, artifacts.get("rpms") or ()))
        for dependency in data.get("dependencies") or ():
            needs = dependency.get("requires") or {}
            stream.requires.append({str(k): [str(v) for v in vs or ()] for k, vs in needs.items()})
    elif document.get("document") == "modulemd-defaults" and data.get("stream") is not None:
        found.defaults[str(data.get("module", ""))] = str(data["stream"])
