"""Commands that fetch keys, convert them and put them in place."""

from __future__ import annotations

import re

from velpin.instructions.commands.options import Said, said
from velpin.instructions.commands.texts import input_of
from velpin.instructions.data import NOT_KNOWN, NOTHING, Data, Effect, joined
from velpin.instructions.machine import Call, Command, Machine, Result
from velpin.instructions.words import is_known

_GPG = (
    "o", "output", "keyring", "primary-keyring", "secret-keyring", "homedir", "keyserver",
    "keyserver-options", "options", "import-options", "export-options", "trust-model", "u", "r",
    "status-fd", "with-key-data", "trustdb-name", "recipient",
)  # fmt: skip
_FINGERPRINT = re.compile(r"(?:0x)?[0-9A-Fa-f]{8,64}\Z")


def _asked(machine: Machine, call: Call, ids: list[str], server: str) -> Data:
    """Keys that are to be had from a key server, by their fingerprints."""
    whole = "".join(ids) if all(re.fullmatch(r"[0-9A-Fa-f]{4}", each) for each in ids) else ""
    found = [whole] if whole else [each for each in ids if _FINGERPRINT.match(each)]
    plain = tuple(each.removeprefix("0x").upper() for each in found)
    short = [each for each in plain if len(each) < 32]
    if short or not plain:
        what = f"asks a key server for {' '.join(short or ids)}, which is not a whole fingerprint"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True))
        return NOTHING
    return Data(None, server, plain, (call.spot,))


def _gpg(machine: Machine, call: Call) -> Result:
    args = [f"--{arg.lstrip('-')}" if arg in ("--recv", "-recv-keys") else arg for arg in call.args]
    found = said(args, _GPG)
    output = found.value("o", "output")
    ring = found.value("keyring", "primary-keyring")
    ring = machine.path(ring.removeprefix("gnupg-ring:")) if ring else ""
    if found.has("dearmor", "dearmour", "enarmor", "dearmo"):
        return _out(machine, call, output, input_of(machine, call, found.operands))
    if found.has("recv-keys", "receive-keys", "recv-key", "recv"):
        ids = [*found.operands]
        ids += [value for name in ("recv-keys", "receive-keys", "recv-key", "recv")
                for value in found.options.get(name, ()) if value]  # fmt: skip
        data = _asked(machine, call, ids, found.value("keyserver"))
        machine.overlay.into_ring(ring, data)
        return Result(0 if not data.is_empty else None)
    if found.has("import", "fetch-keys", "fetch-key"):
        data = _imported(machine, call, found)
        if output:
            return _out(machine, call, output, data)
        machine.overlay.into_ring(ring, data)
        return Result()
    if found.has("export", "a", "armor") and (found.has("export") or output):
        return _out(machine, call, output, machine.overlay.rings.get(ring, NOTHING))
    if found.has("show-keys", "fingerprint", "with-fingerprint", "list-keys", "k", "list-packets"):
        return Result(0, NOT_KNOWN.by(call.spot))
    return Result(None, NOT_KNOWN.by(call.spot))


def _imported(machine: Machine, call: Call, found: Said) -> Data:
    addresses = [word for word in found.operands if "://" in word]
    if addresses:
        return joined(Data(None, address, spots=(call.spot,)) for address in addresses)
    return input_of(machine, call, found.operands)


def _out(machine: Machine, call: Call, output: str, data: Data) -> Result:
    if output and output != "-":
        machine.write(output, data, call.spot)
        return Result()
    return Result(0, data.by(call.spot) if not data.is_empty else data)


def everywhere(machine: Machine, call: Call, data: Data, kind: str) -> None:
    """Take keys for all sources of a host."""
    if not data.is_empty:
        machine.tell(Effect("key", call.spot, data=data.by(call.spot), on=kind))


def _apt_key(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("keyring", "keyserver", "keyserver-options"))
    ring = found.value("keyring")
    word, rest = (found.operands or [""])[0], found.operands[1:]
    data = NOTHING
    if word == "add":
        data = input_of(machine, call, rest or ["-"])
    elif word == "adv" or found.has("recv-keys", "recv", "fetch-keys", "recv-key"):
        if found.has("fetch-keys"):
            data = joined(Data(None, a, spots=(call.spot,)) for a in rest if "://" in a)
        else:
            data = _asked(machine, call, rest, found.value("keyserver"))
    elif word in ("list", "finger", "fingerprint", "update"):
        return Result(0, NOT_KNOWN)
    if ring:
        machine.write(ring, data, call.spot)
    else:
        everywhere(machine, call, data, "deb")
    return Result()


def _pacman_key(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("keyserver", "gpgdir", "config"))
    asked = ("r", "recv-keys", "recv-key", "recv")
    if found.has("a", "add"):
        data = input_of(machine, call, found.operands)
        everywhere(machine, call, data, "alpm")
    elif found.has(*asked):
        ids = [*(each for name in asked for each in found.options.get(name, ()) if each)]
        data = _asked(machine, call, [*ids, *found.operands], found.value("keyserver"))
        everywhere(machine, call, data, "alpm")
    elif found.has("lsign-key", "lsign"):
        what = "the key is trusted for this source only; none is signed in the ring"
        machine.tell(Effect("unneeded", call.spot, what, on="alpm"))
    else:
        machine.tell(Effect("unneeded", call.spot, "the host's keyring is there", on="alpm"))
    return Result()


def rpm_import(machine: Machine, call: Call, operands: list[str]) -> Result:
    """Take keys from addresses or files into the record of packages."""
    for word in operands:
        if not is_known(word):
            continue
        data = Data(None, word, spots=(call.spot,)) if "://" in word else machine.file(word)
        if data is None:
            what = f"takes a key from {word}, which is not there"
            machine.tell(Effect("not-followed", call.spot, what, may_change=True))
            continue
        everywhere(machine, call, data, "rpm")
    return Result()


def _rpmkeys(machine: Machine, call: Call) -> Result:
    found = said(call.args)
    return (
        rpm_import(machine, call, found.operands) if found.has("import") else Result(0, NOT_KNOWN)
    )


COMMANDS: dict[str, Command] = {
    "gpg": _gpg, "gpg2": _gpg, "apt-key": _apt_key, "pacman-key": _pacman_key, "rpmkeys": _rpmkeys,
}  # fmt: skip
