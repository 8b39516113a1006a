"""Fetching the indexes of several sources at once."""

from __future__ import annotations

from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING

from velpin.apart import keep
from velpin.core.locking import holding
from velpin.errors import VelpinError, unforeseen
from velpin.model.host import RefreshResult

if TYPE_CHECKING:
    from velpin.core.host import Host

_MOST_ODD = 3
"""So many odd entries of one index are told one by one."""


def refresh(
    host: Host, handles: Sequence[str], *, accept_changed: bool, files: bool
) -> list[RefreshResult]:
    """Fetch and parse the named sources, or all that are on; each failure is in its result."""
    refused = host.refused()
    if refused is not None:
        raise refused
    named = dict.fromkeys(host.source(handle).handle for handle in handles)
    chosen = list(named) or [source.handle for source in host.sources if source.on]
    if not chosen:
        return []
    keep()  # before there are threads
    transport = host.transport()

    def fetch(handle: str) -> RefreshResult:
        try:
            return host.refresh_one(handle, transport, accept_changed=accept_changed, files=files)
        except VelpinError as problem:
            return RefreshResult(handle, "failed", error=problem)
        except Exception as problem:
            return RefreshResult(
                handle, "failed", error=unforeseen(problem, f"refreshing {handle}")
            )

    with holding(host):
        with ThreadPoolExecutor(max(1, transport.settings.at_once)) as pool:
            fetched = pool.map(lambda group: list(map(fetch, group)), _by_address(host, chosen))
            by_handle = {result.handle: result for group in fetched for result in group}
        results = [by_handle[handle] for handle in chosen]
        for result in results:
            if not result.error:
                _parse(host, result)
    for result in results:
        if result.error:
            source = host.source(result.handle)
            host.cache.note_failure(source.address, source.release, result.error)
    return results


def _by_address(host: Host, handles: Sequence[str]) -> list[list[str]]:
    """Sources of one address are kept in one folder, so they are fetched one after another."""
    found: dict[tuple[str, str], list[str]] = {}
    for handle in handles:
        source = host.source(handle)
        found.setdefault((source.address, source.release), []).append(handle)
    return list(found.values())


def _parse(host: Host, result: RefreshResult) -> None:
    """Parse what was fetched; what is odd in it is told with the result."""
    try:
        result.offers, notes = host.with_edits({}).read_indexes(result.handle)
    except VelpinError as problem:
        result.warnings.append(problem.message)
        return
    except Exception as problem:
        result.error = unforeseen(problem, f"reading the index of {result.handle}")
        return
    result.warnings += [
        f"has an odd entry: {note.place}: {note.text}" for note in notes[:_MOST_ODD]
    ]
    if len(notes) > _MOST_ODD:
        result.warnings.append(f"has {len(notes) - _MOST_ODD} more odd entries")
