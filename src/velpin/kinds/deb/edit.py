"""The smallest edits of a deb host's source files: on, off, drop, a key, a new source.

Every function takes a host and returns new contents by file name; nothing is written here.
Comments, order, blank lines and line ends of everything else stay as they are.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Hashable, Iterable
from typing import TYPE_CHECKING, NamedTuple

from velpin.change.readback import HOST, SourceStatements, Statement
from velpin.errors import Refusal
from velpin.files.text import HostText, decode, encode
from velpin.files.tree import Edits, Tree
from velpin.kinds.deb.conf import is_yes
from velpin.kinds.deb.control import Field, Stanza, read_stanzas
from velpin.kinds.deb.logins import login_file
from velpin.kinds.deb.sources import ADDED, HANDLE_FIELD, OPTIONS, DebSource, SourceEntry, pairs_of
from velpin.kinds.deb.trust import OWN_FOLDER
from velpin.model.source import Source
from velpin.ports.editor import Editor

if TYPE_CHECKING:
    from velpin.kinds.deb.state import DebState
    from velpin.model.reason import Place

_LineEdit = Callable[[list[str], SourceEntry], list[str]]


class DebEditor(Editor):
    """Edits of the sources of a deb host."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def switched(self, source: Source, on: bool) -> Edits:
        """Contents after switching a source on or off."""
        tree, source = self._state.tree, self._state.configuration.by_handle[source.handle]

        def change(lines: list[str], entry: SourceEntry) -> list[str]:
            if entry.form == "line":
                return [_uncommented(lines[0]) if on else _commented(lines[0])]
            if _is_alone(entry):
                return _with_enabled(lines, on)
            rest, own = _split_off(lines, entry, source)
            return [*rest, "\n", *_with_enabled(own, on)]

        return _edited(tree, [entry for entry in source.entries if entry.on != on], change)

    def dropped(self, source: Source) -> Edits:
        """Contents after taking a source away, with the files of its key and login that were
        Velpin's for it alone."""
        tree, source = self._state.tree, self._state.configuration.by_handle[source.handle]

        def change(lines: list[str], entry: SourceEntry) -> list[str]:
            if entry.form == "line" or _is_alone(entry):
                return []
            return _split_off(lines, entry, source)[0]

        edits = dict(_edited(tree, source.entries, change))
        for file, data in list(edits.items()):
            left = HostText(data).lines
            own = bool(left) and left[0].startswith(ADDED)
            if not any(line.strip() for line in left) or (own and not _says_anything(left)):
                edits[file] = None
        login = login_file(source.handle)
        if None in edits.values() and tree.exists(login):
            edits[login] = None
        for key in _own_key_files(tree, source, edits):
            edits[key] = None
        return edits

    def key_of(self, source: Source) -> Hashable:
        """Its address and suite: handles may change with what stands beside it."""
        return (source.address, source.release)

    def statements(self) -> SourceStatements:
        """What the source files state, for each address and suite that an entry names."""
        said: Counter[Statement] = Counter()
        order: dict[Hashable, None] = {}
        places: dict[Hashable, tuple[Place, ...]] = {}
        for entry in self._state.configuration.source_files.entries:
            options = " ".join(f"{key}={value}" for key, value in sorted(entry.options.items()))
            for key in pairs_of(entry, self._state.configuration.archs):
                if entry.on:
                    order[key] = None
                places[key] = (*places.get(key, ()), entry.place)
                for kind in entry.types:
                    for component in entry.components or ("",):
                        said[Statement(key, entry.on, kind, f"{component} {options}".strip())] += 1
        for problem in self._state.configuration.source_files.errors:
            said[Statement(HOST, True, "unreadable", f"{problem.file}: {problem.what}")] += 1
        return SourceStatements(said, tuple(order), places)


def _says_anything(lines: list[str]) -> bool:
    return any(line.strip() and not line.startswith("#") for line in lines)


def _own_key_files(tree: Tree, source: DebSource, edits: Edits) -> list[str]:
    """Key files in Velpin's folder that only this source names."""
    named = [word.lstrip("/") for word in source.signed_by.split() if word.startswith("/")]
    own = [file for file in named if file.startswith(OWN_FOLDER + "/") and tree.exists(file)]
    after = tree.with_edits(edits)
    folder = "etc/apt/sources.list.d"
    files = ("etc/apt/sources.list", *(f"{folder}/{name}" for name in after.names(folder)))
    others = "".join(decode(after.read(file) or b"") for file in files)
    return [file for file in own if f"/{file}" not in others]


def set_key(tree: Tree, source: DebSource, value: str) -> Edits:
    """Contents after naming a key for a source that is there already."""

    def change(lines: list[str], entry: SourceEntry) -> list[str]:
        if entry.form == "line":
            return [_with_option(lines[0], "signed-by", value)]
        if _is_alone(entry):
            return _with_field(lines, "Signed-By", value)
        rest, own = _split_off(lines, entry, source)
        return [*rest, "\n", *_with_field(own, "Signed-By", value)]

    return _edited(tree, source.entries, change)


def new_source(fields: Iterable[tuple[str, str]]) -> bytes:
    """A source file of Velpin's own; the source is called as the file will be."""
    lines = [ADDED, *(f"{name}: {value}" for name, value in fields if value)]
    return encode("\n".join(lines) + "\n")


def without_handles(data: bytes) -> bytes:
    """A source file without the field in which Velpin once wrote the source's name."""
    lines = HostText(data).lines
    return encode("".join(line for line in lines if not line.startswith(f"{HANDLE_FIELD}:")))


# -- lines of one entry ------------------------------------------------------------------


def _edited(tree: Tree, entries: Iterable[SourceEntry], change: _LineEdit) -> Edits:
    by_file: dict[str, list[SourceEntry]] = {}
    for entry in entries:
        by_file.setdefault(entry.file, []).append(entry)
    edits: dict[str, bytes | None] = {}
    for file, wanted in by_file.items():
        text = HostText(tree.read(file), file)
        lines = text.lines
        for entry in sorted(wanted, key=lambda entry: entry.line, reverse=True):
            first, last = entry.line - 1, entry.end - 1
            new = change(lines[first:last], entry)
            if not new:
                last = _swallow_blank(lines, first, last)
            if not new and last == len(lines) and entry.form == "stanza":
                first = _swallow_blank_before(lines, first)
            lines[first:last] = _like(lines[first:last], new)
        edits[file] = text.data
    return edits


def _swallow_blank(lines: list[str], first: int, last: int) -> int:
    """A removed stanza takes the blank line after it along."""
    blank_before = first == 0 or not lines[first - 1].strip()
    if blank_before and last < len(lines) and not lines[last].strip():
        return last + 1
    return last


def _swallow_blank_before(lines: list[str], first: int) -> int:
    while first and not lines[first - 1].strip():
        first -= 1
    return first


def _like(old: list[str], new: list[str]) -> list[str]:
    """New lines with the line ends of the old ones."""
    if not any(line.endswith("\r\n") for line in old):
        return new
    lines = [line.rstrip("\r\n") + "\r\n" for line in new]
    if lines and not old[-1].endswith("\n"):
        lines[-1] = lines[-1].rstrip("\r\n")
    return lines


def _commented(line: str) -> str:
    return "# " + line


def _uncommented(line: str) -> str:
    return line.lstrip().lstrip("#").lstrip()


def _is_alone(entry: SourceEntry) -> bool:
    return len(entry.addresses) * len(entry.suites) == 1


def _stanza(lines: list[str]) -> Stanza:
    return next(iter(read_stanzas("".join(lines))))


def _with_enabled(lines: list[str], on: bool) -> list[str]:
    found = _stanza(lines).fields.get("enabled")
    if found is None:
        return lines if on else ["Enabled: no\n", *lines]
    if is_yes(found.value, True) == on:
        return lines
    return _replaced(lines, found, [f"{found.name}: {'yes' if on else 'no'}\n"])


def _with_field(lines: list[str], name: str, value: str) -> list[str]:
    found = _stanza(lines).fields.get(name.lower())
    new = [f"{name}: {value}\n"]
    if found:
        return _replaced(lines, found, new)
    if lines and not lines[-1].endswith("\n"):
        lines = [*lines[:-1], lines[-1] + "\n"]
    return [*lines, *new]


def _replaced(lines: list[str], field: Field, new: list[str]) -> list[str]:
    return [*lines[: field.line - 1], *new, *lines[field.end - 1 :]]


def _with_option(line: str, name: str, value: str) -> str:
    kind, _, rest = line.partition("[")
    if not _ or "]" not in rest or ":" in kind:
        words = line.split(None, 1)
        lead = line[: len(line) - len(line.lstrip())]
        return f"{lead}{words[0]} [{name}={value}] {words[1]}"
    inside, _, tail = rest.partition("]")
    options = [word for word in inside.split() if not word.lower().startswith(name + "=")]
    return f"{kind}[{' '.join([*options, f'{name}={value}'])}]{tail}"


def _split_off(
    lines: list[str], entry: SourceEntry, source: DebSource
) -> tuple[list[str], list[str]]:
    """A stanza of several sources without one of them, and a stanza of that one alone.

    The others keep their order: addresses before the source's, its own address with its other
    suites, addresses after it. Comments stay with the first of these.
    """
    address, suite = _written_address(entry, source), _written_suite(entry, source)
    at = entry.addresses.index(address)
    others = [other for other in entry.suites if other != suite]
    groups = (
        (entry.addresses[:at], list(entry.suites)),
        ((address,), others),
        (entry.addresses[at + 1 :], list(entry.suites)),
    )
    rest: list[str] = []
    for addresses, suites in groups:
        if addresses and suites:
            gap = ["\n"] if rest else []
            rest += [*gap, *_narrowed(lines, addresses, suites, comments=not rest)]
    return rest, _narrowed(lines, (address,), [suite], comments=False)


def _narrowed(
    lines: list[str], addresses: Iterable[str], suites: Iterable[str], *, comments: bool
) -> list[str]:
    """A stanza with other addresses and suites."""
    new = _with_words(lines, "uris", list(addresses))
    new = _with_words(new, "suites", list(suites))
    return new if comments else [line for line in new if not line.startswith("#")]


def _written_address(entry: SourceEntry, source: DebSource) -> str:
    for address in entry.addresses:
        if address.rstrip("/") == source.address or "$(ARCH)" in address:
            return address
    raise Refusal(f"{entry.place}: {source.address} is not found there any more")


def _written_suite(entry: SourceEntry, source: DebSource) -> str:
    for suite in entry.suites:
        if suite == source.release or "$(ARCH)" in suite:
            return suite
    raise Refusal(f"{entry.place}: {source.release} is not found there any more")


def _with_words(lines: list[str], name: str, words: list[str]) -> list[str]:
    lines = [*lines[:-1], lines[-1] if lines[-1].endswith("\n") else lines[-1] + "\n"]
    found = _stanza(lines).fields[name]
    return _replaced(lines, found, [f"{found.name}: {' '.join(words)}\n"])


# -- what an entry says, said otherwise ------------------------------------------------------


class EntryChange(NamedTuple):
    """What of a source is to be said otherwise where it is written."""

    suite: str = ""
    address: str = ""
    without_components: frozenset[str] = frozenset()
    without_options: frozenset[str] = frozenset()

    @property
    def is_suite_alone(self) -> bool:
        """Whether nothing but the suite changes."""
        return bool(self.suite) and not (
            self.address or self.without_components or self.without_options
        )


_LINE = re.compile(
    r"(?as)(?P<head>\s*deb(?:-src)?)(?P<options>\s+\[[^\]]*\])?(?P<gap>\s+)(?P<address>\S+)(?P<gap2>\s+)"
    r"(?P<suite>[^\s#]+)(?P<rest>[^#\r\n]*)(?P<tail>.*)"
)


def reworded(
    state: DebState, source: DebSource, change: EntryChange, entries: Iterable[SourceEntry] = ()
) -> Edits:
    """Contents after saying something otherwise of a source, in all its entries (those of its
    source packages too), or just in some of them. An entry with no component left is removed.

    Raises Refusal where a line is written in a way that is not taken apart here.
    """

    def rewrite(lines: list[str], entry: SourceEntry) -> list[str]:
        if entry.form == "line":
            return _reworded_line(lines[0], change, entry)
        if _is_alone(entry):
            return _reworded_stanza(lines, change)
        if change.is_suite_alone and len(entry.addresses) == 1:
            words = _replaced_word(entry.suites, _written_suite(entry, source), change.suite)
            return _with_words(lines, "suites", words)
        rest, own = _split_off(lines, entry, source)
        left = _reworded_stanza(own, change)
        return [*rest, "\n", *left] if left else rest

    wanted = list(entries) or [
        entry
        for entry in state.configuration.source_files.entries
        if entry.on == source.on
        and (source.address, source.release) in pairs_of(entry, state.configuration.archs)
    ]
    return _edited(state.tree, wanted, rewrite)


def _replaced_word(words: Iterable[str], old: str, new: str) -> list[str]:
    return [new if word == old else word for word in words]


def without_entry(state: DebState, source: DebSource, entry: SourceEntry) -> Edits:
    """Contents after taking away what one entry says of a source."""

    def change(lines: list[str], entry: SourceEntry) -> list[str]:
        if entry.form == "line" or _is_alone(entry):
            return []
        return _split_off(lines, entry, source)[0]

    return _edited(state.tree, [entry], change)


def _reworded_line(line: str, change: EntryChange, entry: SourceEntry) -> list[str]:
    found = _LINE.fullmatch(line)
    if found is None or '"' in line:
        raise Refusal(f"{entry.place}: this line is not taken apart here", "edit it by hand")
    part = found.groupdict()
    options = part["options"] or ""
    if options and change.without_options:
        inside = options.strip()[1:-1].split()
        kept = [word for word in inside if _option_name(word) not in change.without_options]
        options = f" [{' '.join(kept)}]" if kept else ""
    rest = part["rest"]
    if change.without_components:
        kept = [word for word in rest.split() if word not in change.without_components]
        if not kept and entry.components:
            return []
        blank = rest[len(rest.rstrip()) :]
        rest = (" " + " ".join(kept) if kept else "") + blank
    address, suite = change.address or part["address"], change.suite or part["suite"]
    return [
        f"{part['head']}{options}{part['gap']}{address}{part['gap2']}{suite}{rest}{part['tail']}"
    ]


def _option_name(word: str) -> str:
    return word.partition("=")[0].rstrip("+-").lower()


def _reworded_stanza(lines: list[str], change: EntryChange) -> list[str]:
    if change.suite:
        lines = _with_words(lines, "suites", [change.suite])
    if change.address:
        lines = _with_words(lines, "uris", [change.address])
    if change.without_components:
        said = _stanza(lines).words("components")
        kept = [word for word in said if word not in change.without_components]
        if said and not kept:
            return []
        if kept != said:
            lines = _with_words(lines, "components", kept)
    for name, option in OPTIONS.items():
        if option.rstrip("+-") in change.without_options:
            field = _stanza(lines).fields.get(name)
            if field is not None:
                lines = _replaced(lines, field, [])
    return lines
