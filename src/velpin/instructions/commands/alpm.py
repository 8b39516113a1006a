"""Commands of the installer of alpm hosts."""

from __future__ import annotations

import re

from velpin.instructions.commands.keys import everywhere
from velpin.instructions.commands.options import said
from velpin.instructions.commands.requests import ask_for, refreshed
from velpin.instructions.data import NOT_KNOWN, Data, Effect
from velpin.instructions.machine import Call, Command, Machine, Result

_KIND = "alpm"
_KEYRING = re.compile(r"usr/share/pacman/keyrings/[^/]+\.gpg")


def _pacman(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("config", "r", "root", "b", "dbpath", "ignore", "arch"))
    if found.has("U", "upgrade"):
        names = [name for name in found.operands if not _brings(machine, call, name)]
        return ask_for(machine, call, names, _KIND, are_files=True)
    if found.has("S", "sync"):
        if found.has("y", "refresh"):
            refreshed(machine, call, _KIND)
        if found.operands:
            ask_for(machine, call, found.operands, _KIND)
        elif found.has("u", "sysupgrade"):
            machine.tell(Effect("request", call.spot, "--full-upgrade", on=_KIND))
        return Result()
    return Result(None, NOT_KNOWN)


def _brings(machine: Machine, call: Call, name: str) -> bool:
    """Take keys and lists of servers from a package at an address, or in a file that was fetched;
    whether it brings any."""
    address = name
    if "://" not in name:
        data = machine.file(name)
        address = next((part.address for part in data.parts if part.address), "") if data else ""
    packed = machine.packed(address) if address else None
    files = machine.overlay.facts.opened(packed, address) if packed else {}
    found = False
    for file, content in files.items():
        text = content.decode("utf-8", "surrogateescape")
        if file.startswith("etc/pacman.d/"):
            machine.write(f"/{file}", Data(text), call.spot)
            found = True
        elif _KEYRING.fullmatch(file):
            everywhere(machine, call, Data(text, address), _KIND)
            found = True
    if found:
        machine.tell(Effect("opened", call.spot, address, on=_KIND))
    return found


COMMANDS: dict[str, Command] = {"pacman": _pacman}
