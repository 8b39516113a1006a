"""Times in seconds since 1970, as people write them, in UTC."""

from __future__ import annotations

import time

_LAST = 253_402_300_799.0
"""The end of the year 9999."""


def day(seconds: float | None) -> str:
    """A day, empty for none."""
    return time.strftime("%Y-%m-%d", _calendar(seconds)) if seconds is not None else ""


def day_and_time(seconds: float) -> str:
    """A day and time."""
    return time.strftime("%Y-%m-%d %H:%M UTC", _calendar(seconds))


def _calendar(seconds: float) -> time.struct_time:
    """A time that a calendar has, whatever somebody wrote for one."""
    return time.gmtime(min(max(seconds, 0.0), _LAST))
