"""Wishes that stand joined with new ones, and what is left of one when some is taken back."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.errors import Refusal
from velpin.wish import Wish, command_of


def joined(stand: Sequence[Wish], new: Wish) -> list[Wish]:
    """Wishes that stand with a new one among them; of one subject the last word counts."""
    found: list[Wish] = []
    for old in stand:
        if old.kind == new.kind == "prefer" and old.source == new.source:
            new = _joined_order(old, new)
        elif old.kind == new.kind and old._replace(names=()) == new._replace(names=()):
            new = new._replace(names=tuple(dict.fromkeys((*old.names, *new.names))))
        elif old.kind == new.kind == "pin":
            names = tuple(name for name in old.names if name not in new.names)
            found += [old._replace(names=names)] if names else []
        else:
            found.append(old)
    return [*found, new]


def _joined_order(old: Wish, new: Wish) -> Wish:
    said = (*new.over, *new.under)
    over = [one for one in old.over if one not in said]
    under = [one for one in old.under if one not in said]
    over_all = old.over_all or new.over_all
    return new._replace(
        over_all=over_all,
        over=() if over_all else (*over, *new.over),
        under=new.under if new.over_all else (*under, *new.under),
    )


def less(old: Wish, lifted: Wish) -> Wish | None:
    """What is left of a wish when some of it is taken back, None where nothing is."""
    if old.kind != lifted.kind or (lifted.source and old.source != lifted.source):
        return old
    if lifted.version and lifted.version != old.version:
        return old
    if lifted.kind == "prefer":
        named = {*lifted.over, *lifted.under}
        over = tuple(one for one in old.over if named and one not in named)
        under = tuple(one for one in old.under if named and one not in named)
        over_all = old.over_all and bool(named) and not lifted.over_all
        rest = old._replace(over=over, under=under, over_all=over_all)
        return rest if over or under or over_all else None
    if lifted.pre_releases != old.pre_releases and (lifted.pre_releases or not lifted.names):
        return old
    names = tuple(name for name in old.names if lifted.names and name not in lifted.names)
    return old._replace(names=names) if names else None


def remaining(old: Sequence[Wish], lifted: Sequence[Wish]) -> list[Wish]:
    """What is left of the wishes that stand; Refusal where one to be lifted does not stand."""
    target: list[Wish] = []
    for one in old:
        rest: Wish | None = one
        for wish in lifted:
            rest = less(rest, wish) if rest else None
        target += [rest] if rest else []
    for wish in lifted:
        if all(less(one, wish) == one for one in old):
            raise Refusal(f"no rule of velpin says: {command_of(wish)}", "velpin rules lists them")
    return target


def contradiction(wish: Wish, other: Wish) -> Refusal:
    """What is said of a wish that cannot go with one made before."""
    if other == wish:
        return Refusal(f"{command_of(wish)}: that contradicts itself")
    return Refusal(
        f"{command_of(wish)}: that contradicts a wish made before: {command_of(other)}",
        f"take that one back first: {command_of(other, lift=True)}",
    )
