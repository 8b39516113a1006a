"""The one place where output for people is laid out: with Rich on a terminal, plain elsewhere.

A cell or a piece of a line is a text, or a text with the name of a style. Styles only add
to what the words already say.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator, Sequence
from math import ceil
from typing import TYPE_CHECKING, NamedTuple, TextIO

from velpin.model.safe_text import safe

if TYPE_CHECKING:
    from rich.console import Console, JustifyMethod
    from rich.text import Text

Piece = str | tuple[str, str]


class Branch(NamedTuple):
    """A line of a tree, and what stands below it."""

    line: Sequence[Piece]
    below: Sequence[Branch] = ()


STYLES = {
    "name": "bold",
    "answer": "bold color(28)",
    "source": "color(31)",
    "quiet": "color(244)",
    "warn": "color(130)",
    "bad": "bold color(160)",
    "good": "color(28)",
    "head": "bold underline",
    "command": "bold color(31)",
}
"""Colours that can be read on light and on dark terminals alike."""
SIGNS = {"bad": "✕", "warn": "▲", "good": "✓"}


def signed(text: str, style: str) -> tuple[str, str]:
    """A text in a style that says how good or bad it is, with the sign of it: for those who see
    no colours."""
    return f"{SIGNS[style]} {text}", style


class Screen:
    """Writes lines and tables to a stream."""

    def __init__(self, stream: TextIO | None = None) -> None:
        self.stream = stream or sys.stdout
        self._console: Console | None = None

    @property
    def drawn(self) -> bool:
        """Whether this is a terminal that is drawn on."""
        return self.stream.isatty() and os.environ.get("TERM") != "dumb"

    @property
    def console(self) -> Console:
        """The Rich console behind it."""
        if self._console is None:
            from rich.console import Console

            self._console = Console(file=self.stream, highlight=False, markup=False, emoji=False)
        return self._console

    def line(self, *pieces: Piece, indent: int = 0) -> None:
        """One line; on a terminal it is wrapped below its own beginning."""
        told = "".join(map(_plain, pieces)).rstrip()
        if not (self.drawn and told):
            self.stream.write((" " * indent + told).rstrip() + "\n")
            return
        from rich.padding import Padding

        self.console.print(Padding(_text(pieces), (0, 0, 0, indent), expand=False))

    def gap(self) -> None:
        """An empty line."""
        self.stream.write("\n")

    def head(self, text: str) -> None:
        """A heading, after an empty line."""
        self.gap()
        self.line((text, "head"))

    def tree(self, root: Branch) -> None:
        """A tree, drawn with lines on a terminal and with dashes elsewhere."""
        if not self.drawn:
            self._write_branch(root, 0)
            return
        from rich.tree import Tree

        def grow(branch: Branch, tree: Tree) -> None:
            for lower in branch.below:
                grow(lower, tree.add(_text(lower.line)))

        tree = Tree(_text(root.line), guide_style="dim")
        grow(root, tree)
        self.console.print(tree)

    def _write_branch(self, branch: Branch, depth: int) -> None:
        lead = "  " * (depth - 1) + "- " if depth else ""
        self.stream.write(lead + "".join(map(_plain, branch.line)).rstrip() + "\n")
        for lower in branch.below:
            self._write_branch(lower, depth + 1)

    def table(
        self, heads: Sequence[str], rows: Sequence[Sequence[Piece]], *, right: Sequence[int] = ()
    ) -> None:
        """A table without lines; empty columns are left out; `right` are columns of numbers."""
        self.tables(heads, [("", rows)], right=right)

    def tables(
        self,
        heads: Sequence[str],
        groups: Sequence[tuple[str, Sequence[Sequence[Piece]]]],
        *,
        right: Sequence[int] = (),
    ) -> None:
        """One table in groups, each with its title: their columns in line, the heads said once."""
        rows = [row for _, group in groups for row in group]
        used = [at for at in range(len(heads)) if any(_plain(row[at]) for row in rows)]
        heads = [heads[at] for at in used]
        right = [place for place, at in enumerate(used) if at in right]
        cells = [(title, [[row[at] for at in used] for row in group]) for title, group in groups]
        table = _Table(heads, [row for _, group in cells for row in group], right)
        if any(title for title, _ in groups):
            self.gap()
        if len(cells) > 1:
            self._write_rows(table, [], with_heads=True)
        for place, (title, group) in enumerate(cells):
            if title:
                if place:
                    self.gap()
                self.line((title, "head"))
            self._write_rows(table, group, with_heads=len(cells) == 1)

    def _write_rows(
        self, table: _Table, rows: Sequence[Sequence[Piece]], *, with_heads: bool
    ) -> None:
        if not self.drawn:
            for line in table.lines(rows, with_heads=with_heads):
                self.stream.write(line + "\n")
            return
        widths = table.fitting(self.console.width)
        kept = len(widths)
        if kept == len(table.heads):
            self._draw_rows(table, rows, widths, with_heads=with_heads)
            return
        if with_heads:
            self._draw_rows(table, [], widths, with_heads=True)
        for row in rows:  # too narrow: the last columns stand on a line below
            self._draw_rows(table, [row[:kept]], widths, with_heads=False)
            below = [(f"{head} ", cell) for head, cell in zip(table.heads, row, strict=True)]
            pieces = [piece for head, cell in below[kept:] if _plain(cell)
                      for piece in ((", ", "quiet"), (head.lstrip(), "quiet"), cell)]  # fmt: skip
            if pieces:
                self.line(*pieces[1:], indent=_BELOW)

    def _draw_rows(
        self, table: _Table, rows: Sequence[Sequence[Piece]], widths: Sequence[int], *,
        with_heads: bool,
    ) -> None:  # fmt: skip
        from rich.table import Table

        drawn = Table(
            box=None, pad_edge=False, padding=(0, _GAP, 0, 0), header_style=STYLES["quiet"],
            show_header=with_heads,
        )  # fmt: skip
        for at, width in enumerate(widths):
            justify: JustifyMethod = "right" if at in table.right else "left"
            drawn.add_column(table.heads[at], justify=justify, overflow="fold", width=width)
        for row in rows:
            drawn.add_row(*(_text([cell]) for cell in row))
        self.console.print(drawn)


_SQUEEZED = 0.6
"""How much of its width a column keeps at least; else the last ones go to a line below."""
_BELOW = 4
"""How far the columns are indented for which there was no room."""
_GAP = 2
"""Columns between the columns of a table."""


class _Table:
    """The columns of a table, as wide as what stands in them."""

    def __init__(
        self, heads: Sequence[str], rows: Sequence[Sequence[Piece]], right: Sequence[int]
    ) -> None:
        self.heads, self.right = heads, right
        texts = [[_plain(row[at]) for row in rows] for at in range(len(heads))]
        self._widths = [
            max(len(text) for text in (head, *column))
            for head, column in zip(heads, texts, strict=True)
        ]
        words = [
            max(len(word) for text in (head, *column) for word in text.split() or [""])
            for head, column in zip(heads, texts, strict=True)
        ]
        self._least = [
            max(word, ceil(width * _SQUEEZED))
            for word, width in zip(words, self._widths, strict=True)
        ]

    def fitting(self, width: int) -> list[int]:
        """Widths for as many of the first columns as stand beside each other with no word broken;
        for one at least."""
        for count in range(len(self.heads), 0, -1):
            room = width - _GAP * count
            if sum(self._least[:count]) <= room:
                return self._spread(count, room)
        return [min(each, width - _GAP) for each in self._widths[:1]]

    def _spread(self, count: int, room: int) -> list[int]:
        """Widths of the first columns within a room that has place for all their words."""
        widths, found = self._widths[:count], self._least[:count]
        if sum(widths) <= room:
            return widths
        room -= sum(found)
        wanting = sorted(range(count), key=lambda at: widths[at] - found[at])
        for place, at in enumerate(wanting):  # what is missed least is given first
            given = min(widths[at] - found[at], room // (count - place))
            found[at] += given
            room -= given
        return found

    def lines(self, rows: Sequence[Sequence[Piece]], *, with_heads: bool) -> Iterator[str]:
        """The rows as plain lines."""
        for line in [*([self.heads] if with_heads else []), *rows]:
            cells = [
                _plain(cell).rjust(self._widths[at]) if at in self.right
                else _plain(cell).ljust(self._widths[at])
                for at, cell in enumerate(line)
            ]  # fmt: skip
            yield (" " * _GAP).join(cells).rstrip()


def _plain(piece: Piece) -> str:
    return safe(piece if isinstance(piece, str) else piece[0])


def _text(pieces: Sequence[Piece]) -> Text:
    from rich.text import Text

    text = Text()
    for piece in pieces:
        style = STYLES.get(piece[1], "") if isinstance(piece, tuple) else ""
        text.append(_plain(piece), style=style)
    return text
