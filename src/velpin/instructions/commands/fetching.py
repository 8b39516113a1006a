"""Commands that fetch, and shells that are handed what was fetched."""

from __future__ import annotations

import posixpath

from velpin.instructions.addresses import parts_of
from velpin.instructions.commands.options import said
from velpin.instructions.data import NOT_KNOWN, NOTHING, Data, Effect, joined
from velpin.instructions.machine import Call, Command, Machine, Result
from velpin.instructions.words import is_known

_CURL = (
    "o", "output", "A", "user-agent", "H", "header", "u", "user", "x", "proxy", "m", "max-time",
    "retry", "retry-delay", "connect-timeout", "proto", "d", "data", "X", "request", "e", "w",
    "write-out", "output-dir", "cacert", "cert", "key", "C", "T", "b", "c", "K", "r", "D", "F",
)  # fmt: skip
_WGET = (
    "O", "output-document", "P", "directory-prefix", "U", "user-agent", "t", "tries", "T",
    "timeout", "o", "a", "header", "e",
)  # fmt: skip


def _addresses(operands: list[str]) -> list[str]:
    found = [word if "://" in word else f"http://{word}" for word in operands]
    return [word for word in found if parts_of(word).scheme in ("http", "https", "ftp")]


def _fetched(address: str, call: Call) -> Data:
    if not is_known(address):
        return NOT_KNOWN.by(call.spot)
    return Data(None, address, spots=(call.spot,))


def _last_part(address: str) -> str:
    return posixpath.basename(parts_of(address).path)


def _tell_unchecked(machine: Machine, call: Call, names: tuple[str, ...]) -> None:
    given = [arg for arg in call.args if arg in names]
    if given:
        what = f"{call.name} is told not to check who answers ({given[0]}); Velpin checks it"
        machine.tell(Effect("weaker", call.spot, what))


def _is_there(machine: Machine, address: str) -> bool | None:
    """Whether anything stands at an address; None where that cannot be seen."""
    return machine.packed(address) is not None if is_known(address) else None


def _curl(machine: Machine, call: Call) -> Result:
    found = said(call.args, _CURL)
    addresses = _addresses([*found.operands, *found.options.get("url", ())])
    _tell_unchecked(machine, call, ("-k", "--insecure"))
    if found.has("I", "head") or found.value("o", "output") == "/dev/null":
        there = [_is_there(machine, address) for address in addresses]
        if None in there or found.has("w", "write-out"):
            return Result(None, NOT_KNOWN.by(call.spot))
        fails = found.has("f", "fail", "fail-with-body")
        return Result(0 if all(there) or not fails else 22, NOT_KNOWN.by(call.spot))
    folder = found.value("output-dir")
    outputs = [*found.options.get("o", ()), *found.options.get("output", ())]
    printed = []
    for at, address in enumerate(addresses):
        data = _fetched(address, call)
        if at < len(outputs) and outputs[at] != "-":
            machine.write(posixpath.join(folder, outputs[at]), data, call.spot)
        elif found.has("O", "remote-name", "remote-name-all") and not outputs:
            machine.write(posixpath.join(folder, _last_part(address)), data, call.spot)
        else:
            printed.append(data)
    return Result(0, joined(printed))


def _wget(machine: Machine, call: Call) -> Result:
    args = ["-q" if arg == "-nv" else "--no-clobber" if arg == "-nc" else arg for arg in call.args]
    found = said(args, _WGET)
    addresses = _addresses(found.operands)
    _tell_unchecked(machine, call, ("--no-check-certificate",))
    if found.has("spider"):
        there = [_is_there(machine, address) for address in addresses]
        return Result(None if None in there else int(not all(there)))
    output = found.value("O", "output-document")
    printed = []
    for address in addresses:
        data = _fetched(address, call)
        if output == "-":
            printed.append(data)
        elif output:
            machine.write(output, data, call.spot)
        else:
            folder = found.value("P", "directory-prefix")
            machine.write(posixpath.join(folder, _last_part(address)), data, call.spot)
    return Result(0, joined(printed))


# -- shells ----------------------------------------------------------------------------------


def _shell(machine: Machine, call: Call) -> Result:
    args = list(call.args)
    while args and args[0].startswith("-") and args[0] != "-":
        flag = args.pop(0)
        if flag == "--":
            break
        if not flag.startswith("--") and "c" in flag:
            if not args:
                return Result()
            text = args.pop(0)
            return machine.script(
                text, call.spot, address="", arguments=args[1:], stdin=call.stdin,
                called=args[0] if args else "",
            )  # fmt: skip
        if not flag.startswith("--") and "s" in flag:
            args = ["-", *(args[1:] if args[:1] == ["--"] else args)]
            break
        if flag == "-o" and args:
            args.pop(0)
    data = call.stdin if not args or args[0] == "-" else machine.file(args[0])
    if data is None:
        machine.tell(
            Effect(
                "not-followed", call.spot, f"runs {args[0]}, which is not there", may_change=True
            )
        )
        return Result(None)
    return run(machine, call, data, args[1:])


def run(machine: Machine, call: Call, data: Data, arguments: list[str]) -> Result:
    """Go through a script that was fetched or written, in place of running it."""
    text = machine.text(data, call.spot)
    address = next((part.address for part in data.parts if part.address), "")
    if not is_known(text):
        what = (
            f"runs what stands at {address}, which cannot be fetched"
            if address
            else ("runs a text that is not known")
        )
        machine.tell(Effect("not-followed", call.spot, what, may_change=True))
        return Result(None)
    first = text.lstrip("\ufeff").split("\n", 1)[0]
    if first.startswith("#!") and not any(name in first for name in ("sh", "dash")):
        what = f"runs a script that is not the shell's ({first[:60]})"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True))
        return Result(None)
    if "\0" in text or text.startswith("\x7fELF"):
        what = f"runs a program{f' from {address}' if address else ''}"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True))
        return Result(None)
    return machine.script(text, call.spot, address=address, arguments=arguments, stdin=NOTHING)


def _source(machine: Machine, call: Call) -> Result:
    if not call.args:
        return Result(1)
    data = machine.file(call.args[0])
    if data is None:
        return Result(1)
    text = machine.text(data, call.spot)
    if len(call.args) == 1:
        return machine.inner(text, call.spot)
    before, machine.arguments = machine.arguments, list(call.args[1:])
    try:
        return machine.inner(text, call.spot)
    finally:
        machine.arguments = before


# -- commands that run others ----------------------------------------------------------------

_SUDO = ("u", "g", "C", "p", "r", "t", "T", "U", "h", "R", "D", "user", "group", "prompt")


def _as_root(machine: Machine, call: Call) -> Result:
    args = list(call.args)
    while args and args[0].startswith("-"):
        flag = args.pop(0)
        if flag == "--":
            break
        if (flag.lstrip("-") in _SUDO or flag[-1:] in _SUDO) and not flag.startswith("--") and args:
            args.pop(0)
        if flag in ("-i", "-s") and not args:
            return Result()
    return _with_environment(machine, call, args)


def _with_environment(machine: Machine, call: Call, args: list[str]) -> Result:
    given: dict[str, str] = {}
    while args and "=" in args[0] and args[0].partition("=")[0].isidentifier():
        name, _, value = args.pop(0).partition("=")
        given[name] = value
    with machine.given(given):
        return machine.call(args, call.stdin, call.spot) if args else Result()


def _env(machine: Machine, call: Call) -> Result:
    args = list(call.args)
    while args and args[0].startswith("-"):
        flag = args.pop(0)
        if flag in ("-u", "-C", "-S") and args:
            args.pop(0)
    return _with_environment(machine, call, args)


def _su(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("c", "command", "s"))
    text = found.value("c", "command")
    if not text:
        return Result()
    return machine.script(text, call.spot, address="", arguments=(), stdin=call.stdin)


def _runs_rest(machine: Machine, call: Call) -> Result:
    args = list(call.args)
    while args and args[0].startswith("-"):
        flag = args.pop(0)
        if flag in ("-n", "-k", "-s", "-c") and args and call.name in ("nice", "timeout", "ionice"):
            args.pop(0)
    if call.name == "timeout" and args:
        args.pop(0)
    return machine.call(args, call.stdin, call.spot) if args else Result()


def _command(machine: Machine, call: Call) -> Result:
    args = list(call.args)
    asks = call.name in ("which", "type")
    while args and args[0].startswith("-"):
        asks |= any(letter in args.pop(0) for letter in "vV")
    if not asks:
        return machine.call(args, call.stdin, call.spot) if args else Result()
    there = [name for name in args if machine.has_command(posixpath.basename(name))]
    out = Data("".join(f"/usr/bin/{name}\n" for name in there), spots=(call.spot,))
    return Result(int(len(there) < len(args) or not args), out)


COMMANDS: dict[str, Command] = {
    "curl": _curl, "wget": _wget, "bash": _shell, "sh": _shell, "dash": _shell, "zsh": _shell,
    "ksh": _shell, ".": _source, "source": _source, "sudo": _as_root, "doas": _as_root,
    "pkexec": _as_root, "env": _env, "su": _su, "nice": _runs_rest, "nohup": _runs_rest,
    "time": _runs_rest, "timeout": _runs_rest, "exec": _runs_rest, "ionice": _runs_rest,
    "builtin": _runs_rest, "command": _command, "which": _command, "type": _command,
}  # fmt: skip
