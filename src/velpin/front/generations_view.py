"""How the same question for both generations of the installer is shown, side by side."""

from __future__ import annotations

from velpin.core.generations import GenerationComparison
from velpin.front.screen import Piece, Screen
from velpin.front.words import several
from velpin.model.forecast import Change, Forecast


def show_comparison(screen: Screen, found: GenerationComparison) -> None:
    """What each would do, then each package that they treat differently."""
    screen.line(f"this host is forecast for the {found.here} generation of its installer")
    screen.gap()
    for name, told in (("older", found.older), ("newer", found.newer)):
        here = " (this host)" if name == found.here else ""
        screen.line((f"{name}{here}: ", "name"), _outcome(told))
    if found.same:
        screen.gap()
        screen.line(("both do the same", "answer"))
        return
    if not found.differences:
        return
    count = len(found.differences)
    verb = "is" if count == 1 else "are"
    screen.head(f"{several(count, 'package')} {verb} treated differently")
    rows: list[list[Piece]] = [
        [
            (difference.name, "name"),
            _done(difference.older, difference.newer),
            _done(difference.newer, difference.older),
        ]
        for difference in found.differences
    ]
    screen.table(["package", "older", "newer"], rows)


def _outcome(told: Forecast) -> Piece:
    if not told.ok:
        return (f"refused: {told.problem.text if told.problem else ''}", "bad")
    if not told.changes:
        return "nothing changes"
    removed = sum(change.new is None for change in told.changes)
    gone = f", {removed} of them removed" if removed else ""
    count = len(told.changes)
    return f"{several(count, 'package')} {'changes' if count == 1 else 'change'}{gone}"


def _done(change: Change | None, other: Change | None) -> Piece:
    """What one generation does with a package, of which the other does something else."""
    if change is None:
        stays = other is not None and other.old is not None
        return ("stays as it is" if stays else "does not come", "quiet")
    if change.new is None:
        return (f"{change.old} is removed", "bad")
    return f"{change.new} from {change.source or 'nowhere'}"
