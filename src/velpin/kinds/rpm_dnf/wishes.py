"""Wishes as an rpm-dnf host writes them: lists of what is let in and what is kept out.

A pin to a version keeps every other version out, by patterns that begin as the wanted one
does and then differ, and by the other epochs that there are of the name, and one more.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from velpin.errors import Refusal
from velpin.kinds.rpm.pattern import is_glob
from velpin.kinds.rpm.rules.settled import builds_meant, names_meant, split_name
from velpin.kinds.rpm.rules.written import Piece, Slot
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import parse
from velpin.kinds.rpm_dnf.config import MAIN
from velpin.wish import Wish, command_of

_MAIN = Slot(MAIN, "main", "excludepkgs")


def check(host: RpmState, wish: Wish) -> None:
    """Refusal, with the nearest, where this kind of host cannot express a wish."""
    if wish.version[:1] in ("<", ">", "="):
        name = wish.names[0]
        raise Refusal(
            f"the host cannot name {name} by a bound ({wish.version}): a pattern names one"
            " version, or a glob",
            f"the nearest: velpin {wish.kind} {name}@VERSION",
        )
    if wish.version and is_glob(wish.version.rstrip("*")):
        raise Refusal(
            f"the host cannot {wish.kind} {wish.names[0]}@{wish.version}: a glob may only end in *",
            f"the nearest: {command_of(wish._replace(version=wish.version.split('*')[0] + '*'))}",
        )


def pieces(host: RpmState, wish: Wish) -> list[Piece]:
    """What a wish puts where."""
    patterns = tuple(pattern for name in wish.names for pattern in _patterns(name))
    if wish.kind == "confine":
        return [Piece(_slot(host, wish.source, "includepkgs"), patterns)]
    if wish.kind == "bar":
        return [Piece(_barred(host, wish), tuple(_bar_patterns(wish)))]
    found = []
    if wish.version or wish.kind == "keep":
        others = tuple(one for name in wish.names for one in _others_than(host, wish, name))
        starts = tuple(f"{split_name(name)[0]}-" for name in wish.names)
        found.append(Piece(_MAIN, tuple(dict.fromkeys(others)), starts))
    if wish.source:
        found += [
            Piece(_slot(host, source.handle, "excludepkgs"), patterns)
            for source in host.sources
            if source.handle != wish.source
        ]
    return found


def _others_than(host: RpmState, wish: Wish, text: str) -> Iterator[str]:
    """Patterns for every version but the wanted one, or the one that is installed."""
    if wish.kind == "pin":
        yield from other_versions(text, wish.version, _epochs(host, text))
        return
    name, arch = split_name(text)
    for one in names_meant(host, name):
        versions = {build.version for build in host.pool.installed(one)}
        for version in sorted(versions):
            full = f"{one}:{arch}" if arch else one
            yield from other_versions(full, version, _epochs(host, full))


def _epochs(host: RpmState, text: str) -> list[int]:
    """The epochs that there are of a name."""
    return [parse(one.version).epoch or 0 for one in builds_meant(host, text)]


def _slot(host: RpmState, handle: str, key: str) -> Slot:
    source = host.source(handle)
    return Slot(source.file, source.handle, key)


def _barred(host: RpmState, wish: Wish) -> Slot:
    return _slot(host, wish.source, "excludepkgs") if wish.source else _MAIN


def _patterns(text: str) -> Iterator[str]:
    name, arch = split_name(text)
    yield f"{name}.{arch}" if arch else name


def _bar_patterns(wish: Wish) -> Iterator[str]:
    for text in wish.names or ("*",):
        name, arch = split_name(text)
        tail = f".{arch}" if arch else ""
        if wish.pre_releases:
            yield f"{name}-*~*-*{tail}"
        elif not wish.version:
            yield f"{name}{tail}"
        else:
            yield f"{name}-{wish.version}{tail}"


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
