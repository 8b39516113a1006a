"""Wishes that stand joined with new ones, and what is left of one when some is taken back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from velpin.kinds.deb.rules.written import Written
from velpin.kinds.deb.state import DebState
from velpin.wish import Wish


class Target(NamedTuple):
    """The wishes as they are to stand, each with its file, and which of them are new."""

    kept: list[tuple[Wish, str]]
    new: list[tuple[Wish, str]]
    gone: list[Written]


def merged(stand: Sequence[Written], new: Sequence[tuple[Wish, str]]) -> Target:
    """The wishes that stand with new ones among them; of one subject the last word counts."""
    left: list[tuple[Wish, str, Written | None]] = [(one.wish, one.file, one) for one in stand]
    gone: list[Written] = []
    for one, file in new:
        wish = one
        again: list[tuple[Wish, str, Written | None]] = []
        for old, old_file, written in left:
            if _same_shape(old, wish):
                names = dict.fromkeys((*old.names, *wish.names))
                wish = wish._replace(names=tuple(names))
                rest = None
            else:
                rest = _less(old, wish)
            if rest == old:
                again.append((old, old_file, written))
                continue
            gone += [written] if written else []
            again += [(rest, old_file, None)] if rest else []
        left = [*again, (wish, file, None)]
    kept = [(wish, file) for wish, file, written in left if written]
    return Target(kept, [(wish, file) for wish, file, written in left if not written], gone)


def _same_shape(old: Wish, new: Wish) -> bool:
    """Whether two wishes differ in nothing but their names."""
    return old._replace(names=()) == new._replace(names=()) and old.kind != "prefer"


def _less(old: Wish, new: Wish) -> Wish | None:
    """What is left of a wish when a new one takes its place for some of its names."""
    if old.kind != new.kind:
        return old
    if old.kind == "prefer":
        return None if old.source == new.source else old
    if old.kind != "pin":
        return old
    names = tuple(name for name in old.names if name not in new.names)
    return old._replace(names=names) if names else None


def without(host: DebState, old: Wish, lifted: Wish) -> Wish:
    """What is left of a wish when some of it is taken back; without names: nothing."""
    if old.kind != lifted.kind:
        return old
    if lifted.source and not _same_source(host, old.source, lifted.source):
        return old
    if lifted.version and lifted.version != old.version:
        return old
    if lifted.pre_releases != old.pre_releases or lifted.sections != old.sections:
        return old
    order = lifted.over, lifted.under, lifted.over_all
    if any(order) and order != (old.over, old.under, old.over_all):
        return old
    names = tuple(name for name in old.names if name not in lifted.names)
    if old.kind == "prefer" or not lifted.names or (old.names and not names):
        return old._replace(names=(), source="")
    return old._replace(names=names)


def _same_source(host: DebState, one: str, other: str) -> bool:
    if one == other:
        return True
    known = {source.handle: source.repository for source in host.sources}
    return other in (known.get(one), one)


def says_something(wish: Wish) -> bool:
    """Whether anything is left of a wish."""
    return bool(wish.names) or (wish.kind == "bar" and bool(wish.source))
