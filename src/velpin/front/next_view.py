"""How the commands to run next are shown, below every answer that has some, and a way back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.front.screen import Piece, Screen, signed
from velpin.model.questions import Proceed

if TYPE_CHECKING:
    from velpin.model.forecast import Question
    from velpin.model.way_back import WayBack


def show_next(screen: Screen, commands: Sequence[str]) -> None:
    """What to type next."""
    if commands:
        screen.gap()
        screen.line(("run next", "head"))
        for command in commands:
            screen.line((command, "command"), indent=2)


def show_questions(screen: Screen, questions: Sequence[Question]) -> None:
    """What the installer asks first, if it is more than whether to go on, and what it does not do
    without an option."""
    if all(isinstance(question.asks, Proceed) for question in questions):
        return
    asked = [question for question in questions if question.default not in ("", "stops")]
    stopping = [question for question in questions if question.default == "stops"]
    silent = [question for question in questions if not question.default]
    screen.gap()
    if asked:
        screen.line(("the installer will ask you to", "head"))
    for question in asked:
        screen.line(question.asks.text, (f" ({_answers(question)})", "quiet"), indent=2)
    _show_stops(screen, "it stops unless an option lets it", stopping)
    for option in dict.fromkeys(question.option for question in silent):
        _show_stops(screen, f"with {option} it stops unless an option lets it", silent)


def _show_stops(screen: Screen, head: str, questions: Sequence[Question]) -> None:
    if questions:
        screen.line((head, "head"))
    for question in questions:
        screen.line(question.asks.text, ": ", (question.allowed_by, "command"), indent=2)


def _answers(question: Question) -> str:
    """What answers a question if nobody does, in a line."""
    told = f"Enter means {question.default}"
    if question.unattended == "stops":
        return f"{told}; {question.option} stops there without {question.allowed_by}"
    if question.unattended == question.default:
        return f"{told}, and so does {question.option}"
    return f"{told}, {question.option} means {question.unattended}"


def show_way_back(screen: Screen, back: WayBack) -> None:
    """What each package that came from a source goes back to, and what stays."""
    screen.head("The way back")
    if not back.packages:
        screen.line("nothing that is installed came from it: no package has to go back")
        return
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
