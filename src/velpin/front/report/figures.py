"""The figures of a report, drawn by Matplotlib: as SVG in the page's own colours, or as PNG.

Each figure is drawn twice, for a wide page and for a phone. Its texts stay texts: they can be
searched, and what shows the page chooses the font; nothing is measured too narrowly for that.
"""

from __future__ import annotations

import contextlib
import io
import math
import os
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from velpin.errors import Refusal
from velpin.files.given import begins_with, write_given
from velpin.front.report.sheets import Share, Sheets
from velpin.front.words import age, counted, several
from velpin.model.dates import day
from velpin.model.host import KeyUse, SourceStatus
from velpin.model.report import HostReport
from velpin.model.safe_text import safe

if TYPE_CHECKING:
    from matplotlib.figure import Figure

_COLOURS = {
    "paper": "#fbfaf6", "panel": "#f1efe8", "ink": "#1d2730", "soft": "#56616b",
    "line": "#d5d2c7", "accent": "#0c5f69", "light": "#a9cdd0", "good": "#1f6337",
    "warning": "#7d5000", "error": "#9c2118",
}  # fmt: skip
"""Those of the page in the light; the page puts its own variables in their place."""
_WIDE, _NARROW = 800.0, 285.0
"""Widths in points."""
_FONT = 9.0
_ROW = 17.0
"""Height of a line, in points."""
_WIDEST = 0.62
"""Of a character, in parts of the font's size: generous, as the font is not known."""
_MOST_RULES = 3
_DAY, _YEAR = 86400.0, 365.25 * 86400
_AGES = ((3600, "1 hour"), (_DAY, "1 day"), (7 * _DAY, "1 week"), (30 * _DAY, "30 days"),
         (_YEAR, "1 year"))  # fmt: skip


def has_plots() -> bool:
    """Whether what draws figures is installed."""
    from importlib.util import find_spec

    return find_spec("matplotlib") is not None


def load_plots() -> None:
    """Load Matplotlib with the settings that it brings itself. By default it takes those of the
    current folder and of the user, who may have written anything there, and keeps a list of fonts
    in the home folder of whoever runs it, root's too."""
    from importlib.util import find_spec
    from tempfile import TemporaryDirectory

    if "matplotlib" in sys.modules:
        return
    found = find_spec("matplotlib")
    places = found.submodule_search_locations if found else None
    if not places:
        raise Refusal("what draws figures is not installed", "pip install 'velpin[report]'")
    own = {"MATPLOTLIBRC": str(Path(places[0]) / "mpl-data" / "matplotlibrc")}
    before = {name: os.environ.get(name) for name in (*own, "MPLCONFIGDIR", "MPLBACKEND")}
    with TemporaryDirectory(prefix="velpin-") as folder:
        os.environ.update(own, MPLCONFIGDIR=folder, MPLBACKEND="agg")
        try:
            with contextlib.chdir(folder):  # settings of the current folder go before all others
                import matplotlib.figure
                import matplotlib.font_manager  # noqa: F401
        finally:
            for name, value in before.items():
                if value is None:
                    os.environ.pop(name, None)
                else:
                    os.environ[name] = value


def svg_figures(report: HostReport) -> dict[str, str]:
    """Every figure that the report has something for, by name, each for two widths."""
    load_plots()
    sheets = Sheets(report)
    drawings: dict[str, tuple[bool, Callable[[float], _Drawing]]] = {
        "tiers": (bool(sheets.shares), lambda width: _tiers(sheets, width)),
        "keys": (bool(report.keys), lambda width: _keys(sheets, width)),
        "ages": (bool(_dated(report)), lambda width: _ages(report, width)),
    }
    return {
        name: "".join(
            f'<div class="{kind}">{_as_svg(draw(width), f"{name}-{kind}")}</div>'
            for kind, width in (("wide", _WIDE), ("narrow", _NARROW))
        )
        for name, (has, draw) in drawings.items()
        if has
    }


def write_png(report: HostReport, file: Path) -> None:
    """Write the picture of the tiers; Refusal where the host has no source, CannotWrite where the
    file cannot be written."""
    sheets = Sheets(report)
    if not sheets.shares:
        raise Refusal("there is nothing to draw: this host has no sources", "velpin add")
    load_plots()
    figure = _tiers(sheets, _WIDE).figure()
    out = io.BytesIO()
    figure.savefig(out, format="png", dpi=115, facecolor=_COLOURS["paper"])
    write_given(file, out.getvalue(), "a picture", begins_with(b"\x89PNG"))


def _as_svg(drawing: _Drawing, name: str) -> str:
    """A figure as SVG, its colours those of the page."""
    import matplotlib as mpl

    out = io.StringIO()
    with mpl.rc_context({"svg.fonttype": "none", "svg.hashsalt": name}):
        drawing.figure().savefig(out, format="svg", transparent=True, metadata={"Date": None})
    text = out.getvalue()
    text = text[text.index("<svg") :]
    for role, colour in _COLOURS.items():
        text = text.replace(colour, f"var(--{role})")
    return text


# -- drawing ---------------------------------------------------------------------------------


class _Text(NamedTuple):
    row: float
    left: float
    text: str
    role: str
    is_bold: bool
    right: float
    is_right: bool


class _Bar(NamedTuple):
    row: float
    left: float
    right: float
    height: float
    role: str
    goes_on: bool


class _Drawing:
    """Rows of text and bars; places across are parts of the width, down they are rows."""

    def __init__(self, width: float) -> None:
        self._width = width
        self._texts: list[_Text] = []
        self._bars: list[_Bar] = []
        self._bands: list[tuple[float, float]] = []
        self._lines: list[tuple[float, float, float, str]] = []
        self.rows = 0.0

    def text(
        self, left: float, text: str, *, row: float | None = None, role: str = "ink",
        bold: bool = False, right: float = 1.0, is_right: bool = False,
    ) -> None:  # fmt: skip
        """A text between two places, shortened to fit."""
        most = max(4, int((right - left) * self._width / (_FONT * _WIDEST)))
        told = safe(text)
        told = told if len(told) <= most else told[: most - 1] + "…"
        row = self.rows if row is None else row
        self._texts.append(_Text(row, left, told, role, bold, right, is_right))

    def bar(
        self, left: float, right: float, role: str, *, row: float | None = None,
        height: float = 0.4, goes_on: bool = False,
    ) -> None:  # fmt: skip
        """A bar; `goes_on`: it has no end that is known."""
        row = self.rows if row is None else row
        self._bars.append(_Bar(row, left, right, height, role, goes_on))

    def band(self, first: float, last: float) -> None:
        """A shade behind some rows."""
        self._bands.append((first, last))

    def upright(self, left: float, first: float, last: float, role: str = "line") -> None:
        """A line down some rows."""
        self._lines.append((left, first, last, role))

    def figure(self) -> Figure:
        """The figure as Matplotlib has it."""
        from matplotlib.figure import Figure
        from matplotlib.patches import Rectangle

        height = (self.rows + 0.4) * _ROW
        figure = Figure(figsize=(self._width / 72, height / 72))
        axes = figure.add_axes((0, 0, 1, 1))
        axes.set_xlim(0, 1)
        axes.set_ylim(self.rows + 0.4, 0)
        axes.axis("off")
        for first, last in self._bands:
            axes.add_patch(Rectangle((0, first), 1, last - first, color=_COLOURS["panel"], lw=0))
        for left, first, last, role in self._lines:
            axes.plot([left, left], [first, last], color=_COLOURS[role], lw=1)
        for bar in self._bars:
            self._draw_bar(axes, bar)
        for text in self._texts:
            axes.text(
                text.right if text.is_right else text.left, text.row + 0.5, text.text,
                ha="right" if text.is_right else "left", va="center_baseline",
                fontsize=_FONT, color=_COLOURS[text.role], parse_math=False,
                weight="bold" if text.is_bold else "normal",
                family="DejaVu Sans",
            )  # fmt: skip
        return figure

    def _draw_bar(self, axes: Any, bar: _Bar) -> None:
        from matplotlib.patches import Polygon, Rectangle

        top, width = bar.row + 0.5 - bar.height / 2, max(bar.right - bar.left, 2 / self._width)
        colour = _COLOURS[bar.role]
        axes.add_patch(Rectangle((bar.left, top), width, bar.height, color=colour, lw=0))
        if bar.goes_on:
            end, tip = bar.left + width, 6 / self._width
            middle = bar.row + 0.5
            corners = [(end, middle - 0.28), (end + tip, middle), (end, middle + 0.28)]
            axes.add_patch(Polygon(corners, color=colour, lw=0))


# -- sources by tier -------------------------------------------------------------------------


def _tiers(sheets: Sheets, width: float) -> _Drawing:
    """Each source in its tier: its bars, and the rules about it."""
    drawing = _Drawing(width)
    shares = sorted(sheets.shares, key=lambda s: (s.status.tier is None, s.status.tier or 0))
    most = max(1, *(max(len(share.now), share.after) for share in shares))
    wide = width == _WIDE
    sample = 26 / width
    drawing.bar(0.012, 0.012 + sample, "accent")
    drawing.text(0.022 + sample, "installed packages that come from it now", role="soft")
    drawing.rows += 0.9
    drawing.bar(0.012, 0.012 + sample, "light", height=0.2)
    drawing.text(0.022 + sample, "after the next upgrade", role="soft")
    drawing.rows += 1.3
    for number, tier in enumerate(dict.fromkeys(share.status.tier for share in shares)):
        group = [share for share in shares if share.status.tier == tier]
        first = drawing.rows
        name = f"tier {tier}" if tier is not None else "in no tier"
        drawing.text(0.012, name, role="soft", bold=True)
        drawing.rows += 1
        for share in group:
            (_wide_share if wide else _narrow_share)(drawing, share, most)
        drawing.rows += 0.2
        if number % 2 == 0:
            drawing.band(first, drawing.rows)
    return drawing


def _counts(share: Share) -> str:
    now = several(len(share.now), "package")
    return now if share.after == len(share.now) else f"{now}, then {counted(share.after)}"


def _bars(drawing: _Drawing, share: Share, left: float, right: float, most: int) -> None:
    if share.now:
        drawing.bar(left, left + (right - left) * len(share.now) / most, "accent")
    if share.after:
        end = left + (right - left) * share.after / most
        drawing.bar(left, end, "light", row=drawing.rows + 0.36, height=0.2)


def _rule_rows(drawing: _Drawing, share: Share) -> None:
    for rule in share.rules[:_MOST_RULES]:
        drawing.text(0.05, f"▸ {rule}", right=0.98)
        drawing.rows += 1
    more = len(share.rules) - _MOST_RULES
    if more > 0:
        drawing.text(0.05, f"and {several(more, 'more rule')}", role="soft", right=0.98)
        drawing.rows += 1


def _about_source(share: Share) -> str:
    figures = ", ".join(str(each.priority) for each in share.status.priorities[:2])
    return f"priority {figures}" if figures else ""


def _wide_share(drawing: _Drawing, share: Share, most: int) -> None:
    drawing.text(0.03, share.handle, bold=True, right=0.29)
    drawing.text(0.30, _about_source(share), role="soft", right=0.44)
    _bars(drawing, share, 0.45, 0.75, most)
    drawing.text(0.77, _counts(share), role="soft", right=0.99)
    drawing.rows += 1
    _rule_rows(drawing, share)


def _narrow_share(drawing: _Drawing, share: Share, most: int) -> None:
    drawing.text(0.03, share.handle, bold=True, right=0.62)
    drawing.text(0.63, _about_source(share), role="soft", right=0.98, is_right=True)
    drawing.rows += 1
    _bars(drawing, share, 0.03, 0.5, most)
    drawing.text(0.53, _counts(share), role="soft", right=0.99)
    drawing.rows += 1
    _rule_rows(drawing, share)


# -- keys over time --------------------------------------------------------------------------


def _keys(sheets: Sheets, width: float) -> _Drawing:
    """Each key from the day it was made to the day it expires, and today."""
    drawing = _Drawing(width)
    now = sheets.report.time
    starts = [min(key.created, now) for key in sheets.single_keys]
    ends = [key.expires for key in sheets.single_keys if key.expires is not None]
    first = min(*starts, now) - 0.1 * _YEAR if starts else now
    first = max(first, now - 40 * _YEAR)
    last = min(max([*ends, now + 2 * _YEAR]), now + 30 * _YEAR)

    wide = width == _WIDE
    left, right = (0.38, 0.78) if wide else (0.02, 0.97)

    def across(moment: float) -> float:
        part = (min(max(moment, first), last) - first) / (last - first)
        return left + (right - left) * part

    years = _years(first, last, 6 if wide else 4)
    for year, moment in years:
        drawing.text(across(moment) + 0.004, year, role="soft")
    drawing.rows += 1
    for key in sheets.single_keys:
        state = sheets.key_state(key)
        owner = f"{key.owner.partition(' <')[0]} …{key.fingerprint[-8:]}"
        drawing.text(0.01, owner, right=left - 0.02 if wide else 0.99)
        if not wide:
            drawing.rows += 1
        for _, moment in years:
            drawing.upright(across(moment), drawing.rows, drawing.rows + 1)
        drawing.upright(across(now), drawing.rows, drawing.rows + 1, "ink")
        _key_bar(drawing, key, state.style, across)
        if not wide:
            drawing.rows += 0.8
        drawing.text(right + 0.03 if wide else 0.02, state.text, role=state.style or "ink")
        drawing.rows += 1.1
    return drawing


def _key_bar(drawing: _Drawing, key: KeyUse, style: str, across: Callable[[float], float]) -> None:
    goes_on = key.expires is None and not key.revoked
    end = key.expires if key.expires is not None else math.inf
    role = "accent" if style == "good" else style or "accent"
    drawing.bar(across(key.created), across(end), role, height=0.3, goes_on=goes_on)


def _years(first: float, last: float, most: int) -> list[tuple[str, float]]:
    """The beginnings of some years between two moments."""
    begin, end = time.gmtime(first).tm_year + 1, time.gmtime(last).tm_year
    step = max(1, math.ceil((end - begin + 1) / most))
    moments = [(year, (year - 1970) * _YEAR) for year in range(begin, end + 1, step)]
    return [(str(year), moment) for year, moment in moments if first < moment < last - 0.5 * _YEAR]


# -- ages of indexes -------------------------------------------------------------------------


def _dated(report: HostReport) -> list[SourceStatus]:
    return [
        status for status in report.sources if status.dated is not None and status.state == "on"
    ]


def _ages(report: HostReport, width: float) -> _Drawing:
    """How old each index is, in orders of magnitude."""
    drawing = _Drawing(width)
    rows = sorted(_dated(report), key=lambda status: status.dated or 0)
    oldest = max(_YEAR, *(report.time - (status.dated or 0) for status in rows))
    left, right = (0.30, 0.78) if width == _WIDE else (0.02, 0.97)

    def across(seconds: float) -> float:
        least, most = math.log(1800), math.log(oldest * 1.3)
        return left + (right - left) * (math.log(max(seconds, 2000)) - least) / (most - least)

    ticks: Sequence[tuple[float, str]] = [tick for tick in _AGES if tick[0] <= oldest]
    for seconds, name in ticks if width == _WIDE else ticks[1::2]:
        drawing.text(across(seconds) + 0.006, name, role="soft")
    drawing.rows += 1.2
    top = drawing.rows - 1.1
    for status in rows:
        past = report.time - (status.dated or 0)
        told = f"{age(status.dated, report.time)}, of {day(status.dated)}"
        role = "warning" if past > 30 * _DAY else "accent"
        if width == _WIDE:
            drawing.text(0.01, status.source.handle, bold=True, right=left - 0.01)
        else:
            drawing.text(0.02, status.source.handle, bold=True, right=0.44)
            drawing.text(0.45, told, role="soft", right=0.98, is_right=True)
            drawing.rows += 0.9
        end = across(past)
        drawing.bar(left, end, role, height=0.26)
        if width == _WIDE:
            drawing.text(end + 0.01, told, role="soft", right=max(end + 0.02, 1.0))
        drawing.rows += 1.1
    for seconds, _ in ticks if width == _WIDE else ticks[1::2]:
        drawing.upright(across(seconds), top, drawing.rows)
    return drawing
