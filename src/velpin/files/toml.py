"""Files of Velpin's own formats (TOML), read strictly: what is not understood is an error with its
line and what would help.

The standard library's reader keeps no lines, so they are looked up beside it: headings and keys in
the text, in the order of reading. A key inside an inline table has the line of that table's key.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any

from velpin.errors import HostFileError
from velpin.files.text import has_control, split_lines

_HEADING = re.compile(r"\s*(\[\[?)\s*([^\]]+?)\s*\]\]?\s*(?:#.*)?$")
_KEY = re.compile(r"\s*((?:[A-Za-z0-9_-]+|\"[^\"]*\"|'[^']*')(?:\s*\.\s*(?:[A-Za-z0-9_-]+))*)\s*=")
_TOO_DEEP = re.compile(
    r"""(?<![A-Za-z0-9_"'-])(?:(?:[A-Za-z0-9_-]++|"[^"\n]*+"|'[^'\n]*+')[ \t]*+\.[ \t]*+){32}"""
)
"""A key of very many parts, for which the standard reader takes time by the square of them."""
_FENCES = ('"""', "'''")
_AT = re.compile(r"\(at line (\d+), column \d+\)|\(at end of document\)")
_LARGEST = 8 << 20

Path = tuple[str | int, ...]


def read_toml(data: bytes, file: str, most: int = _LARGEST) -> TomlTable:
    """The outermost table of a file; HostFileError, with the line, where it is no such file."""
    import tomllib

    if len(data) > most:
        raise HostFileError(file, 0, f"is larger than {most} bytes")
    try:
        text = data.decode("utf-8")
        deep = _TOO_DEEP.search(text)
        if deep:
            line = text.count("\n", 0, deep.start()) + 1
            raise HostFileError(file, line, "a key of more parts than any has")
        value = tomllib.loads(text)
    except UnicodeDecodeError as problem:
        line = data[: problem.start].count(b"\n") + 1
        raise HostFileError(file, line, "not UTF-8 text") from problem
    except (ValueError, RecursionError) as problem:
        found = _AT.search(str(problem))
        line = int(found.group(1)) if found and found.group(1) else data.count(b"\n")
        what = _AT.sub("", str(problem)).strip()
        raise HostFileError(file, line, what, "the file is TOML: KEY = VALUE, [table]") from problem
    return TomlTable(value, file, dict(_lines_of(text)))


def _lines_of(text: str) -> Iterator[tuple[Path, int]]:
    """Where each heading and key stands, by its path."""
    counts: dict[Path, int] = {}
    here: Path = ()
    fence = ""
    for number, line in enumerate(split_lines(text), 1):
        if fence:
            fence = "" if fence in line else fence
            continue
        heading = _HEADING.match(line)
        if heading and not _KEY.match(line):
            here = _resolved(_parts(heading.group(2)), counts, listed=heading.group(1) == "[[")
            yield here, number
            continue
        key = _KEY.match(line)
        if key:
            yield (*here, *_parts(key.group(1))), number
            fence = next((mark for mark in _FENCES if line.count(mark) % 2), "")


def _parts(text: str) -> list[str]:
    return [part.strip().strip("\"'") for part in text.split(".")]


def _resolved(parts: Sequence[str], counts: dict[Path, int], *, listed: bool) -> Path:
    """The path of a heading: which of several tables of one name it is in."""
    found: Path = ()
    for at, part in enumerate(parts):
        found = (*found, part)
        last = at == len(parts) - 1
        if last and listed:
            counts[found] = counts.get(found, -1) + 1
        if found in counts:
            found = (*found, counts[found])
    return found


class TomlTable:
    """One table of a file; what is asked of it is checked, and `done` refuses what was not."""

    def __init__(
        self, value: Mapping[str, Any], file: str, lines: Mapping[Path, int], path: Path = ()
    ) -> None:
        self._value, self.file, self._lines, self._path = value, file, lines, path
        self._asked: set[str] = set()

    def __contains__(self, name: str) -> bool:
        return name in self._value

    @property
    def line(self) -> int:
        """Where it begins."""
        return self.line_of()

    def line_of(self, *names: str | int) -> int:
        """Where a key of it stands, else where the nearest thing above it does."""
        path = (*self._path, *names)
        while path and path not in self._lines:
            path = path[:-1]
        return self._lines.get(path, 1)

    def wrong(self, name: str, what: str, hint: str = "") -> HostFileError:
        """The error for a key, or without a name for the table."""
        line = self.line_of(name) if name else self.line
        return HostFileError(self.file, line, what, hint)

    # -- what it holds ---------------------------------------------------------------------

    def text(
        self, name: str, default: str = "", *, needed: bool = False, lines: bool = False
    ) -> str:
        """A text of one line, or with `lines` of several, without the blanks around it."""
        found = self._get(name, needed=needed)
        if found is None:
            return default
        if not isinstance(found, str):
            raise self.wrong(name, f"{name} is not a text", f'{name} = "..."')
        self._check_control(name, found.strip(), lines)
        if needed and not found.strip():
            raise self.wrong(name, f"{name} is empty")
        return found.strip()

    def texts(self, name: str) -> tuple[str, ...]:
        """Texts; a single one may stand without brackets."""
        found = self._get(name)
        listed = [found] if isinstance(found, str) else found or []
        if not isinstance(listed, list) or not all(isinstance(one, str) for one in listed):
            raise self.wrong(name, f"{name} is not a list of texts", f'{name} = ["...", "..."]')
        for each in listed:
            self._check_control(name, each.strip())
        return tuple(one.strip() for one in listed if one.strip())

    def _check_control(self, name: str, text: str, lines: bool = False) -> None:
        """What stands in a file of Velpin's goes into files of the host: one line stays one."""
        if has_control(text, lines=lines):
            what = "a control character" if lines else "a line break or another control character"
            raise self.wrong(name, f"{name} holds {what}", "one line of plain text")

    def flag(self, name: str, default: bool = False) -> bool:
        """Yes or no."""
        found = self._get(name)
        if found is None:
            return default
        if not isinstance(found, bool):
            raise self.wrong(name, f"{name} is neither true nor false", f"{name} = true")
        return found

    def number(self, name: str) -> int | None:
        """A whole number, None where it is not there."""
        found = self._get(name)
        if found is not None and (not isinstance(found, int) or isinstance(found, bool)):
            raise self.wrong(name, f"{name} is not a whole number", f"{name} = 1")
        return found

    def day(self, name: str) -> str:
        """A day, as YYYY-MM-DD; empty where it is not there."""
        import datetime

        found = self._get(name)
        if found is None:
            return ""
        if not isinstance(found, datetime.date):
            raise self.wrong(name, f"{name} is not a day", f"{name} = 2026-11-29")
        return found.isoformat()[:10]

    def one_of(self, name: str, known: Collection[str], default: str = "") -> str:
        """A word out of some."""
        found = self.text(name, default)
        if found and found not in known:
            raise self.wrong(
                name, f"{name} is {found!r}", f"it is one of {', '.join(sorted(known))}"
            )
        return found

    def table(self, name: str) -> TomlTable | None:
        """A table inside it, None where it is not there."""
        found = self._get(name)
        if found is None:
            return None
        if not isinstance(found, dict):
            raise self.wrong(name, f"{name} is not a table", f"{name} = {{ ... }}")
        return TomlTable(found, self.file, self._lines, (*self._path, name))

    def tables(self, name: str, most: int = 10_000) -> list[TomlTable]:
        """The tables of a list of such."""
        found = self._get(name)
        if found is None:
            return []
        if not isinstance(found, list) or not all(isinstance(one, dict) for one in found):
            raise self.wrong(name, f"{name} is not a list of tables", f"[[{name}]]")
        if len(found) > most:
            raise self.wrong(name, f"{len(found)} tables of {name}; {most} are allowed")
        return [
            TomlTable(one, self.file, self._lines, (*self._path, name, at))
            for at, one in enumerate(found)
        ]

    def plain(self, name: str) -> dict[str, str]:
        """A table of texts."""
        found = self.table(name)
        return {key: found.text(key) for key in found._value} if found else {}

    def done(self) -> None:
        """HostFileError where anything is in it that was not asked for."""
        for name in self._value:
            if name not in self._asked:
                import difflib

                known = sorted(self._asked)
                near = difflib.get_close_matches(name, known, 1)
                hint = f"did you mean {near[0]}?" if near else f"it has {', '.join(known)}"
                raise self.wrong(name, f"{name} means nothing here", hint)

    def _get(self, name: str, *, needed: bool = False) -> Any:
        self._asked.add(name)
        found = self._value.get(name)
        if found is None and needed:
            raise self.wrong("", f"{name} is missing", f'{name} = "..."')
        return found
