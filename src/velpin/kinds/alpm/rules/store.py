"""The rules that stand in a host's files, and the smallest edits that make them stand.

A rule is kept nowhere but in the host's own files: a comment above a line, or above a section
that was put in its place, says the command it is for.

    keep       a line `IgnorePkg = NAME...` of its own
    bar '*'    the section's line `Usage = Sync Search`
    prefer     the place of the section; a comment says where it stood before
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from velpin.errors import Refusal
from velpin.files.text import BLANKS
from velpin.files.tree import Tree
from velpin.kinds.alpm.config import MAIN, OPTIONS, read_config
from velpin.kinds.alpm.edit import Text, options_end
from velpin.kinds.alpm.state import AlpmState
from velpin.model.precedence import Precedence
from velpin.model.reason import Place
from velpin.model.rule import Bar, Keep, Prefer, Rule, command_of, read_rule

_BEFORE = "before velpin: "
_FIRST = "first of all"
_AFTER = "after "


class AlpmRecordedRule(NamedTuple):
    """A rule that stands in the files, and the line it is for."""

    rule: Rule
    place: Place


def recorded_rules(state: AlpmState) -> list[AlpmRecordedRule]:
    """All rules that stand, in the order of files and lines."""
    return [
        recorded for file in _files(state.tree) for recorded in _of_file(Text(state.tree, file))
    ]


def rules_of(found: Iterable[AlpmRecordedRule]) -> list[Rule]:
    """The rules themselves, each once."""
    return list(dict.fromkeys(recorded.rule for recorded in found))


def _files(tree: Tree) -> list[str]:
    return list(dict.fromkeys(read_config(tree).files))


def _of_file(text: Text) -> Iterator[AlpmRecordedRule]:
    for at, line in enumerate(text.lines):
        if line.strip(BLANKS).startswith("#"):
            continue
        for note in text.notes_above(at):
            rule = read_rule(note)
            if rule:
                yield AlpmRecordedRule(rule, Place(text.file, at + 1))


class SettingsDraft:
    """A host's files with edits, one after the other."""

    def __init__(self, tree: Tree) -> None:
        self._tree = tree
        self._edits: dict[str, bytes | None] = {}
        self.tree = tree

    @property
    def edits(self) -> dict[str, bytes | None]:
        """What differs from the files as they are."""
        return {file: data for file, data in self._edits.items() if data != self._tree.read(file)}

    def take(self, *texts: Text) -> None:
        """Take a file's new lines."""
        for text in texts:
            self._edits[text.file] = text.data
        self.tree = self._tree.with_edits(self._edits)

    def place_of(self, rule: Rule) -> tuple[Text, int]:
        """Where the line of a rule stands; Refusal where it is gone."""
        for file in _files(self.tree):
            text = Text(self.tree, file)
            for recorded in _of_file(text):
                if recorded.rule == rule:
                    return text, recorded.place.line - 1
        raise Refusal(f"{command_of(rule)}: its line is not found any more")

    def section(self, name: str) -> Text:
        """The file in which a section begins; Refusal where there is none."""
        for section in read_config(self.tree).sections:
            if section.name == name:
                return Text(self.tree, section.places[0].file)
        raise Refusal(f"the section {name} is not found any more")

    def order(self) -> list[str]:
        """The sources that are on, as their sections stand."""
        return [section.name for section in read_config(self.tree).sections]


def edits_replacing(
    tree: Tree, old: Sequence[Rule], new: Sequence[Rule], orders: Sequence[Precedence]
) -> dict[str, bytes | None]:
    """The edits that take some rules out and put others in; `orders`: what those that prefer
    a source mean."""
    draft = SettingsDraft(tree)
    for rule in old:
        if rule not in new and not isinstance(rule, Prefer):
            _take_out(draft, rule)
    for rule in new:
        if rule not in old and isinstance(rule, Keep):
            _put_keep(draft, rule)
        if rule not in old and isinstance(rule, Bar):
            _put_bar(draft, rule)
    _put_in_order(draft, old, orders)
    return draft.edits


def _take_out(draft: SettingsDraft, rule: Rule) -> None:
    text, at = draft.place_of(rule)
    notes = text.notes_above(at)
    before = [
        note.removeprefix(_BEFORE) + text.ending for note in notes if note.startswith(_BEFORE)
    ]
    text.lines[at - len(notes) : at + 1] = before
    draft.take(text)


def _put_keep(draft: SettingsDraft, rule: Rule) -> None:
    text = Text(draft.tree, MAIN)
    at = options_end(text)
    line = f"IgnorePkg = {' '.join(rule.names)}"
    text.put(at, [f"# {command_of(rule)}", line])
    draft.take(text)


def _put_bar(draft: SettingsDraft, rule: Rule) -> None:
    text = draft.section(rule.source)
    block = text.block(rule.source)
    uses = [
        at for at in range(block.head + 1, block.last)
        if text.lines[at].partition("=")[0].strip(BLANKS) == "Usage"
    ]  # fmt: skip
    said = [text.lines[at].strip(BLANKS) for at in uses]
    words = {word for line in said for word in line.partition("=")[2].split()}
    sync = "Sync " if not words or words & {"Sync", "All"} else ""
    new = [command_of(rule), *(_BEFORE + line for line in said)]
    at = uses[0] if uses else block.last
    for line in reversed(uses):
        del text.lines[line]
    text.put(at, [*(f"# {note}" for note in new), f"Usage = {sync}Search"])
    draft.take(text)


# -- the order of sections -----------------------------------------------------------------


def _put_in_order(draft: SettingsDraft, old: Sequence[Rule], orders: Sequence[Precedence]) -> None:
    subjects = {order.subjects[0] for order in orders}
    for rule in old:
        if isinstance(rule, Prefer) and rule.source not in subjects:
            _put_back(draft, rule)
    before: dict[str, str] = {}
    for _ in range(len(orders) * len(orders) + len(orders) + 1):
        still = [_settle(draft, order, before) for order in orders]
        if True not in still:
            break
    for order in orders:
        _note_order(draft, order, before.get(order.subjects[0], ""))


def _settle(draft: SettingsDraft, order: Precedence, before: dict[str, str]) -> bool:
    """Move the subject of one rule where it does not stand as asked for; whether that was so."""
    here = draft.order()
    subject = order.subjects[0]
    if subject not in here:
        return False
    at = here.index(subject)
    over = [here.index(handle) for handle in order.over if handle in here]
    under = [here.index(handle) for handle in order.under if handle in here]
    if over and at > min(over):
        anchor, ahead = here[min(over)], True
    elif under and at < max(under):
        anchor, ahead = here[max(under)], False
    else:
        return False
    before.setdefault(subject, _AFTER + here[at - 1] if at else _FIRST)
    _move(draft, subject, anchor, ahead=ahead)
    return True


def _move(draft: SettingsDraft, subject: str, anchor: str, *, ahead: bool) -> None:
    """Put a section right before or after another, wherever that stands."""
    text = draft.section(subject)
    taken = text.cut(text.block(subject))
    draft.take(text)
    if subject in draft.order():
        raise Refusal(
            f"the section {subject} is written in several places, so it cannot be moved",
            f"join its parts in {text.file} first",
        )
    target = draft.section(anchor)
    block = target.block(anchor)
    if ahead:
        target.put_before(block, taken)
    else:
        target.put_after(block, taken)
    draft.take(target)


def _put_back(draft: SettingsDraft, rule: Rule) -> None:
    """A section of which nothing is asked for any more goes where it stood; where it is called
    otherwise now, only what was said of it goes."""
    subject = rule.source
    if subject not in draft.order():
        text, at = draft.place_of(rule)
        text.set_notes(at, [])
        draft.take(text)
        return
    text = draft.section(subject)
    head = text.block(subject).head
    notes = text.notes_above(head)
    said = next((note.removeprefix(_BEFORE) for note in notes if note.startswith(_BEFORE)), "")
    text.set_notes(head, [])
    draft.take(text)
    here = draft.order()
    anchor = said.removeprefix(_AFTER)
    if said.startswith(_AFTER) and anchor in here and anchor != subject:
        _move(draft, subject, anchor, ahead=False)
    elif said == _FIRST and here[0] != subject:
        _move(draft, subject, here[0], ahead=True)


def _note_order(draft: SettingsDraft, order: Precedence, before: str) -> None:
    """Say above a section's head which rule it stands there for, and where it stood before."""
    text = draft.section(order.subjects[0])
    head = text.block(order.subjects[0]).head
    notes = text.notes_above(head)
    kept = [note for note in notes if note.startswith(_BEFORE)]
    if not kept and before:
        kept = [_BEFORE + before]
    text.set_notes(head, [command_of(order.rule), *kept])
    draft.take(text)


def without_line(tree: Tree, place: Place) -> dict[str, bytes | None]:
    """The edits that take away a setting that is a rule; none where the line is none."""
    text = Text(tree, place.file)
    if not 0 < place.line <= len(text.lines):
        return {}
    key = text.lines[place.line - 1].partition("=")[0].strip(BLANKS)
    inside = [block.name for block in text.blocks() if block.head < place.line <= block.end]
    section = inside[-1] if inside else OPTIONS
    if key not in (("IgnorePkg", "IgnoreGroup") if section == OPTIONS else ("Usage",)):
        return {}
    del text.lines[place.line - 1]
    return {place.file: text.data}
