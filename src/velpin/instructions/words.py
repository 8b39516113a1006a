"""The words of a shell line, and what they stand for.

What cannot be known stands in a text as `UNKNOWN`, so that it goes wherever the text goes.
"""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Iterator, Sequence
from typing import NamedTuple, Protocol

from velpin.instructions.arithmetic import NotKnown, worked_out

UNKNOWN = "\uf8ff"
"""What is not known; no text that is read has this character."""
MOST_EXPANDED = 1 << 18
"""Characters of one expanded text."""
_MOST_DEPTH = 40
_LONGEST_MATCHED = 4000
"""Characters of a text of which a part is cut off or replaced by a pattern."""

_NAME = re.compile(r"[A-Za-z_]\w*")
_SPECIAL = "@*#?$!-0123456789"
_ONLY_LIST = re.compile(r'"\$(?:@|\{(?:@|\w+\[@\])[^{}"]*\})"')
"""A list in quotes, which is no word at all if it is empty."""
_INSTALLERS_OWN = ("releasever", "basearch", "repo", "arch")
"""Variables of installers' own files; one that no shell has set is meant for them."""


class Names(Protocol):
    """What names and commands stand for."""

    def value(self, name: str, key: str | None = None) -> str | None:
        """Return a variable's text, or that of a list's element by its number or its key; None if
        it is not set."""

    def values(self, name: str) -> Sequence[str]:
        """Return all values of a list, or of `@` all arguments."""

    def assign(self, name: str, value: str) -> None:
        """Set a variable."""

    def output(self, command: str) -> str:
        """Return what a command would print."""

    def as_file(self, command: str) -> str:
        """Return the name of a file with what a command would print."""


class _Piece(NamedTuple):
    text: str
    is_quoted: bool = False
    is_value: bool = False
    """Whether it came from a variable or a command, so that blanks in it part words."""
    parts: bool = False
    """Whether a word ends before it: between the arguments of `$@`."""


def is_known(text: str) -> bool:
    """Whether nothing in a text is unknown."""
    return UNKNOWN not in text


def fields(raw: str, names: Names) -> list[str]:
    """The words that one word of a line becomes."""
    words: list[str] = []
    current: str | None = None
    for piece in _Scanner(names).pieces(raw):
        if piece.parts:
            if current is not None:
                words.append(current)
            current = None
        if not piece.is_value or piece.is_quoted:
            current = (current or "") + piece.text
            continue
        parts = re.split(r"[ \t\n]+", piece.text)
        for at, part in enumerate(parts):
            if at:
                if current is not None:
                    words.append(current)
                current = None
            if part:
                current = (current or "") + part
    if current is not None:
        words.append(current)
    return [each for word in words for each in _braces(word, raw)]


def text_of(raw: str, names: Names) -> str:
    """One text that a word becomes, blanks and all."""
    return "".join(" " * piece.parts + piece.text for piece in _Scanner(names).pieces(raw)).lstrip(
        "" if raw[:1] in "\"'" else " "
    )


def document(raw: str, names: Names) -> str:
    """A here-document's text with what stands in it."""
    return "".join(piece.text for piece in _Scanner(names).quoted(raw, in_document=True))


def pattern_of(raw: str, names: Names) -> re.Pattern[str]:
    """A shell pattern as a regular expression; quoted parts stand for themselves."""
    glob = "".join(
        re.sub(r"([*?[])", r"[\1]", piece.text) if piece.is_quoted else piece.text
        for piece in _Scanner(names).pieces(raw)
    )
    return re.compile(fnmatch.translate(glob), re.DOTALL)


def split_words(raw: str) -> list[str]:
    """Words of a text as they stand, quotes and all."""
    words, start, at = [], None, 0
    while at < len(raw):
        char = raw[at]
        if char.isspace():
            if start is not None:
                words.append(raw[start:at])
            start, at = None, at + 1
            continue
        start = at if start is None else start
        at = _after(raw, at)
    if start is not None:
        words.append(raw[start:])
    return words


def _after(raw: str, at: int) -> int:
    """The place behind what stands at a place: a character, a quoted text, a substitution."""
    char = raw[at]
    if char == "\\":
        return min(at + 2, len(raw))
    if char == "'":
        return _find(raw, "'", at + 1) + 1
    if char == '"':
        return _end_of_quoted(raw, at + 1) + 1
    if char == "`":
        return _end_of_backticks(raw, at + 1) + 1
    if raw.startswith(("$(", "${", "<("), at):
        return _close(raw, at + 2, raw[at + 1]) + 1
    return at + 1


def _find(raw: str, what: str, at: int) -> int:
    found = raw.find(what, at)
    return len(raw) if found < 0 else found


def _end_of_quoted(raw: str, at: int) -> int:
    while at < len(raw) and raw[at] != '"':
        at = _after(raw, at) if raw[at] in "\\`" or raw.startswith(("$(", "${"), at) else at + 1
    return at


def _end_of_backticks(raw: str, at: int) -> int:
    while at < len(raw) and raw[at] != "`":
        at += 2 if raw[at] == "\\" else 1
    return min(at, len(raw))


def _close(raw: str, at: int, opening: str) -> int:
    """The place of the bracket that closes one opened before a place."""
    closing, depth = {"(": ")", "{": "}"}[opening], 1
    while at < len(raw):
        char = raw[at]
        if char == closing:
            depth -= 1
            if not depth:
                return at
            at += 1
        elif char == opening:
            depth += 1
            at += 1
        else:
            at = _after(raw, at)
    return len(raw)


class _Scanner:
    def __init__(self, names: Names, depth: int = 0) -> None:
        self._names, self._depth = names, depth

    def pieces(self, raw: str) -> Iterator[_Piece]:
        """What an unquoted text becomes."""
        if self._depth > _MOST_DEPTH:
            yield _Piece(UNKNOWN)
            return
        at = 0
        if raw == "~" or raw.startswith("~/"):
            yield _Piece("/root")
            at = 1
        while at < len(raw):
            char, end = raw[at], _after(raw, at)
            if char == "\\":
                if raw[at + 1 : end] != "\n":
                    yield _Piece(raw[at + 1 : end], is_quoted=True)
            elif char == "'":
                yield _Piece(raw[at + 1 : end - 1], is_quoted=True)
            elif char == '"':
                yield _Piece("", is_value=_ONLY_LIST.fullmatch(raw, at, end) is not None)
                yield from self.quoted(raw[at + 1 : max(end - 1, at + 1)])
            elif raw.startswith("$'", at):
                end = _end_of_ansi(raw, at + 2)
                yield _Piece(unescaped(raw[at + 2 : end]), is_quoted=True)
                end += 1
            elif raw.startswith('$"', at):
                end = at + 1
            elif raw.startswith("<(", at):
                yield _Piece(self._names.as_file(raw[at + 2 : end - 1]), is_quoted=True)
            elif char in "$`":
                found, end = self._value(raw, at)
                yield from found
            else:
                yield _Piece(char)
            at = end

    def quoted(self, raw: str, *, in_document: bool = False) -> Iterator[_Piece]:
        """What a text in double quotes becomes, or a here-document."""
        at, plain = 0, []
        while at < len(raw):
            char = raw[at]
            if char == "\\" and at + 1 < len(raw):
                following = raw[at + 1]
                if following == "\n":
                    pass
                elif following in "$`\\" or (following == '"' and not in_document):
                    plain.append(following)
                else:
                    plain.append(char + following)
                at += 2
            elif char in "$`":
                if plain:
                    yield _Piece("".join(plain), is_quoted=True)
                plain = []
                found, at = self._value(raw, at)
                for piece in found:
                    yield piece._replace(is_quoted=True)
            else:
                plain.append(char)
                at += 1
        if plain:
            yield _Piece("".join(plain), is_quoted=True)

    def _value(self, raw: str, at: int) -> tuple[list[_Piece], int]:
        """What a substitution becomes, and the place behind it."""
        end = _after(raw, at)
        if raw[at] == "`":
            inner = re.sub(r"\\([$`\\])", r"\1", raw[at + 1 : end - 1])
            return [self._printed(inner)], end
        if raw.startswith("$((", at) and raw[end - 2 : end] == "))":
            return [_Piece(self._number(raw[at + 3 : end - 2]), is_value=True)], end
        if raw.startswith("$(", at):
            return [self._printed(raw[at + 2 : end - 1])], end
        if raw.startswith("${", at):
            return self._expansion(raw[at + 2 : end - 1]), end
        name = _NAME.match(raw, at + 1)
        if name:
            return self._named(name.group()), name.end()
        if raw[at + 1 : at + 2] and raw[at + 1] in _SPECIAL:
            return self._named(raw[at + 1]), at + 2
        return [_Piece("$")], at + 1

    def _printed(self, command: str) -> _Piece:
        return _Piece(self._names.output(command).rstrip("\n"), is_value=True)

    def _named(self, name: str) -> list[_Piece]:
        if name == "@":
            return [
                _Piece(value, is_value=True, parts=at > 0)
                for at, value in enumerate(self._names.values("@"))
            ]
        if name == "*":
            return [_Piece(" ".join(self._names.values("@")), is_value=True)]
        value = self._names.value(name)
        if value is None:
            value = f"${name}" if name in _INSTALLERS_OWN else ""
        return [_Piece(value, is_value=True)]

    def _number(self, raw: str) -> str:
        try:
            return str(worked_out(self.text(raw), self._names.value, self._names.assign))
        except NotKnown:
            return UNKNOWN

    def text(self, raw: str) -> str:
        """One text that a word inside another becomes."""
        inner = _Scanner(self._names, self._depth + 1)
        return "".join(" " * piece.parts + piece.text for piece in inner.pieces(raw))

    def _expansion(self, raw: str) -> list[_Piece]:
        found = re.match(r"(#|!)?([A-Za-z_]\w*|[@*#?$!0-9])(?:\[([^\]]*)\])?(.*)\Z", raw, re.DOTALL)
        if not found or (raw.startswith("#") and raw != "#" and not found.group(2)):
            return [_Piece(UNKNOWN)]
        mark, name, index, rest = found.groups()
        if index in ("@", "*") or name in "@*":
            values = self._names.values(name)
            if mark == "#":
                return [_Piece(str(len(values)))]
            if mark == "!":
                return [_Piece(UNKNOWN)]
            return self._list(values, rest, is_arguments=name in "@*")
        if index is not None:
            value: str | None = self._names.value(name, self.text(index))
        else:
            value = self._names.value(name)
        if mark == "!":
            is_name = value and (_NAME.fullmatch(value) or value.isdigit())
            value = self._names.value(value or "") if is_name else UNKNOWN
        if mark == "#":
            return [_Piece(str(len(value or "")) if is_known(value or "") else UNKNOWN)]
        if value is None and not rest and name in _INSTALLERS_OWN:
            value = f"${name}"
        return [_Piece(self._changed(name, value, rest), is_value=True)]

    def _list(self, values: Sequence[str], rest: str, *, is_arguments: bool) -> list[_Piece]:
        """All values of a list, with what stands behind its name in the braces."""
        if found := re.match(r":?([-+=?])(.*)\Z", rest, re.DOTALL):
            if found.group(1) == "+" or not values:
                word = found.group(2) if values or found.group(1) in "-=" else ""
                inner = _Scanner(self._names, self._depth + 1)
                return [piece._replace(is_value=True) for piece in inner.pieces(word)]
        elif cut := re.fullmatch(r":\s*(\d+)(?::(\d+))?", rest):
            start = max(int(cut.group(1)) - is_arguments, 0)
            values = values[start : start + int(cut.group(2)) if cut.group(2) else None]
        elif rest:
            values = [self._changed("", value, rest) for value in values]
        return [_Piece(value, is_value=True, parts=at > 0) for at, value in enumerate(values)]

    def _changed(self, name: str, value: str | None, rest: str) -> str:
        """A variable's value with what stands behind its name in the braces."""
        found = re.match(r"(:?)([-=+?])(.*)\Z", rest, re.DOTALL)
        if found:
            is_set = value is not None and (value != "" or not found.group(1))
            operator, word = found.group(2), found.group(3)
            if operator == "+":
                return self.text(word) if is_set else ""
            if is_set:
                return value or ""
            if operator == "=":
                self._names.assign(name, self.text(word))
            return self.text(word) if operator in "-=" else ""
        value = value or ""
        if not rest or not is_known(value):
            return value
        if rest[0] in "#%":
            twice = rest[:2] == rest[0] * 2
            return _trimmed(value, self._glob(rest[2 if twice else 1 :]), rest[0], longest=twice)
        if rest[0] == "/":
            return self._replaced(value, rest[1:])
        if rest in ("^^", ",,", "^", ","):
            changed = value.upper() if rest[0] == "^" else value.lower()
            return changed if len(rest) == 2 else changed[:1] + value[1:]
        cut = re.fullmatch(r":\s*(-?\d+)(?::\s*(-?\d+))?", self.text(rest))
        if cut:
            tail = value[int(cut.group(1)) :]
            return tail[: int(cut.group(2))] if cut.group(2) else tail
        return UNKNOWN

    def _glob(self, raw: str) -> str:
        return "".join(
            re.sub(r"([*?[])", r"[\1]", piece.text) if piece.is_quoted else piece.text
            for piece in _Scanner(self._names, self._depth + 1).pieces(raw)
        )

    def _replaced(self, value: str, rest: str) -> str:
        if len(value) > _LONGEST_MATCHED:
            return UNKNOWN
        every = rest.startswith("/")
        old, _, new = rest[every:].partition("/")
        side = old[:1] if old[:1] in ("#", "%") and not every else ""
        pattern = fnmatch.translate(self._glob(old[len(side) :]))
        if side != "%":
            pattern = pattern.removesuffix(r"\Z").removesuffix(r"\z")
        text = self.text(new)
        if side == "%":  # the longest end that fits
            places = (at for at in range(len(value) + 1) if re.match(pattern, value[at:]))
            at = next(places, None)
            return value if at is None else value[:at] + text
        if side == "#":
            return re.sub(rf"\A{pattern}", lambda _: text, value, count=1)
        return re.compile(pattern).sub(lambda _: text, value, count=0 if every else 1)


def _trimmed(value: str, glob: str, side: str, *, longest: bool) -> str:
    if len(value) > _LONGEST_MATCHED:
        return UNKNOWN
    whole = re.compile(fnmatch.translate(glob), re.DOTALL)
    cuts = range(len(value) + 1)
    for cut in reversed(cuts) if longest == (side == "#") else cuts:
        part = value[:cut] if side == "#" else value[cut:]
        if whole.match(part):
            return value[cut:] if side == "#" else value[:cut]
    return value


def _end_of_ansi(raw: str, at: int) -> int:
    while at < len(raw) and raw[at] != "'":
        at += 2 if raw[at] == "\\" else 1
    return min(at, len(raw))


_ESCAPES = {
    "n": "\n",
    "t": "\t",
    "r": "\r",
    "a": "",
    "b": "",
    "e": "",
    "f": "",
    "v": "",
    "\\": "\\",
}


def unescaped(text: str, octal: str = "0?[0-7]{1,3}") -> str:
    """A text with its backslash escapes, as `printf` prints them; `echo` takes another `octal`."""

    def one(found: re.Match[str]) -> str:
        code = found.group(1)
        if code[0] == "x" and len(code) > 1:
            return chr(int(code[1:], 16))
        if code[0].isdigit():
            return chr(int(code, 8) & 0xFF) if found.group(2) is not None else f"\\{code}"
        return _ESCAPES.get(code, "\\" + code if code not in "'\"" else code)

    return re.sub(rf"\\(x[0-9A-Fa-f]{{1,2}}|({octal})|.)", one, text, flags=re.DOTALL)


def _braces(word: str, raw: str) -> list[str]:
    """`a{b,c}` is two words, where the braces were not quoted."""
    if "{" not in raw:
        return [word]
    bare = re.sub(r"'[^']*'|\"(?:\\.|[^\"\\])*\"", "", raw, flags=re.DOTALL)
    if not re.search(r"(?<!\$)\{[^{}]*,[^{}]*\}", bare):
        return [word]
    found = re.search(r"\{([^{}]*,[^{}]*)\}", word)
    if not found:
        return [word]
    parts = found.group(1).split(",")
    return [word[: found.start()] + part + word[found.end() :] for part in parts]
