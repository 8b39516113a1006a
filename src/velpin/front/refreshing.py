"""The refresh command: several sources at once, each told in one line."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING, Any

from velpin.about import Refreshed
from velpin.change.journal import hold
from velpin.errors import VelpinError
from velpin.front.screen import Piece, Screen
from velpin.front.session import fail, tell, transport_for, unforeseen, waiting
from velpin.front.words import several, size

if TYPE_CHECKING:
    from velpin.kinds.base import Host


_MOST_ODD = 3


def refresh_all(
    host: Host,
    handles: Sequence[str],
    *,
    as_json: bool,
    accept_changed: bool,
    files: bool,
) -> int:
    """Fetch the named sources, or all that are on; the exit code of the worst failure."""
    refused = host.refused()
    if refused is not None:
        raise refused
    chosen = [host.source(handle).handle for handle in handles] or [
        source.handle for source in host.sources if source.on
    ]
    if not chosen:
        tell("this host has no source that is on")
        if as_json:
            from velpin.front import as_json as out

            out.write([])
        return 0
    with hold(host.shelf.home / "lock", waiting):
        found = _fetch(host, chosen, accept_changed, files)
        told = [_told(host, one) for one in found]
    for one in found:
        _remember_failure(host, one)
    for text in host.shelf.remade:
        tell(f"made anew: {text}")
    if as_json:
        from velpin.front import as_json as out

        out.write(told)
    else:
        _show(found, told)
    return max((one.error.exit_code for one in found if one.error), default=0)


def _fetch(host: Host, chosen: list[str], accept_changed: bool, files: bool) -> list[Refreshed]:
    transport, meter = transport_for(host)

    def one(handle: str) -> Refreshed:
        try:
            return host.refresh(handle, transport, accept_changed=accept_changed, files=files)
        except VelpinError as problem:
            return Refreshed(handle, "failed", error=problem)
        except Exception as problem:
            return Refreshed(handle, "failed", error=unforeseen(problem, f"refreshing {handle}"))

    with meter, ThreadPoolExecutor(max(1, transport.settings.at_once)) as pool:
        return list(pool.map(one, chosen))


def _told(host: Host, one: Refreshed) -> dict[str, Any]:
    offers = 0
    if not one.error:
        fresh = host.with_edits({})
        try:
            offers, notes = fresh.read_indexes(one.handle)
            one.warnings += [
                f"has an odd entry: {note.place}: {note.text}" for note in notes[:_MOST_ODD]
            ]
            if len(notes) > _MOST_ODD:
                one.warnings.append(f"has {len(notes) - _MOST_ODD} more odd entries")
        except VelpinError as problem:
            one.warnings.append(problem.message)
        except Exception as problem:
            one.error = unforeseen(problem, f"reading the index of {one.handle}")
    return {
        "source": one.handle,
        "outcome": one.outcome,
        "offers": offers,
        "bytes": one.bytes,
        "warnings": one.warnings,
        "error": one.error.message if one.error else None,
        "hint": (one.error.hint or None) if one.error else None,
    }


def _remember_failure(host: Host, one: Refreshed) -> None:
    if one.error:
        source = host.source(one.handle)
        host.shelf.note_failure(
            source.address, source.release, one.error.message, one.error.hint
        )  # fmt: skip


def _show(found: Sequence[Refreshed], told: Sequence[dict[str, Any]]) -> None:
    screen = Screen()
    styles = {"new": "good", "unchanged": "quiet", "failed": "bad"}
    rows: list[list[Piece]] = [
        [
            (one.handle, "name"),
            (one.outcome, styles[one.outcome]),
            several(what["offers"], "offer") if not one.error else "the last good index stays",
            f"{size(one.bytes)} fetched" if one.bytes else "",
        ]
        for one, what in zip(found, told, strict=True)
    ]
    screen.table(["source", "index", "", ""], rows)
    sys.stdout.flush()
    for one in found:
        for warning in one.warnings:
            tell(f"{one.handle} {warning}")
        if one.error:
            fail(one.error, False)
