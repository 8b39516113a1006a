"""The report's page, read back."""

from __future__ import annotations

from html.parser import HTMLParser
from pathlib import Path

from tests.answers import say
from tests.program import run_on


class Page(HTMLParser):
    """What stands in a page: its text, its tables' rows, what it would load."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.rows: list[list[str]] = []
        self.loads: list[str] = []
        self.open: list[str] = []
        self.words = ""
        self.pieces: list[str] = []
        self.feed(text)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.open.append(tag)
        if tag == "tr":
            self.rows.append([])
        if tag == "td":
            self.rows[-1].append("")
        for name, value in attrs:
            if name in ("src", "href", "xlink:href", "data", "action") and value:
                self.loads.append(value)

    def handle_endtag(self, tag: str) -> None:
        while self.open and self.open.pop() != tag:
            pass

    def handle_data(self, data: str) -> None:
        if self.open and self.open[-1] in ("script", "style"):
            return
        self.words += data
        self.pieces.append(data)
        if "td" in self.open and self.rows:
            self.rows[-1][-1] += data


def page_of(root: Path, out: Path, *words: str) -> Page:
    """Write the report of a host, and keep all that its page says for comparison."""
    said = run_on(root, "report", "--out", str(out), *words)
    assert said.code == 0, said.err
    page = Page(out.read_text("utf-8"))
    for row in page.rows:
        say(" | ".join(row))
    say("\n".join(page.pieces))
    return page
