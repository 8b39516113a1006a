"""The refresh command: several sources at once, each told in one line."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.files.own_settings import shows_next
from velpin.front.next_view import show_next
from velpin.front.screen import Piece, Screen
from velpin.front.session import METER, fail, tell
from velpin.front.words import several, size
from velpin.model.host import RefreshResult

if TYPE_CHECKING:
    from velpin.host.host import Host

_STYLES = {"new": "good", "unchanged": "quiet", "failed": "bad"}


def refresh_all(
    host: Host, handles: Sequence[str], *, as_json: bool, accept_changed: bool, files: bool
) -> int:
    """Fetch the named sources, or all that are on; the exit code of the worst failure."""
    try:
        found = host.sources.refresh(handles, accept_changed=accept_changed, files=files)
    finally:
        METER.stop()
    if not found:
        tell("this host has no source that is on")
    for text in host.cache.remade:
        tell(f"rebuilt: {text}")
    if as_json:
        from velpin.front import json_values
        from velpin.front.documents import Refreshed

        json_values.write_rows("refreshed", [Refreshed.of(result) for result in found])
    elif found:
        _show(found)
        if shows_next(host.tree):
            show_next(Screen(), host.changes.next_after_refresh())
    return max((result.error.exit_code for result in found if result.error), default=0)


def _show(found: Sequence[RefreshResult]) -> None:
    screen = Screen()
    rows: list[list[Piece]] = [
        [
            (result.handle, "name"),
            (result.outcome, _STYLES[result.outcome]),
            "the last good index stays" if result.error else several(result.offers, "offer"),
            f"{size(result.bytes)} fetched" if result.bytes else "",
        ]
        for result in found
    ]
    screen.table(["source", "index", "", ""], rows)
    sys.stdout.flush()
    for result in found:
        for warning in result.warnings:
            tell(f"{result.handle} {warning}")
        if result.error:
            fail(result.error, False)
