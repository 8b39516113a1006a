"""Addresses as instructions have them: whatever stands where one is expected."""

from __future__ import annotations

from urllib.parse import SplitResult, urlsplit


def parts_of(address: str) -> SplitResult:
    """Return the parts of an address; empty ones for what is none."""
    try:
        return urlsplit(address)
    except ValueError:
        return urlsplit("")
