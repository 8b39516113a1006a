"""A saved snapshot of how a host stands, and what has drifted since.

A snapshot is a file of JSON lines (docs/json.md): a first line about the host, its sources and
its rules, then one line for each installed or watched package with all its offers. What was
known then is enough to tell whether the host, a source or a rule is why something differs.
"""

from __future__ import annotations

import json
import time
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from velpin.errors import HostFileError
from velpin.files.given import read_given, write_given
from velpin.model.safe_text import without_logins
from velpin.model.shapes import of_kind, table, texts, time_of
from velpin.model.shift import Drift, DriftCause, PackageSnapshot, Selection

if TYPE_CHECKING:
    from velpin.model.host import HostFacts, SourceStatus
    from velpin.model.rule import RuleInForce

FORMAT = 1
_LARGEST = 512 << 20


class Snapshot(NamedTuple):
    """How a host stood at a time, in seconds since 1970."""

    time: float
    host: dict[str, Any]
    sources: dict[str, dict[str, Any]]
    """By handle: address, release, whether on, when its release file was made."""
    rules: list[str]
    packages: list[PackageSnapshot]
    watched: list[str]


def take_snapshot(
    facts: HostFacts,
    statuses: Iterable[SourceStatus],
    rules_in_force: Iterable[RuleInForce],
    packages: list[PackageSnapshot],
    watched: Sequence[str],
    clock: Callable[[], float] = time.time,
) -> Snapshot:
    """How a host stands now, its packages with it."""
    release = {k: v for k, v in facts.release.items() if k in ("ID", "VERSION_ID")}
    sources = {
        status.source.handle: {
            "address": status.source.address,
            "release": status.source.release,
            "on": status.source.on,
            "dated": status.dated,
        }
        for status in statuses
    }
    rules = [f"{rule.place} {json.dumps(dict(rule.says.facts))}" for rule in rules_in_force]
    about = {"kind": facts.kind, "arch": facts.arch, "foreign": list(facts.foreign), **release}
    return Snapshot(clock(), about, sources, rules, packages, sorted(watched))


def save_snapshot(snapshot: Snapshot, file: Path) -> None:
    """Write a snapshot, also over an older one.

    CannotWrite where that fails or something else stands there, and then nothing is lost.
    """
    first = {
        "velpin": "picture", "format": FORMAT, "time": snapshot.time, "host": snapshot.host,
        "sources": snapshot.sources, "rules": snapshot.rules, "watched": snapshot.watched,
    }  # fmt: skip
    lines = [first, *(package._asdict() for package in snapshot.packages)]
    text = without_logins("".join(json.dumps(line, ensure_ascii=False) + "\n" for line in lines))
    data = text.encode(errors="backslashreplace")
    write_given(file, data, "a snapshot of velpin's", _is_snapshot)


def _is_snapshot(file: Path) -> bool:
    try:
        load_snapshot(file)
    except HostFileError:
        return False
    return True


def load_snapshot(file: Path) -> Snapshot:
    """Read a snapshot; HostFileError with the line where it is none."""
    try:
        lines = read_given(file, _LARGEST).decode("utf-8").split("\n")
        lines = lines if lines[-1] else lines[:-1]
    except UnicodeDecodeError as problem:
        raise HostFileError(str(file), 0, f"cannot be read: {problem}") from problem
    number = 1
    try:
        first = table(json.loads(lines[0]))
        if first["velpin"] != "picture" or first["format"] != FORMAT:
            raise ValueError(f"a snapshot of format {FORMAT} was expected")
        packages = []
        for line in lines[1:]:
            number += 1
            packages.append(_read_package(json.loads(line)))
        return Snapshot(
            time_of(first["time"]), table(first["host"]), _read_sources(first["sources"]),
            texts(first["rules"]), packages, texts(first["watched"]),
        )  # fmt: skip
    except (
        ArithmeticError, ValueError, LookupError, TypeError, AttributeError, RecursionError,
    ) as problem:  # fmt: skip
        raise HostFileError(
            str(file), number, f"not a snapshot of velpin's: {problem}"
        ) from problem


def _read_sources(value: object) -> dict[str, dict[str, Any]]:
    found = table(value)
    for source in found.values():
        of_kind(source["address"], str)
        of_kind(source["release"], str)
        of_kind(source["on"], bool)
        if source["dated"] is not None:
            time_of(source["dated"])
    return found


def _read_package(given: object) -> PackageSnapshot:
    value = table(given)
    offers = tuple(
        (of_kind(version, str), of_kind(source, str), of_kind(priority, int))
        for version, source, priority in of_kind(value["offers"], list)
    )
    selected, installed = value["next"], value["installed"]
    return PackageSnapshot(
        of_kind(value["name"], str), of_kind(value["arch"], str),
        None if installed is None else of_kind(installed, str),
        None if selected is None else Selection(*texts(selected)), of_kind(value["held"], bool),
        offers,
    )  # fmt: skip


# -- comparing ---------------------------------------------------------------------------


def drift(then: Snapshot, now: Snapshot) -> Iterator[Drift]:
    """Every package that is different, by name, with what is the cause."""
    was = {(package.name, package.arch): package for package in then.packages}
    has = {(package.name, package.arch): package for package in now.packages}
    for key in sorted(was.keys() | has.keys()):
        one, other = was.get(key), has.get(key)
        before, after = one and one.next, other and other.next
        installed = one.installed if one else None, other.installed if other else None
        if before != after or (one is None) != (other is None):
            causes = tuple(_causes(then, now, one, other)) or ("others",)
            yield Drift(*key, before, after, installed, causes)


def _causes(
    then: Snapshot, now: Snapshot, one: PackageSnapshot | None, other: PackageSnapshot | None
) -> Iterator[DriftCause]:
    """What bears on the difference: the versions that would come, then and now."""
    if one is None or other is None:
        yield "host"
        return
    if (one.installed, one.held) != (other.installed, other.held):
        yield "host"
    had, has = _priorities(one), _priorities(other)
    stands = [stand for stand in (one.next, other.next) if stand]
    missing, changed = _differing(stands, had, has)
    if not (missing or changed):
        missing, changed = _differing([*had, *has], had, has)
    on = [(_was_on(then, handle), _was_on(now, handle)) for _, handle in missing if handle]
    if any(before != after for before, after in on):
        yield "sources"
    if any(before and after for before, after in on):
        yield "content"
    if changed:
        yield "rule"


def _differing(
    stands: Iterable[Selection], had: Mapping[Selection, int], has: Mapping[Selection, int]
) -> tuple[list[Selection], list[Selection]]:
    """Offers that only one of two times knew, and those whose priority differs."""
    missing = [stand for stand in stands if (stand in had) != (stand in has)]
    both = [stand for stand in stands if stand in had and stand in has]
    return missing, [stand for stand in both if had[stand] != has[stand]]


def _priorities(one: PackageSnapshot) -> dict[Selection, int]:
    return {Selection(version, source): priority for version, source, priority in one.offers}


def _was_on(snapshot: Snapshot, handle: str) -> bool:
    return bool(snapshot.sources.get(handle, {}).get("on"))
