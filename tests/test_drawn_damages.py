"""Hosts with several things wrong at once, in any order: the checkup and its mends stand on record."""

from __future__ import annotations

import contextlib
import random

import pytest

from tests.checkup_damages import CASES
from tests.checkup_hosts import BASE, VENDOR, Post
from tests.harbours import ALPM, KINDS, Item
from tests.program import CODES
from velpin.core.checkup import codes

pytestmark = pytest.mark.full

MORE = (
    Item("gull", "2"), Item("tern", "0.5"), Item("libtide", "2"), Item("skua-tools", "1"),
    Item("skua-tools", "2"), Item("gullwatch", "6~rc1"), Item("puffin", "1"), Item("rook", "1", built_from="rookery"),
    Item("rook-server", "2", built_from="rookery"), Item("gull-doc", "1", needs="gull"), Item("auk", "1", arch="riscv64"),
)  # fmt: skip
RULES = (
    "pin gull@1*", "pin gull --from base", "pin tern --from vendor", "confine vendor gullwatch", "keep skua",
    "bar libtide --from vendor", "prefer base --over vendor", "prefer vendor --over base", "bar gull@2*", "off vendor",
    "prefer vendor --over-all", "pin puffin@1*", "confine vendor gull*", "bar --pre-releases --from vendor",
)  # fmt: skip


def published(post: Post, draw: random.Random) -> None:
    """The repositories get and lose some packages; some are installed."""
    post.publish(
        "base", *draw.sample(BASE, draw.randint(2, 4)), *draw.sample(MORE, draw.randint(0, 4))
    )
    post.publish("vendor", *VENDOR, *draw.sample(MORE, draw.randint(0, 4)))
    here = {
        item.name: item for item in (*draw.sample(MORE, draw.randint(0, 3)), *draw.sample(BASE, 3))
    }
    post.install(*here.values())
    post.refreshed()


def ruled(post: Post, draw: random.Random) -> None:
    for rule in draw.sample(RULES, draw.randint(1, 3)):
        post.run(
            *rule.split(),
            "--yes",
            *(["--anyway"] if rule[0] in "pbc" and rule[:6] != "prefer" else []),
        )


def silenced(post: Post, draw: random.Random) -> None:
    text = "".join(
        f'[[checkup.silence]]\ncode = "{draw.choice(sorted(codes.CODES))}"\nplace = "{place}"\nreason = "known"\n'
        for place in draw.sample(("vendor", "*", "gull", "etc/**", "base"), 2)
    )
    post.put("etc/velpin/velpin.toml", text)


@pytest.mark.parametrize("post", KINDS, indirect=True)
@pytest.mark.parametrize("seed", range(40))
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
        assert post.run("checkup", "--next", draw.choice(("quay", "5", "3"))).code in CODES
    post.run("undo", "--yes")
