"""Kill commands at every call that touches the disk, on a host of every kind.

    python -m tests.hostile.kills

After each kill the host must be as before or as after the command, never in between, and the next
commands must work. Ends with 1 where that is not so.
"""

from __future__ import annotations

import contextlib
import io
import os
import shutil
import socket
import sys
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

from tests.hostile.hosts import Host, make_hosts
from tests.killing import killed_at
from velpin.demo.signer import new_signer
from velpin.front.running import run

COMMANDS = (
    "add SNIPPET --anyway --yes", "off base --yes", "drop base --yes", "undo --yes",
    "pin gull --from base --anyway --yes", "keep gull --yes", "refresh",
    "checkup --mend file-writable --yes --offline", "conform HOSTFILE --yes",
)  # fmt: skip


def main() -> int:
    """Kill every command of every kind; the exit code."""
    os.fsync = lambda _handle: None
    started, kills, broken = time.monotonic(), 0, 0
    with tempfile.TemporaryDirectory(prefix="kills-") as folder, _quiet():
        signer = new_signer("Vendor <packages@vendor.example>")
        for host in make_hosts(Path(folder), signer):
            _open_to_others(host)
            _describe(host)
            saved = host.folder / "saved"
            shutil.copytree(host.root, saved, symlinks=True)
            for command in COMMANDS:
                count, wrong = _all_kills(host, saved, command)
                kills, broken = kills + count, broken + len(wrong)
                told = "; ".join(wrong[:3])
                print(f"{host.name:9} {command:40} {count:4} kills  {told}", file=sys.__stdout__)
    print(f"{kills} kills, {broken} left something broken, {time.monotonic() - started:.0f} s")
    return 1 if broken or kills < 300 else 0


def _all_kills(host: Host, saved: Path, command: str) -> tuple[int, list[str]]:
    """How many kills one command took, and what was broken after which."""
    _put_back(host, saved)
    old = _state(host)
    if run(host.words(command)) not in (0, 1):
        return 0, [f"{command} does not work"]
    new = _state(host)
    wrong: list[str] = []
    step = 0
    while True:
        step += 1
        _put_back(host, saved)
        if not killed_at(step, lambda: run(host.words(command))):
            return step - 1, wrong
        codes = [run(host.words(one)) for one in ("host", "sources", "forecast gull", "journal")]
        if _state(host) not in (old, new):
            wrong.append(f"step {step}: neither old nor new")
        elif any(code not in (0, 1) for code in codes) or run(host.words("refresh")) != 0:
            wrong.append(f"step {step}: commands end with {codes}")
        elif run(host.words("off vendor --yes")) not in (0, 1):
            wrong.append(f"step {step}: no further change can be made")
        elif left := [path for path in _own(host) if path.name.endswith(".velpin-part")]:
            wrong.append(f"step {step}: {left[0].name} is left")


def _put_back(host: Host, saved: Path) -> None:
    shutil.rmtree(host.root)
    shutil.copytree(saved, host.root, symlinks=True)


def _describe(host: Host) -> None:
    """The host in a file, with one source off and a rule more: a change of several files."""
    text = (host.folder / "host").read_text()
    text = text.replace('name = "vendor"', 'name = "vendor"\nstate = "off"')
    (host.folder / "host").write_text(f'{text}\n[[rule]]\nsays = "keep gull"\n')


def _open_to_others(host: Host) -> None:
    """Two files of the configuration that anybody may write: a change of permissions alone."""
    for pattern in ("etc/**/*.list", "etc/**/*.repo", "etc/*.conf"):
        for path in sorted(host.root.glob(pattern))[:2]:
            path.chmod(0o666)


def _state(host: Host) -> dict[str, tuple[bytes, int]]:
    """Every file of the host but Velpin's own and locks, with its permissions."""
    files = (path for path in sorted((host.root / "etc").rglob("*")) if path.is_file())
    return {str(path): (path.read_bytes(), path.stat().st_mode) for path in files}


def _own(host: Host) -> Iterator[Path]:
    yield from (host.root / "etc").rglob("*")
    yield from (host.root / "var/lib/velpin").rglob("*")


@contextlib.contextmanager
def _quiet() -> Iterator[None]:
    socket.getaddrinfo = lambda *_, **__: []  # type: ignore[assignment]
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        yield


if __name__ == "__main__":
    sys.exit(main())
