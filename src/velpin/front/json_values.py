"""Values as JSON, by one rule: a value's fields are the keys of an object.

    reason              {"code", "text": its sentence, ...facts, "because": [reason] if any}
    marked AsText       the sentence alone
    marked Inline       its keys stand among those of the value it belongs to
    rule                the command that says it
    place               "FILE:LINE"
    sequence, mapping   array, object

Every command prints one object, which carries `schema`; a list stands in it under a name of its
own. docs/json.md and docs/json-schema.json are made from the types by
`tools/json_docs.py`.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Mapping, Sequence
from dataclasses import fields, is_dataclass
from typing import Any, get_args, get_type_hints

from velpin.model.reason import AsText, Inline, Place, Reason
from velpin.model.rule import Rule, command_of
from velpin.model.safe_text import safe_json, without_logins

SCHEMA = 3
"""Counts up when a key that others may rely on goes or changes its meaning."""


def write(value: object) -> None:
    """Print one value, which must be one with names."""
    _print(jsonable(value))


def write_rows(name: str, rows: Sequence[object]) -> None:
    """Print a list as an object that has it under a name."""
    _print({name: jsonable(rows)})


def _print(found: Mapping[str, Any]) -> None:
    text = json.dumps({"schema": SCHEMA, **found}, indent=1, ensure_ascii=False)
    sys.stdout.write(safe_json(without_logins(text)) + "\n")


def jsonable(value: object) -> Any:
    """A value as JSON has it."""
    if value is None or isinstance(value, str | int | float):
        return value
    if isinstance(value, Reason):
        return _reason(value)
    if isinstance(value, Rule):
        return command_of(value)
    if isinstance(value, Place):
        return str(value)
    if isinstance(value, Mapping):
        return {str(key): jsonable(item) for key, item in value.items()}
    names = field_names(type(value))
    if names:
        return _object(value, names)
    if isinstance(value, Sequence):
        return [jsonable(item) for item in value]
    raise TypeError(f"{type(value).__name__} has no form in JSON")


def _object(value: object, names: Sequence[str]) -> dict[str, Any]:
    found: dict[str, Any] = {}
    marked = marks(type(value))
    for name in names:
        one, mark = getattr(value, name), marked.get(name)
        if mark is AsText and one is not None:
            found[name] = one.text
        elif mark is Reason:
            found.update(_reason(one))
        elif isinstance(mark, type):
            found.update(_object(one, field_names(mark)))
        else:
            found[name] = jsonable(one)
    return found


def _reason(reason: Reason) -> dict[str, Any]:
    found: dict[str, Any] = {"code": reason.code, "text": reason.text}
    found.update((name, jsonable(fact)) for name, fact in reason.facts.items())
    if reason.because:
        found["because"] = [_reason(cause) for cause in reason.because]
    return found


def field_names(kind: type) -> tuple[str, ...]:
    """The names of a value's fields, empty where it has none."""
    if issubclass(kind, tuple):
        return getattr(kind, "_fields", ())
    return tuple(field.name for field in fields(kind)) if is_dataclass(kind) else ()


_MARKS: dict[type, Mapping[str, object]] = {}
"""The marks of the kinds of value met so far."""


def marks(kind: type) -> Mapping[str, object]:
    """Which fields of a value are marked: AsText, or for Inline the kind of value inlined."""
    if kind not in _MARKS:
        hints = get_type_hints(kind, include_extras=True)
        told = {name: AsText for name, hint in hints.items() if _is_marked(hint, AsText)}
        inlined = {
            name: get_args(hint)[0] for name, hint in hints.items() if _is_marked(hint, Inline)
        }
        _MARKS[kind] = told | inlined
    return _MARKS[kind]


def _is_marked(hint: object, mark: object) -> bool:
    said = getattr(hint, "__metadata__", ())
    return mark in said or any(_is_marked(part, mark) for part in get_args(hint))
