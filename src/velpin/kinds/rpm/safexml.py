"""Reading small XML files: nothing is expanded, fetched or guessed."""

from __future__ import annotations

from collections.abc import Callable

from velpin.errors import HostFileError

_MOST = 16 << 20
_DEEPEST = 64

Start = Callable[[str, dict[str, str], int], None]
"""Told of each element: namespace and name with a blank between, attributes, line."""
End = Callable[[str, dict[str, str], str], None]
"""Told of each element's end: the same name and attributes, its own text."""


def _pass(_name: str, _attributes: dict[str, str], _line: int) -> None:
    """Nothing to do where an element begins."""


def read_document(data: bytes, where: str, start: Start = _pass, *, end: End) -> None:
    """Go through a document's elements.

    Raises HostFileError, with the line, where it is not well-formed, too large, or declares
    a document type or entities.
    """
    from xml.parsers import expat

    _refuse(data, where)
    parser = expat.ParserCreate(namespace_separator=" ")
    parser.buffer_text = True
    attributes: list[dict[str, str]] = []
    texts: list[list[str]] = []

    def opened(name: str, found: dict[str, str]) -> None:
        if len(attributes) > _DEEPEST:
            raise HostFileError(where, parser.CurrentLineNumber, "elements lie too deep")
        attributes.append(found)
        texts.append([])
        start(name, found, parser.CurrentLineNumber)

    def closed(name: str) -> None:
        end(name, attributes.pop(), "".join(texts.pop()).strip())

    def read(text: str) -> None:
        texts[-1].append(text)

    parser.StartElementHandler, parser.EndElementHandler = opened, closed
    parser.CharacterDataHandler = read
    try:
        parser.Parse(data, True)
    except expat.ExpatError as problem:
        what = f"not well-formed: {expat.errors.messages[problem.code]}"
        raise HostFileError(where, problem.lineno, what) from problem
    except (LookupError, ValueError) as problem:
        raise HostFileError(where, 1, f"not well-formed: {problem}") from problem


def _refuse(data: bytes, where: str) -> None:
    if b"<!DOCTYPE" in data or b"<!ENTITY" in data:
        raise HostFileError(where, 1, "declares a document type or entities, which is refused")
    if len(data) > _MOST:
        raise HostFileError(where, 0, "too large for what it should be")
