"""Fetching the indexes of several sources at once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from typing import TYPE_CHECKING

from velpin.apart import keep
from velpin.errors import VelpinError, unforeseen
from velpin.model.host import RefreshResult

if TYPE_CHECKING:
    from velpin.core.access import Access
    from velpin.fetch.download import Transport
    from velpin.model.reason import Note
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports

_MOST_ODD = 3
"""So many odd entries of one index are told one by one."""


def refresh(
    ports: Ports,
    access: Access,
    chosen: Sequence[Source],
    fetch_one: Callable[[Source, Transport], RefreshResult],
    read: Callable[[Source], tuple[int, list[Note]]],
) -> list[RefreshResult]:
    """Fetch and parse some sources; each failure is in its result.

    `fetch_one` fetches one source, `read` parses what was fetched and tells how many offers there
    are and what is odd."""
    if not chosen:
        return []
    keep()  # before there are threads
    transport = access.transport(ports)

    def fetch(source: Source) -> RefreshResult:
        try:
            return fetch_one(source, transport)
        except VelpinError as problem:
            return RefreshResult(source.handle, "failed", error=problem)
        except Exception as problem:
            doing = f"refreshing {source.handle}"
            return RefreshResult(source.handle, "failed", error=unforeseen(problem, doing))

    with access.holding(ports):
        with ThreadPoolExecutor(max(1, transport.settings.at_once)) as pool:
            fetched = pool.map(lambda group: list(map(fetch, group)), _by_address(chosen))
            by_handle = {result.handle: result for group in fetched for result in group}
        results = [by_handle[source.handle] for source in chosen]
        for source, result in zip(chosen, results, strict=True):
            if not result.error:
                _parse(source, result, read)
    for source, result in zip(chosen, results, strict=True):
        if result.error:
            ports.view.cache.note_failure(source.address, source.release, result.error)
    return results


def _by_address(sources: Sequence[Source]) -> list[list[Source]]:
    """Sources of one address are kept in one folder, so they are fetched one after another."""
    found: dict[tuple[str, str], list[Source]] = {}
    for source in sources:
        found.setdefault((source.address, source.release), []).append(source)
    return list(found.values())


def _parse(
    source: Source, result: RefreshResult, read: Callable[[Source], tuple[int, list[Note]]]
) -> None:
    """Parse what was fetched; what is odd in it is told with the result."""
    try:
        result.offers, notes = read(source)
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
