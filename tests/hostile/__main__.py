"""Damage every input of every kind of host, and run the commands that read it.

    python -m tests.hostile --count 1000 --seed 1

Prints figures, and ends with 1 where a command ended in a traceback, ran for over 10 seconds or
took more than 500 MB. What failed is told with its seed, so that it can be run again alone.
"""

from __future__ import annotations

import argparse
import contextlib
import io
import json
import os
import random
import resource
import shutil
import signal
import socket
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Iterator
from pathlib import Path

from tests.hostile.hosts import Host, Target, make_hosts
from tests.hostile.mutations import damaged, inside
from velpin.demo.signer import new_signer
from velpin.front.commands import read_commands
from velpin.front.completion import answer
from velpin.front.running import run

LONGEST = 10
LARGEST = 500 << 20
KNOWN = {0, 1, 2, 3, 4, 5}


class Hang(BaseException):
    """A command ran for too long."""


def main() -> int:
    """Run a campaign; the exit code."""
    told = argparse.ArgumentParser(prog="python -m tests.hostile", description=__doc__)
    told.add_argument("--count", type=int, default=400, help="how many damaged files")
    told.add_argument("--seed", type=int, default=1, help="where to begin")
    told.add_argument("--minutes", type=float, default=600.0, help="end after so many")
    told.add_argument("--only", default="", help="files whose path holds this")
    options = told.parse_args()
    signal.signal(signal.SIGALRM, _ring)
    os.environ["TERM"] = "dumb"
    socket.getaddrinfo = _no_network  # type: ignore[assignment]
    os.fsync = lambda _handle: None  # a campaign is no place to wait for the disk
    counts: Counter[str] = Counter()
    codes: Counter[int] = Counter()
    started = time.monotonic()
    with tempfile.TemporaryDirectory(prefix="hostile-") as folder, _quiet():
        hosts = make_hosts(Path(folder), new_signer("Vendor <packages@vendor.example>"))
        for seed in range(options.seed, options.seed + options.count):
            if time.monotonic() - started > options.minutes * 60:
                break
            problem, code, kind = _one(hosts, random.Random(seed), options.only)
            counts[f"inputs of {kind}"] += 1
            codes[code] += 1
            if problem:
                counts[problem.partition("\n")[0].partition(":")[0]] += 1
                print(f"seed {seed}: {problem}", file=sys.__stdout__, flush=True)
    peak = 1024 * max(
        resource.getrusage(who).ru_maxrss
        for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)
    )
    for name, count in sorted(counts.items()):
        print(f"{count:8} {name}")
    print(f"{codes.total():8} damaged files, {time.monotonic() - started:.0f} s, {peak >> 20} MB")
    print("         exit codes: " + ", ".join(f"{k}: {n}" for k, n in sorted(codes.items())))
    bad = counts["traceback"] + counts["hang"] + counts["json"] + (peak > LARGEST)
    print(f"{counts['traceback']} tracebacks, {counts['hang']} hangs, {counts['json']} answers that"
          " are not one JSON value")  # fmt: skip
    return 1 if bad else 0


@contextlib.contextmanager
def _quiet() -> Iterator[None]:
    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        yield


def _no_network(*_: object, **__: object) -> list[object]:
    raise socket.gaierror(socket.EAI_NONAME, "no network in a campaign")


def _ring(_signal: int, _frame: object) -> None:
    raise Hang


def _one(hosts: list[Host], draw: random.Random, only: str) -> tuple[str, int, str]:
    """Damage one file and run one command: what went wrong (empty for nothing), the exit code."""
    host = draw.choice(hosts)
    target = draw.choice([one for one in host.targets if only in str(one.file)] or host.targets)
    command = draw.choice(target.commands)
    saved = _Saved(host, target, "--yes" in command)
    data = target.file.read_bytes() if target.file.exists() else b""
    target.file.write_bytes((inside if target.packed else damaged)(data, draw))
    name = f"{target.file.relative_to(host.folder)}, velpin {command}"
    out = io.StringIO()
    try:
        signal.alarm(LONGEST)
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(io.StringIO()):
            if command.startswith("COMPLETE"):
                code = _completed(host, command)
            else:
                code = run(host.words(command))
    except Hang:
        return f"hang: {name}\n{_trace(8)}", -1, host.name
    except BaseException:
        return f"traceback: {name}\n{_trace(12)}", -1, host.name
    finally:
        signal.alarm(0)
        saved.put_back()
    if code not in KNOWN:
        return f"traceback: {name}: exit code {code}", code, host.name
    if "--json" in command:
        try:
            json.loads(out.getvalue())
        except ValueError:
            return f"json: {name}: {out.getvalue()[:200]!r}", code, host.name
    return "", code, host.name


def _completed(host: Host, command: str) -> int:
    """What a shell would be answered; 1 for an answer that is more than a plain word."""
    words = ["--root", str(host.root), *command.split(" ")[1:]]
    for line in answer(words, read_commands()):
        word = line.partition("\t")[0]
        assert not set(word) & set("$`;|&<>(){}!'\"\\ \n"), word
    return 0


def _trace(frames: int) -> str:
    """The last frames of what went wrong, as short as they are of use."""
    lines = traceback.format_exc(limit=-frames, chain=False).split("\n")
    return "\n".join(line[:160] for line in lines)


class _Saved:
    """What a damaged file and its commands may change, to be put back."""

    def __init__(self, host: Host, target: Target, is_changing: bool) -> None:
        self._file = target.file
        self._data = target.file.read_bytes()
        self._time = target.file.stat().st_mtime_ns
        self._store = host.root / "var/cache/velpin"
        self._copy = host.folder / "store-as-it-was"
        if not self._copy.exists():
            shutil.copytree(self._store, self._copy)
        self._changed = {
            place: (host.root / place, host.folder / f"was-{place.replace('/', '-')}")
            for place in ("etc", "var/lib/velpin")
        }
        for place, copy in self._changed.values():
            if not copy.exists():
                shutil.copytree(place, copy, symlinks=True)
        self._is_changing = is_changing
        self._fresh = self._seen()

    def _seen(self) -> dict[str, tuple[int, int]]:
        return {
            str(path): (path.stat().st_mtime_ns, path.stat().st_size)
            for path in self._store.rglob("*")
            if path.is_file() and path.name != "lock"
        }

    def put_back(self) -> None:
        if self._is_changing:
            for place, copy in self._changed.values():
                shutil.rmtree(place)
                shutil.copytree(copy, place, symlinks=True)
        if self._file.parent.is_dir():
            self._file.write_bytes(self._data)
            os.utime(self._file, ns=(self._time, self._time))
        if self._seen() != self._fresh:
            shutil.rmtree(self._store)
            shutil.copytree(self._copy, self._store)


if __name__ == "__main__":
    sys.exit(main())
