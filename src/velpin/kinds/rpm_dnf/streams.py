"""What the host says of module streams: which are in force, and edits that show what they hide.

Observed rules: docs/how-hosts-choose/rpm.md, "Module streams (*dnf*)".
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING

from velpin.errors import Refusal, did_you_mean
from velpin.files.tree import Edits
from velpin.kinds.rpm.edit import with_section, with_value
from velpin.kinds.rpm.ini import read_sections, truth
from velpin.kinds.rpm.reasons import ModuleDisabled, NoStream, StreamEnabled, StreamIsDefault
from velpin.kinds.rpm_dnf.modules import FOLDER, OWN_FILE, full_name
from velpin.model.reason import Place, Reason
from velpin.model.rule import RuleInForce
from velpin.model.shell import shell_word
from velpin.ports.offers import PackageSet
from velpin.ports.rule_writer import Uncovering
from velpin.store.name_search import nearest

if TYPE_CHECKING:
    from velpin.kinds.rpm.pool import RpmPackage
    from velpin.kinds.rpm_dnf.modules import Hiding, Modules, Stream
    from velpin.kinds.rpm_dnf.state import DnfState


def streams_in_force(state: DnfState) -> Iterator[RuleInForce]:
    """Every module whose streams keep packages out, with the stream that is active."""
    hiding = state.filters.hiding
    hidden: dict[str, list[RpmPackage]] = {}
    for name in sorted(hiding.names):
        for build in state.packages.pool.all_named(name):
            stream = None if build.installed else hiding.hides(build)
            if stream is not None:
                hidden.setdefault(stream.module, []).append(build)
    stated, places = hiding.modules.states, _places(state)
    nowhere = Place(OWN_FILE if _own(state) else FOLDER, 0)  # what the lists of sources alone say
    for module in sorted({*hidden, *(name for name, (said, _) in stated.items() if said)}):
        builds = hidden.get(module, [])
        here = {build.name for build in builds if state.packages.pool.installed(build.name)}
        active = hiding.active.get(module)
        said, _ = stated.get(module, ("", ""))
        if said == "disabled":
            says: Reason = ModuleDisabled(module=module)
        elif active is None:
            says = NoStream(module=module)
        else:
            kind = StreamEnabled if said == "enabled" else StreamIsDefault
            says = kind(module=module, stream=active.name)
        place = places.get(module, nowhere)
        yield RuleInForce(place, says, None, 0, len(builds), tuple(sorted(here)))


def _places(state: DnfState) -> dict[str, Place]:
    """Where the host says something of each module."""
    found: dict[str, Place] = {}
    if _own(state):
        text = (state.tree.read(OWN_FILE) or b"").decode("utf-8", "replace")
        lines = text.split("\n")
        for module in state.filters.hiding.modules.states:
            at = (n for n, line in enumerate(lines, 1) if f".{module}]" in line)
            found[module] = Place(OWN_FILE, next(at, 0))
        return found
    for name in state.tree.names(FOLDER):
        file = f"{FOLDER}/{name}"
        for section in read_sections(state.tree.read(file) or b"", file):
            found.setdefault(section.name, Place(file, section.line))
    return found


def uncovering(state: DnfState, name: str) -> Iterator[Uncovering]:
    """Each way to show builds of a name that modules hide, each once: their stream in place of the
    active one, their module switched off, their source let be by modules."""
    hiding = state.filters.hiding
    found: dict[str, Uncovering] = {}
    for build in state.packages.pool.all_named(name):
        stream = None if build.installed else hiding.hides(build)
        if stream is None:
            continue
        for way in _ways(state, hiding, build, stream):
            found.setdefault(way.command, way)
    yield from found.values()


def _ways(
    state: DnfState, hiding: Hiding, build: RpmPackage, stream: Stream
) -> Iterator[Uncovering]:
    module = stream.module
    if not (_NAME.fullmatch(module) and _NAME.fullmatch(stream.name)):
        return  # whoever named it so wants a path or a command made of it
    if hiding.is_of_module(full_name(build)):
        command = f"dnf module enable {module}:{stream.name}"
        if hiding.modules.states.get(module, ("",))[0] == "enabled":
            command = f"dnf module reset {module} && {command}"
        yield Uncovering(command, _stated(state, module, "enabled", stream.name))
    else:
        yield Uncovering(f"dnf module disable {module}", _stated(state, module, "disabled", ""))
    source = state.configuration.by_handle[build.origin.handle]
    file = source.file_of("module_hotfixes")
    data = with_section(state.tree.read(file) or b"", file, source.handle)
    setting = shell_word(f"{source.handle}.module_hotfixes=1")
    change = state.configuration.ways.words.set_option.format(setting)
    yield Uncovering(change, {file: with_value(data, file, source.handle, "module_hotfixes", "1")})


def without_statement(state: DnfState, place: Place) -> Edits | None:
    """The edits that take away what the host says of a module at a place; None if it says nothing
    there. Refusal if it is the lists of sources that say it."""
    places = _places(state)
    for module, (said, _) in state.filters.hiding.modules.states.items():
        if said not in ("", "available") and places.get(module) == place:
            return _stated(state, module, "available" if _own(state) else "", "")
    if any(rule.place == place for rule in streams_in_force(state)):
        raise Refusal(
            "no file of this host says that: it is what the lists of its sources say",
            "velpin want NAME@VERSION finds the setting that shows what it hides",
        )
    return None


_NAME = re.compile(r"[A-Za-z0-9_][A-Za-z0-9_.+-]*")
"""What modules and streams can be called that are written or named in a command."""
_SET = re.compile(r"@(?P<module>[^:/]+)(?::(?P<stream>[^/]+))?(?:/(?P<profile>.+))?")


def set_meant(state: DnfState, text: str) -> PackageSet:
    """The packages of a profile of a module's stream, and the stream enabled (observed).

    Raises Refusal, with what there is, if there is no such, in the newer generation for every one.
    """
    if state.configuration.ways.own_files:
        raise Refusal(
            f"this generation of the host's installer takes no module as a request: {text}",
            "enable its stream, then ask for its packages: dnf module enable MODULE:STREAM",
        )
    found = _SET.fullmatch(text)
    module = found["module"] if found else ""
    modules = state.filters.hiding.modules
    streams = sorted(
        stream
        for name, stream in modules.streams
        if name == module and _NAME.fullmatch(name) and _NAME.fullmatch(stream)
    )
    if found is None or not streams:
        near = did_you_mean(nearest(module, {name for name, _ in modules.streams}))
        raise Refusal(f"no source has a module called {module or text}", near)
    said, enabled = modules.states.get(module, ("", ""))
    enabled = enabled if said == "enabled" else ""
    stream = found["stream"] or enabled or modules.defaults.get(module, "")
    if stream not in streams:
        what = f"module {module} has no stream {stream}" if stream else (
            f"module {module} has no default stream"
        )  # fmt: skip
        raise Refusal(what, f"it has {', '.join(streams)}")
    if enabled and stream != enabled and not _may_switch(state):
        raise Refusal(
            f"stream {enabled} of module {module} is enabled, and the installer switches to no"
            " other for a request",
            f"velpin rules drop {_places(state)[module]} takes that back",
        )
    names = _of_profiles(modules, module, stream, found["profile"] or "")
    if enabled == stream:
        return PackageSet(names, {}, "")
    edits = _stated(state, module, "enabled", stream)
    return PackageSet(names, edits, f", and enables stream {stream} of module {module}")


def _of_profiles(modules: Modules, module: str, stream: str, profile: str) -> list[str]:
    """Names of the packages of a profile, or of those that are installed where none is named."""
    newest = max(modules.streams[module, stream], key=lambda build: build.version)
    there = ", ".join(sorted(newest.profiles))
    wanted = [profile] if profile else modules.default_profiles.get((module, stream), [])
    known = [each for each in wanted if each in newest.profiles]
    if not known:
        what = f"has no profile {profile}" if profile else "has no default profile"
        raise Refusal(
            f"stream {stream} of module {module} {what}",
            f"it has {there}: velpin forecast @{module}:{stream}/PROFILE" if there else "",
        )
    return list(dict.fromkeys(name for each in known for name in newest.profiles[each]))


def _may_switch(state: DnfState) -> bool:
    return truth(state.configuration.settings_said.get("module_stream_switch", "0"), False)


def _own(state: DnfState) -> bool:
    return state.configuration.ways.own_files and state.tree.exists(OWN_FILE)


def _stated(state: DnfState, module: str, said: str, stream: str) -> Edits:
    """The edits with which a host says something of a module, as its installer writes it."""
    if _own(state):
        return {OWN_FILE: _own_file_with(state.tree.read(OWN_FILE) or b"", module, said, stream)}
    here = _places(state).get(module)
    file = here.file if here else f"{FOLDER}/{module}.module"
    data = with_section(state.tree.read(file) or b"", file, module)
    section = next(one for one in read_sections(data, file) if one.name == module)
    for key, value in (
        ("name", module), ("stream", stream), ("profiles", section.get("profiles")),
        ("state", said),
    ):  # fmt: skip
        data = with_value(data, file, module, key, value)
    return {file: data}


def _own_file_with(data: bytes, module: str, said: str, stream: str) -> bytes:
    import tomllib

    import tomli_w

    given = tomllib.loads(data.decode("utf-8"))
    if not isinstance(given.get("modules"), dict):
        given["modules"] = {}
    modules = given["modules"]
    here = modules.setdefault(module, {"installed_profiles": []})
    here.update(enabled_stream=stream, state=said.capitalize())
    return tomli_w.dumps(given).encode()
