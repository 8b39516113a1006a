"""Documents of a list of modules (YAML), built from the parser's events: nothing in them is
expanded, merged or guessed, every plain value is a text, and their number and depth are bounded.

An alias may stand for a value that holds aliases itself, so that a few hundred bytes mean
gigabytes; no real list has any.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from velpin.errors import HostFileError
from velpin.fetch.unpack import unpacked

Node = str | list[Any] | dict[str, Any]
"""A value: a text, a list or a table of such."""

_LARGEST = 128 << 20
_MOST_VALUES = 1_500_000
_DEEPEST = 32


def read_documents(path: Path, where: str) -> Iterator[Node]:
    """Every document of a list.

    Raises HostFileError, with the line, where it is not well-formed, too large or too deep, or has
    an alias in it.
    """
    import yaml

    loader = getattr(yaml, "CBaseLoader", yaml.BaseLoader)
    try:
        yield from _built(yaml.parse(_text(path, where), Loader=loader), where)
    except yaml.YAMLError as problem:
        mark = getattr(problem, "problem_mark", None)
        line = mark.line + 1 if mark else 0
        raise HostFileError(where, line, "a list of modules that is not well-formed") from problem
    except (ValueError, RecursionError) as problem:
        raise HostFileError(where, 0, f"a list of modules that cannot be read: {problem}") from None


def _text(path: Path, where: str) -> bytes:
    pieces, size = [], 0
    for piece in unpacked(path):
        size += len(piece)
        if size > _LARGEST:
            raise HostFileError(where, 0, "too large for a list of modules")
        pieces.append(piece)
    return b"".join(pieces)


class _Open:
    """A list or table that is being filled."""

    def __init__(self, value: list[Any] | dict[str, Any]) -> None:
        self.value = value
        self.key: str | None = None

    def take(self, value: Node) -> str:
        """Put in the next value; what is wrong with it, empty where nothing is."""
        if isinstance(self.value, list):
            self.value.append(value)
        elif self.key is None:
            if not isinstance(value, str):
                return "a key that is no text"
            self.key = value
        else:
            self.value[self.key] = value
            self.key = None
        return ""


def _built(events: Iterator[Any], where: str) -> Iterator[Node]:
    import yaml

    stack: list[_Open] = []
    count = 0
    for event in events:
        done: Node | None = None
        if isinstance(event, yaml.ScalarEvent):
            done = event.value
        elif isinstance(event, yaml.SequenceStartEvent):
            stack.append(_Open([]))
        elif isinstance(event, yaml.MappingStartEvent):
            stack.append(_Open({}))
        elif isinstance(event, yaml.SequenceEndEvent | yaml.MappingEndEvent):
            done = stack.pop().value
        elif isinstance(event, yaml.AliasEvent):
            raise _wrong(where, event, "an alias, which no list of modules has")
        else:
            continue
        count += 1
        if count > _MOST_VALUES:
            raise _wrong(where, event, f"more than {_MOST_VALUES} values")
        if len(stack) > _DEEPEST:
            raise _wrong(where, event, "values within values, too deep")
        if done is None:
            continue
        if not stack:
            yield done
            continue
        wrong = stack[-1].take(done)
        if wrong:
            raise _wrong(where, event, wrong)


def _wrong(where: str, event: Any, what: str) -> HostFileError:
    mark = event.start_mark
    return HostFileError(where, mark.line + 1 if mark else 0, f"a list of modules with {what}")
