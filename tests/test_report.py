"""The report: what its page and figures say, what they need, and that all of it can be read."""

from __future__ import annotations

import json
import os
import re
import subprocess
import sys
import time
from dataclasses import replace
from itertools import combinations
from pathlib import Path

import pytest

from tests.answers import say
from tests.harbours import DebHarbour
from tests.pages import Page, page_of
from velpin.demo.signer import Signer
from velpin.front.report import figures, sheets
from velpin.front.report.page import _hash
from velpin.front.report.sheets import Sheets
from velpin.model.host import KeyUse
from velpin.model.report import HostReport, PackageOutlook
from velpin.model.shift import Selection

pytestmark = pytest.mark.full

PARTS = Path(figures.__file__).parent / "parts"
DAY = 86400.0
MADE = time.time() - 3600
"""When all repositories were made: a figure shows sources of one age together."""


@pytest.fixture
def full(harbour: DebHarbour, signer: Signer) -> DebHarbour:
    """The distribution, and a vendor who would take over a library; one package on hold."""
    key = harbour.put("usr/share/keyrings/vendor.asc", signer.public)
    harbour.source_at(
        "vendor",
        harbour.repository(
            "vendor", ("gull-watch", "3"), ("libtide", "2"), signer=signer, date=MADE
        ),
        signed_by=f"/{key.relative_to(harbour.root)}",
    )
    harbour.source("base", ("gull", "2"), ("tern", "2"), ("libtide", "1"), date=MADE)
    harbour.installed(
        ("gull", "1"), ("tern", "1", "hold ok installed"), ("libtide", "1"), ("old-diary", "1")
    )
    harbour.put("etc/apt/preferences.d/rule", "Package: tern\nPin: version 1*\nPin-Priority: 900\n")
    harbour.ready()
    return harbour


def test_the_page_says_what_the_commands_say(full: DebHarbour) -> None:
    page = page_of(full.root, full.folder / "page.html")
    assert ["gull", "1", "2"] in [row[:3] for row in page.rows]
    assert "1 package would move from base to vendor: libtide" in page.words
    assert ["old-diary", "1"] in [row[:2] for row in page.rows]
    assert any(row[1:3] == ["vendor", "✓ on"] for row in page.rows)
    assert any(row and "tern" in row[0] and "pin" in row[0] for row in page.rows)
    for finding in json.loads(full.run("checkup", "--offline", "--json").out)["findings"]:
        assert finding["text"] in page.words
    assert json.loads(full.run("keys", "--json").out)["keys"][0]["fingerprint"] in page.words


def test_nothing_is_loaded_from_anywhere(full: DebHarbour) -> None:
    page = page_of(full.root, full.folder / "page.html")
    assert page.loads
    assert all(load.startswith("#") for load in page.loads), page.loads


def test_only_the_pages_own_script_runs(full: DebHarbour) -> None:
    page_of(full.root, full.folder / "page.html")
    text = (full.folder / "page.html").read_text("utf-8")
    script = re.search(r"<script>(.*?)</script>", text, re.DOTALL)
    assert script is not None
    assert f"script-src '{_hash(script[1])}'" in text
    assert "default-src 'none'" in text


def test_what_comes_from_outside_is_escaped(full: DebHarbour) -> None:
    full.put("etc/os-release", 'PRETTY_NAME="<script>alert(1)</script>\u202e"\nID=mooring\n')
    full.source("evil", ('gull"><img-src=x', "9"), date=MADE)
    full.ready()
    page_of(full.root, full.folder / "page.html")
    text = (full.folder / "page.html").read_text("utf-8")
    assert "<script>alert" not in text
    assert "&lt;script&gt;alert(1)&lt;/script&gt;\\u202e" in text
    assert "<img" not in text


def test_every_package_stands_in_one_place(full: DebHarbour) -> None:
    found = Sheets(full.host().report())
    shared = [package for share in found.shares for package in share.now]
    assert sorted([*shared, *found.in_no_source]) == list(found.report.packages)
    assert [(share.handle, len(share.now), share.after) for share in found.shares] == [
        ("base", 2, 1), ("vendor", 0, 1),
    ]  # fmt: skip
    assert [package.name for package in found.in_no_source] == ["old-diary", "tern"]
    by_handle = {share.handle: share for share in found.shares}
    assert [package.name for package in by_handle["vendor"].coming] == ["libtide"]
    assert by_handle["base"].rules == ()


def test_sources_of_one_publisher_take_over_nothing_from_each_other() -> None:
    package = PackageOutlook("gull", "amd64", "1", "base", Selection("2", "security"), False)
    told = HostReport(*[()] * 8, publishers={"base": "mooring", "security": "mooring"})  # type: ignore[arg-type]
    assert not told.is_takeover(package)
    assert told._replace(publishers={"base": "mooring", "security": "vendor"}).is_takeover(package)


def test_since_a_snapshot(full: DebHarbour) -> None:
    snapshot = str(full.folder / "then")
    full.run("shift", "--save", snapshot)
    assert "Nothing." in page_of(full.root, full.folder / "page.html", "--since", snapshot).words
    full.repository("base", ("gull", "5"), ("tern", "2"), ("libtide", "1"))
    full.ready()
    rows = page_of(full.root, full.folder / "page.html", "--since", snapshot).rows
    assert ["gull", "2 from base", "5 from base", "a source's content"] in rows


def test_without_what_draws_the_tables_stand_alone(
    full: DebHarbour, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(figures, "has_plots", lambda: False)
    out = full.folder / "page.html"
    said = full.run("report", "--out", str(out))
    assert said.code == 0
    assert "velpin[report]" in said.err
    text = out.read_text("utf-8")
    assert "<svg" not in text
    assert "velpin[report]" in text
    said = full.run("report", "--png", str(full.folder / "picture.png"))
    assert (said.code, (full.folder / "picture.png").exists()) == (1, False)


def test_the_figure_alone(full: DebHarbour) -> None:
    out = full.folder / "picture.png"
    assert full.run("report", "--png", str(out)).code == 0
    assert out.read_bytes().startswith(b"\x89PNG")


def test_as_json(full: DebHarbour) -> None:
    told = json.loads(full.run("report", "--json").out)
    names = [package["name"] for package in told["packages"]]
    assert names == ["gull", "libtide", "old-diary", "tern"]
    assert told["upgrade"]["ok"]


@pytest.mark.parametrize(
    ("words", "code", "what"),
    [
        ((), 2, "where to?"),
        (("--out", "notes.txt"), 3, "is not a page"),
        (("--out", "nowhere/page.html"), 3, "is not a folder"),
        (("--out", "page.html", "--since", "notes.txt"), 3, "not a snapshot"),
    ],
)
def test_refused(
    full: DebHarbour, monkeypatch: pytest.MonkeyPatch, words: tuple[str, ...], code: int, what: str
) -> None:
    monkeypatch.chdir(full.folder)
    (full.folder / "notes.txt").write_text("mine\n")
    said = full.run("report", *words)
    assert said.code == code, said.err
    assert what in said.err
    assert (full.folder / "notes.txt").read_text() == "mine\n"


# -- that it can be read ---------------------------------------------------------------------


def palettes() -> dict[str, dict[str, str]]:
    """The colours of the page: in the light, in the dark, on paper."""
    text = (PARTS / "page.css").read_text()
    blocks = re.findall(r":root \{(.*?)\}", text, re.DOTALL)
    assert len(blocks) == 3
    return {
        name: dict(re.findall(r"--(\w+): (#[0-9a-f]{3,6})", block))
        for name, block in zip(("light", "dark", "print"), blocks, strict=True)
    }


def brightness(colour: str) -> float:
    """The relative luminance of a colour, as the rules for contrast have it."""
    digits = colour[1:] if len(colour) == 7 else "".join(c * 2 for c in colour[1:])
    parts = [int(digits[at : at + 2], 16) / 255 for at in (0, 2, 4)]
    red, green, blue = (p / 12.92 if p <= 0.04045 else ((p + 0.055) / 1.055) ** 2.4 for p in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: str, other: str) -> float:
    low, high = sorted(map(brightness, (one, other)))
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize("name", ["light", "dark", "print"])
@pytest.mark.parametrize("paper", ["paper", "panel"])
@pytest.mark.parametrize("ink", ["ink", "soft", "accent", "good", "warning", "error"])
def test_contrast(name: str, paper: str, ink: str) -> None:
    palette = palettes()[name]
    assert contrast(palette[ink], palette[paper]) >= 4.5


def test_the_bars_of_now_and_then_differ_in_every_light() -> None:
    for palette in palettes().values():
        assert contrast(palette["accent"], palette["light"]) >= 2


def test_figures_have_the_colours_of_the_page(full: DebHarbour) -> None:
    assert palettes()["light"] == figures._COLOURS
    for drawn in figures.svg_figures(full.host().report()).values():
        colours = set(re.findall(r"#[0-9a-f]{6}\b", drawn))
        assert colours <= {"#000000"}, colours


def crowded(report: HostReport) -> HostReport:
    """A report of 40 sources with long names, keys and ages of all sorts, 3,000 packages."""
    now = report.time
    status = next(each for each in report.sources if each.dated)
    sources = tuple(
        status._replace(
            source=replace(status.source, handle=f"harbour-{'observatory-' * (n % 4)}{n}"),
            tier=n // 6 + 1 if n % 13 else None, dated=now - DAY * 3**(n % 8) / 9,
        )
        for n in range(40)
    )  # fmt: skip
    packages = tuple(
        PackageOutlook(
            f"gull-{n}", "amd64", "1", sources[n % 40 if n % 3 else 0].source.handle,
            Selection("2", sources[n % 37].source.handle), False,
        )
        for n in range(3000)
    )  # fmt: skip
    expiries = [None, now - DAY, now + 3 * DAY, now + 4000 * DAY, now + 99999 * DAY]
    keys = tuple(
        KeyUse(f"{'Keeper of ' * (n % 9)}Keys {n}", f"{n:040X}", now - n * 300 * DAY,
               expiries[n % 5], "EdDSA", n % 7 == 0, "file", ("a",), False)
        for n in range(40)
    )  # fmt: skip
    return report._replace(sources=sources, packages=packages, keys=keys)


@pytest.mark.parametrize("width", [figures._WIDE, figures._NARROW])
@pytest.mark.parametrize("name", ["tiers", "keys", "ages"])
def test_no_texts_overlap(full: DebHarbour, name: str, width: float) -> None:
    report = crowded(full.host().report()._replace(time=1_800_000_000.0))
    if name == "ages":
        drawing = figures._ages(report, width)
    else:
        drawing = {"tiers": figures._tiers, "keys": figures._keys}[name](Sheets(report), width)
    for piece in (*drawing._texts, *drawing._bars, *drawing._bands, *drawing._lines):
        say(" ".join(f"{one:.3f}" if isinstance(one, float) else str(one) for one in piece))
    figure = drawing.figure()
    from matplotlib.backends.backend_agg import FigureCanvasAgg

    FigureCanvasAgg(figure).draw()
    texts = figure.axes[0].texts
    assert len(texts) > 40
    boxes = [(text.get_text(), text.get_window_extent()) for text in texts]
    for text, box in boxes:
        assert box.x0 >= 0, text
        assert box.x1 <= figure.bbox.width, text
    for (one, first), (other, second) in combinations(boxes, 2):
        assert not first.overlaps(second), (one, other)


def test_a_crowded_page_is_whole(full: DebHarbour) -> None:
    from velpin.front.report.page import page

    report = crowded(full.host().report())
    rows = Page(page(report, {})).rows
    names = {row[0] for row in rows if row}
    assert {package.name for package in report.packages} <= names


def test_a_sign_stands_beside_every_colour() -> None:
    assert len(set(sheets.MARKS.values())) == len(sheets.MARKS)
    state = Sheets(HostReport(time=0, **dict.fromkeys(HostReport._fields[1:8], ()), publishers={}))  # type: ignore[arg-type]
    keys = [KeyUse("k", "F", 0, at, "x", gone, "w", (), False)
            for at, gone in ((None, True), (-5, False), (9, False), (1e9, False), (None, False))]  # fmt: skip
    signs = [state.key_state(key).text[0] for key in keys]
    assert signs == ["✕", "✕", "▲", "✓", "✓"]


_LOADED = """
import importlib.util, os
from velpin.errors import Refusal
from velpin.front.report.figures import load_plots

find, importlib.util.find_spec = importlib.util.find_spec, lambda name: None
try:
    load_plots()
except Refusal as problem:
    print(problem.message, problem.hint)
importlib.util.find_spec = find
before, here = dict(os.environ), os.getcwd()
load_plots()
print(dict(os.environ) == before, os.getcwd() == here)
"""


@pytest.mark.parametrize("said", [{}, {"MPLBACKEND": "odd", "MATPLOTLIBRC": "/nowhere"}])
def test_what_draws_is_loaded_without_a_trace(said: dict[str, str], tmp_path: Path) -> None:
    """The surroundings are as they were, whether or not something was said there."""
    pytest.importorskip("matplotlib")
    own = {name: text for name, text in os.environ.items() if not name.startswith("MPL")}
    done = subprocess.run([sys.executable, "-c", _LOADED], env=own | said, cwd=tmp_path, check=True,
                          capture_output=True, text=True)  # fmt: skip
    told, same = done.stdout.splitlines()
    assert told == "what draws figures is not installed pip install 'velpin[report]'"
    assert same == "True True"
