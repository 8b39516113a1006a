"""The command that writes a report."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.core.snapshot import load_snapshot
from velpin.errors import Refusal
from velpin.files.given import begins_with, write_given
from velpin.front.screen import Screen, signed
from velpin.front.session import busy, tell
from velpin.front.words import size

if TYPE_CHECKING:
    from velpin.host.host import Host
    from velpin.model.report import HostReport

_FOREIGN = 512
_NEEDS_PLOTS = "figures need Matplotlib: install velpin[report]"


def write_report(
    host: Host, out: Path | None, png: Path | None, since: Path | None, *, as_json: bool
) -> None:
    """Write the page, the picture, or with `as_json` alone what is in them."""
    from velpin.forked import ForkedTask
    from velpin.front.report.figures import has_plots, load_plots

    if png is not None and not has_plots():
        raise Refusal(_NEEDS_PLOTS, "pip install 'velpin[report]'; --out alone writes the tables")
    earlier = load_snapshot(since) if since else None
    with (
        busy("looking the host over"),
        ForkedTask(partial(host.report, earlier)) as looking,
    ):
        if (out or png) and has_plots():
            load_plots()  # takes about as long as the host does
        report = looking.result()
    written = []
    if out is not None:
        written.append((out, _write_page(report, out, plots=has_plots())))
    if png is not None:
        from velpin.front.report.figures import write_png

        with busy("drawing"):
            write_png(report, png)
        written.append((png, png.stat().st_size))
    if as_json:
        from velpin.front import json_values

        json_values.write(report)
        return
    for file, length in written:
        Screen().line(signed("written", "good"), f": {file} ({size(length)})")
    if out is not None and not has_plots():
        tell(f"the page has its tables alone; {_NEEDS_PLOTS}")


def _write_page(report: HostReport, out: Path, *, plots: bool) -> int:
    from velpin.front.report.page import page

    figures = {}
    if plots:
        from velpin.front.report.figures import svg_figures

        with busy("drawing"):
            figures = svg_figures(report)
    data = page(report, figures).encode("utf-8", "backslashreplace")
    write_given(out, data, "a page", begins_with(b"<!doctype html", within=_FOREIGN))
    return len(data)
