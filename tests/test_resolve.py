"""The engine on plain words: what it chooses, what it mends, and the causes it gives."""

from __future__ import annotations

import itertools
import random

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from tests.answers import say
from tests.plain_world import PlainWorld, asked
from velpin.kinds.deb.engine.causes import why_not, why_refused
from velpin.kinds.deb.engine.draft import Draft
from velpin.kinds.deb.engine.needed import reached
from velpin.kinds.deb.engine.repair import scores_of
from velpin.kinds.deb.engine.world import Cause, Relation, RelationKind, Target, World

pytestmark = pytest.mark.full

CASES = [
    ("what is needed comes along", ["gull 1 needs tern", "tern 1"], "gull 1, tern 1"),
    ("what is liked comes along", ["gull 1 likes tern", "tern 1"], "gull 1, tern 1"),
    ("what is liked and cannot be had stays away", ["gull 1 likes tern", "tern 1 needs x"], "gull 1"),
    ("the first alternative", ["gull 1 needs tern | auk", "tern 1", "auk 1"], "gull 1, tern 1"),
    ("the one that is there", ["gull 1 needs tern | auk", "tern 1", "+auk 1"], "gull 1, auk 1"),
    ("an upgrade before something new", ["gull 1 needs tern>=2 | auk>=2", "tern 2", "+auk 1", "auk 2"],
     "gull 1, auk 2"),
    ("an alternative that cannot be had is passed over",
     ["gull 1 needs tern | auk", "tern 1 needs x", "auk 1"], "gull 1, auk 1"),
    ("also where that shows further down",
     ["gull 1 needs tern | auk", "tern 1 needs kite", "kite 1 needs x", "auk 1"], "gull 1, auk 1"),
    ("what is installed and does is left as it is", ["gull 1 needs tern", "+tern 1", "tern 2"],
     "gull 1, tern 1"),
    ("what is installed and does not do is upgraded", ["gull 1 needs tern>=2", "+tern 1", "tern 2"],
     "gull 1, tern 2"),
    ("a rival is removed", ["gull 1 excludes auk", "+auk 1"], "gull 1"),
    ("and what needs it", ["gull 1 excludes auk", "+auk 1", "+kite 1 needs auk"], "gull 1"),
    ("a rival is upgraded where that helps", ["gull 1 breaks auk<2", "+auk 1", "auk 2"], "gull 1, auk 2"),
    ("and removed where that cannot be", ["gull 1 breaks auk<2", "+auk 1", "auk 2 needs x"], "gull 1"),
    ("a held rival is worked round", ["gull 1 needs tern | kite", "tern 1 excludes auk", "!auk 1", "kite 1"],
     "gull 1, auk 1, kite 1"),
    ("dependents of the old version go", ["+lib 1", "lib 2", "+auk 1 needs lib<2", "gull 1 needs lib>=2"],
     "gull 1, lib 2"),
    ("or are upgraded", ["+lib 1", "lib 2", "+auk 1 needs lib<2", "auk 2 needs lib", "gull 1 needs lib>=2"],
     "gull 1, lib 2, auk 2"),
    ("cycles end", ["gull 1 needs tern", "tern 1 needs auk", "auk 1 needs gull"], "gull 1, tern 1, auk 1"),
    ("a provider does", ["gull 1 needs wader", "tern 1 is wader"], "gull 1, tern 1"),
    ("one that excludes its own kind does too", ["gull 1 needs wader", "tern 1 is wader; excludes wader"],
     "gull 1, tern 1"),
    ("a new choice is taken back for what is asked for",
     ["gull 1 needs tern | auk; excludes tern", "tern 1", "auk 1"], "gull 1, auk 1"),
]  # fmt: skip


@pytest.mark.parametrize(("title", "lines", "wanted"), CASES, ids=[case[0] for case in CASES])
def test_choices(title: str, lines: list[str], wanted: str) -> None:
    world = PlainWorld(lines)
    works, _ = asked(world, "gull")
    assert works
    assert world.state() == dict(pair.split() for pair in wanted.split(", "))


REFUSED = [
    ["gull 1 needs x"],
    ["gull 1 needs tern", "tern 1 needs x"],
    ["gull 1 excludes auk", "*auk 1"],
    ["gull 1 excludes auk", "!auk 1"],
    ["gull 1 needs lib>=2", "!lib 1", "lib 2"],
]


@pytest.mark.parametrize("lines", REFUSED)
def test_refusals_leave_something_broken(lines: list[str]) -> None:
    works, draft = asked(PlainWorld(lines), "gull")
    assert not works
    assert draft.broken()


def in_words(cause: Cause) -> str:
    return cause.code.value if isinstance(cause.code, RelationKind) else cause.code


def test_long_chains() -> None:
    names = [
        f"{'abcdefghij'[n // 100]}{'abcdefghij'[n // 10 % 10]}{'abcdefghij'[n % 10]}"
        for n in range(300)
    ]
    lines = [f"{one} 1 needs {other}" for one, other in itertools.pairwise(names)]
    world = PlainWorld(["gull 1 needs aaa", *lines, f"{names[-1]} 1"])
    works, _ = asked(world, "gull")
    assert works
    assert len(world.state()) == 301
    world = PlainWorld(["gull 1 likes aaa", *lines])
    works, _ = asked(world, "gull")
    assert works
    assert world.state() == {"gull": "1"}


def test_two_that_exclude_each_other_are_refused_and_told_so() -> None:
    world = PlainWorld(["gull 1 excludes tern", "tern 1"])
    works, draft = asked(world, "gull", "tern")
    assert not works
    (link,) = why_refused(draft, [world.unit("gull"), world.unit("tern")])
    assert (link.owner.unit.name, str(link.relation)) == ("gull", "tern")
    assert link.obstacles[0].code == "excluded"


CHAINS = [
    (["gull 1 needs x"], [("gull", "x", "nothing")]),
    (["gull 1 needs tern>=2", "tern 1"], [("gull", "tern >= 2", "nothing")]),
    (["gull 1 needs tern<2", "tern 1", "tern 2"], [("gull", "tern < 2", "not chosen")]),
    (["gull 1 needs tern", "tern 1 needs auk", "auk 1 needs x"],
     [("gull", "tern", "impossible"), ("tern", "auk", "impossible"), ("auk", "x", "nothing")]),
    (["gull 1 needs tern | auk", "tern 1 needs x", "auk 1 excludes kite", "*kite 1"],
     [("gull", "tern | auk", "impossible"), ("tern", "x", "nothing")]),
    (["gull 1 needs tern, kite", "tern 1 needs auk", "auk 1 needs y", "kite 1 needs y"],
     [("gull", "kite", "impossible"), ("kite", "y", "nothing")]),
]  # fmt: skip


@pytest.mark.parametrize(("lines", "wanted"), CHAINS)
def test_the_shortest_chain(lines: list[str], wanted: list[tuple[str, str, str]]) -> None:
    world = PlainWorld(lines)
    works, draft = asked(world, "gull")
    assert not works
    chain = why_refused(draft, [world.unit("gull")])
    told = [(link.owner.unit.name, str(link.relation), link.obstacles[0].code) for link in chain]
    assert told == wanted


def test_why_an_upgrade_was_left() -> None:
    world = PlainWorld(["+tern 1", "tern 2", "+auk 1 needs tern<2"])
    draft = Draft(world)
    aim = world.unit("tern").aim
    assert aim is not None
    (link,) = why_not(draft, aim)
    assert (link.owner.unit.name, link.obstacles[0].code) == ("auk", "needed as it is")


def test_causes_are_kept() -> None:
    world = PlainWorld(["gull 1 needs tern; excludes auk", "tern 1 likes kite", "kite 1", "+auk 1"])
    asked(world, "gull")
    causes = {name: world.unit(name).cause for name in ("gull", "tern", "kite", "auk")}
    told = {
        name: (in_words(cause), cause.by.unit.name if cause.by else None)
        for name, cause in causes.items()
        if cause
    }
    assert told == {
        "gull": ("asked", None), "tern": ("requires", "gull"),
        "kite": ("recommends", "tern"), "auk": ("conflicts with", "gull"),
    }  # fmt: skip


def test_scores_grow_with_what_depends_on_a_unit() -> None:
    world = PlainWorld(["+lib 1", "+auk 1 needs lib", "+kite 1 needs lib, auk", "*base 1"])
    draft = Draft(world)
    scores = {unit.name: score for unit, score in scores_of(draft, []).items()}
    assert scores["base"] > 5000 > scores["lib"] > scores["auk"] > scores["kite"]


def test_what_is_reached() -> None:
    world = PlainWorld(["+gull 1 needs tern", "+tern 1", "+auk 1"])
    draft = Draft(world)
    found = reached(draft, [world.unit("gull")], frozenset((RelationKind.REQUIRES,)))
    assert {unit.name for unit in found} == {"gull", "tern"}


def test_a_draft_knows_what_is_broken_without_asking_all_anew() -> None:
    world = PlainWorld(["+gull 1 needs tern", "+tern 1", "tern 2", "+auk 1 needs tern<2"])
    draft = Draft(world)
    assert draft.broken() == set()
    tern = world.unit("tern")
    draft.choose(tern, world.builds(tern)[0])
    assert {unit.name for unit in draft.broken()} == {"auk"}
    draft.choose(tern, None)
    assert {unit.name for unit in draft.broken()} == {"auk", "gull"}
    draft.choose(tern, tern.installed)
    assert draft.broken() == set()


# -- properties --------------------------------------------------------------------------

NAMES = ("gull", "tern", "auk", "kite", "smew", "coot", "erne")


def drawn_lines(seed: int) -> list[str]:
    """Lines of a world whose installed part holds: it has no relations of its own."""
    pick = random.Random(seed)
    lines = []
    for name in NAMES:
        for version in range(1, pick.randint(1, 3) + 1):
            parts = [
                f"{word} {', '.join(_group(pick, most) for _ in range(pick.randint(1, 2)))}"
                for word, chance, most in (
                    ("needs", 0.6, 3), ("likes", 0.3, 2), ("breaks", 0.2, 1), ("excludes", 0.2, 1),
                )
                if pick.random() < chance
            ]  # fmt: skip
            parts += [f"is {pick.choice(('wader', 'diver'))}"] if pick.random() < 0.5 else []
            lines.append(f"{name} {version} {'; '.join(parts)}".strip())
    for name in pick.sample(NAMES, pick.randint(0, 4)):
        lines = [line for line in lines if not line.startswith(f"{name} 1")]
        lines.append(f"{pick.choice('+++!*')}{name} 1")
    return lines


def _group(pick: random.Random, most: int) -> str:
    names = (*NAMES, "wader", "diver")
    bounds = ("", "", "", ">=2", "<2", "=1")
    alternatives = range(pick.randint(1, most))
    return " | ".join(pick.choice(names) + pick.choice(bounds) for _ in alternatives)


worlds = st.integers(0, 2**32).map(drawn_lines)


@settings(max_examples=150, deadline=None)
@given(worlds, st.lists(st.sampled_from(NAMES), min_size=1, max_size=2, unique=True))
def test_a_transaction_leaves_no_broken_relation(lines: list[str], names: list[str]) -> None:
    world = PlainWorld(lines)
    works, _ = asked(world, *names)
    if works:
        assert unmet_by_hand(world) == []
        for name in names:
            assert world.unit(name).chosen is not None
        for name in NAMES:
            unit = world.unit(name)
            if unit.held and name not in names:
                assert unit.chosen is unit.installed
            if world.is_essential(unit):
                assert unit.chosen is not None


def unmet_by_hand(world: PlainWorld) -> list[str]:
    """Hard relations of chosen builds that no other chosen build meets, or one speaks against."""
    chosen = [build for build in (world.unit(name).chosen for name in NAMES) if build]
    found = []
    for owner in chosen:
        for relation in world.terms.relations(owner):
            met = any(world.terms.fits(b, t) for t in relation.targets for b in chosen)
            against = any(
                world.terms.fits(b, t) and b is not owner for t in relation.targets for b in chosen
            )
            if (relation.negative and against) or (
                relation.hard and not relation.negative and not met
            ):
                found.append(f"{owner.unit.name}: {relation}")
    return found


@settings(max_examples=100, deadline=None)
@given(worlds, st.sampled_from(NAMES))
def test_the_same_lines_give_the_same_answer(lines: list[str], name: str) -> None:
    answers = []
    for _ in range(2):
        world = PlainWorld(lines)
        works, _draft = asked(world, name)
        answers.append((works, world.state() if works else None))
    assert answers[0] == answers[1]


@settings(max_examples=200, deadline=None)
@given(worlds, st.sampled_from(NAMES))
@example(drawn_lines(246501), "coot")
def test_a_refusal_has_a_chain_that_begins_with_what_was_asked(lines: list[str], name: str) -> None:
    world = PlainWorld(lines)
    works, draft = asked(world, name)
    if works:
        return
    chain = why_refused(draft, [world.unit(name)])
    assert chain
    assert chain[-1].relation.hard  # what does not hold; a recommendation may have led there
    assert all(link.obstacles for link in chain)


@pytest.mark.parametrize("first", range(0, 1000, 100))
def test_drawn_worlds_are_answered_as_before(first: int) -> None:
    """On record: what comes, why each does, and the chain where it is refused. What is installed
    has relations here, of which some may be broken."""
    for seed in range(first, first + 100):
        pick = random.Random(seed)
        lines = drawn_lines(seed)
        for at in pick.sample(range(len(lines)), min(len(lines), pick.randint(1, 4))):
            lines[at] = lines[at] if lines[at][0] in "+!*" else f"+{lines[at]}"
        world, names = PlainWorld(lines), pick.sample(NAMES, pick.choice((1, 1, 2)))
        works, draft = asked(world, *names)
        told = [f"{name} {version}" for name, version in world.state().items()] if works else []
        for unit in map(world.unit, NAMES if works else ()):
            cause = unit.cause
            if unit.chosen is not unit.installed and cause is not None:
                told.append(f"{unit.name}: {in_words(cause)} {cause.by and cause.by.unit.name}")
        chain = () if works else why_refused(draft, [world.unit(name) for name in names])
        for link in chain:
            why = [
                f"{o.code} {o.target.name} {o.build and o.build.unit.name}" for o in link.obstacles
            ]
            told.append(f"{link.owner.unit.name} {link.relation}: {', '.join(why)}")
        say(f"{seed} {' '.join(names)}: {'; '.join(told)}")
        assert works or chain


def test_plain_words_are_a_world() -> None:
    world: World = PlainWorld(["gull 1 needs tern"])
    (build,) = world.builds(world.units("gull")[0])
    assert world.terms.relations(build) == [Relation(RelationKind.REQUIRES, (Target("tern"),))]
