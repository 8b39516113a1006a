"""Values of JSON held against what they must be: what is read from a file may be anything."""

from __future__ import annotations

from typing import Any, TypeVar

LAST_TIME = 253_402_300_799
"""The end of the year 9999, in seconds since 1970: no later time can be shown as a date."""
_Kind = TypeVar("_Kind")


def of_kind(value: object, kind: type[_Kind]) -> _Kind:
    """A value that is of a kind; TypeError for one that is not. A truth value is no number."""
    if not isinstance(value, kind) or (kind is int and isinstance(value, bool)):
        raise TypeError(f"a {kind.__name__} was expected, not {type(value).__name__}")
    return value


def texts(value: object) -> list[str]:
    """A list of texts; TypeError for anything else."""
    return [of_kind(each, str) for each in of_kind(value, list)]


def table(value: object) -> dict[str, Any]:
    """A table, whose keys are texts in any JSON; TypeError for anything else."""
    return of_kind(value, dict)


def is_time(value: object) -> bool:
    """Whether a value is a time that can be shown, in seconds since 1970."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        return False
    return 0 <= value <= LAST_TIME  # no comparison holds for what is not a number


def time_of(value: object) -> float:
    """A time in seconds since 1970; TypeError for what is none, or cannot be shown."""
    if not is_time(value):
        raise TypeError(f"{str(value)[:40]} is no time")
    assert isinstance(value, int | float)
    return value
