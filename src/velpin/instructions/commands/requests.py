"""What commands of installers have in common: requests, refreshes, tools for the page itself."""

from __future__ import annotations

import re
from collections.abc import Sequence

from velpin.instructions.data import Data, Effect
from velpin.instructions.machine import Call, Machine, Result
from velpin.instructions.words import is_known

_TOOLS = frozenset([
    "ca-certificates", "curl", "wget", "gnupg", "gnupg2", "gnupg1", "gpg", "dirmngr",
    "apt-transport-https", "lsb-release", "software-properties-common", "dnf-plugins-core",
    "dnf5-plugins", "yum-utils", "python3-apt", "debian-archive-keyring", "debian-keyring",
    "redhat-lsb-core", "sudo", "coreutils", "gpg-agent", "dnf-utils", "apt-utils",
    "libdnf5-plugin-actions",
])  # fmt: skip
"""Packages that pages have installed for their own commands."""


def not_needed(machine: Machine, call: Call, why: str, kind: str = "") -> None:
    """Say that a line is not needed."""
    machine.tell(Effect("unneeded", call.spot, why, on=kind))


def refreshed(machine: Machine, call: Call, kind: str) -> Result:
    """A refresh of indexes: Velpin does that itself."""
    not_needed(machine, call, "Velpin fetches and checks the index itself", kind)
    return Result()


def ask_for(
    machine: Machine, call: Call, names: Sequence[str], kind: str, *, source: str = "",
    are_files: bool = False,
) -> Result:  # fmt: skip
    """A request for some names; packages by address or file are release packages, or requests."""
    plain: list[str] = []
    for name in names:
        if "://" in name:
            given = Data(None, name, spots=(call.spot,))
            machine.tell(Effect("package", call.spot, name, data=given, on=kind))
        elif (
            are_files
            or name.startswith("./")
            or (name.startswith("/") and not kind.startswith("rpm"))
            or re.search(r"\.(?:deb|rpm|pkg\.tar\.\w+)$", name)
        ):
            data = machine.file(name)
            if data is None:
                what = f"installs {name}, a file that no line of this brings"
                machine.tell(Effect("not-followed", call.spot, what, may_change=True))
            else:
                machine.tell(Effect("package", call.spot, name, data=data.by(call.spot), on=kind))
        else:
            plain.append(name)
    if not plain:
        return Result()
    if not all(map(is_known, plain)):
        machine.tell(
            Effect("not-followed", call.spot, "asks for packages whose names are not known")
        )
        return Result()
    if all(name.partition("=")[0] in _TOOLS for name in plain):
        not_needed(machine, call, "Velpin needs no tools for this", kind)
    else:
        wanted = tuple(name for name in plain if name not in _TOOLS)
        machine.tell(Effect("request", call.spot, source, wanted, on=kind))
    return Result()
