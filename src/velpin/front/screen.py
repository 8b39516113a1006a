"""The one place where output for people is laid out: with Rich on a terminal, plain elsewhere.

A cell or a piece of a line is a text, or a text with the name of a style. Styles only add
to what the words already say.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple, TextIO

from velpin.model.safe_text import safe

if TYPE_CHECKING:
    from rich.console import Console
    from rich.text import Text

Piece = str | tuple[str, str]


class Branch(NamedTuple):
    """A line of a tree, and what stands below it."""

    line: Sequence[Piece]
    below: Sequence[Branch] = ()


STYLES = {
    "name": "bold",
    "answer": "bold green",
    "source": "cyan",
    "quiet": "dim",
    "warn": "yellow",
    "bad": "bold red",
    "good": "green",
    "head": "bold underline",
    "command": "bold cyan",
}


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
        """Tables of one form below each other, each with its title, their columns in line."""
        rows = [row for _, group in groups for row in group]
        used = [at for at in range(len(heads)) if any(_plain(row[at]) for row in rows)]
        heads = [heads[at] for at in used]
        right = [place for place, at in enumerate(used) if at in right]
        widths = [max(len(_plain(row[at])) for row in rows) for at in used]
        for title, group in groups:
            if title:
                self.head(title)
            cells = [[row[at] for at in used] for row in group]
            if self.drawn:
                self._draw_table(heads, cells, right, widths if len(groups) > 1 else [])
            else:
                self._write_table(heads, cells, right, widths)

    def _draw_table(
        self,
        heads: Sequence[str],
        rows: list[list[Piece]],
        right: Sequence[int],
        widths: Sequence[int],
    ) -> None:
        from rich.table import Table

        table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="dim")
        least = widths if sum(widths) + 2 * len(widths) < self.console.width else []
        for at, head in enumerate(heads):
            table.add_column(
                head,
                justify="right" if at in right else "left",
                overflow="fold",
                min_width=least[at] if least else None,
            )
        for row in rows:
            table.add_row(*(_text([cell]) for cell in row))
        self.console.print(table)

    def _write_table(
        self,
        heads: Sequence[str],
        rows: list[list[Piece]],
        right: Sequence[int],
        widths: Sequence[int],
    ) -> None:
        lines = [list(heads), *([_plain(cell) for cell in row] for row in rows)]
        widths = [max(width, len(head)) for width, head in zip(widths, heads, strict=True)]
        for line in lines:
            cells = [
                cell.rjust(widths[at]) if at in right else cell.ljust(widths[at])
                for at, cell in enumerate(line)
            ]
            self.stream.write("  ".join(cells).rstrip() + "\n")


def _plain(piece: Piece) -> str:
    return safe(piece if isinstance(piece, str) else piece[0])


def _text(pieces: Sequence[Piece]) -> Text:
    from rich.text import Text

    text = Text()
    for piece in pieces:
        style = STYLES.get(piece[1], "") if isinstance(piece, tuple) else ""
        text.append(_plain(piece), style=style)
    return text
