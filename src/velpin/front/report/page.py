"""Lays a report out as one page that needs no network and works without scripts."""

from __future__ import annotations

import base64
import hashlib
from collections.abc import Mapping
from importlib.resources import files
from typing import Any

from jinja2 import Environment, PackageLoader
from markupsafe import Markup

from velpin.front.report.sheets import Sheets, findings
from velpin.front.words import several, size
from velpin.model.dates import day_and_time
from velpin.model.report import HostReport
from velpin.model.safe_text import safe
from velpin.version import __version__


def page(report: HostReport, figures: Mapping[str, str]) -> str:
    """The page as HTML; `figures` are SVG by name: those that are there are shown."""
    parts = files("velpin.front.report") / "parts"
    style, script = ((parts / name).read_text("utf-8") for name in ("page.css", "page.js"))
    template = _environment().get_template("page.html")
    return template.render(
        report=report,
        sheets=Sheets(report),
        findings=findings(report),
        figures={name: Markup(figure) for name, figure in figures.items()},
        style=Markup(style),
        script=Markup(script),
        script_hash=_hash(script),
        made=day_and_time(report.time),
        since=day_and_time(report.since) if report.since is not None else "",
        version=__version__,
    )


def _environment() -> Environment:
    """Templates in which every text is escaped twice over: what would steer a screen, then what
    would be HTML."""

    def shown(value: Any) -> Any:
        return safe(value) if type(value) is str else value

    found = Environment(
        loader=PackageLoader("velpin.front.report", "parts"), autoescape=True, finalize=shown,
        trim_blocks=True, lstrip_blocks=True,
    )  # fmt: skip
    found.globals.update(several=several, size=size)
    return found


def _hash(script: str) -> str:
    """What the page's own policy knows its script by."""
    digest = hashlib.sha256(script.encode()).digest()
    return f"sha256-{base64.b64encode(digest).decode()}"
