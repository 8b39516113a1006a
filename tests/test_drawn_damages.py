"""Hosts with several things wrong at once, in any order: the checkup and its mends stand on record."""

from __future__ import annotations

import contextlib
import random

import pytest

from tests.checkup_damages import CASES, MORE, published, ruled
from tests.checkup_hosts import BASE, VENDOR, Post
from tests.harbours import ALPM, DEB, KINDS
from tests.program import CODES
from velpin.model.findings import FINDINGS

pytestmark = pytest.mark.full


def silenced(post: Post, draw: random.Random) -> None:
    text = "".join(
        f'[[checkup.silence]]\ncode = "{draw.choice(sorted(FINDINGS))}"\nplace = "{place}"\nreason = "known"\n'
        for place in draw.sample(("vendor", "*", "gull", "etc/**", "base"), 2)
    )
    post.put("etc/velpin/velpin.toml", text)


def next_release(post: Post, draw: random.Random) -> str:
    """Some of the sources have a next release; packages are gone there, or of another publisher."""
    name = "quay" if post.kind == DEB else "5"
    for source, items in (("base", (*BASE, *MORE)), ("vendor", (*VENDOR, *BASE))):
        if draw.random() < 0.75:
            some = [item._replace(version=f"{item.version}.5") for item in draw.sample(items, 5)]
            post.publish(
                source, *some, suite=name, **({"Version": "5"} if post.kind == DEB else {})
            )
    return name


@pytest.mark.parametrize("post", KINDS, indirect=True)
@pytest.mark.parametrize("seed", range(28))
def test_several_things_wrong(post: Post, seed: int) -> None:
    draw = random.Random(f"{post.kind} {seed}")
    damages = [case.damage for case in CASES if post.kind in case.kinds]
    some = draw.sample(damages, draw.randint(1, 4))
    done = [
        *some,
        *(
            lambda post, one=one: one(post, draw)
            for one in (published, ruled)
            if draw.random() < 0.7
        ),
    ]
    draw.shuffle(done)
    for damage in done:
        with contextlib.suppress(
            AssertionError, OSError, ValueError
        ):  # another has changed what it changes
            damage(post)
    if draw.random() < 0.2:
        silenced(post, draw)
    for words in (
        "checkup",
        "checkup --json --all",
        "checkup vendor --offline",
        "checkup --all",
    ):
        assert post.run(*words.split()).code in CODES
    for number in draw.sample(range(1, 6), 2):
        assert post.run("checkup", "--mend", str(number), "--preview").code in CODES
    assert post.run("checkup", "--mend", "--yes").code in CODES
    assert post.run("checkup", "--json").code in CODES
    if post.kind != ALPM:
        name = next_release(post, draw)
        for words in ([], ["--json"]):
            assert post.run("checkup", "--next", name, *words).code in CODES
    post.run("undo", "--yes")
