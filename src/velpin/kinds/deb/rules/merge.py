"""Rules that stand joined with new ones, and what is left of one when some is taken back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from velpin.kinds.deb.rules.lookup import is_there
from velpin.kinds.deb.rules.store import WrittenRule
from velpin.kinds.deb.state import DebState
from velpin.model.rule import Rule


class MergeResult(NamedTuple):
    """The rules as they are to stand, each with its file, and which of them are new."""

    kept: list[tuple[Rule, str]]
    new: list[tuple[Rule, str]]
    gone: list[WrittenRule]


def merged(
    host: DebState, stand: Sequence[WrittenRule], new: Sequence[tuple[Rule, str]]
) -> MergeResult:
    """The rules that stand with new ones among them; of one subject the last word counts."""
    left: list[tuple[Rule, str, WrittenRule | None]] = [
        (rule.rule, rule.file, rule) for rule in stand
    ]
    gone: list[WrittenRule] = []
    for new_rule, file in new:
        rule = new_rule
        again: list[tuple[Rule, str, WrittenRule | None]] = []
        for old, old_file, written in left:
            joined = _joined(host, old, rule)
            rest = None if joined else _less(old, rule)
            rule = joined or rule
            if rest == old:
                again.append((old, old_file, written))
                continue
            gone += [written] if written else []
            again += [(rest, old_file, None)] if rest else []
        left = [*again, (rule, file, None)]
    kept = [(rule, file) for rule, file, written in left if written]
    return MergeResult(kept, [(rule, file) for rule, file, written in left if not written], gone)


def _joined(host: DebState, old: Rule, new: Rule) -> Rule | None:
    """Two rules as one, where they are about the same; None where they are not."""
    if old.kind == new.kind == "prefer":
        return _joined_order(host, old, new) if old.source == new.source else None
    if old._replace(names=()) != new._replace(names=()):
        return None
    return new._replace(names=tuple(dict.fromkeys((*old.names, *new.names))))


def _joined_order(host: DebState, old: Rule, new: Rule) -> Rule:
    """One order of sources; those that are gone are left out."""
    said = (*new.over, *new.under)
    over = [handle for handle in old.over if handle not in said and is_there(host, handle)]
    under = [handle for handle in old.under if handle not in said and is_there(host, handle)]
    over_all = old.over_all or new.over_all
    return new._replace(
        over_all=over_all,
        over=() if over_all else (*over, *new.over),
        under=new.under if new.over_all else (*under, *new.under),
    )


def _less(old: Rule, new: Rule) -> Rule | None:
    """What is left of a pin when a new one takes its place for some of its names."""
    if not (old.kind == new.kind == "pin"):
        return old
    names = tuple(name for name in old.names if name not in new.names)
    return old._replace(names=names) if names else None


def without(host: DebState, old: Rule, lifted: Rule) -> Rule:
    """What is left of a rule when some of it is taken back; without names: nothing."""
    if old.kind != lifted.kind:
        return old
    if lifted.source and not _same_source(host, old.source, lifted.source):
        return old
    if lifted.version and lifted.version != old.version:
        return old
    if lifted.pre_releases != old.pre_releases or lifted.components != old.components:
        return old
    if lifted.over or lifted.under or lifted.over_all:
        return _less_order(old, lifted)
    names = tuple(name for name in old.names if name not in lifted.names)
    if old.kind == "prefer" or not lifted.names or (old.names and not names):
        return old._replace(names=(), source="")
    return old._replace(names=names)


def _less_order(old: Rule, lifted: Rule) -> Rule:
    return old._replace(
        over=tuple(handle for handle in old.over if handle not in lifted.over),
        under=tuple(handle for handle in old.under if handle not in lifted.under),
        over_all=old.over_all and not lifted.over_all,
    )


def _same_source(host: DebState, one: str, other: str) -> bool:
    if one == other:
        return True
    known = {source.handle: source.repository for source in host.sources}
    return other in (known.get(one), one)


def says_something(rule: Rule) -> bool:
    """Whether anything is left of a rule."""
    if rule.kind == "prefer":
        return bool(rule.source) and bool(rule.over or rule.under or rule.over_all)
    return bool(rule.names) or (rule.kind == "bar" and bool(rule.source))
