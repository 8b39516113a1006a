"""Rules as they stand in the host's preference files, and the smallest edits of those.

Velpin writes one file of its own, read before the files of others. Every record in it says
in its `Explanation` field which rule it is for, as the command that makes it, so the file
itself is all that needs to be known of a rule. Where another file would win, a rule may be
written at the head of the main file instead, in the same way.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.files.text import decode, encode, split_lines
from velpin.files.tree import Tree
from velpin.kinds.deb.control import Stanza, read_stanzas
from velpin.kinds.deb.preferences import is_pattern
from velpin.kinds.deb.state import DebState
from velpin.model.reason import Place
from velpin.model.rule import Rule, command_of, read_rule

HEAD = "# Rules that velpin wrote; `velpin rules` tells what each decides."
_RANKS = ("keep", "pin", "bar", "confine", "prefer")
"""The order of rules in a file: what mentions fewer packages stands first and so wins."""


class DebRecordedRule(NamedTuple):
    """One rule and where it is written."""

    rule: Rule
    file: str
    lines: tuple[int, ...]
    """First lines of its records."""


class PreferencesDraft(NamedTuple):
    """One rule and the records it becomes."""

    rule: Rule
    file: str
    records: tuple[str, ...]


def own_file(state: DebState) -> str:
    """The file of Velpin's own."""
    folder = state.configuration.conf.file("Dir::Etc", "preferencesparts", "preferences.d")
    return f"{folder}/00velpin.pref"


def main_file(state: DebState) -> str:
    """The file that is read before all others."""
    return state.configuration.conf.file("Dir::Etc", "preferences", "preferences")


def recorded_rules(state: DebState) -> list[DebRecordedRule]:
    """Every rule that Velpin wrote, in the order of its first record."""
    found: dict[tuple[str, Rule], list[int]] = {}
    for file in (main_file(state), own_file(state)):
        for stanza in read_stanzas(decode(state.tree.read(file) or b"")):
            rule = rule_of(stanza)
            if rule:
                found.setdefault((file, rule), []).append(stanza.line)
    return [DebRecordedRule(rule, file, tuple(lines)) for (file, rule), lines in found.items()]


def rule_of(stanza: Stanza) -> Rule | None:
    """The rule that a record is for, None where it is someone else's."""
    return read_rule(stanza.get("explanation"))


def record(rule: Rule, names: Iterable[str], pin: str, priority: int) -> str:
    """The text of one record."""
    return (
        f"Explanation: {command_of(rule)}\n"
        f"Package: {' '.join(names)}\n"
        f"Pin: {pin}\n"
        f"Pin-Priority: {priority}\n"
    )


def edits_replacing(
    tree: Tree, gone: Iterable[DebRecordedRule], drafts: Iterable[PreferencesDraft]
) -> dict[str, bytes | None]:
    """New contents without the records of some rules and with those of others.

    Raises HostFileError where a file holds something that is not understood: such a file is
    never rewritten.
    """
    lines: dict[str, set[int]] = {}
    for rule in gone:
        lines.setdefault(rule.file, set()).update(rule.lines)
    by_file: dict[str, list[PreferencesDraft]] = {}
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
                new = _with_record(new, draft.rule, each)
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


def _with_record(text: str, rule: Rule, new: str) -> str:
    """A text with a record before the first that must not come before it."""
    lines = split_lines(text)
    for stanza in read_stanzas(text):
        other = rule_of(stanza)
        if other is None or _rank(other) > _rank(rule):
            at = _above_comments(lines, stanza.line - 1)
            return "".join([*lines[:at], new, "\n", *lines[at:]])
    before = text if not text or text.endswith("\n") else text + "\n"
    gap = "\n" if before and not before.endswith("\n\n") else ""
    return f"{before}{gap}{new}"


def _rank(rule: Rule) -> tuple[int, bool]:
    return _RANKS.index(rule.kind), any(map(is_pattern, rule.names))


def _above_comments(lines: list[str], at: int) -> int:
    """Above the comments that stand right above a line; not above Velpin's own head line."""
    while at and lines[at - 1].startswith("#") and lines[at - 1].rstrip("\n") != HEAD:
        at -= 1
    return at


def places(written: Iterable[DebRecordedRule]) -> Mapping[Place, Rule]:
    """The rule of each record by where it begins."""
    return {Place(rule.file, line): rule.rule for rule in written for line in rule.lines}
