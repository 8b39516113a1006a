"""Times in seconds since 1970, as people write them, in UTC."""

from __future__ import annotations

import calendar
import re
import time

_DAY = 86400
_LAST = 253_402_300_799.0
"""The end of the year 9999."""


def day(seconds: float | None) -> str:
    """A day, empty for none."""
    return time.strftime("%Y-%m-%d", _calendar(seconds)) if seconds is not None else ""


def seconds_of(day: str) -> float | None:
    """Return when a day (`2028-06-30`) begins, in seconds since 1970; None for what is no day."""
    if re.fullmatch(r"[0-9]{4}-[0-9]{2}-[0-9]{2}", day) is None:
        return None
    try:
        return float(calendar.timegm(time.strptime(day, "%Y-%m-%d")))
    except ValueError:
        return None


def days_left(last_day: float, now: float) -> int:
    """Return how many whole days are left until the end of a last day, 0 on that day itself, below
    0 once it is over; `last_day` is when it begins."""
    return int((last_day + _DAY - 1 - now) // _DAY)


def day_and_time(seconds: float) -> str:
    """A day and time."""
    return time.strftime("%Y-%m-%d %H:%M UTC", _calendar(seconds))


def _calendar(seconds: float) -> time.struct_time:
    """A time that a calendar has, whatever somebody wrote for one."""
    return time.gmtime(min(max(seconds, 0.0), _LAST))
