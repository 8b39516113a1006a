"""Wishes as they stand in the host's preference files, and the smallest edits of those.

Velpin writes one file of its own, read before the files of others. Every record in it says
in its `Explanation` field which wish it is for, as the command that makes it, so the file
itself is all that needs to be known of a wish. Where another file would win, a wish may be
written at the head of the main file instead, in the same way.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.kinds.deb.control import Stanza, read_stanzas
from velpin.kinds.deb.preferences import is_pattern
from velpin.kinds.deb.state import DebState
from velpin.model import Place
from velpin.text import decode, encode, split_lines
from velpin.tree import Tree
from velpin.wish import Wish, command_of, read_wish

HEAD = "# Rules that velpin wrote; `velpin rules` tells what each decides."
_RANKS = ("keep", "pin", "bar", "confine", "prefer")
"""The order of wishes in a file: what speaks of fewer packages stands first and so wins."""


class Written(NamedTuple):
    """One wish and where it is written."""

    wish: Wish
    file: str
    lines: tuple[int, ...]
    """First lines of its records."""


class Draft(NamedTuple):
    """One wish and the records it becomes."""

    wish: Wish
    file: str
    records: tuple[str, ...]


def own_file(host: DebState) -> str:
    """The file of Velpin's own."""
    folder = host.conf.path("Dir::Etc::preferencesparts", "preferences.d")
    return f"etc/apt/{folder}/00velpin.pref"


def main_file(host: DebState) -> str:
    """The file that is read before all others."""
    return f"etc/apt/{host.conf.path('Dir::Etc::preferences', 'preferences')}"


def standing(host: DebState) -> list[Written]:
    """Every wish that Velpin wrote, in the order of its first record."""
    found: dict[tuple[str, Wish], list[int]] = {}
    for file in (main_file(host), own_file(host)):
        for stanza in read_stanzas(decode(host.tree.read(file) or b"")):
            wish = wish_of(stanza)
            if wish:
                found.setdefault((file, wish), []).append(stanza.line)
    return [Written(wish, file, tuple(lines)) for (file, wish), lines in found.items()]


def wish_of(stanza: Stanza) -> Wish | None:
    """The wish that a record is for, None where it is somebody else's."""
    return read_wish(stanza.get("explanation"))


def record(wish: Wish, names: Iterable[str], pin: str, number: int) -> str:
    """The text of one record."""
    return (
        f"Explanation: {command_of(wish)}\n"
        f"Package: {' '.join(names)}\n"
        f"Pin: {pin}\n"
        f"Pin-Priority: {number}\n"
    )


def rewritten(
    tree: Tree, gone: Iterable[Written], drafts: Iterable[Draft]
) -> dict[str, bytes | None]:
    """New contents without the records of some wishes and with those of others.

    Raises HostFileError where a file holds something that is not understood: such a file is
    never rewritten.
    """
    lines: dict[str, set[int]] = {}
    for one in gone:
        lines.setdefault(one.file, set()).update(one.lines)
    by_file: dict[str, list[Draft]] = {}
    for draft in drafts:
        by_file.setdefault(draft.file, []).append(draft)
    edits: dict[str, bytes | None] = {}
    for file in dict.fromkeys((*lines, *by_file)):
        data = tree.read(file)
        text = decode(data or b"")
        if data is not None:
            check_understood(file, text)
        new = without_records(text, lines.get(file, ()))
        for draft in by_file.get(file, ()):
            for each in draft.records:
                new = _with_record(new, draft.wish, each)
        edits[file] = _contents(new, new_file=data is None)
    return edits


def _contents(text: str, *, new_file: bool) -> bytes | None:
    if new_file and text:
        return encode(f"{HEAD}\n\n{text}")
    left = [line for line in split_lines(text) if line.strip()]
    if not left or left == [HEAD + "\n"]:
        return None
    return encode(text)


def check_understood(file: str, text: str) -> None:
    """HostFileError for the first line of a preference file that is not understood."""
    for stanza in read_stanzas(text):
        for line, odd in stanza.odd:
            raise HostFileError(
                file, line, f"not understood: {odd.strip()!r}; velpin does not rewrite such a file"
            )


def without_records(text: str, lines: Iterable[int]) -> str:
    """A text without the records that begin at some lines; a blank line goes with each."""
    wanted = set(lines)
    kept = split_lines(text)
    for stanza in reversed(list(read_stanzas(text))):
        if stanza.line not in wanted:
            continue
        first, last = stanza.line - 1, stanza.end - 1
        if last < len(kept) and not kept[last].strip():
            last += 1
        elif last == len(kept):
            while first and not kept[first - 1].strip():
                first -= 1
        del kept[first:last]
    return "".join(kept)


def _with_record(text: str, wish: Wish, new: str) -> str:
    """A text with a record before the first that must not come before it."""
    lines = split_lines(text)
    for stanza in read_stanzas(text):
        other = wish_of(stanza)
        if other is None or _rank(other) > _rank(wish):
            at = _above_comments(lines, stanza.line - 1)
            return "".join([*lines[:at], new, "\n", *lines[at:]])
    before = text if not text or text.endswith("\n") else text + "\n"
    gap = "\n" if before and not before.endswith("\n\n") else ""
    return f"{before}{gap}{new}"


def _rank(wish: Wish) -> tuple[int, bool]:
    return _RANKS.index(wish.kind), any(map(is_pattern, wish.names))


def _above_comments(lines: list[str], at: int) -> int:
    """Above the comments that stand right above a line; not above Velpin's own head line."""
    while at and lines[at - 1].startswith("#") and lines[at - 1].rstrip("\n") != HEAD:
        at -= 1
    return at


def places(written: Iterable[Written]) -> Mapping[Place, Wish]:
    """The wish of each record by where it begins."""
    return {Place(one.file, line): one.wish for one in written for line in one.lines}
