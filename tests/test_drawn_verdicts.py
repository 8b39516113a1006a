"""Drawn rules held against drawn hosts on which nobody wrote them, or where others stand in their
way: whether each holds, and why not, stands on record (`tests/answers.py`)."""

from __future__ import annotations

import random
from collections.abc import Sequence
from pathlib import Path

import pytest

from tests.answers import say
from tests.drawn_hosts import made_host
from tests.drawn_settings import host_among_settings
from tests.harbours import ALPM, KINDS, Item
from velpin import open_host
from velpin.errors import VelpinError
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule, command_of

pytestmark = pytest.mark.full


def drawn_rules(
    draw: random.Random, sources: Sequence[str], names: Sequence[str], versions: Sequence[str]
) -> list[Rule]:
    """One rule of each form."""
    one, other, third = (draw.choice(sources) for _ in range(3))
    name, more, version = draw.choice(names), draw.choice(names), draw.choice(versions)
    glob = draw.choice((f"{name[0]}*", f"*{name[-1]}", "*"))
    return [
        Prefer(one, (other,)),
        Prefer(one, under=(other, third)),
        Prefer(one, over_all=True),
        Confine(one, (name, more)),
        Confine(one, (glob,)),
        Pin((name,), version),
        Pin((name,), version, one),
        Pin((name, more), source=one),
        Pin((name,), version, allow_older=True),
        Pin((name,), f"{version[0]}*"),
        Bar((name,), source=one),
        Bar((name,), version),
        Bar((glob,), source=one),
        Bar((), source=one, pre_releases=True),
        Bar((), source=one, components=("main",)),
        Keep((name,)),
        Keep((name, more)),
        Keep((glob,)),
        Bar((name,), f">= {version}"),
        Pin((name,), f"< {version}"),
    ]


def say_verdicts(root: Path, kind: str, names: Sequence[str], draw: random.Random) -> None:
    """What is said of every form of rule on a host."""
    host = open_host(root)
    sources = [source.handle for source in host.sources]
    assert sources
    for _ in range(2):
        offered = {offer.version for offer in host.packages.offers([draw.choice(names)])}
        for rule in drawn_rules(draw, sources, names, sorted(offered) or ["1"]):
            if kind == ALPM and rule.kind in ("confine", "pin"):
                continue  # no such host can say it
            try:
                found = host._ports.rules.verdict(rule)
            except VelpinError as problem:
                say(f"{command_of(rule)}: {problem}")
                continue
            why = found.why.text if found.why else ""
            because = "; ".join(reason.text for reason in found.why.because) if found.why else ""
            say(f"{command_of(rule)}: {found.holds} {why} {because} {found.rival or ''}")


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(700, 712))
def test_on_drawn_hosts(tmp_path: Path, kind: str, seed: int) -> None:
    root, names = made_host(kind, seed, tmp_path)
    say_verdicts(root, kind, names, random.Random(f"{kind} {seed}"))


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(30, 40))
def test_among_drawn_settings(tmp_path: Path, kind: str, seed: int) -> None:
    draw = random.Random(f"{kind} {seed}")
    names = ("gull", "tern", "skua", "auk")
    items = [Item(name, version) for name in names for version in ("1", "2", "2~rc1")]
    made = host_among_settings(
        kind, tmp_path, draw, base=items[:8], vendor=items[::2], flat=items[1::2], here=items[:7:3]
    )
    made.run("refresh")
    host = made.host()
    if host.sources and host._ports.configuration.config_error() is None:
        say_verdicts(made.root, kind, names, draw)
