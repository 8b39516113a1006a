"""What is foreseen on small random hosts, held against trying every set of packages."""

from __future__ import annotations

import json
import tempfile
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.harbours import DNF, ZYPP
from tests.small_worlds import (
    NAMES,
    Build,
    State,
    World,
    alpm_host,
    deb_host,
    rpm_host,
    states,
    worlds,
)  # fmt: skip

pytestmark = pytest.mark.full

names = st.sampled_from(NAMES)

# A host is written to disk for every example: some for the daily round, more for the whole one.
few = settings(max_examples=settings().max_examples // 2)


def after(world: World, told: Mapping[str, Any]) -> State:
    """What is installed when all that was foreseen is done."""
    state = dict(world.now)
    for change in told["changes"]:
        name, version = change["name"], change["new"]
        if version is None:
            del state[name]
            continue
        number = int(version.partition("-")[0])
        state[name] = next(one for one in world.known(name) if one.version == number)
    return state


def told_by(host: Any, *words: str) -> dict[str, Any]:
    """A forecast."""
    said = host.run("forecast", "--json", *words)
    found: dict[str, Any] = json.loads(said[1])
    return found


# -- deb, the newer generation: a complete search, in an order that is known -----------------


def aims(world: World) -> dict[str, Build]:
    """Of each name the build that would be taken: the highest version."""
    return {name: world.known(name)[0] for name in NAMES if world.known(name)}


def deb_choices(world: World, asked: str) -> dict[str, list[Build | None]]:
    """For each name what may be: nothing, what is installed, the candidate."""
    aim = aims(world)
    found: dict[str, list[Build | None]] = {}
    for name in aim:
        here = world.now.get(name)
        found[name] = (
            [None, here, aim[name]] if here not in (None, aim[name]) else [None, aim[name]]
        )
        if name == asked:
            found[name] = [aim[name]]
        elif name in world.held and here is not None:
            found[name] = [here]
    return found


def kept_in_order(possible: Iterable[State], own: Sequence[str]) -> dict[str, bool]:
    """Which of the packages installed for themselves stay, the first before the next."""
    left, found = list(possible), {}
    for name in own:
        stay = [state for state in left if name in state]
        found[name] = bool(stay)
        left = stay or left
    return found


def hold_newer_deb(world: World, asked: str) -> None:
    """A request or, with `--upgrade`, the full upgrade, held against every set."""
    with tempfile.TemporaryDirectory() as folder:
        told = told_by(deb_host(world, Path(folder)), asked)
    possible = list(states(deb_choices(world, asked)))
    assert told["ok"] == bool(possible)
    if possible:
        state = after(world, told)
        assert state in possible
        own = [name for name in sorted(world.now) if name not in world.automatic]
        assert {name: name in state for name in own} == kept_in_order(possible, own)


@few
@given(worlds(), names)
def test_the_newer_deb_search_finds_a_way_where_there_is_one(world: World, asked: str) -> None:
    if world.known(asked) and asked not in world.held:
        hold_newer_deb(world, asked)


@few
@given(worlds())
def test_so_it_does_in_the_full_upgrade(world: World) -> None:
    hold_newer_deb(world, "--upgrade")


# -- deb, the older generation: steps that may fail, but leave nothing broken ----------------


@few
@given(worlds(), st.one_of(names, st.just("--upgrade")))
def test_the_older_deb_way_leaves_nothing_broken(world: World, asked: str) -> None:
    if asked in NAMES and not world.known(asked):
        return
    with tempfile.TemporaryDirectory() as folder:
        told = told_by(deb_host(world, Path(folder), newer=False), asked)
    if told["ok"]:
        state = after(world, told)
        assert World.stands(state)
        if asked in NAMES and asked not in world.held:
            assert state[asked] == aims(world)[asked]


# -- rpm ------------------------------------------------------------------------------------


def rpm_choices(world: World, asked: str, kind: str, newer: str) -> dict[str, list[Build | None]]:
    """For each name what may be: an installed package stays in some build. One layout picks the
    best build of what was asked for and tries no other; the newer generation of the other one
    takes only the best as well."""
    found: dict[str, list[Build | None]] = {}
    for name in NAMES:
        here = world.now.get(name)
        found[name] = [] if here or name == asked else [None]
        found[name] += [
            one for one in world.known(name)
            if here is None or kind == DNF or one.version >= here.version
        ]  # fmt: skip
        if name == asked and (kind == ZYPP or newer == "newer"):
            found[name] = world.known(name)[:1]
    return found


@pytest.mark.parametrize(
    ("kind", "generation"), [(DNF, "older"), (DNF, "newer"), (ZYPP, "older"), (ZYPP, "newer")]
)
@few
@given(worlds(), names)
def test_the_rpm_solver_finds_a_way_where_there_is_one(
    kind: str, generation: str, world: World, asked: str
) -> None:
    if asked in world.now or not world.known(asked):
        return
    with tempfile.TemporaryDirectory() as folder:
        host = rpm_host(world, Path(folder), kind)
        told = told_by(host, asked, "--generation", generation)
    possible = list(states(rpm_choices(world, asked, kind, generation)))
    assert told["ok"] == bool(possible)
    if possible:
        assert after(world, told) in possible


@pytest.mark.parametrize("kind", [DNF, ZYPP])
@few
@given(worlds())
def test_an_rpm_upgrade_leaves_nothing_broken_and_takes_nothing_down(
    kind: str, world: World
) -> None:
    with tempfile.TemporaryDirectory() as folder:
        told = told_by(rpm_host(world, Path(folder), kind), "--upgrade")
    assert told["ok"]  # that nothing changes is always a way
    state = after(world, told)
    assert World.stands(state)
    assert all(state[one.name].version >= one.version for one in world.installed)


# -- alpm: choices that are never taken back -------------------------------------------------


@few
@given(worlds(several=False), st.one_of(names, st.just("--upgrade")))
def test_what_an_alpm_host_does_leaves_nothing_broken(world: World, asked: str) -> None:
    best = world.best_offered
    if asked in NAMES and asked not in best:
        return
    with tempfile.TemporaryDirectory() as folder:
        told = told_by(alpm_host(world, Path(folder)), asked)
    if told["ok"]:
        state = after(world, told)
        assert World.stands(state)
        assert set(world.now) <= set(state)
        if asked in NAMES:
            assert state[asked] == best[asked]


@few
@given(worlds(several=False, bounds=False), names)
def test_an_alpm_host_finds_a_way_where_versions_play_no_part(world: World, asked: str) -> None:
    best = world.best_offered
    if asked not in best:
        return
    with tempfile.TemporaryDirectory() as folder:
        told = told_by(alpm_host(world, Path(folder)), asked)
    choices: dict[str, list[Build | None]] = {
        name: list(dict.fromkeys((world.now.get(name), best.get(name)))) for name in NAMES
    }
    possible = list(states({**choices, asked: [best[asked]]}))
    assert told["ok"] <= bool(possible)
    if told["ok"]:
        assert after(world, told) in possible
