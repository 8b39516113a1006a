"""The complete search: held against trying every set, on small random rules."""

from __future__ import annotations

import random
from collections.abc import Sequence
from itertools import product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.answers import say
from velpin.kinds.rpm.solve.search import Clause, LimitReached, Search, Unsatisfiable

COUNT = 7
literals = st.integers(1, COUNT).flatmap(lambda n: st.sampled_from((n, -n)))
rules = st.lists(st.lists(literals, min_size=1, max_size=4, unique=True), max_size=24)


def possible(given_rules: Sequence[Sequence[int]]) -> bool:
    """Whether any of all sets keeps every rule."""
    for taken in product((False, True), repeat=COUNT):
        if all(any(taken[abs(one) - 1] == (one > 0) for one in rule) for rule in given_rules):
            return True
    return False


def searched(
    given_rules: Sequence[Sequence[int]], order: Sequence[int], late: bool
) -> dict[int, bool]:
    """What the search finds; with `late`, a rule comes in when its first package is decided."""
    waiting = list(given_rules) if late else []

    def expand(literal: int) -> list[Clause]:
        now = [rule for rule in waiting if abs(rule[0]) == abs(literal)]
        for rule in now:
            waiting.remove(rule)
        return [Clause(rule, rule) for rule in now]

    search = Search(expand)
    for rule in () if late else given_rules:
        search.add(Clause(rule, rule))
    search.propagate()
    while True:
        open_ = [one for one in order if search.value(abs(one)) is None]
        if not open_:
            return {one: bool(search.value(one)) for one in range(1, COUNT + 1)}
        search.decide(open_[0])


orders = st.permutations(range(1, COUNT + 1)).flatmap(
    lambda found: st.tuples(*(st.sampled_from((one, -one)) for one in found))
)


@pytest.mark.slow
@settings(max_examples=400)
@given(rules, orders, st.booleans())
def test_it_finds_a_set_where_there_is_one_and_proves_where_there_is_none(
    given_rules: list[list[int]], order: tuple[int, ...], late: bool
) -> None:
    try:
        found = searched(given_rules, order, late)
    except Unsatisfiable as proof:
        assert not possible(given_rules)
        assert not possible([clause.why for clause in proof.clauses])
        assert all(clause.why in given_rules for clause in proof.clauses)
        return
    assert all(any(found[abs(one)] == (one > 0) for one in rule) for rule in given_rules)


@given(rules.filter(possible), orders)
def test_what_is_decided_first_stands_where_it_can(
    given_rules: list[list[int]], order: tuple[int, ...]
) -> None:
    first = order[0]
    if possible([*given_rules, [first]]):
        found = searched(given_rules, order, late=False)
        assert found[abs(first)] == (first > 0)


def holes(pigeons: int) -> list[list[int]]:
    """More pigeons than holes: there is no way, and many tries to see that."""
    places = pigeons - 1
    number = {(p, h): 1 + p * places + h for p in range(pigeons) for h in range(places)}
    found = [[number[p, h] for h in range(places)] for p in range(pigeons)]
    for h in range(places):
        for p in range(pigeons):
            found += [[-number[p, h], -number[q, h]] for q in range(p)]
    return found


@pytest.mark.full
@pytest.mark.parametrize("first", range(0, 400, 100))
def test_the_way_to_each_set_is_on_record(first: int) -> None:
    """Rules so tight that most ways end in a contradiction: each step, and what a step back cost."""
    for seed in range(first, first + 100):
        pick = random.Random(f"way {seed}")
        count = pick.choice((10, 14, 18))
        given_rules = [
            [
                one * pick.choice((1, -1))
                for one in pick.sample(range(1, count + 1), pick.choice((2, 3, 3)))
            ]
            for _ in range(int(count * pick.choice((2.2, 2.8, 3.2))))
        ]
        waiting = list(given_rules) if seed % 2 else []
        search = Search(lambda literal, rest=waiting: _coming(rest, literal))
        for rule in given_rules if not waiting else ():
            search.add(Clause(rule, rule))
        order = [one * pick.choice((1, -1)) for one in pick.sample(range(1, count + 1), count)]
        steps: list[object] = []
        try:
            search.propagate()
            while open_ := [one for one in order if search.value(abs(one)) is None]:
                steps.append((open_[0], search.decide(open_[0]), search.level))
            steps += [search.trail, *(search.level_of(one) for one in range(1, count + 1))]
        except Unsatisfiable as proof:
            steps += [clause.why for clause in proof.clauses]
        say(f"{seed}: {search.contradictions} {steps}")


def _coming(waiting: list[list[int]], literal: int) -> list[Clause]:
    now = [rule for rule in waiting if rule[0] == literal]
    for rule in now:
        waiting.remove(rule)
    return [Clause(rule, rule) for rule in now]


def test_it_says_when_it_gives_up() -> None:
    search = Search(lambda _literal: (), most=40)
    with pytest.raises(LimitReached):
        run_out(search, holes(7))


def test_with_enough_tries_it_proves_that_there_is_no_way() -> None:
    search = Search(lambda _literal: ())
    with pytest.raises(Unsatisfiable) as proof:
        run_out(search, holes(5))
    assert len(proof.value.clauses) > 10


def run_out(search: Search, given_rules: Sequence[Sequence[int]]) -> None:
    for rule in given_rules:
        search.add(Clause(rule, rule))
    search.propagate()
    packages = sorted({abs(one) for rule in given_rules for one in rule})
    while open_ := [one for one in packages if search.value(one) is None]:
        search.decide(open_[0])


def test_decisions_are_taken_back_in_order() -> None:
    search = Search(lambda _literal: ())
    search.add(Clause([-1, 2]))
    assert search.decide(1)
    assert (search.value(2), search.reason(2) is not None, search.level_of(2)) == (True, True, 1)
    assert search.decide(3)
    search.backjump(1)
    assert (search.value(1), search.value(3), search.level) == (True, None, 1)
    search.backjump(0)
    assert (search.value(1), search.value(2), list(search.trail)) == (None, None, [])
