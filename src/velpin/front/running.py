"""Running one command line: how it ends, whatever happens, and the short road of a forecast.

A forecast is what Velpin is asked for most, and takes less time than the library of the command
line needs to start. One whose words are plain goes without that library; all else, and every word
that is not plain, is for `cli`.
"""

from __future__ import annotations

import gc
import io
import os
import sys
from pathlib import Path
from typing import Any

from velpin.errors import DamagedIndex, VelpinError
from velpin.front import debugging


def main() -> None:
    """The program."""
    gc.disable()  # one short command; what lies in cycles goes with it
    for stream in (sys.stdout, sys.stderr):  # a sign that a terminal cannot show stops nothing
        if isinstance(stream, io.TextIOWrapper):
            stream.reconfigure(errors="replace")
    try:
        code = run(sys.argv[1:])
        sys.stdout.flush()
    except BrokenPipeError:
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        code = 0
    sys.exit(code)


def run(words: list[str]) -> int:
    """Run one command line; every error becomes words, or with `--json` one JSON value, and an
    exit code. With `--debug` an error that nobody foresaw shows where it came from."""
    debug = debugging.is_on = "--debug" in words
    words = [word for word in words if word != "--debug"]
    as_json = "--json" in words
    try:
        return _run(words, as_json)
    except VelpinError as problem:
        from velpin.front.session import fail

        return fail(problem, as_json)
    except KeyboardInterrupt:
        return 130
    except BrokenPipeError:
        raise
    except Exception as problem:
        if debug:
            raise
        from velpin.errors import unforeseen
        from velpin.front.cli import command_of
        from velpin.front.session import fail

        return fail(unforeseen(problem, f"running velpin {command_of(words)}".strip()), as_json)


def _run(words: list[str], as_json: bool) -> int:
    """One command line; a parsed index that turned out to be damaged is rebuilt once."""
    try:
        return _once(words, as_json)
    except DamagedIndex:
        from velpin.front.session import tell

        tell("a parsed index was damaged; it is rebuilt", "quiet")
        return _once(words, as_json)


def _once(words: list[str], as_json: bool) -> int:
    plain = plain_forecast(words)
    if plain is not None:
        from velpin.front.forecast_command import ForecastWords, show_forecast

        root = str(plain.pop("root", "/"))
        return show_forecast(Path(root), ForecastWords(**plain))
    from velpin.front.cli import run_typed

    return run_typed(words, as_json=as_json)


def plain_forecast(words: list[str]) -> dict[str, Any] | None:
    """What a command line asks for that is a forecast with nothing but requests and options
    written in full, each once: the values of its parameters. None for all others."""
    if "forecast" not in words:
        return None
    from velpin.front.commands import read_commands
    from velpin.front.forecast_command import ForecastWords

    parameters = read_commands()["forecast"].parameters
    defaults = ForecastWords._field_defaults
    once = (name for name in defaults if name == "request" or not isinstance(defaults[name], tuple))
    known = ("root", *once)
    options = {text: each for each in parameters for text in each.opts if each.name in known}
    (requests,) = (each.name for each in parameters if not each.opts)
    found: dict[str, Any] = {}
    plain: list[str] = []
    rest = iter(words)
    for word in rest:
        option = options.get(word)
        if option is None:
            if word.startswith("-"):
                return None
            plain.append(word)
        elif option.name in found or (not plain and option.name != "root"):
            return None
        elif option.takes_value:
            value = next(rest, "-")
            if value.startswith("-"):
                return None
            found[option.name] = value
        else:
            found[option.name] = True
    if plain[:1] != ["forecast"]:
        return None
    return {**found, requests: tuple(plain[1:])}
