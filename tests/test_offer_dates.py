"""The date of each version, and the end of support of a release, as they are shown."""

from __future__ import annotations

import json
import time
from pathlib import Path

import pytest

from tests.harbours import ALPM, DEB, DNF, ZYPP, Item, harbour_of
from velpin.front.views import _support
from velpin.model.dates import day

BUILT = 1_700_000_000.0


@pytest.mark.parametrize("kind", [DEB, DNF, ZYPP, ALPM])
def test_the_date_of_a_version_is_its_own_or_that_of_its_index(kind: str, tmp_path: Path) -> None:
    harbour = harbour_of(kind, tmp_path)
    made = time.time() - 86400
    more = {} if kind == ALPM else {"date": made}
    harbour.source("one", Item("gull", "2").on(kind), **more)
    harbour.source("two", Item("gull", "3").on(kind), Item("tern", "1").on(kind), **more)
    harbour.installed(Item("gull", "1").on(kind))
    harbour.refresh()
    offers = json.loads(harbour.done("offers", "gull", "--json"))["offers"]
    dates = {offer["version"]: offer["dated"] for offer in offers}
    expected = int(made) if kind == DEB else BUILT
    assert dates == {"3-1": expected, "2-1": expected, "1-1": None}
    assert day(expected) in harbour.done("offers", "gull")
    listed = json.loads(harbour.done("offers", "--from", "two", "--json"))["offers"]
    assert [offer["dated"] for offer in listed] == [None, None]


@pytest.mark.parametrize(
    ("days", "told"),
    [(-2, "ended on 2020-01-01"), (-1, "ended on 2020-01-01"), (0, "until 2020-01-01, today"),
     (1, "until 2020-01-01, 1 more day"), (2, "until 2020-01-01, 2 more days")],
)  # fmt: skip
def test_how_the_end_of_support_is_shown(days: int, told: str) -> None:
    last_day = 1_577_836_800.0
    piece = _support(last_day, last_day - days * 86400)
    assert (piece if isinstance(piece, str) else piece[0]).removeprefix("✕ ") == told


@pytest.mark.parametrize(
    ("line", "shown"), [("SUPPORT_END=2099-01-31", True), ("SUPPORT_END=soon", False), ("", False)]
)
def test_a_host_tells_it(line: str, shown: bool, tmp_path: Path) -> None:
    harbour = harbour_of(DEB, tmp_path)
    harbour.put("etc/os-release", f"ID=mooring\n{line}\n")
    assert ("until 2099-01-31" in harbour.done("host")) == shown
    ends = json.loads(harbour.done("host", "--json"))["support_ends"]
    assert (ends == 4_073_500_800) == shown
    assert (ends is None) != shown
