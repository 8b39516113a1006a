"""Rules as an rpm-dnf host writes them: lists of what is let in and what is kept out.

A pin to a version is a line in the list of locked versions, where the host has that plugin.
Elsewhere it keeps every other version out, by patterns that begin as the wanted one does and
then differ, and by every other epoch.

Observed rules: docs/how-hosts-choose/rpm.md, "Requests".
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import replace

from velpin.errors import Refusal
from velpin.files.tree import Edits
from velpin.kinds.rpm.asked import version_fits
from velpin.kinds.rpm.pattern import Named, is_glob
from velpin.kinds.rpm.rules.listing import LISTS, RpmRules, list_rule
from velpin.kinds.rpm.rules.reasons import SaysNever, SaysOnlyVersion
from velpin.kinds.rpm.rules.resolve import builds_meant, installed_meant, split_name
from velpin.kinds.rpm.rules.store import RuleLine, Slot
from velpin.kinds.rpm.rules.writer import RpmRuleWriter
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import parse
from velpin.kinds.rpm_dnf import own_locks
from velpin.kinds.rpm_dnf.config import main_file
from velpin.kinds.rpm_dnf.locks import VersionLock
from velpin.kinds.rpm_dnf.own_locks import FILE as OWN_LOCKS
from velpin.kinds.rpm_dnf.own_locks import lock_text
from velpin.kinds.rpm_dnf.state import DnfState
from velpin.kinds.rpm_dnf.streams import streams_in_force, uncovering, without_statement
from velpin.model.reason import Place
from velpin.model.rule import Bar, Confine, Keep, Pin, Rule, RuleInForce, command_of
from velpin.model.rule_reasons import RuleNotThere
from velpin.ports.configuration import find_source
from velpin.ports.rule_writer import Uncovering


class DnfRules(RpmRules):
    """Rules that stand on an rpm-dnf host."""

    _state: DnfState

    def in_force(self) -> list[RuleInForce]:
        """Every rule; module streams last, since it takes the lists of sources to know them."""
        streams = streams_in_force(self._state) if self._state.view.has_indexes else ()
        return [*super().in_force(), *streams]

    def common_rules(self) -> list[RuleInForce]:
        """Rules of the main file."""
        main = self._state.configuration.config.main
        found = [
            list_rule(self._state, main, main_file(self._state.tree), key, None)
            for key in LISTS
            if key in main
        ]
        locks = self._state.configuration.version_locks.lines
        return [*found, *map(self._told_lock, locks)]

    def _told_lock(self, lock: VersionLock | own_locks.OwnLock) -> RuleInForce:
        offers = sum(
            lock.allows(Named(row.name, row.arch, row.version))
            for _, index in self._state.indexes.opened
            for row in index.all_rows()
        )
        here = {
            package.name
            for package in self._state.packages.pool.all_installed()
            if lock.speaks_of(package.name)
        }
        says = (SaysNever if lock.never else SaysOnlyVersion)(names=lock.pattern)
        dead = None if offers or here else RuleNotThere(names=lock.pattern)
        return RuleInForce(lock.place, says, None, 0, offers, tuple(sorted(here)), dead)


class DnfRuleWriter(RpmRuleWriter):
    """Writes rules of an rpm-dnf host."""

    _state: DnfState

    def check(self, rule: Rule) -> None:
        """Refusal, with the nearest, where this kind of host cannot express a rule."""
        _check(rule)

    def edits_without(self, place: Place) -> Edits | None:
        """The edits that take away someone else's line, value, or statement of a module."""
        return super().edits_without(place) or without_statement(self._state, place)

    def uncovering(self, name: str) -> Iterator[Uncovering]:
        """Changes that show what module streams hide."""
        yield from uncovering(self._state, name)

    def pieces(self, rule: Rule) -> list[RuleLine]:
        """What a rule puts where, one about the order of sources aside."""
        return _pieces(self._state, rule)


def _check(rule: Rule) -> None:
    """Refusal, with the nearest, where this kind of host cannot express a rule."""
    if rule.version[:1] in ("<", ">", "="):
        name = rule.names[0]
        raise Refusal(
            f"this kind of host cannot match {name} by a bound ({rule.version}): a pattern is one"
            " version, or a glob",
            f"the nearest: velpin {rule.kind} {name}@VERSION",
        )
    if isinstance(rule, Pin | Bar) and is_glob(rule.version.rstrip("*")):
        raise Refusal(
            f"this kind of host cannot {rule.kind} {rule.names[0]}@{rule.version}: a glob may only"
            " end in *",
            f"the nearest: {command_of(replace(rule, version=rule.version.split('*')[0] + '*'))}",
        )


def _pieces(state: RpmState, rule: Rule) -> list[RuleLine]:
    """What a rule puts where."""
    patterns = tuple(pattern for name in rule.names for pattern in _patterns(name))
    if isinstance(rule, Confine):
        return [RuleLine(_slot(state, rule.source, "includepkgs"), patterns)]
    if isinstance(rule, Bar):
        return [RuleLine(_barred(state, rule), tuple(_bar_patterns(rule)))]
    found = []
    lock_file = next(iter(state.rule_files.blocks), "")
    if lock_file == OWN_LOCKS and not _is_one_version(rule):
        lock_file = ""  # its conditions cannot say "this version in any release"
    if lock_file and (rule.version or isinstance(rule, Keep)):
        locks = [lock for name in rule.names for lock in _locks(state, rule, name)]
        found.append(RuleLine(Slot(lock_file), ("\n".join(dict.fromkeys(locks)),)))
    elif rule.version or isinstance(rule, Keep):
        others = tuple(other for name in rule.names for other in _others_than(state, rule, name))
        starts = tuple(f"{split_name(name)[0]}-" for name in rule.names)
        found.append(RuleLine(_main(state), tuple(dict.fromkeys(others)), starts))
    if rule.source:
        found += [
            RuleLine(_slot(state, source.handle, "excludepkgs"), patterns)
            for source in state.configuration.sources
            if source.handle != rule.source
        ]
    return found


def _is_one_version(rule: Rule) -> bool:
    """Whether it is about versions told in full."""
    return isinstance(rule, Keep) or (
        parse(rule.version).release is not None and not rule.version.endswith("*")
    )


def _locks(state: RpmState, rule: Rule, text: str) -> Iterator[str]:
    """Entries of the list of locked versions for what is wanted, or for what is installed."""
    if OWN_LOCKS in state.rule_files.blocks:
        yield from _own_locks(state, rule, text)
        return
    name, arch = split_name(text)
    if isinstance(rule, Keep):
        for build in installed_meant(state, name):
            evr = parse(build.version)
            yield _lock(build.name, evr.epoch, evr.version, evr.release or "", arch)
        return
    wanted = parse(rule.version.rstrip("*"))
    epochs = {wanted.epoch} if wanted.epoch is not None else {
        parse(build.version).epoch
        for build in builds_meant(state, text)
        if _is_wanted(rule.version, build.version)
    }  # fmt: skip
    for epoch in sorted(epoch or 0 for epoch in epochs or {0}):
        open_ = "*" if rule.version.endswith("*") else ""
        if wanted.release:
            yield _lock(name, epoch, wanted.version, wanted.release + open_, arch)
        else:
            yield _lock(name, epoch, wanted.version + open_, "*", arch)


def _own_locks(state: RpmState, rule: Rule, text: str) -> Iterator[str]:
    name, arch = split_name(text)
    if isinstance(rule, Keep):
        for build in installed_meant(state, name):
            yield lock_text(build.name, _in_full(build.version), arch)
        return
    wanted = parse(rule.version)
    versions = {
        _in_full(build.version)
        for build in builds_meant(state, text)
        if version_fits(rule.version, build.version, any_epoch=wanted.epoch is None)
    }
    for version in sorted(versions or {_in_full(rule.version)}):
        yield lock_text(name, version, arch)


def _in_full(version: str) -> str:
    evr = parse(version)
    return f"{evr.epoch or 0}:{evr.version}-{evr.release or ''}"


def _is_wanted(wanted: str, version: str) -> bool:
    """Whether a version is the one named, or begins as it does."""
    if wanted.endswith("*"):
        return version.rpartition(":")[2].startswith(wanted.rstrip("*"))
    return version_fits(wanted, version, any_epoch=True)


def _lock(name: str, epoch: int | None, version: str, release: str, arch: str) -> str:
    return f"{name}-{epoch or 0}:{version}-{release}.{arch or '*'}"


def _others_than(state: RpmState, rule: Rule, text: str) -> Iterator[str]:
    """Patterns for every version but the wanted one, or the one that is installed."""
    if isinstance(rule, Pin):
        yield from other_versions(text, rule.version, _epochs(state, text))
        return
    name, arch = split_name(text)
    kept = sorted({(build.name, build.version) for build in installed_meant(state, name)})
    for meant, version in kept:
        full = f"{meant}:{arch}" if arch else meant
        yield from other_versions(full, version, _epochs(state, full))


def _epochs(state: RpmState, text: str) -> list[int]:
    """The epochs that there are of a name."""
    return [parse(package.version).epoch or 0 for package in builds_meant(state, text)]


def _slot(state: RpmState, handle: str, key: str) -> Slot:
    source = find_source(state.configuration.by_handle, handle)
    return Slot(source.file_of(key), source.handle, key)


def _main(state: RpmState) -> Slot:
    return Slot(main_file(state.tree), "main", "excludepkgs")


def _barred(state: RpmState, rule: Bar) -> Slot:
    return _slot(state, rule.source, "excludepkgs") if rule.source else _main(state)


def _patterns(text: str) -> Iterator[str]:
    name, arch = split_name(text)
    yield f"{name}.{arch}" if arch else name


def _bar_patterns(rule: Bar) -> Iterator[str]:
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
    yield from (f"{name}-{other}:*{tail}" for other in _other_epochs(epoch, epochs))
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


def _other_epochs(epoch: int, known: Iterable[int]) -> Iterator[str]:
    """Globs for every epoch of one or two digits but one, and for those that there are."""
    if epoch:
        yield "0"
    if epoch < 10:
        yield f"[{'123456789'.replace(str(epoch), '')}]"
        yield "[1-9][0-9]"
        yield from (str(other) for other in sorted(set(known)) if other > 99)
    else:
        yield "[1-9]"
        others = {*known, *range(10, epoch + 10)} - {epoch}
        yield from (str(other) for other in sorted(others) if other > 9)


def _others(wanted: str) -> Iterator[str]:
    """Globs for every text that does not begin with one."""
    for at, char in enumerate(wanted):
        if at:
            yield wanted[:at]
        yield f"{wanted[:at]}[!{char}]*"
