"""`velpin forecast`: what is asked of the host, and how the answer is shown."""

from __future__ import annotations

import os
import sys
from typing import TYPE_CHECKING, NamedTuple

from velpin.errors import UsageError
from velpin.files.own_settings import shows_next
from velpin.model.reasons import FilesRefused
from velpin.model.safe_text import safe

if TYPE_CHECKING:
    from pathlib import Path

    from velpin.host.host import Host
    from velpin.model.forecast import Forecast
    from velpin.model.installer import GenerationName
    from velpin.model.step import Step


class ForecastWords(NamedTuple):
    """The command line of a forecast; the fields are called as the command's parameters are."""

    request: tuple[str, ...] = ()
    upgrade: bool = False
    realign: bool = False
    source: str = ""
    without: tuple[str, ...] = ()
    older: bool = False
    why: bool = False
    tree: bool = False
    every: bool = False
    generation: str = ""
    compare: bool = False
    as_is: bool = False
    debug_steps: bool = False
    json: bool = False

    @property
    def is_upgrade(self) -> bool:
        """Whether the full upgrade alone is asked for."""
        return self.upgrade and not self.request


def show_forecast(root: Path, words: ForecastWords) -> int:
    """Forecast and show; the exit code: 1 where it would be refused, 3 because of the host's own
    files.

    Raises UsageError where the words ask for nothing, or for what does not go together.
    """
    from velpin.front.session import open_at

    _check(words)
    host = _of_generation(open_at(root, as_is=words.as_is), words.generation)
    words = words._replace(request=tuple(_with_path(host, each) for each in words.request))
    if words.debug_steps:
        host = host.traced(_tell_step)
    if words.compare:
        _compare_generations(host, words)
        return 0
    if words.is_upgrade:
        found = host.forecast_upgrade(realign=words.realign, source=words.source)
    else:
        found = host.forecast(
            words.request, words.source, upgrade=words.upgrade, without=words.without,
            allow_older=words.older,
        )  # fmt: skip
    _show(found, words, tells_next=shows_next(host.tree))
    return exit_code(found)


def _with_path(host: Host, request: str) -> str:
    """A request; a file of this folder by its path, unless there is a package of that name."""
    is_file = "." in request and "/" not in request and os.path.isfile(request)
    return f"./{request}" if is_file and not host.packages.knows(request) else request


def _tell_step(step: Step) -> None:
    """One step of the solver, beside the answer."""
    print(safe(str(step)), file=sys.stderr)


def _check(words: ForecastWords) -> None:
    """Raise UsageError unless the words ask for something, and go together."""
    if not (words.upgrade or words.request or words.without):
        raise UsageError(
            "which forecast?", "velpin forecast REQUEST..., or velpin forecast --upgrade"
        )
    if words.is_upgrade and words.why:
        raise UsageError(
            "--why explains the answers to requests, and a full upgrade has none",
            "velpin forecast --upgrade --tree, or velpin forecast REQUEST... --why",
        )
    if words.realign and words.source:
        raise UsageError(
            "--realign goes to the best source, and --from to one of them", "leave one of them out"
        )
    if words.without and not words.request:
        raise UsageError(
            "--without goes with requests: it removes packages in their transaction",
            "velpin forecast REQUEST... --without NAME",
        )
    if words.realign and not words.is_upgrade:
        raise UsageError(
            "--realign goes with a full upgrade alone", "velpin forecast --upgrade --realign"
        )


def exit_code(found: Forecast) -> int:
    """Of a forecast: 0 where the installer would do it, 1 where it would refuse, 3 where it would
    because of the host's own files."""
    if found.ok:
        return 0
    return 3 if isinstance(found.problem, FilesRefused) else 1


def _show(found: Forecast, words: ForecastWords, *, tells_next: bool) -> None:
    if words.json:
        from velpin.front import json_values

        json_values.write(found)
        return
    from velpin.front import forecast_view
    from velpin.front.next_view import show_next, show_questions
    from velpin.front.screen import Screen

    screen = Screen()
    if words.tree:
        forecast_view.show_tree(screen, found)
    elif words.is_upgrade:
        forecast_view.show_upgrade(screen, found, every=words.every)
    else:
        forecast_view.show_forecast(screen, found, why=words.why, every=words.every)
    if tells_next:
        show_questions(screen, found.questions)
        show_next(screen, found.next)


def _of_generation(host: Host, generation: str) -> Host:
    """A host with the generation of the installer that was asked for."""
    if not generation:
        return host
    names: dict[str, GenerationName] = {"older": "older", "newer": "newer"}
    if generation not in names:
        raise UsageError(
            f"no generation {generation!r}", "--generation older, or --generation newer"
        )
    return host.with_generation(names[generation])


def _compare_generations(host: Host, words: ForecastWords) -> None:
    if words.upgrade and words.request:
        raise UsageError("generations are compared for requests or for the full upgrade")
    found = host.compare_generations(words.request, words.source, realign=words.realign)
    if words.json:
        from velpin.front import json_values

        json_values.write(found)
        return
    from velpin.front.generations_view import show_comparison
    from velpin.front.screen import Screen

    show_comparison(Screen(), found)
