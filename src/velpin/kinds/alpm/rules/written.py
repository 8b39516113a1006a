"""The wishes that stand in a host's files, and the smallest edits that make them stand.

A wish is kept nowhere but in the host's own files: a comment above a line, or above a section
that was put in its place, says the command it is for.

    keep       a line `IgnorePkg = NAME...` of its own
    bar '*'    the section's line `Usage = Sync Search`
    prefer     the place of the section; a comment says where it stood before
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from velpin.errors import Refusal
from velpin.kinds.alpm.config import MAIN, OPTIONS, read_config
from velpin.kinds.alpm.edit import Text, options_end
from velpin.kinds.alpm.state import AlpmState
from velpin.model import Place
from velpin.orders import Order
from velpin.text import BLANKS
from velpin.tree import Tree
from velpin.wish import Wish, command_of, read_wish

_BEFORE = "before velpin: "
_FIRST = "first of all"
_AFTER = "after "


class Standing(NamedTuple):
    """A wish that stands in the files, and the line it is for."""

    wish: Wish
    place: Place


def standing(host: AlpmState) -> list[Standing]:
    """All wishes that stand, in the order of files and lines."""
    return [one for file in _files(host.tree) for one in _of_file(Text(host.tree, file))]


def wishes_of(found: Iterable[Standing]) -> list[Wish]:
    """The wishes themselves, each once."""
    return list(dict.fromkeys(one.wish for one in found))


def _files(tree: Tree) -> list[str]:
    return list(dict.fromkeys(read_config(tree).files))


def _of_file(text: Text) -> Iterator[Standing]:
    for at, line in enumerate(text.lines):
        if line.strip(BLANKS).startswith("#"):
            continue
        for note in text.notes_above(at):
            wish = read_wish(note)
            if wish:
                yield Standing(wish, Place(text.file, at + 1))


class Draft:
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

    def place_of(self, wish: Wish) -> tuple[Text, int]:
        """Where the line of a wish stands; Refusal where it is gone."""
        for file in _files(self.tree):
            text = Text(self.tree, file)
            for one in _of_file(text):
                if one.wish == wish:
                    return text, one.place.line - 1
        raise Refusal(f"{command_of(wish)}: its line is not found any more")

    def section(self, name: str) -> Text:
        """The file in which a section begins."""
        for section in read_config(self.tree).sections:
            if section.name == name:
                return Text(self.tree, section.places[0].file)
        raise Refusal(f"the section {name} is not found any more")

    def order(self) -> list[str]:
        """The sources that are on, as their sections stand."""
        return [section.name for section in read_config(self.tree).sections]


def rewritten(
    tree: Tree, old: Sequence[Wish], new: Sequence[Wish], orders: Sequence[Order]
) -> dict[str, bytes | None]:
    """The edits that take some wishes out and put others in; `orders`: what those that prefer
    a source mean."""
    draft = Draft(tree)
    for wish in old:
        if wish not in new and wish.kind != "prefer":
            _take_out(draft, wish)
    for wish in new:
        if wish not in old and wish.kind == "keep":
            _put_keep(draft, wish)
        if wish not in old and wish.kind == "bar":
            _put_bar(draft, wish)
    _put_in_order(draft, old, orders)
    return draft.edits


def _take_out(draft: Draft, wish: Wish) -> None:
    text, at = draft.place_of(wish)
    notes = text.notes_above(at)
    before = [one.removeprefix(_BEFORE) + text.ending for one in notes if one.startswith(_BEFORE)]
    text.lines[at - len(notes) : at + 1] = before
    draft.take(text)


def _put_keep(draft: Draft, wish: Wish) -> None:
    text = Text(draft.tree, MAIN)
    at = options_end(text)
    line = f"IgnorePkg = {' '.join(wish.names)}"
    text.put(at, [f"# {command_of(wish)}", line])
    draft.take(text)


def _put_bar(draft: Draft, wish: Wish) -> None:
    text = draft.section(wish.source)
    block = text.block(wish.source)
    uses = [
        at for at in range(block.head + 1, block.last)
        if text.lines[at].partition("=")[0].strip(BLANKS) == "Usage"
    ]  # fmt: skip
    said = [text.lines[at].strip(BLANKS) for at in uses]
    words = {word for line in said for word in line.partition("=")[2].split()}
    sync = "Sync " if not words or words & {"Sync", "All"} else ""
    new = [command_of(wish), *(_BEFORE + line for line in said)]
    at = uses[0] if uses else block.last
    for one in reversed(uses):
        del text.lines[one]
    text.put(at, [*(f"# {note}" for note in new), f"Usage = {sync}Search"])
    draft.take(text)


# -- the order of sections -----------------------------------------------------------------


def _put_in_order(draft: Draft, old: Sequence[Wish], orders: Sequence[Order]) -> None:
    subjects = {one.subjects[0] for one in orders}
    for wish in old:
        if wish.kind == "prefer" and wish.source not in subjects:
            _put_back(draft, wish)
    before: dict[str, str] = {}
    for _ in range(len(orders) * len(orders) + len(orders) + 1):
        still = [_settle(draft, one, before) for one in orders]
        if True not in still:
            break
    for one in orders:
        _note_order(draft, one, before.get(one.subjects[0], ""))


def _settle(draft: Draft, order: Order, before: dict[str, str]) -> bool:
    """Move the subject of one wish where it does not stand as wished; whether that was so."""
    here = draft.order()
    subject = order.subjects[0]
    if subject not in here:
        return False
    at = here.index(subject)
    over = [here.index(one) for one in order.over if one in here]
    under = [here.index(one) for one in order.under if one in here]
    if over and at > min(over):
        anchor, ahead = here[min(over)], True
    elif under and at < max(under):
        anchor, ahead = here[max(under)], False
    else:
        return False
    before.setdefault(subject, _AFTER + here[at - 1] if at else _FIRST)
    _move(draft, subject, anchor, ahead=ahead)
    return True


def _move(draft: Draft, subject: str, anchor: str, *, ahead: bool) -> None:
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


def _put_back(draft: Draft, wish: Wish) -> None:
    """A section of which nothing is wished any more goes where it stood; where it is called
    otherwise now, only what was said of it goes."""
    subject = wish.source
    if subject not in draft.order():
        text, at = draft.place_of(wish)
        text.set_notes(at, [])
        draft.take(text)
        return
    text = draft.section(subject)
    head = text.block(subject).head
    notes = text.notes_above(head)
    said = next((one.removeprefix(_BEFORE) for one in notes if one.startswith(_BEFORE)), "")
    text.set_notes(head, [])
    draft.take(text)
    here = draft.order()
    anchor = said.removeprefix(_AFTER)
    if said.startswith(_AFTER) and anchor in here and anchor != subject:
        _move(draft, subject, anchor, ahead=False)
    elif said == _FIRST and here[0] != subject:
        _move(draft, subject, here[0], ahead=True)


def _note_order(draft: Draft, order: Order, before: str) -> None:
    """Say above a section's head which wish it stands there for, and where it stood before."""
    text = draft.section(order.subjects[0])
    head = text.block(order.subjects[0]).head
    notes = text.notes_above(head)
    kept = [one for one in notes if one.startswith(_BEFORE)]
    if not kept and before:
        kept = [_BEFORE + before]
    text.set_notes(head, [command_of(order.wish), *kept])
    draft.take(text)


def without_line(tree: Tree, place: Place) -> dict[str, bytes | None]:
    """The edits that take away a setting that is a rule; none where the line is none."""
    text = Text(tree, place.file)
    if not 0 < place.line <= len(text.lines):
        return {}
    key = text.lines[place.line - 1].partition("=")[0].strip(BLANKS)
    inside = [one.name for one in text.blocks() if one.head < place.line <= one.end]
    section = inside[-1] if inside else OPTIONS
    if key not in (("IgnorePkg", "IgnoreGroup") if section == OPTIONS else ("Usage",)):
        return {}
    del text.lines[place.line - 1]
    return {place.file: text.data}
