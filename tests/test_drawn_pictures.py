"""What drifted since a snapshot, and the page of the host, after drawn changes: both stand on record."""

from __future__ import annotations

import random
import re

import pytest

from tests.answers import say
from tests.checkup_damages import published, ruled
from tests.checkup_hosts import BASE, VENDOR, Post, add_source
from tests.harbours import KINDS, Item
from tests.program import CODES

pytestmark = pytest.mark.full

_LEFT_OUT = re.compile(r"(?s)<style.*?</style>|<script.*?</script>|<svg.*?>|<metadata.*?</metadata>|<defs.*?</defs>"
                       r"|<path.*?>|<use.*?>|</?g\b.*?>|<clipPath.*?</clipPath>|<text [^>]*>|, of 20\d\d-[^<]*|sha256-[^']*'")  # fmt: skip


def page_of(post: Post, *words: str) -> str:
    """The report without its looks."""
    path = post.folder / "page.html"
    path.unlink(missing_ok=True)
    assert post.run("report", "--out", str(path), *words).code in CODES
    return re.sub(r"\s+", " ", _LEFT_OUT.sub("", path.read_text())) if path.exists() else ""


@pytest.mark.parametrize("post", KINDS, indirect=True)
@pytest.mark.parametrize("seed", range(12))
def test_what_drifted(post: Post, seed: int) -> None:
    draw = random.Random(f"picture {post.kind} {seed}")
    picture = str(post.folder / "before.picture")
    if draw.random() < 0.7:
        published(post, draw)
    if draw.random() < 0.4:
        ruled(post, draw)
    assert (
        post.run("shift", "--save", picture, *draw.sample(("gull", "gullwatch", "absent"), 2)).code
        in CODES
    )
    for change in draw.sample((published, ruled, _sources), draw.choice((1, 1, 2))):
        change(post, draw)
    for words in (["--since", picture], ["--since", picture, "--json"]):
        assert post.run("shift", *words).code in CODES
    say(page_of(post, "--since", picture))
    assert post.run("report", "--json").code in CODES
    assert post.run("shift", "--save", picture).code in CODES
    say(page_of(post, "--since", picture))


def _sources(post: Post, draw: random.Random) -> None:
    """A source comes, goes, or is switched off."""
    way = draw.choice(("comes", "goes", "off"))
    if way == "comes":
        post.publish(
            "new.example", Item("gull", "3"), *VENDOR, *draw.sample(BASE, 2), called="other"
        )
        add_source(post, "other", "new.example")
        post.refreshed()
    else:
        post.run("drop" if way == "goes" else "off", draw.choice(("vendor", "base")), "--yes")
