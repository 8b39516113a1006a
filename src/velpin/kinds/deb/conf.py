"""The installer's own configuration (`etc/apt/apt.conf` and `apt.conf.d`).

Grammar (observed: thousands of drawn files held against the installer's own dump of its settings):

    statement = [name] [value] ";" | [name] [value] "{" | [name] [value] "}"
    name      = word                     a trailing "::" appends to a list
    value     = word | ("quoted")+       a word may hold quoted and [bracketed] parts, and %41
    comment   = "//" line | "#" line | "/*" any "*/"      outside quotes
    directive = "#clear" name ";" | "#include" file ";"   outside blocks

What ends a statement is looked for line by line, and quotes end with their line. A `}` ends a last
statement without `;`, and means nothing outside a block; a block may stay open at the end of the
file, a statement may not. One file that breaks this makes every request fail, so it raises.

Files of the folder are read in byte order, then `apt.conf`, and the last value wins.

Observed rules: docs/how-hosts-choose/deb.md, "Settings".
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.files.text import decode
from velpin.files.tree import Tree
from velpin.kinds.deb.files import read_and_skipped
from velpin.model.reason import Place

_QUOTED = re.compile(r'(?:"[^"]*" *)+')
_QUOTED_PART = re.compile(r'"([^"]*)"( *)')
_CODE = re.compile(r"%([0-9A-Fa-f]{2})")
_DIRECTIVES = ("#clear", "#include")
_ENDS = "{};"
_TAB = " " * 8
_DEEPEST = 10
"""So deep may files include each other."""
_MAIN = "etc/apt/apt.conf"
_PROGRAM = "apt-get"
"""The program of the host's installer whose decisions are forecast."""
_PLACES = {"Dir::Etc": "etc/apt", "Dir::State": "var/lib/apt"}


class ConfValue(NamedTuple):
    """One setting and where it stands."""

    text: str
    place: Place


class Conf:
    """Settings by name; names ignore case, as on the host."""

    def __init__(self) -> None:
        self.values: dict[str, list[ConfValue]] = {}
        self.skipped: list[tuple[str, str]] = []

    def get(self, name: str, default: str = "") -> str:
        """The value in force."""
        found = self.values.get(name.lower())
        return found[-1].text if found else default

    def place(self, name: str) -> Place | None:
        """Where the value in force stands."""
        found = self.values.get(name.lower())
        return found[-1].place if found else None

    def listed(self, name: str) -> list[str]:
        """All values of a list setting (`Name:: "x";` or `Name { "x"; };`)."""
        return [value.text for value in self.values.get(name.lower() + "::", [])]

    def switch(self, name: str, default: bool) -> bool:
        """A yes/no setting."""
        return is_yes(self.get(name), default)

    def file(self, place: str, name: str, default: str) -> str:
        """Where a file or folder of the installer's lies, below the root: `place` is the
        folder setting that it lies in (`Dir::Etc`), unless its own setting is absolute."""
        text = self.get(f"{place}::{name}") or default
        folder = self.get(place) or _PLACES[place]
        whole = text if text.startswith("/") else f"{folder}/{text}"
        return "/".join(part for part in whole.split("/") if part not in ("", "."))

    def take_for(self, program: str) -> None:
        """Let what is set for one program alone hold; it goes before what is set for all."""
        own = f"binary::{program}::"
        for name, values in list(self.values.items()):
            if name.startswith(own):
                for value in values:
                    self.set(name.removeprefix(own), value)

    def clear(self, name: str) -> None:
        """Forget a setting and all below it."""
        below = f"{name.lower()}::"
        for known in [each for each in self.values if f"{each}::".startswith(below)]:
            del self.values[known]

    def set(self, name: str, value: ConfValue) -> None:
        """Record one setting; a name ending in `::` appends."""
        if name.endswith("::"):
            self.values.setdefault(name.lower(), []).append(value)
        else:
            self.values[name.lower()] = [value]


def is_yes(text: str, default: bool) -> bool:
    """How the host reads yes/no texts; anything it does not know is the default."""
    word = text.strip().lower()
    if word in ("yes", "true", "with", "on", "enable", "1"):
        return True
    if word in ("no", "false", "without", "off", "disable", "0"):
        return False
    return default


def read_conf(tree: Tree) -> Conf:
    """All settings of the host; HostFileError (file, line) where the host would stop."""
    conf = Conf()
    read, conf.skipped = read_and_skipped(tree, "etc/apt/apt.conf.d", ("conf",), bare=True)
    for file in [*read, _MAIN]:
        data = tree.read(file)
        if data is not None:
            parse_conf(decode(data), file, conf, tree.read)
    conf.take_for(_PROGRAM)
    return conf


Include = Callable[[str], bytes | None]
"""The contents of a file that another one includes; None where there is none."""


def parse_conf(
    text: str, file: str, conf: Conf, include: Include = lambda _file: None, depth: int = 0
) -> None:
    """Add the settings of one file's text to `conf`; HostFileError where it is malformed."""
    scopes: list[str] = []
    held, start = "", 0
    for number, line in _plain_lines(text):
        for piece, end in _pieces(line):
            start = start if held else number
            held = f"{held} {piece}" if held and piece else held + piece
            if not end:
                continue
            place = Place(file, start)
            said, held = held.strip(" "), ""
            if said.startswith("#"):
                if scopes and scopes[-1]:
                    raise HostFileError(file, start, "a directive within a block")
                _direct(said, place, conf, include, depth)
            else:
                _state(said, scopes, place, conf, opens=end == "{")
            if end == "}" and scopes:
                scopes.pop()
    if held.strip(" "):
        raise HostFileError(file, start, f"no ; after {held.strip(' ')[:60]!r}")


def _plain_lines(text: str) -> Iterator[tuple[int, str]]:
    """Every line with its number, without comments. A line comment is looked for first, within a
    comment of the other form too, which then stays open (observed)."""
    is_open = False
    for number, raw in enumerate(text.split("\n"), 1):
        line = raw.replace("\t", _TAB).strip(" \r\v\f")
        if is_open:
            _, end, line = line.partition("*/")
            if not end:
                continue
            is_open = False
        line = line[: _line_comment(line)]
        at = _outside_quotes(line, "/*", 0)
        while at >= 0:
            end_at = line.find("*/", at + 2)
            if end_at < 0:
                line, is_open = line[:at], True
                break
            line = line[:at] + line[end_at + 2 :]
            at = _outside_quotes(line, "/*", 0)
        yield number, line


def _line_comment(line: str) -> int:
    """Where a comment to the end of a line begins, else the line's length."""
    quoted = False
    for at, char in enumerate(line):
        quoted ^= char == '"'
        if quoted or char not in "/#":
            continue
        if line.startswith("//", at) or (char == "#" and not line.startswith(_DIRECTIVES, at)):
            return at
    return len(line)


def _outside_quotes(line: str, text: str, start: int) -> int:
    """Where a text stands first outside quotes, -1 for nowhere."""
    at = line.find(text, start)
    while at >= 0 and line.count('"', 0, at) % 2:
        at = line.find(text, at + 1)
    return at


def _pieces(line: str) -> Iterator[tuple[str, str]]:
    """The parts of a line with the mark that ends each; the last has none."""
    first, quoted = 0, False
    for at, char in enumerate(line):
        quoted ^= char == '"'
        if not quoted and char in _ENDS:
            yield line[first:at], char
            first = at + 1
    yield line[first:], ""


def _state(said: str, scopes: list[str], place: Place, conf: Conf, *, opens: bool) -> None:
    if not said:
        if opens:
            raise HostFileError(place.file, place.line, "a { without a name")
        return
    within = f"{scopes[-1]}::" if scopes and scopes[-1] else ""
    name, rest = _word(said, place)
    value = _value(rest, place)
    if value is not None:
        conf.set(within + name, ConfValue(value, place))
    elif within and not opens:
        conf.set(within, ConfValue(name, place))  # an entry of a list
    if opens:
        scopes.append(within + name)


def _direct(said: str, place: Place, conf: Conf, include: Include, depth: int) -> None:
    name, rest = _word(said, place)
    value = _value(rest, place) or ""
    if name == "#clear":
        conf.clear(value)
        return
    data = include(value.lstrip("/")) if value.startswith("/") and depth < _DEEPEST else None
    if data is None:
        raise HostFileError(place.file, place.line, f"includes {value!r}, which cannot be read")
    parse_conf(decode(data), value.lstrip("/"), conf, include, depth + 1)


def _word(text: str, place: Place) -> tuple[str, str]:
    """The first word of a text, and the rest; quotes are taken off and codes put in."""
    text = text.lstrip(" ")
    at = 0
    while at < len(text) and text[at] != " ":
        if text[at] in '"[':
            end = text.find('"' if text[at] == '"' else "]", at + 1)
            if end < 0:
                raise HostFileError(place.file, place.line, f"{text[at:][:60]!r} has no end")
            at = end
        at += 1
    raw = text[:at].replace('"', "")
    return _CODE.sub(lambda code: chr(int(code[1], 16)), raw), text[at:].strip(" ")


def _value(text: str, place: Place) -> str | None:
    """A value: quoted texts one after the other, or one word; None for none."""
    if not text:
        return None
    if _QUOTED.fullmatch(text):
        parts = _QUOTED_PART.findall(text)
        return "".join(part + (blank and " ") for part, blank in parts)
    word, rest = _word(text, place)
    if rest:
        raise HostFileError(place.file, place.line, f"no ; after {word!r}")
    return word
