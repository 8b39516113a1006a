"""What differs between the generations of the installer on rpm-zypp hosts, by name.

Observed rules: docs/how-hosts-choose/rpm-zypp-newer.md.
"""

from __future__ import annotations

from typing import NamedTuple


class ZyppGeneration(NamedTuple):
    """One generation's habits."""

    multiple: str
    """Names, or names provided, of which several versions stand side by side if nothing is
    said."""
    tool_decides_weak: bool
    """Whether the tool's word on what is recommended goes before the library's."""
    stay_first: bool
    """Whether all installed packages that can stay do so before others are replaced."""
    takes_patched_copies: bool
    """Whether a plain request may take a copy that was patched for one customer."""
    realigns_across_vendors: bool
    """Whether the upgrade that takes every package to the best source changes vendors if nothing
    is said."""


OLDER = ZyppGeneration(
    multiple="provides:multiversion(kernel)",
    tool_decides_weak=False,
    stay_first=False,
    takes_patched_copies=True,
    realigns_across_vendors=True,
)

NEWER = ZyppGeneration(
    multiple="",
    tool_decides_weak=True,
    stay_first=True,
    takes_patched_copies=False,
    realigns_across_vendors=False,
)
