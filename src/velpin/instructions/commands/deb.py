"""Commands of the installer of deb hosts."""

from __future__ import annotations

import re
from collections.abc import Sequence

from velpin.instructions.commands.options import said
from velpin.instructions.commands.requests import ask_for, refreshed
from velpin.instructions.data import NOT_KNOWN, Data, Effect
from velpin.instructions.machine import Call, Command, Machine, Result
from velpin.instructions.words import is_known

_VALUED = ("o", "t", "c", "a", "option", "target-release", "default-release", "config-file", "C")
_KIND = "deb"


def _apt(machine: Machine, call: Call) -> Result:
    found = said(call.args, _VALUED)
    word, names = (found.operands or [""])[0], found.operands[1:]
    if word in ("update", "clean", "autoclean", "check"):
        return refreshed(machine, call, _KIND)
    if word in ("install", "reinstall", "satisfy"):
        wanted = found.value("t", "target-release", "default-release")
        return ask_for(machine, call, names, _KIND, source=wanted)
    if word in ("upgrade", "full-upgrade", "dist-upgrade", "safe-upgrade"):
        machine.tell(Effect("request", call.spot, on=_KIND, text="--full-upgrade"))
    elif word in ("remove", "purge", "autoremove"):
        what = f"removing {' '.join(names) or 'what nothing needs'}: left to you"
        machine.tell(Effect("not-followed", call.spot, what))
    elif word == "key":
        return Result(None)
    return Result(0, NOT_KNOWN)


def _add_repository(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("k", "s_", "keyserver"))
    if found.has("r", "remove"):
        what = f"taking away a source: {' '.join(found.operands)[:60]}"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True))
        return Result()
    operands = found.operands
    if operands[:1] == ["deb"]:
        operands = [" ".join(operands)]
    for text in operands:
        line = text.strip()
        if re.match(r"(?:https?|ftp|file)://", line):
            parts = line.split()
            suite = machine.overlay.facts.release.get("VERSION_CODENAME", "")
            line = f"deb {line}" if len(parts) > 1 else f"deb {line} {suite} main"
        if re.match(r"deb(-src)?\s", line):
            if is_known(line):
                machine.write(f"/etc/apt/sources.list.d/added-{machine.temporary()[10:]}.list",
                              Data(line + "\n", spots=(call.spot,)), call.spot)  # fmt: skip
                continue
            what = "adds a source whose address is not known"
        elif ":" in line and " " not in line:
            what = f"{line} names a source by a service that only its own tool asks"
        else:
            what = f"switches {line} on in the distribution's own sources"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True))
    return Result()


def _dpkg(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("root", "admindir"))
    if found.has("print-architecture"):
        return Result(0, Data(f"{machine.overlay.facts.arch}\n", spots=(call.spot,)))
    if found.has("i", "install", "unpack"):
        return ask_for(machine, call, found.operands, _KIND, are_files=True)
    if found.has("add-architecture"):
        arch = found.value("add-architecture") or " ".join(found.operands)
        what = f"adds the architecture {arch} to the host"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True, on=_KIND))
        return Result()
    if found.has("compare-versions"):
        return Result(_compared(machine, call.args[-3:]))
    if found.has("s", "l", "L", "S", "status", "list", "W", "query", "get-selections"):
        return Result(None, NOT_KNOWN)
    return Result(0, NOT_KNOWN)


_ORDERS = {
    "lt": (-1,), "<<": (-1,), "le": (-1, 0), "<=": (-1, 0), "<": (-1, 0), "eq": (0,), "=": (0,),
    "ne": (-1, 1), "ge": (0, 1), ">=": (0, 1), ">": (0, 1), "gt": (1,), ">>": (1,),
}  # fmt: skip
"""What a relation of two versions allows; a single sign allows both being the same, as the
command's manual says."""


def _compared(machine: Machine, said_of: Sequence[str]) -> int | None:
    """The status of a comparison of versions; None where it cannot be known."""
    if len(said_of) != 3 or not all(map(is_known, said_of)) or machine.overlay.facts.kind != _KIND:
        return None
    one, relation, other = said_of
    if relation not in _ORDERS or not (one and other):
        return None
    return int(machine.overlay.facts.compare(one, other) not in _ORDERS[relation])


def _mark(machine: Machine, call: Call) -> Result:
    found = said(call.args, _VALUED)
    word, names = (found.operands or [""])[0], tuple(found.operands[1:])
    if word == "hold":
        machine.tell(Effect("keep", call.spot, names=names, on=_KIND))
    elif word == "unhold":
        what = f"no longer keeps {' '.join(names)} as it is"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True))
    return Result(0, NOT_KNOWN)


def _asked(machine: Machine, call: Call) -> Result:
    return Result(None, NOT_KNOWN)


def _settings(machine: Machine, call: Call) -> Result:
    machine.tell(Effect("not-followed", call.spot, "answers of packages to questions: left to you"))
    return Result()


COMMANDS: dict[str, Command] = {
    "apt": _apt, "apt-get": _apt, "aptitude": _apt, "add-apt-repository": _add_repository,
    "apt-add-repository": _add_repository, "dpkg": _dpkg, "apt-mark": _mark, "apt-cache": _asked,
    "dpkg-query": _asked, "debconf-set-selections": _settings,
}  # fmt: skip
