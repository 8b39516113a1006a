"""A host file held against the host that it was written from, after drawn changes of either: on record."""

from __future__ import annotations

import contextlib
import random
import re

import pytest

from tests.checkup_damages import common_key, published, ruled
from tests.checkup_hosts import BASE, VENDOR, Post, add_source
from tests.harbours import DEB, KINDS, Item
from tests.program import CODES

pytestmark = pytest.mark.full

EXPECTED = (
    'package = "gull"; source = "base"', 'package = "gull"; version = "1-1"', 'package = "gull"; at_most = "2-1"',
    'package = "gull"; at_most = "1-1"', 'package = "puffin"; absent = true', 'package = "gull"; absent = true',
    'source = "vendor"; only = ["gullwatch*"]', 'source = "base"; only = ["gull", "t*", "lib*", "skua"]',
    "no_removals = true", 'indexes_within = "7 days"', 'indexes_within = "0 days"', 'package = "gull"',
    'package = "tern"; source = "other"; version = "1*"', 'package = "gull"; source = "vendor"; kind = "deb"',
    'package = "tern"; at_most = "0.9-1"', 'source = "other"; only = ["gull"]', 'only = ["gull"]',
)  # fmt: skip


def more_sources(post: Post, draw: random.Random) -> None:
    post.publish("new.example", Item("gull", "3"), *VENDOR, *draw.sample(BASE, 2), called="other")
    add_source(post, "other", "new.example")
    post.refreshed()


def keys_for_all(post: Post, _: random.Random) -> None:
    if post.kind == DEB:
        common_key(post)


def switched(post: Post, draw: random.Random) -> None:
    post.run(draw.choice(("off", "drop")), draw.choice(("vendor", "vendor", "base")), "--yes")


def written_by_hand(text: str, draw: random.Random) -> str:
    """The file with some lines left out, changed or said twice, as happens in an editor; but those
    of fingerprints, which differ from run to run."""
    lines = text.split("\n")
    for _ in range(draw.choice((1, 1, 2))):
        at = draw.choice([
            at for at, line in enumerate(lines)
            if (" = " in line or line[:1] == "[") and not line.startswith("fingerprints")
        ])  # fmt: skip
        way = draw.choice(("gone", "twice", "word", "number", "unknown"))
        if way == "gone":
            del lines[at]
        elif way == "twice":
            lines.insert(at, lines[at])
        elif way == "word":
            lines[at] = re.sub(r'"(\w+)', lambda found: f'"{found[1][::-1]}', lines[at], count=1)
        elif way == "number":
            lines[at] = re.sub(r"\d+", "7", lines[at], count=1)
        else:
            lines.insert(at, 'colour = "blue"')
    return "\n".join(lines)


@pytest.mark.parametrize("post", KINDS, indirect=True)
@pytest.mark.parametrize("seed", range(28))
def test_a_host_held_against_its_file(post: Post, seed: int) -> None:
    draw = random.Random(f"file {post.kind} {seed}")
    changes = (published, ruled, more_sources, switched, keys_for_all)
    for change in draw.sample(changes, draw.randint(0, 2)):
        with contextlib.suppress(FileNotFoundError):  # the source that another is made from is gone
            change(post, draw)
    text = post.done("export")
    for change in draw.sample(changes, draw.randint(0, 2)):
        with contextlib.suppress(FileNotFoundError):
            change(post, draw)
    if draw.random() < 0.5:
        text = written_by_hand(text, draw)
    for expected in draw.sample(EXPECTED, draw.randint(0, 4)):
        text += "\n[[expect]]\n" + "".join(f"{line}\n" for line in expected.split("; "))
    (post.folder / "host.toml").write_text(text)
    wanted = str(post.folder / "host.toml")
    prune = draw.choice(((), ("--prune",)))
    for words in (["expect", wanted], ["expect", wanted, "--json"], ["conform", wanted, "--preview", *prune],
                  ["conform", wanted, "--yes", *prune, *draw.choice(((), ("--anyway",), ("--json",)))],
                  ["conform", wanted, "--preview", *prune], ["export"], ["undo", "--yes"]):  # fmt: skip
        assert post.run(*words).code in CODES, words
