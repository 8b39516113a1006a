"""Commands that ask what host this is, and those that have nothing to do with sources."""

from __future__ import annotations

from velpin.instructions.commands.options import said
from velpin.instructions.data import NOT_KNOWN, Data, Effect
from velpin.instructions.machine import Call, Command, Machine, Result

_MACHINES = {
    "amd64": "x86_64", "arm64": "aarch64", "i386": "i686", "armhf": "armv7l", "armel": "armv6l",
    "ppc64el": "ppc64le", "ia32": "i686",
}  # fmt: skip


def _printed(text: str, call: Call) -> Result:
    return Result(0, Data(f"{text}\n", spots=(call.spot,)))


def machine_of(machine: Machine) -> str:
    """The host's architecture as its kernel calls it."""
    arch = machine.overlay.facts.arch
    return _MACHINES.get(arch, arch)


def _uname(machine: Machine, call: Call) -> Result:
    found = said(call.args)
    if found.has("r", "v", "n", "a", "kernel-release", "all"):
        return Result(0, NOT_KNOWN)
    if found.has("m", "machine", "p", "i"):
        return _printed(machine_of(machine), call)
    return _printed("GNU/Linux" if found.has("o") else "Linux", call)


def _arch(machine: Machine, call: Call) -> Result:
    return _printed(machine_of(machine), call)


def _lsb_release(machine: Machine, call: Call) -> Result:
    found = said(call.args)
    release = machine.overlay.facts.release
    name = release.get("NAME", "").split(" ")[0] or release.get("ID", "")
    values = {
        "i": ("Distributor ID", name), "d": ("Description", release.get("PRETTY_NAME", "")),
        "r": ("Release", release.get("VERSION_ID", "")),
        "c": ("Codename", release.get("VERSION_CODENAME", "")),
    }  # fmt: skip
    long = {"id": "i", "description": "d", "release": "r", "codename": "c"}
    asked = [letter for letter in values if found.has(letter)]
    asked += [letter for word, letter in long.items() if found.has(word)]
    if found.has("a", "all"):
        asked = list(values)
    if found.has("s", "short"):
        return _printed("\n".join(values[letter][1] for letter in asked), call)
    return _printed("\n".join(f"{values[a][0]}:\t{values[a][1]}" for a in asked), call)


def _id(machine: Machine, call: Call) -> Result:
    found = said(call.args)
    if found.operands:
        return Result(None, NOT_KNOWN)
    return _printed("root" if found.has("n") or call.name == "whoami" else "0", call)


def _getconf(machine: Machine, call: Call) -> Result:
    if list(call.args) == ["LONG_BIT"]:
        return _printed("32" if machine_of(machine) in ("i686", "armv7l", "armv6l") else "64", call)
    return Result(0, NOT_KNOWN)


def _unknown_text(machine: Machine, call: Call) -> Result:
    return Result(0, NOT_KNOWN)


def _unknown(machine: Machine, call: Call) -> Result:
    return Result(None, NOT_KNOWN)


def _nothing(machine: Machine, call: Call) -> Result:
    return Result()


def _left(machine: Machine, call: Call) -> Result:
    """What has nothing to do with sources and keys, and is left to the person."""
    what = " ".join(call.words)
    machine.tell(Effect("not-followed", call.spot, f"{what[:80]}: left to you"))
    return Result(0, NOT_KNOWN)


_LEFT = [
    "systemctl", "service", "rc-update", "chkconfig", "useradd", "usermod", "adduser",
    "groupadd", "addgroup", "passwd", "gpasswd", "sysctl", "modprobe", "ufw", "firewall-cmd",
    "iptables", "setsebool", "semanage", "getenforce", "setenforce", "locale-gen",
    "update-locale", "timedatectl", "hostnamectl", "loginctl", "update-ca-certificates",
    "ldconfig", "crontab", "reboot", "shutdown", "swapoff", "mount", "umount", "docker",
    "newgrp", "visudo", "psql", "mysql", "xdg-settings", "update-desktop-database",
    "gtk-update-icon-cache", "fc-cache",
]  # fmt: skip
_QUIET = [
    "clear", "sleep", "logger", "tput", "stty", "beep",
]  # fmt: skip
_ASKING = [
    "date", "hostname", "nproc", "free", "df", "du", "ls", "wc", "find", "stat", "file", "ps",
    "pgrep", "ip", "ping", "nslookup", "dig", "ss",
]  # fmt: skip

COMMANDS: dict[str, Command] = {
    "uname": _uname, "arch": _arch, "lsb_release": _lsb_release, "id": _id, "whoami": _id,
    "getconf": _getconf, "sha256sum": _unknown, "sha512sum": _unknown, "md5sum": _unknown,
    "cmp": _unknown, "diff": _unknown, "openssl": _unknown_text, "systemd-detect-virt": _unknown,
    **dict.fromkeys(_ASKING, _unknown_text), **dict.fromkeys(_LEFT, _left),
    **dict.fromkeys(_QUIET, _nothing),
}  # fmt: skip
