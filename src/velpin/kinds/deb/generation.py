"""What differs between the generations of the installer on deb hosts, by name.

Observed rules: docs/how-hosts-choose/deb-newer.md.
"""

from __future__ import annotations

from typing import NamedTuple


class DebGeneration(NamedTuple):
    """One generation's habits."""

    searches: bool
    """Whether transactions are worked out by search rather than step by step."""
    pins_source_versions: bool
    """Whether preferences may name the version of a source package."""
    limits_sources: bool
    """Whether a source may say which of its packages count."""
    stops_at_keys: bool
    """Whether a key file that cannot be read stops every request."""
    reads_common_file: bool
    """Whether the one old file of keys for all sources is read."""
    keys_by_content: bool
    """Whether the form of a key file that a source names is told by what it holds, not by its
    name."""


OLDER = DebGeneration(
    searches=False,
    pins_source_versions=False,
    limits_sources=False,
    stops_at_keys=False,
    reads_common_file=True,
    keys_by_content=False,
)

NEWER = DebGeneration(
    searches=True,
    pins_source_versions=True,
    limits_sources=True,
    stops_at_keys=True,
    reads_common_file=False,
    keys_by_content=True,
)
