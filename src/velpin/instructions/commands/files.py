"""Commands about files."""

from __future__ import annotations

import posixpath

from velpin.instructions.commands.options import said
from velpin.instructions.data import NOTHING, Data
from velpin.instructions.machine import Call, Command, Machine, Result


def _target(machine: Machine, name: str, source: str) -> str:
    """Where a file goes that is put at a place: into it, where that is a folder."""
    place = machine.path(name)
    is_folder = name.endswith("/") or (
        machine.overlay.has(place) and machine.overlay.read(place) is None
    )
    return posixpath.join(place, posixpath.basename(source)) if is_folder else place


def _copy(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("t", "m", "o", "g", "mode", "owner", "group", "S", "target-directory"))
    if call.name == "install" and found.has("d", "directory"):
        return Result()
    operands = list(found.operands)
    folder = found.value("t", "target-directory")
    target = f"{folder}/" if folder else operands.pop() if len(operands) > 1 else ""
    status = 0
    for name in operands:
        data = call.stdin if name in ("-", "/dev/stdin") else machine.file(name)
        if data is None:
            status = 1
            continue
        if target:
            machine.write(_target(machine, target, name), data, call.spot)
        if call.name == "mv":
            machine.overlay.remove(machine.path(name), call.spot)
    return Result(status)


def _link(machine: Machine, call: Call) -> Result:
    operands = said(call.args).operands
    if len(operands) == 2 and (data := machine.file(operands[0])) is not None:
        machine.write(_target(machine, operands[1], operands[0]), data, call.spot)
    return Result()


def _remove(machine: Machine, call: Call) -> Result:
    for name in said(call.args).operands:
        if machine.file(name) is not None:
            machine.overlay.remove(machine.path(name), call.spot)
    return Result()


def _touch(machine: Machine, call: Call) -> Result:
    for name in said(call.args, ("d", "t", "r")).operands:
        if machine.file(name) is None:
            machine.write(name, NOTHING, call.spot)
    return Result()


def _temporary(machine: Machine, call: Call) -> Result:
    name = machine.temporary()
    if not said(call.args).has("d", "directory"):
        machine.overlay.write(name, NOTHING)
    return Result(0, Data(f"{name}\n", spots=(call.spot,)))


def _nothing(machine: Machine, call: Call) -> Result:
    return Result()


COMMANDS: dict[str, Command] = {
    "cp": _copy, "mv": _copy, "install": _copy, "ln": _link, "rm": _remove, "touch": _touch,
    "unlink": _remove, "mktemp": _temporary, "mkdir": _nothing, "chmod": _nothing,
    "chown": _nothing, "chgrp": _nothing, "sync": _nothing, "restorecon": _nothing,
}  # fmt: skip
