"""The whole host at once: every installed package after the upgrade, every name that is offered.

Single forecasts ask for one name at a time; here one pass over the sorted lines of all indexes
compares tens of thousands of answers. What a line is worth is for each kind of host to say.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import partial
from heapq import merge
from itertools import chain, groupby
from operator import attrgetter, itemgetter
from typing import TYPE_CHECKING

from velpin.forked import processors, side_by_side
from velpin.model.shift import ChangedAnswer, PackageSnapshot, Selection, UpgradeResult

if TYPE_CHECKING:
    from velpin.model.forecast import Change, Forecast
    from velpin.ports.answers import AnswerComparison
    from velpin.ports.bundle import Ports
    from velpin.ports.packages import Installed
    from velpin.store.index import Index, IndexLine, NameRange


def after_upgrade(ports: Ports, told: Forecast | None = None) -> UpgradeResult:
    """How every installed package would stand after the full upgrade, or what else was `told`.

    Where the host would refuse that, as each package would stand on its own.
    """
    told = told or ports.transactions.predict_upgrade_for_shift()
    installed = list(ports.packages.installed())
    changes = _by_package(told.changes, installed)
    selections: dict[tuple[str, str], tuple[str, Selection | None]] = {}
    for here in installed:
        change = changes.get((here.name, here.arch))
        selection: Selection | None
        if change is not None:
            selection = Selection(change.new, change.source or "") if change.new else None
        elif told.ok or here.held:
            selection = Selection(here.version, here.source)
        else:
            selection = ports.answers.next_alone(here)
        selections[here.name, here.arch] = here.version, selection
    return UpgradeResult(selections, told.held_back, told.problem)


def _by_package(
    changes: Iterable[Change], installed: Iterable[Installed]
) -> dict[tuple[str, str], Change]:
    """The change of each installed package; its architecture may change too."""
    there = {(here.name, here.arch) for here in installed}
    found = {(change.name, change.arch): change for change in changes if change.old}
    moved = {(change.name, change.old): change for key, change in found.items() if key not in there}
    for here in installed:
        other = moved.get((here.name, here.version))
        if other is not None:
            found.setdefault((here.name, here.arch), other)
    return found


def came_from(ports: Ports, handle: str) -> list[str]:
    """Installed packages whose version the host takes from a source, in byte order."""
    return sorted({here.name for here in ports.packages.installed() if here.source == handle})


def snapshots(ports: Ports, after: UpgradeResult, watched: Iterable[str]) -> list[PackageSnapshot]:
    """How every installed package stands, and some names that may not be installed."""
    found = []
    for here in ports.packages.installed():
        _, selection = after.selections[here.name, here.arch]
        versions = tuple(dict.fromkeys(ports.offers.versions_of(here.name, here.arch)))
        found.append(
            PackageSnapshot(here.name, here.arch, here.version, selection, here.held, versions)
        )
    for name in sorted(set(watched) - {package.name for package in found}):
        versions = tuple(dict.fromkeys(ports.offers.versions_of(name, ports.configuration.native)))
        answer = ports.answers.first(name)
        found.append(
            PackageSnapshot(name, ports.configuration.native, None, answer, False, versions)
        )
    return sorted(found)


_LARGE = 20_000
"""Entries for which a second process is worth its start."""


def changed_answers(before: Ports, after: Ports) -> list[ChangedAnswer]:
    """Names that are not installed and would be answered differently, in byte order."""
    if before.readiness.refusal() or after.readiness.refusal():
        return []
    found = {index.path: index for ports in (before, after) for index in ports.indexes.on()}
    places, indexes = {path: place for place, path in enumerate(found)}, list(found.values())
    compared = after.answers.compare(before.answers, places) if indexes else None
    if compared is None:
        return []
    installed = {name.encode() for name in after.packages.installed_names()}
    names = _names_to_ask(indexes, compared)
    large = sum(index.count for index in indexes) > _LARGE
    count = processors() if large else 1

    def changed(within: NameRange) -> list[ChangedAnswer]:
        found = []
        for name, entries in _entries(indexes, compared, names, within):
            if name not in installed:
                was, now = compared.before(name, entries), compared.after(name, entries)
                if was != now:
                    found.append(ChangedAnswer(name.decode(), was, now))
        return found

    ranges: list[NameRange] = [(b"", None)]
    if count > 1:
        of_most = max(indexes, key=attrgetter("count")).names_as_bytes
        ranges = _ranges(sorted(of_most() if names is None else names), count)
    return list(chain.from_iterable(side_by_side([partial(changed, each) for each in ranges])))


def _ranges(names: Sequence[bytes], count: int) -> list[NameRange]:
    """Some sorted names in so many ranges of about as many each, fewer where there are few."""
    cuts = sorted({names[len(names) * piece // count] for piece in range(1, count) if names})
    return list(zip([b"", *cuts], [*cuts, None], strict=True))


def _names_to_ask(indexes: Sequence[Index], compared: AnswerComparison) -> set[bytes] | None:
    """The names whose answers can differ; None for all."""
    if len(compared.changed) == len(indexes):
        return None
    names = set(compared.named)
    for place in compared.changed:
        names.update(indexes[place].names_as_bytes())
    return names


def _entries(
    indexes: Sequence[Index],
    compared: AnswerComparison,
    names: set[bytes] | None,
    within: NameRange,
) -> Iterator[tuple[bytes, list[IndexLine]]]:
    """Some names, in byte order, with their lines of all indexes."""
    streams = [
        index.columns(place, None if place in compared.changed else names, within)
        for place, index in enumerate(indexes)
    ]
    for name, group in groupby(merge(*streams), itemgetter(0)):
        yield name, list(group)
