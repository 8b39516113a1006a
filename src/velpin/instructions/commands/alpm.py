"""Commands of the installer of alpm hosts."""

from __future__ import annotations

from velpin.instructions.commands.options import said
from velpin.instructions.commands.requests import ask_for, refreshed
from velpin.instructions.data import NOT_KNOWN, Effect
from velpin.instructions.machine import Call, Command, Machine, Result

_KIND = "alpm"


def _pacman(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("config", "r", "root", "b", "dbpath", "ignore", "arch"))
    if found.has("U", "upgrade"):
        return ask_for(machine, call, found.operands, _KIND, are_files=True)
    if found.has("S", "sync"):
        if found.has("y", "refresh"):
            refreshed(machine, call, _KIND)
        if found.operands:
            ask_for(machine, call, found.operands, _KIND)
        elif found.has("u", "sysupgrade"):
            machine.tell(Effect("request", call.spot, "--full-upgrade", on=_KIND))
        return Result()
    return Result(None, NOT_KNOWN)


COMMANDS: dict[str, Command] = {"pacman": _pacman}
