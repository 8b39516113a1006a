"""Whole answers: what every command printed in every test, held against what is on record.

A test asserts what it is about. What else is said in it, and which files it leaves behind, is
compared with the record (`data/answers.json.xz`), so that a change which nobody meant is seen
wherever it shows. One that is meant is taken on by

    python -m tests.answers            run the daily tests, print what differs, write it down

after which the differences are read like any other change. Times, keys made for the occasion and
folders are left out; tests whose answers still differ from run to run are not compared.
"""

from __future__ import annotations

import difflib
import hashlib
import json
import lzma
import os
import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Mapping, Sequence
from datetime import UTC, datetime
from functools import cache
from pathlib import Path

from tests.host_files import host_files

RECORD = Path(__file__).parent / "data" / "answers.json.xz"
_RECORDING = "VELPIN_ANSWERS"

_LONG_AGO = 40
"""Days; what is longer ago is a fixed date of a test, and further away every day."""

_said: list[str] = []
_roots: list[Path] = []

_TIME = re.compile(r"\d{4}-\d\d-\d\d[T ]\d\d:\d\d(:\d\d(\.\d+)?)?(Z|\+00:00)?")
_PATTERNS = (
    (re.compile(r"-----BEGIN PGP.*?-----END PGP[A-Z ]+-----", re.DOTALL), "<armour>"),
    (re.compile(r"^127.0.0.1 - - .*$", re.MULTILINE), ""),
    (re.compile(r"\d{4}-\d\d-\d\d"), "<date>"),
    (re.compile(r"127\.0\.0\.1:\d+|localhost:\d+"), "<port>"),
    (re.compile(r"\b[0-9a-f]{64}\b|\b[0-9a-f]{128}\b|\b[0-9a-f]{32}\b"), "<hash>"),
    (re.compile(r"([/_]tmp|[/_]dev[/_]shm)[/_](mooring-|moo-|velpin-|tmp)[_a-z0-9]{8}"), "<folder>"),
    (re.compile(r"\b(0x)?[0-9A-F]{8}\b"), "<end of a key>"),
    (re.compile(r"just now|\d+(\.\d+)? (seconds?|minutes?|hours?|s|ms)\b( ago)?"), "<time>"),
    (re.compile(r"<time> ago"), "<time>"),
    (re.compile(r"(recursion depth exceeded) [ a-z]*"), r"\1"),
    (re.compile(r"\b\d{9,10}(\.\d+)?\b"), "<moment>"),
    (re.compile(r"\b\d{3,5} days\b"), "<many> days"),
    (re.compile(r"\b\d{1,3}\s\d{3} more days\b"), "<many> more days"),
    (re.compile(r"\d+(\.\d+)? k?B fetched"), "<size> fetched"),
    (re.compile(r"(Usage: |Try ')(python -m \S+|\S+) "), r"\1velpin "),
    (re.compile(r"(page.html) \(\d+ kB\)"), r"\1"),
    (re.compile(r"\b(test_\w+\.py):\d+"), r"\1:<line>"),
)  # fmt: skip
_FINGERPRINT = re.compile(r"\b(?:[0-9A-F]{4} ?){4,10}\b|\b[0-9A-F]{16,40}\b|\b[0-9a-f]{40}\b")


def note(root: Path, words: Sequence[str], code: int, out: str, err: str) -> None:
    """Keep what a run of the program said."""
    _roots.append(root)
    _said.append(f"$ velpin {' '.join(words)}\n[{code}]\n{out}\n{err}")


def say(text: str) -> None:
    """Keep an answer that no command printed."""
    _said.append(text)


def begin() -> None:
    """Forget what was kept."""
    _said.clear()
    _roots.clear()


def kept() -> str:
    """What was said since, and the files of the hosts as they are now; "" where nothing ran."""
    parts = list(_said)
    for root in dict.fromkeys(_roots):
        for name, path in host_files(root):
            if path.is_file() and not path.is_symlink():
                mode = path.stat().st_mode & 0o7777
                parts.append(f"{_normal(name)} {mode:o} {_digest(path)}")
    return _normal("\n".join(parts))


def _digest(path: Path) -> str:
    data = path.read_bytes()
    if len(data) > 20_000 or b"\0" in data or b"-----BEGIN PGP" in data:
        return "binary"
    return hashlib.sha256(_normal(data.decode(errors="replace")).encode()).hexdigest()[:12]


def _normal(text: str) -> str:
    now = time.time()
    text = _TIME.sub(lambda found: _how_long_ago(found.group(), now), text)
    for pattern, word in _PATTERNS:
        text = pattern.sub(word, text)
    keys: dict[str, str] = {}

    def named(found: re.Match[str]) -> str:
        bare = found.group().replace(" ", "").upper()
        return keys.setdefault(bare[-16:], f"<key {len(keys) + 1}>") if len(bare) > 15 else bare

    text = _FINGERPRINT.sub(named, text)
    return re.sub(r"[ \t]+", " ", text)


def _how_long_ago(text: str, now: float) -> str:
    written = text.replace(" ", "T").removesuffix("Z").removesuffix("+00:00")
    try:
        then = datetime.fromisoformat(written).replace(tzinfo=UTC).timestamp()
    except ValueError:
        return text
    days = round((now - then) / 86400)
    return f"<{days} days ago>" if abs(days) < _LONG_AGO else "<date>"


def _squeezed(text: str) -> str:
    """A text in which it does not matter where lines are broken."""
    return "".join(text.split())


@cache
def on_record() -> Mapping[str, str | None]:
    """What each test said; None where that differs from run to run."""
    if not RECORD.exists():
        return {}
    found: dict[str, str | None] = json.loads(lzma.decompress(RECORD.read_bytes()))
    return found


def compare(test: str) -> list[str]:
    """Hold what was said in a test against the record: lines that say what differs."""
    text = kept()
    if folder := os.environ.get(_RECORDING):
        place = Path(folder) / hashlib.sha256(test.encode()).hexdigest()[:20]
        if text:
            place.write_text(json.dumps([test, text]))
        return []
    before = on_record().get(test, "")
    if before is None or _squeezed(before) == _squeezed(text):
        return []
    return _differences(before, text)


def _differences(before: str, now: str) -> list[str]:
    if not before:
        return ["nothing is on record for this test: python -m tests.answers"]
    lines = difflib.unified_diff(
        before.splitlines(), now.splitlines(), "on record", "now", lineterm="", n=1
    )
    return [line[:300] for line in lines][:60]


# -- taking on what is meant -----------------------------------------------------------------


def main(files: Sequence[str]) -> None:
    """Run the daily tests, or those of some files, print what differs and write it down."""
    with tempfile.TemporaryDirectory() as folder:
        once = _recorded(Path(folder) / "1", files, {})
        # Once more elsewhere and later: what differs then is no matter of the program.
        again = _recorded(Path(folder) / "2", files, {"PYTEST_DEBUG_TEMPROOT": "/tmp"})
    now = {
        test: text if _squeezed(again.get(test, "")) == _squeezed(text) else None
        for test, text in once.items()
    }
    before = on_record()
    for test in sorted({*now, *before} if not files else now):
        old, new = before.get(test, ""), now.get(test, "")
        if old is None or new is None or _squeezed(old) == _squeezed(new):
            continue
        print(test, *(_differences(old, new) if old else ["new"]), sep="\n  ")
    kept_on = {} if not files else dict(before)
    found = dict(sorted((kept_on | now).items()))
    data = json.dumps(found, indent=0).encode()
    RECORD.write_bytes(lzma.compress(data, preset=9 | lzma.PRESET_EXTREME))
    unsteady = sum(text is None for text in found.values())
    print(f"{len(found)} tests on record, {unsteady} of them differ from run to run")


def _recorded(folder: Path, files: Sequence[str], environment: Mapping[str, str]) -> dict[str, str]:
    """What the tests say now."""
    folder.mkdir()
    command = [sys.executable, "-m", "pytest", "-q", "-m", "not slow or full", *files]
    done = subprocess.run(
        command, env={**os.environ, _RECORDING: str(folder), **environment}, check=False,
        stdout=subprocess.PIPE, text=True,
    )  # fmt: skip
    if done.returncode:
        sys.exit(done.stdout[-5000:])
    return dict(json.loads(path.read_text()) for path in folder.iterdir())


if __name__ == "__main__":
    main(sys.argv[1:])
