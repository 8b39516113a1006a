"""Every change Velpin makes to a host: carried out whole, recorded, and able to be undone.

One change is a list of files with their contents before and after. It goes like this:

1. the lock of the host is taken, and what an interrupted change left is repaired;
2. the files are compared with what the change was planned on;
3. the entry is written to the journal as *pending* (contents, modes, owners), and synced;
4. the files are written one after the other, each whole, in the order of the plan;
5. the entry is renamed from *pending* to *done*.

A kill before 4 leaves the old state, one after the last file of 4 the new one; in between,
the next command puts the old state back from the pending entry and says so.
"""

from __future__ import annotations

import base64
import contextlib
import json
import os
import time
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

from velpin.errors import Busy, CannotRead, CannotWrite, ChangedSince, Refusal, StoreError
from velpin.files import disk
from velpin.files.tree import Edits, Modes, Tree
from velpin.model.shapes import of_kind, time_of

FOLDER = "var/lib/velpin"
_PENDING, _DONE = ".pending.json", ".json"
_PRIVATE = 0o700
_LARGEST = 1 << 30
"""No entry may hold more bytes."""
_MOST_ENTRIES = 999_999
_MOST_ID = (1 << 32) - 2


class FileState(NamedTuple):
    """One file as it was or will be; `data` None where there is none, or a link."""

    data: bytes | None
    mode: int
    owner: tuple[int, int]
    attributes: disk.Attributes = MappingProxyType({})
    """Extended attributes, access lists among them."""
    link: str = ""
    """Of a symbolic link: its target, as it is written."""

    @property
    def is_missing(self) -> bool:
        """Whether nothing is there."""
        return self.data is None and not self.link


class Edit(NamedTuple):
    """One file of a change, by its name below the root."""

    file: str
    before: FileState
    after: FileState


class JournalEntry(NamedTuple):
    """One entry of the journal; time in seconds since 1970."""

    number: int
    time: float
    command: str
    summary: str
    edits: tuple[Edit, ...]
    folders: tuple[str, ...]
    """Folders that the change made, outermost first."""
    undoes: int = 0
    undone_by: int = 0


class Journal:
    """The journal of one host."""

    def __init__(self, tree: Tree, clock: Callable[[], float] = time.time) -> None:
        self._tree = Tree(tree.root)
        self._own = self._tree.path(FOLDER)
        self._folder = self._own / "journal"
        self._clock = clock

    # -- reading -------------------------------------------------------------------------

    def entries(self) -> list[JournalEntry]:
        """All entries that count, oldest first, each with the one that undid it; a damaged one is
        left out (`damaged`).

        Raises StoreError where the journal is not believed, CannotRead without the right to read
        it.
        """
        return self._read_all()[0]

    def damaged(self) -> list[StoreError]:
        """Why each entry that cannot be read cannot be; the others stay of use."""
        return list(self._read_all()[1].values())

    def _read_all(self) -> tuple[list[JournalEntry], dict[str, StoreError]]:
        """The entries, and by the names of their files why others cannot be read."""
        found: list[JournalEntry] = []
        damaged: dict[str, StoreError] = {}
        for path in self._files(_DONE):
            try:
                found.append(_read_entry(path))
            except StoreError as problem:
                damaged[path.name] = problem
        undone = {entry.undoes: entry.number for entry in found if entry.undoes}
        return [e._replace(undone_by=undone.get(e.number, 0)) for e in found], damaged

    def pending(self) -> bool:
        """Whether an interrupted change waits to be repaired."""
        return bool(self._files(_PENDING))

    def _files(self, ending: str) -> list[Path]:
        self._check()
        try:
            names = sorted(os.listdir(self._folder))
        except (FileNotFoundError, NotADirectoryError):
            return []
        except OSError as problem:
            raise _unreadable(self._folder, problem) from problem
        wanted = [name for name in names if name.endswith(ending)]
        if ending == _DONE:
            wanted = [name for name in wanted if not name.endswith(_PENDING)]
        return [self._folder / name for name in wanted if not name.startswith(".")]

    def why_doubted(self) -> str:
        """Why the journal is not believed, empty where it is: it says what is written where, so
        nobody else may have written it."""
        told = ((folder, disk.why_doubted(folder)) for folder in (self._own, self._folder))
        return next((f"{folder} {doubt}" for folder, doubt in told if doubt), "")

    def _check(self) -> None:
        doubt = self.why_doubted()
        if doubt:
            raise StoreError(
                f"{doubt}, so the journal in it is not believed",
                "look who wrote there; then move it away, or make it root's alone",
            )

    # -- changing ------------------------------------------------------------------------

    def make(
        self,
        edits: Edits,
        command: str,
        summary: str,
        *,
        planned_on: Edits | None = None,
        modes: Modes | None = None,
        moved: Mapping[str, str] | None = None,
        on_wait: Callable[[], None] | None = None,
    ) -> JournalEntry:
        """Carry out a change and record it. A link is removed itself; what is written by way of
        one is written where it leads.

        `modes` are permission bits of files that do not get the usual ones; `moved` gives for new
        names the old ones, whose files keep all but their name. `planned_on` are the contents the
        plan was made from; ChangedSince where they are no longer so. Refusal where nothing would
        be changed. CannotWrite leaves every file as it was. Busy where another Velpin holds the
        host for too long.
        """
        with self.lock(on_wait):
            self.recover()
            for file, data in (planned_on or {}).items():
                if file in edits and self._tree.read(file) != data:
                    raise ChangedSince(
                        f"{file} was changed by something else in the meantime",
                        "look and try again",
                    )
            made = []
            for file, data in edits.items():
                before = self._state(file, itself=data is None)
                old = (moved or {}).get(file)
                if old is not None and before.is_missing:
                    after = self._state(old, itself=True)
                else:
                    after = _after(before, data, (modes or {}).get(file))
                if after != before:
                    made.append(Edit(file, before, after))
            if not made:
                raise Refusal("nothing would be changed")
            return self._carry_out(made, command, summary)

    def undo(self, number: int = 0, on_wait: Callable[[], None] | None = None) -> JournalEntry:
        """Take back one entry, the last that can be where `number` is 0.

        Refusal where there is none, ChangedSince where a file is no longer as the entry
        left it.
        """
        with self.lock(on_wait):
            self.recover()
            entry = self.find(number)
            self._check_unchanged(entry)
            edits = [Edit(e.file, self._now(e), e.before) for e in reversed(entry.edits)]
            summary = f"undid {entry.number}: {entry.summary}"
            done = self._carry_out(edits, f"velpin undo {entry.number}", summary, entry.number)
            for folder in reversed(entry.folders):
                self._tree.remove_empty_folder(folder)
            return done

    def find(self, number: int = 0) -> JournalEntry:
        """The entry `undo` would take back; Refusal where there is none."""
        entries, damaged = self._read_all()
        if number:
            for entry in entries:
                if entry.number == number:
                    if entry.undone_by:
                        raise Refusal(f"change {number} was already undone by {entry.undone_by}")
                    return entry
            if f"{number:06d}{_DONE}" in damaged:
                raise damaged[f"{number:06d}{_DONE}"]
            raise Refusal(f"the journal has no change {number}", "velpin journal lists them")
        standing = (e for e in reversed(entries) if e.edits and not e.undone_by and not e.undoes)
        last = next(standing, None)
        for name, problem in damaged.items():
            if last is None or name > f"{last.number:06d}{_DONE}":
                raise problem  # what it changed came later, whatever it was
        if last is None:
            raise Refusal("there is nothing to undo", "velpin journal lists all changes")
        return last

    def _check_unchanged(self, entry: JournalEntry) -> None:
        """ChangedSince where a file of a change is not as the change left it, or where a later
        change of the same file stands: two later ones may have led back to the same contents, and
        neither could be undone any more."""
        mine = {edit.file for edit in entry.edits}
        changed = [e.file for e in entry.edits if not _is_as(self._now(e), e.after, e)]
        standing = [
            (other.number, files)
            for other in self.entries()
            if other.number > entry.number
            and not other.undone_by
            and not other.undoes
            and (files := mine.intersection(edit.file for edit in other.edits))
        ]
        if standing:
            number, files = standing[-1]
            hint = f"undo the later change first: velpin undo {number}"
            raise ChangedSince(f"changed since then: {', '.join(changed or sorted(files))}", hint)
        if changed:
            raise ChangedSince(
                f"changed since then: {', '.join(changed)}",
                f"the contents from before stand in /{FOLDER}/journal/{entry.number:06d}.json;"
                " put back what you need by hand",
            )

    def recover(self) -> list[str]:
        """Put right what an interrupted change left; what was done, in words.

        The lock must be held. StoreError where files are neither as before nor as after.
        """
        done = []
        disk.clear_parts(self._folder, "-")
        for path in self._files(_PENDING):
            entry = _read_entry(path)
            for edit in entry.edits:
                self._tree.clear_parts(edit.file)
            states = {edit.file: self._now(edit) for edit in entry.edits}
            if all(_is_as(states[edit.file], edit.after, edit) for edit in entry.edits):
                self._finish(path)
                done.append(f"finished the interrupted change {entry.number} ({entry.summary})")
                continue
            foreign = [
                e.file
                for e in entry.edits
                if not any(_is_as(states[e.file], state, e) for state in (e.before, e.after))
            ]  # fmt: skip
            if foreign:
                raise StoreError(
                    f"change {entry.number} was interrupted, and since then somebody changed"
                    f" {', '.join(foreign)}",
                    f"put the files right by hand, then remove {path}",
                )
            self._roll_back(entry)
            disk.remove_file(path.parent, path.name)
            done.append(f"took back the interrupted change {entry.number} ({entry.summary})")
        return done

    @contextlib.contextmanager
    def lock(
        self, on_wait: Callable[[], None] | None = None, limit: float = 60.0
    ) -> Iterator[None]:
        """Hold this host against other Velpins; waits up to `limit` seconds."""
        self._check()
        with hold(self._own / "lock", on_wait, limit, folder=_PRIVATE):
            yield

    # -- steps ---------------------------------------------------------------------------

    def _carry_out(
        self, edits: list[Edit], command: str, summary: str, undoes: int = 0
    ) -> JournalEntry:
        numbers = [entry.number for entry in self.entries()]
        names = (path.name.removesuffix(_DONE) for path in self._files(_DONE))
        numbers += [int(name) for name in names if name.isascii() and name.isdigit()]
        entry = JournalEntry(
            max(numbers, default=0) + 1, self._clock(), command, summary, tuple(edits),
            tuple(self._missing_folders(edits)), undoes,
        )  # fmt: skip
        path = self._folder / f"{entry.number:06d}{_PENDING}"
        disk.write_file(
            self._own, f"journal/{path.name}", _written(entry), mode=0o600, folders=_PRIVATE
        )
        try:
            for edit in edits:
                self._put(edit.file, edit.after)
        except CannotWrite:
            self._roll_back(entry)
            disk.remove_file(path.parent, path.name)
            raise
        self._finish(path)
        return entry

    def _missing_folders(self, edits: list[Edit]) -> list[str]:
        found: dict[str, None] = {}
        for edit in edits:
            parts = edit.file.split("/")[:-1]
            for length in range(1, len(parts) + 1):
                folder = "/".join(parts[:length])
                if not edit.after.is_missing and not self._tree.path(folder).exists():
                    found[folder] = None
        return list(found)

    def _finish(self, path: Path) -> None:
        disk.rename_file(path.parent, path.name, path.name.replace(_PENDING, _DONE))

    def _roll_back(self, entry: JournalEntry) -> None:
        for edit in reversed(entry.edits):
            if not _is_as(self._now(edit), edit.before, edit):
                self._put(edit.file, edit.before)
        for folder in reversed(entry.folders):
            self._tree.remove_empty_folder(folder)

    def _put(self, file: str, state: FileState) -> None:
        if state.link:
            self._tree.write_link(file, state.link)
        elif state.data is None:
            self._tree.remove(file)
            self._tree = Tree(self._tree.root)  # what led somewhere may no longer
        else:
            self._tree.write(
                file, state.data, mode=state.mode, owner=state.owner, attributes=state.attributes
            )

    def _now(self, edit: Edit) -> FileState:
        """The file of an edit as it is now: a link itself where the edit is about one."""
        is_about_link = edit.before.link or edit.after.link or edit.after.is_missing
        return self._state(edit.file, itself=bool(is_about_link))

    def _state(self, file: str, *, itself: bool = False) -> FileState:
        """A file as it is, where links lead; with `itself` a link that it is."""
        target = self._tree.link(file) if itself else None
        me = (os.geteuid(), os.getegid())
        if target:
            return FileState(None, 0o777, me, link=target)
        data = self._tree.read(file)
        found = self._tree.stat(file)
        if data is None or found is None:
            return FileState(None, 0o644, me)
        return FileState(
            data, found.st_mode & 0o7777, (found.st_uid, found.st_gid), self._tree.attributes(file)
        )


@contextlib.contextmanager
def hold(
    path: Path,
    on_wait: Callable[[], None] | None = None,
    limit: float = 60.0,
    *,
    folder: int = disk.FOLDERS,
) -> Iterator[None]:
    """Hold a lock file that nobody else may open, in a folder of a mode; Busy after `limit`
    seconds, CannotWrite without the right."""
    import filelock

    try:
        disk.make_own_folder(path.parent, folder)
        if path.is_symlink() or (path.exists() and path.stat().st_mode & 0o077):
            path.unlink()  # others could hold it, or it leads elsewhere
        lock = filelock.FileLock(path, timeout=0, mode=0o600)
        try:
            lock.acquire()
        except filelock.Timeout:
            if on_wait:
                on_wait()
            lock.acquire(timeout=limit, poll_interval=0.1)
    except filelock.Timeout:
        raise Busy(
            f"another velpin has been working on this host for over {limit:g} seconds",
            f"wait for it to end; the lock is {path}",
        ) from None
    except OSError as problem:
        raise CannotWrite(f"{path}: {problem.strerror}", "run it as root") from problem
    try:
        yield
    finally:
        lock.release()


def _after(before: FileState, data: bytes | None, mode: int | None) -> FileState:
    if data is None:
        return FileState(None, 0o644, before.owner)
    return FileState(data, before.mode if mode is None else mode, before.owner, before.attributes)


def _is_as(here: FileState, wanted: FileState, edit: Edit) -> bool:
    """Whether a file is as an edit has it before or after; the permission bits count where they
    are all that the edit changes."""
    only_mode = edit.before.data == edit.after.data and edit.before.link == edit.after.link
    same = (here.data, here.link) == (wanted.data, wanted.link)
    return same and (not only_mode or here.mode == wanted.mode)


def _written(entry: JournalEntry) -> bytes:
    value = {
        "number": entry.number,
        "time": entry.time,
        "command": entry.command,
        "summary": entry.summary,
        "undoes": entry.undoes,
        "folders": list(entry.folders),
        "edits": [
            {"file": e.file, "before": _state_out(e.before), "after": _state_out(e.after)}
            for e in entry.edits
        ],
    }
    return json.dumps(value, indent=1).encode()


def _state_out(state: FileState) -> dict[str, Any]:
    found: dict[str, Any] = {"mode": f"{state.mode:o}", "owner": list(state.owner)}
    if state.attributes:
        found["attributes"] = {
            name: base64.b64encode(value).decode() for name, value in state.attributes.items()
        }
    if state.link:
        return {**found, "link": state.link}
    if state.data is None:
        return {**found, "missing": True}
    try:
        return {**found, "text": state.data.decode("utf-8")}
    except UnicodeDecodeError:
        return {**found, "base64": base64.b64encode(state.data).decode()}


def _state_in(value: Any) -> FileState:
    """A file's state; ValueError, KeyError or TypeError for anything else."""
    of_kind(value, dict)
    data: bytes | None = None
    if "text" in value:
        data = of_kind(value["text"], str).encode("utf-8")
    elif "base64" in value:
        data = base64.b64decode(of_kind(value["base64"], str), validate=True)
    user, group = (of_kind(each, int) for each in of_kind(value["owner"], list))
    attributes = {
        of_kind(name, str): base64.b64decode(of_kind(text, str), validate=True)
        for name, text in of_kind(value.get("attributes", {}), dict).items()
    }
    mode = int(of_kind(value["mode"], str), 8)
    if not (0 <= mode <= 0o7777 and 0 <= user <= _MOST_ID and 0 <= group <= _MOST_ID):
        raise ValueError("a mode or an owner that no file has")
    return FileState(data, mode, (user, group), attributes, of_kind(value.get("link", ""), str))


def _edit_in(value: Any) -> Edit:
    of_kind(value, dict)
    file = of_kind(value["file"], str)
    if not file or file.startswith("/") or "\0" in file or ".." in file.split("/"):
        raise ValueError(f"{file!r} is no file of the host")
    return Edit(file, _state_in(value["before"]), _state_in(value["after"]))


def _unreadable(path: Path, problem: OSError) -> CannotRead:
    what = "no right to read it" if isinstance(problem, PermissionError) else problem.strerror
    return CannotRead(f"{path}: {what}", "run it as root")


def _read_entry(path: Path) -> JournalEntry:
    try:
        data = disk.read_file(path.parent, path.name, _LARGEST)
    except OSError as problem:
        raise _unreadable(path, problem) from problem
    try:
        value = of_kind(json.loads(data), dict)
        edits = tuple(map(_edit_in, of_kind(value["edits"], list)))
        return JournalEntry(
            _number(value["number"]), time_of(value["time"]), of_kind(value["command"], str),
            of_kind(value["summary"], str),
            edits, tuple(of_kind(each, str) for each in of_kind(value["folders"], list)),
            _number(value["undoes"]),
        )  # fmt: skip
    except (ValueError, KeyError, TypeError, AttributeError, RecursionError) as problem:
        raise StoreError(
            f"{path}: this journal entry cannot be read: {problem}",
            "move it away to go on without it",
        ) from problem


def _number(value: Any) -> int:
    number: int = of_kind(value, int)
    if not 0 <= number <= _MOST_ENTRIES:
        raise ValueError(f"{number} is the number of no entry")
    return number
