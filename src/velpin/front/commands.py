"""What the commands say of themselves, without loading them: `shells/commands.json`.

`tools/manual.py` writes that file from the commands; loading those would take longer than a
completion or a forecast.
"""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import NamedTuple

SHELLS_FOLDER = Path(__file__).with_name("shells")


class Parameter(NamedTuple):
    """One option or argument of a command."""

    name: str
    opts: tuple[str, ...]
    """How it is typed; none of an argument."""
    takes_value: bool
    is_list: bool
    help: str


class Command(NamedTuple):
    """What is known of a command."""

    help: str
    parameters: tuple[Parameter, ...]


Commands = Mapping[str, Command]


def read_commands() -> Commands:
    """Every command and its parameters."""
    import json

    text = (SHELLS_FOLDER / "commands.json").read_text("utf-8")
    return {
        name: Command(told["help"], tuple(Parameter(**each) for each in told["parameters"]))
        for name, told in json.loads(text).items()
    }
