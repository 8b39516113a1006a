"""How the commands to run next are shown, below every answer that has some."""

from __future__ import annotations

from collections.abc import Sequence

from velpin.front.screen import Screen


def show_next(screen: Screen, commands: Sequence[str]) -> None:
    """What to type next."""
    if commands:
        screen.gap()
        screen.line(("run next", "head"))
        for command in commands:
            screen.line((command, "command"), indent=2)
