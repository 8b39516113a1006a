"""Module streams: which packages they hide (observed).

With an active stream of a module (the one enabled, else the default one) its packages show,
those of other streams are hidden, and so is every plain package that has the name of one of
its packages or provides such a name, in any source. Without one all of the module's
packages are hidden. Sources marked for hotfixes are let be.

Observed rules: docs/how-hosts-choose/rpm.md, "What is weighed, in turn".
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from velpin.errors import HostFileError
from velpin.files.text import whole_number
from velpin.files.tree import Tree
from velpin.kinds.rpm.ini import read_sections
from velpin.kinds.rpm.pool import RpmPackage
from velpin.kinds.rpm.version import parse
from velpin.kinds.rpm_dnf.module_documents import Node, read_documents

FOLDER = "etc/dnf/modules.d"
OWN_FILE = "usr/lib/sysimage/libdnf5/modules.toml"


@dataclass(slots=True, eq=False)
class Stream:
    """One build of a stream of a module: its packages, and the platforms and modules it needs."""

    module: str
    name: str
    context: str = ""
    version: int = 0
    arch: str = ""
    """Empty where its document says none."""
    packages: set[str] = field(default_factory=set)
    """Full names: name-epoch:version-release.arch."""
    requires: list[dict[str, list[str]]] = field(default_factory=list)
    profiles: dict[str, list[str]] = field(default_factory=dict)
    """Names of the packages of each profile."""

    def needs(self) -> Iterator[tuple[str, list[str]]]:
        """Each module it needs, and the streams that will do; empty where any will."""
        for requirement in self.requires:
            yield from requirement.items()


_PLATFORM = "platform"
_MOST_TRIED = 10_000
"""Builds of streams that are tried for one stream's needs; no real module comes near."""


@dataclass(slots=True)
class Modules:
    """All streams that sources have, the default of each module, and what the host says."""

    streams: dict[tuple[str, str], list[Stream]] = field(default_factory=dict)
    """By module and stream its builds."""
    defaults: dict[str, str] = field(default_factory=dict)
    default_profiles: dict[tuple[str, str], list[str]] = field(default_factory=dict)
    """By module and stream the profiles that are installed where none is named."""
    states: dict[str, tuple[str, str]] = field(default_factory=dict)
    """By module: `enabled` or `disabled`, and the stream."""
    archs: tuple[str, ...] = ()
    """Architectures of which streams may be active; empty for all."""

    def active(self, platform: str) -> dict[str, Stream]:
        """By module the stream that is active on a platform, with what those streams need.

        Those enabled go first, then defaults by name; one whose needs cannot be met beside
        those before it is left out. Where one that is enabled needs another stream of one
        that is enabled too, neither is active (observed).
        """
        enabled = {
            module: name for module, (state, name) in self.states.items() if state == "enabled"
        }
        at_odds = {
            name
            for module in enabled
            for build in self.builds(module, platform, [enabled[module]])[:1]
            for other, allowed in build.needs()
            if other in enabled and not _allows(allowed, enabled[other])
            for name in (module, other)
        }
        defaults = [
            module for module in sorted(self.defaults)
            if self.states.get(module, ("",))[0] not in ("enabled", "disabled")
        ]  # fmt: skip
        found: dict[str, Stream] = {}
        for module in (*sorted(enabled.keys() - at_odds), *defaults):
            wanted = enabled.get(module) or self.defaults[module]
            for at_defaults in (True, False):
                choice = _Choice(self, platform, at_odds, at_defaults)
                more = choice.with_stream(found, module, [wanted])
                if more:
                    found = more
                    break
        return found

    def builds(self, module: str, platform: str, allowed: list[str]) -> list[Stream]:
        """Builds of a module that will do, those to be tried first at the front: of the stream
        that is enabled, of the default one, then by name; the newest build first."""
        state, stated = self.states.get(module, ("", ""))
        if state == "disabled":
            return []
        names = [name for other, name in self.streams if other == module]
        names = [
            name for name in names
            if _allows(allowed, name) and (state != "enabled" or name == stated)
        ]  # fmt: skip
        names.sort(key=lambda name: (name != self.defaults.get(module), name))
        found: list[Stream] = []
        for name in names:
            builds = [
                b for b in self.streams[module, name] if not self.archs or b.arch in self.archs
            ]
            builds.sort(key=lambda b: (-b.version, b.context))
            if builds and _fits(builds[0], platform):
                found += builds
        return found


@dataclass(slots=True)
class _Choice:
    """The search for streams that go together."""

    modules: Modules
    platform: str
    left_out: set[str]
    at_defaults: bool
    """Whether no module may leave its default stream."""
    tried: int = 0

    def with_stream(
        self, found: dict[str, Stream], module: str, allowed: list[str]
    ) -> dict[str, Stream] | None:
        """The streams so far with one of a module and all it needs; None where none goes."""
        if module == _PLATFORM:
            return found
        if module in found:
            return found if _allows(allowed, found[module].name) else None
        if module in self.left_out:
            return None
        for build in self.modules.builds(module, self.platform, allowed):
            default = self.modules.defaults.get(module, build.name)
            if self.at_defaults and build.name != default and not self._is_enabled(module):
                continue
            self.tried += 1
            if self.tried > _MOST_TRIED:
                return None
            more: dict[str, Stream] | None = {**found, module: build}
            for other, streams in build.needs():
                more = more and self.with_stream(more, other, streams)
            if more:
                return more
        return None

    def _is_enabled(self, module: str) -> bool:
        return self.modules.states.get(module, ("",))[0] == "enabled"


def _allows(allowed: list[str], name: str) -> bool:
    """Whether a list of streams, or of such as will not do (`-NAME`), lets one in."""
    if all(stream.startswith("-") for stream in allowed):
        return f"-{name}" not in allowed
    return name in allowed


def _fits(stream: Stream, platform: str) -> bool:
    """Whether every need of a platform is met by the host's, where it says which it is."""
    return not platform or all(
        _allows(names, platform) for module, names in stream.needs() if module == _PLATFORM
    )


class Hiding:
    """Which builds the modules of a host hide."""

    def __init__(self, modules: Modules, platform: str) -> None:
        self.modules, self.active = modules, modules.active(platform)
        self.unmet = [
            (module, name)
            for module, (state, name) in sorted(modules.states.items())
            if state == "enabled" and (module, name) in modules.streams
            and module not in self.active
        ]  # fmt: skip
        """Modules and streams that are enabled and cannot be active for what they need."""
        self._shown: set[str] = set()
        self._of_module: dict[str, Stream] = {}
        self._names: dict[str, Stream] = {}
        for stream in (build for builds in modules.streams.values() for build in builds):
            active = self.active.get(stream.module) is stream
            for package in stream.packages:
                self._of_module.setdefault(package, stream)
                if active:
                    self._shown.add(package)
                    self._names.setdefault(package.rsplit("-", 2)[0], stream)

    @property
    def chosen(self) -> list[tuple[str, str, str, int]]:
        """Which build of which stream is active, of each module."""
        return [(s.module, s.name, s.context, s.version) for s in self.active.values()]

    @property
    def names(self) -> frozenset[str]:
        """Names of packages that some stream has."""
        return frozenset(package.rsplit("-", 2)[0] for package in self._of_module)

    def __bool__(self) -> bool:
        return bool(self._of_module)

    def is_of_module(self, full: str) -> bool:
        """Whether a build, by its full name, belongs to some stream."""
        return full in self._of_module

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


_WHOLE = ("stream", "profiles", "state")
_OWN_WHOLE = ("enabled_stream", "installed_profiles", "state")
_OWN_STATES = ("Available", "Enabled", "Disabled")


def read_states(tree: Tree, *, own_file: bool = False) -> dict[str, tuple[str, str]]:
    """What the host says of each module: in the newer generation in one file of its own, where
    there is that; the older one heeds a statement only if it is whole (observed).

    Raises HostFileError where that file stops the installer."""
    if own_file and tree.exists(OWN_FILE):
        return _own_states(tree)
    found = {}
    for name in tree.names(FOLDER):
        if not name.endswith(".module"):
            continue
        file = f"{FOLDER}/{name}"
        for section in read_sections(tree.read(file) or b"", file):
            if own_file or all(key in section for key in _WHOLE):
                found[section.name] = (section.get("state"), section.get("stream"))
    return found


def _own_states(tree: Tree) -> dict[str, tuple[str, str]]:
    import tomllib

    try:
        given = tomllib.loads((tree.read(OWN_FILE) or b"").decode("utf-8")).get("modules", {})
    except (ValueError, RecursionError) as problem:
        raise HostFileError(OWN_FILE, 0, str(problem)) from problem
    found = {}
    for name, said in given.items() if isinstance(given, dict) else ():
        lacks = [key for key in _OWN_WHOLE if not (isinstance(said, dict) and key in said)]
        if lacks:
            raise HostFileError(OWN_FILE, 0, f"module {name} has no {lacks[0]}")
        if said["state"] not in _OWN_STATES:
            raise HostFileError(OWN_FILE, 0, f"module {name} is in no known state: {said['state']}")
        found[name] = (str(said["state"]).lower(), str(said["enabled_stream"]))
    return found


def read_modules(
    paths: Iterable[tuple[str, Path]],
    states: Mapping[str, tuple[str, str]],
    archs: tuple[str, ...] = (),
) -> Modules:
    """The streams that some module lists tell of; those of other architectures are never active.

    Raises HostFileError, with the line, where one is not well-formed.
    """
    found = Modules(states=dict(states), archs=archs)
    for where, path in paths:
        for document in read_documents(path, where):
            _take(found, document)
    return found


def _take(found: Modules, document: Node) -> None:
    """Take in what one document says; what has another form than it should says nothing."""
    data = _table(document).get("data")
    if not isinstance(data, dict):
        return
    kind = _text(_table(document).get("document"))
    if kind == "modulemd":
        if not _is_whole(data):
            return
        key = (_text(data.get("name")), _text(data.get("stream")))
        version = whole_number(_text(data.get("version"))) or 0
        stream = Stream(*key, _text(data.get("context")), version, _text(data.get("arch")))
        found.streams.setdefault(key, []).append(stream)
        stream.packages.update(_texts(_table(data.get("artifacts")).get("rpms")))
        for dependency in _list(data.get("dependencies")):
            needs = _table(_table(dependency).get("requires"))
            stream.requires.append({name: _texts(streams) for name, streams in needs.items()})
        for profile, told in _table(data.get("profiles")).items():
            stream.profiles[profile] = _texts(_table(told).get("rpms"))
    elif kind == "modulemd-defaults":
        module = _text(data.get("module"))
        if _text(data.get("stream")):
            found.defaults[module] = _text(data.get("stream"))
        for name, profiles in _table(data.get("profiles")).items():
            found.default_profiles[module, name] = _texts(profiles)


def _is_whole(data: Mapping[str, Node]) -> bool:
    """Whether a document has what the installer demands of one, else it passes it over
    (observed)."""
    licenses = _texts(_table(data.get("license")).get("module"))
    return "summary" in data and "description" in data and bool(licenses)


def _text(value: Node | None) -> str:
    return value if isinstance(value, str) else ""


def _list(value: Node | None) -> list[Node]:
    return value if isinstance(value, list) else []


def _texts(value: Node | None) -> list[str]:
    return [each for each in _list(value) if isinstance(each, str)]


def _table(value: Node | None) -> dict[str, Node]:
    return value if isinstance(value, dict) else {}
