"""What was made of a vendor's instructions, line by line."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.errors import UsageError
from velpin.front.screen import Screen, signed
from velpin.instructions.page import is_plain
from velpin.model.instruction_reasons import (
    Afterwards,
    DependsOn,
    DoneBetter,
    LineLeftOut,
    LineNotFollowed,
    LineNotNeeded,
    PlaceholderFilled,
)

if TYPE_CHECKING:
    from velpin.change.plan import NewSource
    from velpin.host.host import Host
    from velpin.model.instructions import LineRead, Reading

_MOST_WAYS = 8
_STYLES = (
    (LineNotNeeded, "quiet"), (LineLeftOut, "quiet"), (LineNotFollowed, "warn"),
    (DoneBetter, "good"),
    (PlaceholderFilled, "warn"), (DependsOn, "warn"), (Afterwards, "command"),
)  # fmt: skip


def show_reading(screen: Screen, reading: Reading) -> None:
    """Each line with what it comes to."""
    screen.line(("read, nothing of it was run", "answer"))
    width = max((len(_lines(line)) for line in reading.lines), default=0)
    for line in reading.lines:
        style = next((style for kind, style in _STYLES if isinstance(line.says, kind)), "")
        screen.line((_lines(line).ljust(width + 2), "quiet"), (line.says.text, style))
    screen.gap()


def _lines(line: LineRead) -> str:
    if not line.first:
        return "the page"
    numbers = f"{line.first}" if line.first == line.last else f"{line.first}-{line.last}"
    return f"{'script line' if line.script else 'line'} {numbers}"


def reading_of(host: Host, new: NewSource, way: int) -> Reading | None:
    """What a text comes to that is more than a source's own words; None for one that is not.

    Raises UsageError where it comes to several things and none was chosen, or none of that number.
    """
    if is_plain(new.snippet, new.snippet_name):
        return None
    found = host.sources.read_instructions(
        new.snippet, new.snippet_name, files=new.files, arguments=new.arguments
    )
    if way and not 1 <= way <= len(found):
        raise UsageError(
            f"there is no way {way} through these instructions", "see them without --way"
        )
    if way or len(found) == 1:
        return found[max(way, 1) - 1]
    screen = Screen()
    screen.line(signed("these instructions lead to different sources", "warn"))
    for number, reading in enumerate(found[:_MOST_WAYS], 1):
        screen.head(f"--way {number}")
        for condition in reading.way:
            screen.line((condition, "quiet"), indent=2)
        for line in reading.lines:
            if not isinstance(line.says, LineNotNeeded | DependsOn):
                screen.line(f"{_lines(line)}: {line.says.text}", indent=2)
    raise UsageError("choose one of these ways", "velpin add ... --way NUMBER")
