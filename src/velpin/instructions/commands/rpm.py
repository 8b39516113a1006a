"""Commands of the installers of rpm hosts."""

from __future__ import annotations

import posixpath
import re

from velpin.instructions.addresses import parts_of
from velpin.instructions.commands.keys import rpm_import
from velpin.instructions.commands.options import Said, said
from velpin.instructions.commands.requests import ask_for, not_needed, refreshed
from velpin.instructions.commands.system import machine_of
from velpin.instructions.data import NOT_KNOWN, Data, Effect
from velpin.instructions.machine import Call, Command, Machine, Result
from velpin.instructions.words import is_known

_DNF = (
    "enablerepo", "disablerepo", "repo", "repoid", "setopt", "c", "config", "x", "exclude",
    "releasever", "installroot", "d", "e", "add-repo", "id", "set", "from-repofile",
    "save-filename", "enable-repo", "disable-repo", "forcearch", "comment",
)  # fmt: skip
_ZYPPER = (
    "p", "priority", "n", "name", "t", "type", "r", "repo", "from", "root", "R", "c", "config",
    "reposd-dir", "from-repo",
)  # fmt: skip
_ZYPPER_GENERAL = ("c", "config", "D", "reposd-dir", "R", "root", "installroot", "releasever")
"""Options before the subcommand that have a value."""
_SECTIONS = {"rpm-dnf": "/etc/yum.repos.d", "rpm-zypp": "/etc/zypp/repos.d"}


def _added(
    machine: Machine, call: Call, kind: str, handle: str, values: dict[str, str], file: str = ""
) -> Result:
    if not all(map(is_known, values.values())) or not is_known(handle):
        what = "adds a source whose address is not known"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True))
        return Result()
    text = f"[{handle}]\n" + "".join(f"{key}={value}\n" for key, value in values.items())
    machine.write(
        f"{_SECTIONS[kind]}/{file or handle}.repo", Data(text, spots=(call.spot,)), call.spot
    )
    return Result()


def handle_of(address: str) -> str:
    """A section's name made of an address."""
    parts = parts_of(address)
    return (
        re.sub(r"[^A-Za-z0-9.:_-]+", "_", f"{parts.netloc}{parts.path}".strip("/"))[:80] or "source"
    )


def _section_file(machine: Machine, call: Call, kind: str, address: str) -> Result:
    """A file of sections that stands at an address."""
    name = posixpath.basename(parts_of(address).path)
    machine.write(f"{_SECTIONS[kind]}/{name}", Data(None, address, spots=(call.spot,)), call.spot)
    return Result()


# -- the one with settings ---------------------------------------------------------------------


def _dnf(machine: Machine, call: Call) -> Result:
    found = said(call.args, _DNF)
    word, rest = (found.operands or [""])[0], list(found.operands[1:])
    if found.has("nogpgcheck", "no-gpgchecks"):
        machine.tell(Effect("weaker", call.spot, "the page switches the check of signatures off"))
    if word in (
        "makecache",
        "check-update",
        "clean",
        "repolist",
        "repoinfo",
        "repo",
        "list",
        "info",
    ):
        return refreshed(machine, call, "rpm-dnf")
    if word in ("install", "in", "localinstall", "reinstall", "upgrade", "update", "group", "swap"):
        return _asked(machine, call, found, word, rest)
    if word in ("config-manager", "config"):
        return _settings(machine, call, found, rest)
    if word == "module":
        return _module(machine, call, rest)
    if word in ("remove", "erase", "autoremove"):
        what = f"removing {' '.join(rest)[:60]}: left to you"
        machine.tell(Effect("not-followed", call.spot, what))
        return Result()
    if word == "copr":
        what = (
            f"{' '.join(found.operands)[:60]} names a source by a service that only its tool asks"
        )
    elif word == "versionlock":
        if rest[:1] and rest[0] in ("list", "delete", "clear", "exclude"):
            what = f"versionlock {' '.join(rest)[:60]}: left to you"
            machine.tell(Effect("not-followed", call.spot, what, on="rpm-dnf"))
            return Result()
        names = tuple(rest[1:] if rest[:1] == ["add"] else rest)
        machine.tell(Effect("keep", call.spot, names=names, on="rpm-dnf"))
        return Result()
    else:
        what = " ".join(call.words)[:80]
    machine.tell(Effect("not-followed", call.spot, what, may_change=True, on="rpm-dnf"))
    return Result(None, NOT_KNOWN)


def _asked(machine: Machine, call: Call, found: Said, word: str, rest: list[str]) -> Result:
    if not rest and word in ("upgrade", "update"):
        machine.tell(Effect("request", call.spot, "--full-upgrade", on="rpm-dnf"))
        return Result()
    if rest and all(re.search(r"config-manager|command\(", name) for name in rest):
        not_needed(machine, call, "Velpin needs no tools for this", "rpm-dnf")
        return Result()
    for name in ("disableexcludes", "setopt"):
        for value in found.options.get(name, ()):
            what = f"--{name}={value}: the forecast that follows does without"
            machine.tell(Effect("not-followed", call.spot, what, on="rpm-dnf"))
    if word == "swap" and rest:
        what = f"removing {rest[0]}: left to you"
        machine.tell(Effect("not-followed", call.spot, what, on="rpm-dnf"))
        rest = rest[1:]
    if word == "group":
        rest = rest[1:]
        groups = rest
    else:
        groups = [name for name in rest if name.startswith("@")]
    if groups:
        what = f"installing the group {' '.join(groups)}: left to you"
        machine.tell(Effect("not-followed", call.spot, what, on="rpm-dnf"))
        rest = [name for name in rest if name not in groups]
    source = found.value("enablerepo", "enable-repo", "repo", "repoid")
    return ask_for(machine, call, rest, "rpm-dnf", source=source)


def _settings(machine: Machine, call: Call, found: Said, rest: list[str]) -> Result:
    for address in found.options.get("add-repo", ()):
        _add_address(machine, call, address)
    if rest[:1] == ["addrepo"]:
        for address in found.options.get("from-repofile", ()):
            _section_file(machine, call, "rpm-dnf", address)
        pairs = [pair.partition("=") for pair in found.options.get("set", ())]
        values = {key: value for key, _, value in pairs}
        if values:
            handle = found.value("id") or handle_of(values.get("baseurl", ""))
            _added(
                machine,
                call,
                "rpm-dnf",
                handle,
                values,
                found.value("save-filename").removesuffix(".repo"),
            )
        return Result()
    if found.has("set-enabled", "enable", "set-disabled", "disable"):
        on = found.has("set-enabled", "enable")
        for handle in [*rest, *filter(None, found.options.get("set-enabled", ())),
                       *filter(None, found.options.get("enable", ()))]:  # fmt: skip
            _switch(machine, call, handle, on=on)
    if rest[:1] == ["setopt"]:
        for pair in rest[1:]:
            name, _, value = pair.partition("=")
            handle, dot, key = name.rpartition(".")
            if dot and key == "enabled":
                _switch(machine, call, handle, on=value in ("1", "true", "yes"))
                continue
            _set_in(machine, call, handle, key, value)
    elif found.has("setopt", "save"):
        for pair in found.options.get("setopt", ()):
            name, _, value = pair.partition("=")
            handle, _, key = name.rpartition(".")
            _set_in(machine, call, handle, key, value)
    return Result()


def _add_address(machine: Machine, call: Call, address: str) -> None:
    if parts_of(address).path.endswith(".repo"):
        _section_file(machine, call, "rpm-dnf", address)
    else:
        values = {"name": f"created by {call.name}", "baseurl": address, "enabled": "1"}
        values["name"] = handle_of(address)
        _added(machine, call, "rpm-dnf", handle_of(address), values)


def _switch(machine: Machine, call: Call, handle: str, *, on: bool) -> None:
    if not _set_in(machine, call, handle, "enabled", "1" if on else "0", missing_is_told=False):
        machine.tell(Effect("switch", call.spot, "on" if on else "off", (handle,), on="rpm"))


def _set_in(
    machine: Machine, call: Call, handle: str, key: str, value: str, *, missing_is_told: bool = True
) -> bool:
    """Set a value of a section that the text brings; whether it brings one of that name."""
    for file, written in list(machine.overlay.files.items()):
        if not file.endswith(".repo") or written.removed:
            continue
        text = machine.text(written.data, call.spot)
        heads = re.findall(r"(?m)^\[([^]]+)\]", text)
        named = [head for head in heads if handle and head.strip("_") == handle.strip("_")]
        if not named:
            continue
        handle = named[0]
        changed = _with_value(text, handle, key, value)
        machine.write(file, Data(changed, spots=written.data.every_spot), call.spot)
        return True
    if missing_is_told:
        what = f"sets {key} of {handle or 'all sources'}"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True, on="rpm"))
    return False


def _with_value(text: str, handle: str, key: str, value: str) -> str:
    """The sections of a text, with one value of one of them set."""
    head = f"[{handle}]"
    lines: list[str] = []
    inside = False
    for line in text.splitlines():
        if line.startswith("["):
            inside = line.strip() == head
        if not (inside and re.match(rf"{re.escape(key)}\s*=", line)):
            lines.append(line)
        if inside and line.strip() == head:
            lines.append(f"{key}={value}")
    return "\n".join(lines) + "\n"


def _module(machine: Machine, call: Call, rest: list[str]) -> Result:
    word, names = (rest or [""])[0], tuple(rest[1:])
    if word in ("enable", "disable", "reset", "install", "switch-to"):
        machine.tell(Effect("module", call.spot, word, names, on="rpm-dnf"))
    return Result()


# -- the one with addresses and names ----------------------------------------------------------


def _zypper(machine: Machine, call: Call) -> Result:
    args = [arg for arg in call.args if arg not in ("--gpg-auto-import-keys", "--non-interactive")]
    if len(args) < len(call.args) and "--gpg-auto-import-keys" in call.args:
        what = "the key is shown here first, and not taken unseen"
        machine.tell(Effect("weaker", call.spot, what))
    if "--no-gpg-checks" in args:
        machine.tell(Effect("weaker", call.spot, "the page switches the check of signatures off"))
    args = _behind_general(args)
    if args[:1] in (["addrepo"], ["ar"]):
        return _add_repo(machine, call, said(args, ("p", "priority", "n", "name", "t", "type")))
    found = said(args, _ZYPPER)
    word, rest = (found.operands or [""])[0], list(found.operands[1:])
    if word in ("refresh", "ref", "repos", "lr", "refresh-services", "refs", "clean", "cc"):
        return refreshed(machine, call, "rpm-zypp")
    if word in ("install", "in"):
        source = found.value("from", "r", "repo", "from-repo")
        return ask_for(machine, call, rest, "rpm-zypp", source=source)
    if word in ("dist-upgrade", "dup", "update", "up", "patch"):
        source = found.value("from", "r", "repo")
        text = f"--full-upgrade{f' from {source}' if source else ''}"
        machine.tell(Effect("request", call.spot, text, on="rpm-zypp"))
        return Result()
    if word in ("modifyrepo", "mr"):
        return _modified(machine, call, found, rest)
    if word in ("addlock", "al"):
        machine.tell(Effect("keep", call.spot, names=tuple(rest), on="rpm-zypp"))
        return Result()
    if word in ("removerepo", "rr"):
        for handle in rest:
            if machine.file(f"{_SECTIONS['rpm-zypp']}/{handle}.repo") is not None:
                what = f"takes {handle} away"
                machine.tell(Effect("not-followed", call.spot, what, may_change=True))
        return Result()
    if word in ("remove", "rm", "search", "se", "info", "if"):
        return Result(0, NOT_KNOWN)
    what = " ".join(call.words)[:80]
    machine.tell(Effect("not-followed", call.spot, what, may_change=True, on="rpm-zypp"))
    return Result(None, NOT_KNOWN)


def _behind_general(args: list[str]) -> list[str]:
    """The words from the subcommand on: an option before it means something else than behind it."""
    at = 0
    while at < len(args) and args[at].startswith("-"):
        at += 1 + (args[at].lstrip("-") in _ZYPPER_GENERAL)
    return args[at:]


def _add_repo(machine: Machine, call: Call, found: Said) -> Result:
    rest = list(found.operands[1:])
    address = found.value("r", "repo") or (rest[0] if rest else "")
    if parts_of(address).path.endswith(".repo"):
        return _section_file(machine, call, "rpm-zypp", address)
    handle = rest[1] if len(rest) > 1 else handle_of(address)
    values = {"name": found.value("n", "name") or handle, "enabled": "1", "autorefresh": "0"}
    values["baseurl"] = address
    if found.has("f", "refresh"):
        values["autorefresh"] = "1"
    if found.has("d", "disable"):
        values["enabled"] = "0"
    if found.value("p", "priority"):
        values["priority"] = found.value("p", "priority")
    if found.has("G", "no-gpgcheck"):
        values["gpgcheck"] = "0"
    loose = [name for name in found.options if name.startswith("gpgcheck-allow-unsigned")]
    if loose:
        what = f"the page allows what is not signed (--{loose[0]}); that is not taken over"
        machine.tell(Effect("weaker", call.spot, what, on="rpm-zypp"))
    return _added(machine, call, "rpm-zypp", handle, values)


def _modified(machine: Machine, call: Call, found: Said, rest: list[str]) -> Result:
    for handle in rest:
        if found.has("e", "enable"):
            _switch(machine, call, handle, on=True)
        if found.has("d", "disable"):
            _switch(machine, call, handle, on=False)
        priority = found.value("p", "priority")
        if priority:
            _set_in(machine, call, handle, "priority", priority)
        if found.has("G", "no-gpgcheck"):
            _set_in(machine, call, handle, "gpgcheck", "0")
    return Result()


# -- the one below both --------------------------------------------------------------------------


def _rpm(machine: Machine, call: Call) -> Result:
    args = list(call.args)
    found = said(args, ("E", "eval", "root", "dbpath", "qf", "queryformat"))
    if found.has("import"):
        operands = [*filter(None, found.options["import"]), *found.operands]
        return rpm_import(machine, call, operands)
    macros = [*found.options.get("E", ()), *found.options.get("eval", ())]
    if macros:
        text = " ".join(_evaluated(machine, macro) for macro in macros)
        return Result(0, Data(f"{text}\n", spots=(call.spot,)))
    if found.has("q", "query"):
        return Result(None, NOT_KNOWN)
    if found.has("i", "U", "F", "install", "upgrade"):
        return ask_for(machine, call, found.operands, "rpm-dnf", are_files=True)
    return Result(0, NOT_KNOWN)


def _evaluated(machine: Machine, macro: str) -> str:
    release = machine.overlay.facts.release
    version = release.get("VERSION_ID", "").partition(".")[0]
    known = {
        "_arch": machine_of(machine), "_host_cpu": machine_of(machine), "rhel": version,
        "fedora": version, "centos": version, "suse_version": "", "dist": f".el{version}",
    }  # fmt: skip
    found = re.fullmatch(r"%\{?\??(\w+)\}?", macro)
    name = found.group(1) if found else ""
    families = {release.get("ID", ""), *release.get("ID_LIKE", "").split()}
    if name in ("fedora", "centos") and name not in families:
        return "" if "?" in macro else macro
    if name == "dist" and "fedora" in {release.get("ID", "")}:
        return f".fc{version}"
    return known.get(name, NOT_KNOWN.text or "")


COMMANDS: dict[str, Command] = {
    **dict.fromkeys(("dnf", "dnf4", "dnf5", "dnf-3", "yum", "microdnf"), _dnf),
    "yum-config-manager": lambda machine, call: _settings(
        machine, call, found := said(call.args, _DNF), list(found.operands)
    ),
    "zypper": _zypper, "rpm": _rpm,
}  # fmt: skip
