"""Reading `Packages` files and the host's own record of packages into a parsed index.

Both are stanzas as in `control.py`, many of them, so this is written for speed: the text
is split at blank lines and each stanza is asked for the few fields choosing needs. What
matters only sometimes (relations, sizes) stays in the stored text.

Observed rules: docs/how-hosts-choose/deb.md, "Names and versions".
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from functools import partial
from itertools import chain

from velpin.errors import HostFileError
from velpin.forked import processors
from velpin.kinds.deb.control import parse_stanza
from velpin.model import package_names
from velpin.store.index import Batch, IndexNote, IndexPart, NoteCode, Notes, ParsedEntry

NAMES = package_names.NameGrammar("a-z0-9_", "a-z0-9@%+._-", "A-Za-z0-9.+~:_^%-")
"""What packages and versions of this kind can be called."""
_WANTED = re.compile(r"\n(Package|Version|Architecture|Provides|Description|Source|Status): *(.*)")
_OTHER = r"(?:(?!(?:Package|Version|Architecture|Provides|Description|Source|Status):)[^\n]++\n)*+"
_USUAL = re.compile(
    r"(?:\A|(?<=\n\n))Package: *+([a-z0-9_][a-z0-9@%+._-]*+) *+\n(?:Source: *+([^\n]*+)\n)?+"
    r"Version: *+([A-Za-z0-9.+~:_^%-]++) *+\n"
    rf"{_OTHER}Architecture: *+([^ \n]++) *+\n{_OTHER}(?:(Provides:[^\n]*+)\n{_OTHER})?+"
    rf"Description: *+([^\n]*+)\n{_OTHER}(?=\n|\Z)"
)
"""A whole stanza of an index in the order in which the usual tools write it, each field once, with
a name and a version as `NAMES` has them."""
_ANY_CASE = re.compile(
    r"^(Package|Version|Architecture|Provides|Description|Source|Status):[ \t]*(.*)",
    re.MULTILINE | re.IGNORECASE,
)
_PROVIDES_FOLDED = re.compile(r"^Provides:(?:.*)(?:\n[ \t].*)+", re.MULTILINE | re.IGNORECASE)
_IN_BLOCK = 64
_LEAST = 3
_PIECE = 4 << 20
_LARGE = 8 << 20
_MOST_PARTS = 4


def parts_of(
    pieces: Iterable[bytes],
    *,
    record: bool = False,
    watch: Callable[[bytes], None] = lambda _piece: None,
) -> list[IndexPart]:
    """The readers of one index, more than one where it is large and there are processors.

    `record` is True for the host's own record of packages, whose stanzas carry a state. `watch` is
    told of all bytes in order, by the first of the readers.
    """
    stream = _bounded(pieces)
    held: list[bytes] = []
    size = 0
    while size < _LARGE and (piece := next(stream, None)) is not None:
        held.append(piece)
        size += len(piece)
    count = processors()
    if size < _LARGE or count == 1:
        return [
            lambda notes: read_packages(_told(chain(held, stream), watch), notes, record=record)
        ]
    whole = text = b"".join(chain(held, stream))
    if b"\r" in text:
        text = text.replace(b"\r", b"")
    (first, last), *others = _pieces(text, min(count, _MOST_PARTS))

    def read_first(notes: Notes) -> Iterator[Batch]:
        watch(whole)
        yield from _read_part(text, first, last, record, notes)

    return [read_first, *(partial(_read_part, text, *each, record) for each in others)]


def _told(pieces: Iterable[bytes], watch: Callable[[bytes], None]) -> Iterator[bytes]:
    for piece in pieces:
        watch(piece)
        yield piece


def _read_part(text: bytes, first: int, last: int, record: bool, notes: Notes) -> Iterator[Batch]:
    line = text.count(b"\n", 0, first) + 1
    pieces = (text[at : min(at + _PIECE, last)] for at in range(first, last, _PIECE))
    return read_packages(pieces, notes, record=record, line=line)


_CHECKING = 0.15
"""How long it takes to hold an index against what its release file promises, where reading it
takes 1; that is done where the first part is read, which is smaller for it."""


def _pieces(text: bytes, count: int) -> Iterator[tuple[int, int]]:
    """Where to cut a text into parts that take equally long, at blank lines."""
    own = max(0.1, (1 - (count - 1) * _CHECKING) / count)
    each = (1 - own) / max(1, count - 1)
    first = 0
    for number in range(1, count):
        cut = text.find(b"\n\n", max(first, int(len(text) * (own + (number - 1) * each))))
        if cut < 0:
            break
        yield first, cut + 2
        first = cut + 2
    yield first, len(text)


_LARGEST_STANZA = 16 << 20
NO_PACKAGE = "a stanza without Package"
NO_STATUS = "a Status that does not exist; the file may be cut off"
_CUT = "the file may be cut off"
NO_LINE_END = f"the last line has no end, which the host's installer refuses; {_CUT}"
NO_FIELD = "a line that is not a field; the file may be cut off"
_STATUS = re.compile(
    r"(?i)\s*(?:unknown|install|hold|deinstall|purge)\s+(?:ok|reinstreq|hold|hold-reinstreq)\s+"
    r"(?:not-installed|unpacked|half-configured|installed|half-installed|config-files"
    r"|post-inst-failed|triggers-awaited|triggers-pending)\s*"
)


def read_packages(
    pieces: Iterable[bytes], notes: Notes, *, record: bool = False, line: int = 1
) -> Iterator[Batch]:
    """Entries of a stream of text, some at a time; what is not understood goes to `notes`.

    `line` is the number of the first line.
    """
    last, final = b"", b"\n"

    def watched() -> Iterator[bytes]:
        nonlocal final
        for piece in pieces:
            final = piece[-1:] or final
            yield piece

    ends: list[bytes] = []
    for stanzas in _in_blocks(_stanzas(watched())):
        batch = _batch(stanzas, line, notes, record)
        line += batch.block.count(b"\n") + 2
        last = stanzas[-1].rpartition(b"\n")[2]
        ends = [*ends, *stanzas[-2:]][-2:]
        yield batch
    if record:
        notes += _cut_off(ends, final, line)
    if last.strip() and b":" not in last and last[:1] not in (b" ", b"\t", b"#"):
        notes.append(IndexNote(line - 2, NO_FIELD, "unreadable"))


def _bounded(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """The same pieces; HostFileError once more than a stanza may hold came without a blank line."""
    since = 0
    for piece in pieces:
        last = piece.rfind(b"\n\n")
        since = since + len(piece) if last < 0 else len(piece) - last
        if since > _LARGEST_STANZA:
            raise HostFileError("", 0, f"a stanza of over {_LARGEST_STANZA >> 20} MB")
        yield piece


_EXPECTED = (b"Maintainer", b"Description")
"""Fields that every installed package has, and that stand near the end of its stanza."""


def _cut_off(ends: list[bytes], final: bytes, line: int) -> Iterator[IndexNote]:
    """What tells that the record was cut: the installer's lower half reads one without its last
    line end, or with a stanza that lacks fields, only under protest or not at all (observed)."""
    stanzas = [b"\n" + stanza for stanza in ends if stanza.strip()]
    if stanzas and final != b"\n":
        yield IndexNote(line - 2, NO_LINE_END)
    if len(stanzas) > 1 and b"\nStatus: install ok installed" in stanzas[-1]:
        before, last = stanzas
        for name in _EXPECTED:
            field = b"\n" + name + b":"
            if field in before and field not in last:
                yield IndexNote(line - 2, f"the last package has no {name.decode()}; {_CUT}")


def stanzas_of(pieces: Iterable[bytes]) -> Iterator[bytes]:
    """The stanzas of a file, one at a time; HostFileError where one is far larger than any is."""
    for group in _stanzas(pieces):
        yield from group


def _stanzas(pieces: Iterable[bytes]) -> Iterator[list[bytes]]:
    rest = b""
    for piece in pieces:
        clean = piece.replace(b"\r", b"") if b"\r" in piece else piece
        parts = (rest + clean).split(b"\n\n")
        rest = parts.pop()
        if len(rest) > _LARGEST_STANZA:
            raise HostFileError("", 0, f"a stanza of over {_LARGEST_STANZA >> 20} MB")
        yield parts
    if rest.strip():
        yield [rest.rstrip(b"\n")]


def _in_blocks(groups: Iterable[list[bytes]]) -> Iterator[list[bytes]]:
    waiting: list[bytes] = []
    for group in groups:
        waiting += group
        full = len(waiting) - len(waiting) % _IN_BLOCK
        for first in range(0, full, _IN_BLOCK):
            yield waiting[first : first + _IN_BLOCK]
        del waiting[:full]
    if waiting:
        yield waiting


def _batch(stanzas: list[bytes], line: int, notes: Notes, record: bool) -> Batch:
    # A measured hot loop, kept in one piece; plain tuples stand in for ParsedEntry.
    block = b"\n\n".join(stanzas)
    usual = None if record else _usual(block, stanzas)
    if usual is not None:
        return usual
    found = _all_at_once(block, stanzas)
    entries: list[ParsedEntry] = []
    provides: list[tuple[str, int]] = []
    start = 0
    is_sound = record or package_names.check(NAMES).are_all_sound(
        [each.get("Package", "_").rstrip().lower() for each in found],
        [each.get("Version", "0").rstrip() for each in found],
    )
    for raw, quick in zip(stanzas, found, strict=True):
        length, fields = len(raw), quick
        if len(fields) < _LEAST or not (
            fields.get("Version")
            and fields.get("Architecture")
            and fields.get("Package", "").strip()
            and " " not in fields["Package"].rstrip()
            and " " not in fields["Architecture"].rstrip()
            and (not record or _STATUS.fullmatch(fields.get("Status", "")))
        ):
            fields = _slowly(raw)
            what, code = _what_is_wrong(raw, fields, record)
            if what:
                notes.append(IndexNote(line + block[:start].count(b"\n"), what, code))
            if what or not fields.get("Version"):
                start += length + 2
                continue
        if not is_sound:
            odd = package_names.check(NAMES).why_odd(
                fields["Package"].rstrip().lower(), fields["Version"].rstrip()
            )
            if odd:
                if len(notes) < package_names.MOST_TOLD:
                    notes.append(IndexNote(line + block[:start].count(b"\n"), odd))
                start += length + 2
                continue
        if "Provides" in fields:
            provides += [(name, len(entries)) for name in _provided(raw, fields["Provides"])]
        origin = fields.get("Source", "")
        entries.append(
            (  # type: ignore[arg-type]
                fields["Package"].rstrip().lower(),  # the host folds letter case too (observed)
                fields.get("Architecture", "").rstrip(),
                fields["Version"].rstrip(),
                origin and origin.partition(" ")[0],
                fields["Status"] if record else "",
                start,
                length,
                fields.get("Description", ""),
            )
        )
        start += length + 2
    essential = _essential(stanzas) if b"\nEssential:" in block else []
    return Batch(block, entries, provides, essential)


def _usual(block: bytes, stanzas: list[bytes]) -> Batch | None:
    """The entries of stanzas that all are in the usual order; None if any is not."""
    if b"\t" in block:
        return None
    found = _USUAL.findall(str(block, "utf-8", "replace") + "\n")
    if len(found) != len(stanzas):
        return None
    entries: list[ParsedEntry] = []
    provides: list[tuple[str, int]] = []
    start = 0
    for raw, (name, source, version, arch, provided, description) in zip(
        stanzas, found, strict=True
    ):
        if provided:
            provides += [(each, len(entries)) for each in _provided(raw, provided[9:])]
        if len(name) > package_names.LONGEST or len(version) > package_names.LONGEST:
            return None
        length = len(raw)
        origin = source.partition(" ")[0] if source else ""
        entry = (name, arch, version, origin, "", start, length, description)
        entries.append(entry)  # type: ignore[arg-type]
        start += length + 2
    essential = _essential(stanzas) if b"\nEssential:" in block else []
    return Batch(block, entries, provides, essential)


def _essential(stanzas: list[bytes]) -> list[str]:
    fields = [parse_stanza(raw) for raw in stanzas if b"\nEssential:" in raw]
    return [
        stanza.get("package", "").lower()
        for stanza in fields
        if stanza["essential"].lower() == "yes"
    ]


def _all_at_once(block: bytes, stanzas: list[bytes]) -> list[dict[str, str]]:
    """The wanted fields of each stanza, by one pass over the block where that is safe."""
    if b"\t" in block:
        return [_slowly(raw) for raw in stanzas]
    current: dict[str, str] = {}
    found: list[dict[str, str]] = []
    for key, value in _WANTED.findall("\n" + str(block, "utf-8", "replace")):
        if key == "Package":
            current = {}
            found.append(current)
        current[key] = value
    if len(found) == len(stanzas) and all(stanza.startswith(b"Package:") for stanza in stanzas):
        return found
    return [_slowly(raw) for raw in stanzas]


def _slowly(raw: bytes) -> dict[str, str]:
    """The wanted fields of one stanza, whatever their order and letter case."""
    found = _ANY_CASE.findall(str(raw, "utf-8", "replace"))
    return {name.capitalize(): " ".join(value.split("\t")).rstrip() for name, value in found}


def _what_is_wrong(raw: bytes, found: dict[str, str], record: bool) -> tuple[str, NoteCode]:
    """What keeps a stanza from being an entry, empty where nothing does; a stanza or status that
    is none makes the installer read nothing at all (docs/how-hosts-choose/deb.md)."""
    if not raw.strip():
        return "", ""
    name = found.get("Package")
    if not name:
        return NO_PACKAGE, "unreadable"
    if record and not found.get("Status"):
        return f"{name}: no Status; the file may be cut off", ""
    if record and not _STATUS.fullmatch(found["Status"]):
        return f"{name}: {NO_STATUS}", "unreadable"
    if record and "not-installed" in found["Status"].split():
        return "", ""
    if " " in name.rstrip() or " " in found.get("Architecture", "").rstrip():
        return f"{name}: a blank in its name or architecture", ""
    missing = [field for field in ("Version", "Architecture") if not found.get(field)]
    return (f"{name}: a stanza without {missing[0]}" if missing else ""), ""


def _provided(raw: bytes, value: str) -> list[str]:
    at = raw.find(b"\nProvides:")
    after = raw.find(b"\n", at + 1) + 1
    if at < 0 or (after and raw[after : after + 1] in (b" ", b"\t")):
        folded = _PROVIDES_FOLDED.search(str(raw, "utf-8", "replace"))
        value = folded.group().partition(":")[2] if folded else value
    return [
        part.strip().partition(" ")[0].partition("(")[0].partition(":")[0]
        for part in value.split(",")
        if part.strip()
    ]
