"""Rules as an rpm-dnf host writes them: lists of what is let in and what is kept out.

A pin to a version keeps every other version out, by patterns that begin as the wanted one
does and then differ, and by the other epochs that there are of the name, and one more.

Observed rules: docs/how-hosts-choose/rpm.md, "Requests".
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from velpin.errors import Refusal
from velpin.kinds.rpm.pattern import is_glob
from velpin.kinds.rpm.rules.resolve import builds_meant, names_meant, split_name
from velpin.kinds.rpm.rules.store import RuleLine, Slot
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import parse
from velpin.kinds.rpm_dnf.config import MAIN
from velpin.model.rule import Rule, command_of

_MAIN = Slot(MAIN, "main", "excludepkgs")


def check(host: RpmState, rule: Rule) -> None:
    """Refusal, with the nearest, where this kind of host cannot express a rule."""
    if rule.version[:1] in ("<", ">", "="):
        name = rule.names[0]
        raise Refusal(
            f"this kind of host cannot match {name} by a bound ({rule.version}): a pattern is one"
            " version, or a glob",
            f"the nearest: velpin {rule.kind} {name}@VERSION",
        )
    if rule.version and is_glob(rule.version.rstrip("*")):
        raise Refusal(
            f"this kind of host cannot {rule.kind} {rule.names[0]}@{rule.version}: a glob may only"
            " end in *",
            f"the nearest: {command_of(rule._replace(version=rule.version.split('*')[0] + '*'))}",
        )


def pieces(host: RpmState, rule: Rule) -> list[RuleLine]:
    """What a rule puts where."""
    patterns = tuple(pattern for name in rule.names for pattern in _patterns(name))
    if rule.kind == "confine":
        return [RuleLine(_slot(host, rule.source, "includepkgs"), patterns)]
    if rule.kind == "bar":
        return [RuleLine(_barred(host, rule), tuple(_bar_patterns(rule)))]
    found = []
    if rule.version or rule.kind == "keep":
        others = tuple(other for name in rule.names for other in _others_than(host, rule, name))
        starts = tuple(f"{split_name(name)[0]}-" for name in rule.names)
        found.append(RuleLine(_MAIN, tuple(dict.fromkeys(others)), starts))
    if rule.source:
        found += [
            RuleLine(_slot(host, source.handle, "excludepkgs"), patterns)
            for source in host.sources
            if source.handle != rule.source
        ]
    return found


def _others_than(host: RpmState, rule: Rule, text: str) -> Iterator[str]:
    """Patterns for every version but the wanted one, or the one that is installed."""
    if rule.kind == "pin":
        yield from other_versions(text, rule.version, _epochs(host, text))
        return
    name, arch = split_name(text)
    for meant in names_meant(host, name):
        versions = {build.version for build in host.pool.installed(meant)}
        for version in sorted(versions):
            full = f"{meant}:{arch}" if arch else meant
            yield from other_versions(full, version, _epochs(host, full))


def _epochs(host: RpmState, text: str) -> list[int]:
    """The epochs that there are of a name."""
    return [parse(package.version).epoch or 0 for package in builds_meant(host, text)]


def _slot(host: RpmState, handle: str, key: str) -> Slot:
    source = host.source(handle)
    return Slot(source.file, source.handle, key)


def _barred(host: RpmState, rule: Rule) -> Slot:
    return _slot(host, rule.source, "excludepkgs") if rule.source else _MAIN


def _patterns(text: str) -> Iterator[str]:
    name, arch = split_name(text)
    yield f"{name}.{arch}" if arch else name


def _bar_patterns(rule: Rule) -> Iterator[str]:
    for text in rule.names or ("*",):
        name, arch = split_name(text)
        tail = f".{arch}" if arch else ""
        if rule.pre_releases:
            yield f"{name}-*~*-*{tail}"
        elif not rule.version:
            yield f"{name}{tail}"
        else:
            yield f"{name}-{rule.version}{tail}"


def other_versions(text: str, version: str, epochs: Iterable[int] = (0,)) -> Iterator[str]:
    """Patterns that mean every version of a name but one (or those that begin as it does,
    where it ends in `*`); `epochs` are those that there are of the name.

    None of them, read as a glob for the whole of a package's name and version, means the
    wanted one: the host tries that as well (observed).
    """
    name, arch = split_name(text)
    tail = f".{arch}" if arch else ""
    evr = parse(version.rstrip("*"))
    epoch, open_ = evr.epoch or 0, version.endswith("*")
    last = max(epoch, *epochs, 0) + 1
    yield from (f"{name}-{other}:*{tail}" for other in range(last + 1) if other != epoch)
    for other in _others(evr.version):
        yield f"{name}-{epoch}:{other}-*{tail}"
    if evr.release is not None or not open_:
        yield f"{name}-{epoch}:{evr.version}?*-*{tail}"
    if evr.release is None:
        return
    start = f"{name}-{epoch}:{evr.version}-"
    tail = f".{arch or '*'}"  # else the end of a release may be taken for an architecture
    for other in _others(evr.release):
        yield f"{start}{other}{tail if other.endswith('*') else ''}"
    if not open_:
        yield f"{start}{evr.release}[!.]*{tail}"
        yield f"{start}{evr.release}.*{tail}"


def _others(wanted: str) -> Iterator[str]:
    """Globs for every text that does not begin with one."""
    for at, char in enumerate(wanted):
        if at:
            yield wanted[:at]
        yield f"{wanted[:at]}[!{char}]*"
