"""What came from outside is read by a process that has given up all rights, and that is believed no
more than what it read. Each case runs in an interpreter of its own, which has one thread."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

HEAD = """
import json, os, sys, time
from functools import partial
from pathlib import Path
from velpin import apart, errors
out = {}
"""
as_root = pytest.mark.skipif(os.geteuid() != 0, reason="only root has rights to give up")


def told(tmp_path: Path, module: str, script: str) -> Any:
    """What a script prints as JSON; `module` is a module of its own, which workers load."""
    (tmp_path / "works.py").write_text(module)
    done = subprocess.run(
        [sys.executable, "-c", f"{HEAD}sys.path.insert(0, {str(tmp_path)!r})\nimport works\n{script}\n"
         "print(json.dumps(out))"], capture_output=True, text=True, check=False, timeout=120,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    return json.loads(done.stdout)


@as_root
def test_a_worker_owns_nothing(tmp_path: Path) -> None:
    (tmp_path / "secret").write_text("s")
    (tmp_path / "secret").chmod(0o600)
    (tmp_path / "given").write_text("g")
    (tmp_path / "given").chmod(0o600)
    tmp_path.chmod(0o700)
    found = told(tmp_path, """
import os
def look(path, handles):
    try:
        open(path).read()
        opened = True
    except OSError:
        opened = False
    try:
        os.setuid(0)
        back = True
    except OSError:
        back = False
    return [os.getuid(), os.getgroups(), opened, back, os.pread(handles.files["x"], 9, 0).decode()]
""", f"""
with open({str(tmp_path / "given")!r}) as file:
    out = apart.run(partial(works.look, {str(tmp_path / "secret")!r}), {{"x": file.fileno()}})
""")  # fmt: skip
    uid, groups, opened, back, given = found
    assert uid != 0
    assert (groups, opened, back, given) == ([], False, False, "g")


def test_errors_come_back_as_they_were_raised_and_as_nothing_else(tmp_path: Path) -> None:
    found = told(tmp_path, """
from velpin import errors
def fail(what, handles):
    if what == "file":
        raise errors.HostFileError("f", 7, "odd", "hint")
    if what == "there":
        raise errors.NotThere("gone", "look")
    if what == "usage":
        raise errors.UsageError("words")
    raise ValueError("odd")
""", """
for what in ("file", "there", "usage", "other"):
    try:
        apart.run(partial(works.fail, what), {})
    except Exception as problem:
        out[what] = [type(problem).__name__, str(problem), getattr(problem, "hint", ""),
                     getattr(problem, "line", 0)]
""")  # fmt: skip
    assert found["file"] == ["HostFileError", "f:7: odd", "hint", 7]
    assert found["there"] == ["NotThere", "gone", "look", 0]
    assert found["usage"][0] == found["other"][0] == "RuntimeError", "nothing that decides more"


@pytest.mark.parametrize("what", ["memory", "killed", "answer"])
def test_a_worker_that_takes_too_much_is_ended_and_the_next_one_works(
    tmp_path: Path, what: str
) -> None:
    found = told(tmp_path, """
import os, signal
def take(what, handles):
    if what == "memory":
        return len(bytearray(3 << 30))
    if what == "killed":
        os.kill(os.getpid(), signal.SIGKILL)
    return "fine"
""", f"""
try:
    out["first"] = apart.run(partial(works.take, {what!r}), {{}})
except (apart.Stopped, errors.HostFileError) as problem:
    out["first"] = type(problem).__name__
out["second"] = apart.run(partial(works.take, ""), {{}})
""")  # fmt: skip
    expected = {"memory": "HostFileError", "killed": "Stopped", "answer": "fine"}
    assert found == {"first": expected[what], "second": "fine"}


@as_root
def test_a_worker_has_nothing_open_but_what_it_was_given(tmp_path: Path) -> None:
    found = told(tmp_path, """
import ctypes, os, stat
def look(handles):
    def kind(number):
        try:
            mode = os.fstat(number).st_mode
        except OSError:
            return ""
        return "socket" if stat.S_ISSOCK(mode) else "device" if stat.S_ISCHR(mode) else "file"
    return [[kind(number) for number in range(250)], ctypes.CDLL(None).prctl(3, 0, 0, 0, 0)]
""", f"""
lock = open({str(tmp_path / "lock")!r}, "w")
apart.keep()
with open({str(tmp_path / "works.py")!r}) as given:
    out["kinds"], out["dumpable"] = apart.run(works.look, {{"x": given.fileno()}})
""")  # fmt: skip
    kinds = [each for each in found["kinds"] if each]
    assert kinds[:3] == ["device"] * 3, "not the terminal"
    assert sorted(kinds[3:]) == ["file", "socket"]
    assert found["dumpable"] == 0, "another process of that user could look into it"


LIES = (
    b"nonsense", b"[1]", b"3", b"{}", b'{"done": "x", "total": 1}', b'{"done": 1e999, "total": 1}',
    b"[" * 5000, b'{"error": "SystemExit", "texts": 3}', b'{"error": "CannotWrite", "texts": ["a"]}',
    b'{"error": "HostFileError", "line": "7", "texts": ["a", "b", "c"]}', b'{"error": ["x"]}', b"\xff",
)  # fmt: skip


def test_a_worker_that_lies_is_not_believed(tmp_path: Path) -> None:
    found = told(tmp_path, """
import os, stat
def lie(line, handles):
    for number in range(3, 250):
        try:
            if stat.S_ISSOCK(os.fstat(number).st_mode):
                os.write(number, line + b"\\n")
        except OSError:
            pass
    os._exit(0)
def die(handles):
    import signal
    os.kill(os.getppid(), signal.SIGKILL)
    return 0
def fine(handles):
    return "fine"
""", f"""
def tried(work):
    try:
        return apart.run(work, {{}})
    except Exception as problem:
        return type(problem).__name__
out["lies"] = [tried(partial(works.lie, line)) for line in {LIES!r}]
out["still"] = tried(works.fine)
tried(works.die)
out["gone"] = tried(works.fine)
""")  # fmt: skip
    assert set(found["lies"]) == {"Stopped", "RuntimeError"}
    assert (found["still"], found["gone"]) == ("fine", "Stopped")


def test_progress_and_many_at_once(tmp_path: Path) -> None:
    found = told(tmp_path, """
def count(number, handles):
    for done in range(3):
        handles.progress(done, 3)
    return number * 2
""", """
from concurrent.futures import ThreadPoolExecutor
apart.keep()
steps = []
with ThreadPoolExecutor(6) as pool:
    works_ = [pool.submit(apart.run, partial(works.count, n), {}, lambda a, b: steps.append(a))
              for n in range(24)]
    out["values"] = [each.result() for each in works_]
out["steps"] = sorted(set(steps))
""")  # fmt: skip
    assert found == {"values": [2 * n for n in range(24)], "steps": [0, 1, 2]}


def test_where_it_cannot_be_the_work_is_done_here_and_that_is_told(tmp_path: Path) -> None:
    found = told(tmp_path, "import os\ndef who(handles):\n    return os.getpid()\n", """
import threading
apart.is_allowed = False
out["off"] = [apart.how(), apart.run(works.who, {}) == os.getpid()]
apart.is_allowed = True
waiting = threading.Event()
other = threading.Thread(target=waiting.wait)
other.start()
out["threads"] = [apart.how(), apart.run(works.who, {}) == os.getpid()]
waiting.set(); other.join()
out["apart"] = [apart.how(), apart.run(works.who, {}) == os.getpid()]
out["unsendable"] = apart.run(lambda handles: os.getpid(), {}) == os.getpid()
""")  # fmt: skip
    assert found["off"] == ["in this process (doing it apart is switched off)", True]
    assert found["threads"] == ["in this process (other threads run)", True]
    assert found["apart"][0].startswith("apart, as ")
    assert found["apart"][1] is False
    assert found["unsendable"] is True


def test_an_index_is_read_apart_as_it_is_here(tmp_path: Path) -> None:
    text = "\n\n".join(f"Package: p{n}\nVersion: {n}\nArchitecture: all" for n in range(3000))
    (tmp_path / "Packages").write_text(text)
    found = told(tmp_path, """
import os
from functools import partial
from velpin.fetch.unpack import unpacked
from velpin.kinds.deb.stanzas import parts_of
def made(path):
    return partial(readers, path)
def readers(path):
    assert os.getuid() or os.environ.get("HERE")
    return parts_of(unpacked(path))
""", f"""
from velpin.store.index import Index, Stamp, write_index
source = Path({str(tmp_path / "Packages")!r})
source.chmod(0o600)
for is_apart in (True, False):
    if not is_apart:
        os.environ["HERE"] = "1"
    target = source.with_name(f"{{is_apart}}.index")
    write_index(target, Stamp.of(source), works.made(source), source, is_apart=is_apart)
    out[str(is_apart)] = sorted((row.name, row.version) for row in Index(target).all_rows())
out["same"] = source.with_name("True.index").read_bytes() == source.with_name("False.index").read_bytes()
""")  # fmt: skip
    assert found["True"] == found["False"]
    assert len(found["True"]) == 3000
    assert found["same"]


def test_what_is_said_of_it_on_a_host(tmp_path: Path) -> None:
    for name in ("etc/apt", "var/lib/dpkg"):
        (tmp_path / name).mkdir(parents=True)
    (tmp_path / "var/lib/dpkg/status").write_text("")
    command = [sys.executable, "-m", "velpin", "--root", str(tmp_path), "host"]
    plain = subprocess.run(command, capture_output=True, text=True, check=False)
    debug = subprocess.run([*command, "--debug"], capture_output=True, text=True, check=False)
    assert "read outside" not in plain.stdout
    assert "read outside  apart, as " in debug.stdout


@as_root
@pytest.mark.parametrize(("mode", "is_apart"), [(0o700, False), (0o750, False), (0o711, True)])
def test_installed_where_others_may_not_look_the_work_is_done_here(
    tmp_path: Path, mode: int, is_apart: bool
) -> None:
    found = told(tmp_path, "import os\ndef who(handles):\n    return os.getuid()\n", f"""
import shutil
place = Path({str(tmp_path)!r})
place.chmod(0o711)
home = place / "home"
home.mkdir()
(home / "apart.py").write_text("")
apart.__file__ = str(home / "apart.py")
home.chmod({mode})
out["uid"] = apart.run(works.who, {{}})
out["how"] = apart.how()
""")  # fmt: skip
    assert (found["uid"] != 0) == is_apart, found
    assert ("may not read" in found["how"]) != is_apart
