"""How the commands to run next are shown, below every answer that has some, and a way back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.front.screen import Piece, Screen, signed

if TYPE_CHECKING:
    from velpin.model.way_back import WayBack


def show_next(screen: Screen, commands: Sequence[str]) -> None:
    """What to type next."""
    if commands:
        screen.gap()
        screen.line(("run next", "head"))
        for command in commands:
            screen.line((command, "command"), indent=2)


def show_way_back(screen: Screen, back: WayBack) -> None:
    """What each package that came from a source goes back to, and what stays."""
    if not back.packages:
        return
    screen.head("The way back")
    rows: list[list[Piece]] = []
    for row in back.packages:
        if row.version is None:
            why = row.why.text if row.why else "it was not tried"
            rows.append([(row.name, "name"), row.installed, signed("stays", "warn"), why])
        elif row.version == row.installed:
            rows.append([(row.name, "name"), row.installed, "stays", f"{row.source} has it too"])
        else:
            source = (row.source or "", "source")
            rows.append([(row.name, "name"), row.installed, (row.version, "answer"), source])
    screen.table(["package", "now", "then", "from"], rows)
    going = {row.name for row in back.packages}
    along = [
        change.name
        for change in (back.forecast.changes if back.forecast else ())
        if change.name not in going
    ]
    if along:
        screen.line(signed("changes along with them: ", "warn"), ", ".join(along))
