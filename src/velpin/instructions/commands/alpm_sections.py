"""Edits in place of an alpm host's main file, of which nothing but the sections is looked at."""

from __future__ import annotations

import re

from velpin.instructions.data import Data, Effect
from velpin.instructions.machine import Call, Machine
from velpin.instructions.words import unescaped

_MAIN_FILE = "/etc/pacman.conf"
_INSERTED = re.compile(
    r"(?:\$|/(?:\\.|[^/\\])*/)\s*[ai]\s*\\?\n?(?P<text>\s*(?:\\n)*\[.*)", re.DOTALL
)
"""Sections put before or behind a line, or at the end."""
_UNCOMMENTED = (
    re.compile(r"s(?P<s>[/|,])\^?#\\?\??\s*\\\[(?P<name>[\w-]+)\\\](?P=s)\\?\[(?P=name)\\?\](?P=s)g?"),
    re.compile(
        r"/\^?#?\s*\\\[(?P<name>[\w-]+)\\\]/\s*,\s*(?:/\^?#?Include[^/]*/|\+\d)\s*\{?\s*s/\^?#\s*//g?\s*\}?"
    ),
)  # fmt: skip
"""Ways to take away what switches a section off."""


def edits_sections(machine: Machine, call: Call, file: str, script: str) -> bool:
    """Read what a script does to the sections of that file; whether it does no more than that."""
    if file != _MAIN_FILE:
        return False
    found = _INSERTED.fullmatch(script.strip())
    if found:
        text = f"\n{unescaped(found.group('text')).strip()}\n"
        machine.write(file, Data(text), call.spot, behind=True)
        what = "the place of the section: it comes last; `velpin prefer` puts it before others"
        machine.tell(Effect("not-followed", call.spot, what, on="alpm"))
        return True
    for pattern in _UNCOMMENTED:
        found = pattern.fullmatch(script.strip())
        if found:
            machine.tell(Effect("switch", call.spot, "on", (found.group("name"),), on="alpm"))
            return True
    return False
