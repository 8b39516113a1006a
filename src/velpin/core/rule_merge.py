"""Rules that stand merged with new ones, and what is left of one when some is taken back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from velpin.errors import Refusal
from velpin.model.rule import Bar, Pin, Prefer, Rule, command_of, with_names


def merge(stand: Sequence[Rule], new: Rule, names_source: Callable[[str], bool]) -> list[Rule]:
    """Rules that stand with a new one among them; of one subject the last word counts.

    An order of sources leaves out those that are gone, as `names_source` tells.
    """
    found: list[Rule] = []
    for old in stand:
        if isinstance(old, Prefer) and isinstance(new, Prefer) and old.source == new.source:
            new = _merged_order(old, new, names_source)
        elif with_names(old, ()) == with_names(new, ()):
            new = with_names(new, tuple(dict.fromkeys((*old.names, *new.names))))
        elif isinstance(old, Pin) and isinstance(new, Pin):
            names = tuple(name for name in old.names if name not in new.names)
            found += [replace(old, names=names)] if names else []
        else:
            found.append(old)
    return [*found, new]


def adds_nothing(stand: Sequence[Rule], new: Rule, names_source: Callable[[str], bool]) -> bool:
    """Whether a rule is in those that stand already, alone or merged with others."""
    return _as_sets(merge(stand, new, names_source)) == _as_sets(stand)


def _as_sets(rules: Sequence[Rule]) -> set[tuple[object, ...]]:
    """What they say, whatever the order of names and of sources."""
    return {_as_set(rule) for rule in rules}


def _as_set(rule: Rule) -> tuple[object, ...]:
    if isinstance(rule, Prefer):
        order = frozenset(rule.over), frozenset(rule.under)
        return replace(rule, over=(), under=()), *order
    return with_names(rule, ()), frozenset(rule.names)


def _merged_order(old: Prefer, new: Prefer, names_source: Callable[[str], bool]) -> Prefer:
    said = (*new.over, *new.under)
    over = [handle for handle in old.over if handle not in said and names_source(handle)]
    under = [handle for handle in old.under if handle not in said and names_source(handle)]
    over_all = old.over_all or new.over_all
    return replace(
        new,
        over_all=over_all,
        over=() if over_all else (*over, *new.over),
        under=new.under if new.over_all else (*under, *new.under),
    )


def subtract(old: Rule, lifted: Rule, same_source: Callable[[str, str], bool]) -> Rule | None:
    """What is left of a rule when some of it is taken back, None where nothing is."""
    if isinstance(old, Bar) and isinstance(lifted, Bar):
        if old.pre_releases != lifted.pre_releases or old.components != lifted.components:
            return old
    elif old.kind != lifted.kind:
        return old
    if lifted.source and not same_source(old.source, lifted.source):
        return old
    if lifted.version and lifted.version != old.version:
        return old
    if isinstance(old, Prefer):
        return _less_order(old, lifted) if isinstance(lifted, Prefer) else old
    names = tuple(name for name in old.names if lifted.names and name not in lifted.names)
    return replace(old, names=names) if names else None


def _less_order(old: Prefer, lifted: Prefer) -> Prefer | None:
    if not (lifted.over or lifted.under or lifted.over_all):
        return None
    rest = replace(
        old,
        over=tuple(handle for handle in old.over if handle not in (*lifted.over, *lifted.under)),
        under=tuple(handle for handle in old.under if handle not in (*lifted.over, *lifted.under)),
        over_all=old.over_all and not lifted.over_all,
    )
    return rest if rest.over or rest.under or rest.over_all else None


def remaining(
    old: Sequence[Rule], lifted: Sequence[Rule], same_source: Callable[[str, str], bool]
) -> list[Rule]:
    """What is left of the rules that stand; Refusal where one to be lifted does not stand."""
    target: list[Rule] = []
    for existing in old:
        rest: Rule | None = existing
        for rule in lifted:
            rest = subtract(rest, rule, same_source) if rest else None
        target += [rest] if rest else []
    for rule in lifted:
        if all(subtract(existing, rule, same_source) == existing for existing in old):
            raise Refusal(f"no rule of velpin says: {command_of(rule)}", "velpin rules lists them")
    return target


def contradiction(rule: Rule, other: Rule) -> Refusal:
    """What is said of a rule that cannot go with an earlier one."""
    if other == rule:
        return Refusal(f"{command_of(rule)}: that contradicts itself")
    return Refusal(
        f"{command_of(rule)}: that contradicts an earlier rule: {command_of(other)}",
        f"take that one back first: {command_of(other, lift=True)}",
    )
