"""A forecast put together: what each kind of host predicts, what is to be known of the indexes
behind it, and small changes that would help where the installer would refuse."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import chain
from typing import TYPE_CHECKING

from velpin.errors import HostFileError, Refusal, no_realign, no_upgrade_along, no_upgrade_from
from velpin.model.forecast import Forecast, HostName
from velpin.model.reason import Reason
from velpin.model.reasons import (
    Damaged,
    FilesRefused,
    InstallerMustRefresh,
    NeverRefreshed,
    NotFetched,
)
from velpin.model.request import Request, parse_request
from velpin.model.shell import shell_word
from velpin.ports.configuration import find_source

if TYPE_CHECKING:
    from velpin.files.tree import Edits
    from velpin.ports.bundle import Ports


def forecast(
    ports: Ports,
    texts: Sequence[str],
    source: str = "",
    *,
    upgrade: bool = False,
    without: Sequence[str] = (),
    allow_older: bool = False,
) -> Forecast:
    """Return a bare forecast with what people ask next: what to type for it, and how long its
    answers stay, which takes the full upgrade. Arguments and errors are those of `bare_forecast`.
    """
    from velpin.core.next_commands import commands_for, with_questions
    from velpin.core.staying import with_stays

    found = bare_forecast(
        ports, texts, source, upgrade=upgrade, without=without, allow_older=allow_older
    )
    if not found.ok:
        return found
    asked = requests_of(ports, texts, source, without, allow_older=allow_older)
    following = commands_for(ports, asked, found, upgrade=upgrade)
    return with_stays(ports, with_questions(ports, found, upgrade=upgrade)._replace(next=following))


def bare_forecast(
    ports: Ports,
    texts: Sequence[str],
    source: str = "",
    *,
    upgrade: bool = False,
    without: Sequence[str] = (),
    allow_older: bool = False,
) -> Forecast:
    """Predict one transaction for all requests together, with remedies where it is refused;
    `upgrade`: and for the full upgrade; `without`: installed packages that are to go;
    `allow_older`: versions that are asked for may be older than what is installed, on every kind.

    Raises UsageError for texts that are no requests, and for `upgrade` where the kind of host
    has no such transaction.
    """
    refusal = ports.readiness.refusal()
    if refusal is not None:
        return _refused(ports, refusal)
    asked = requests_of(ports, texts, source, without, allow_older=allow_older)
    if upgrade:
        predicted = ports.transactions.predict_with_upgrade(asked)
    else:
        predicted = ports.transactions.predict(asked)
    if predicted is None:
        raise no_upgrade_along(ports.kind)
    found, attempts = predicted
    found = _completed(ports, found)
    if found.ok:
        return found
    from velpin.core.remedies import longer_versions, removals, those_that_work

    def works(asked: Sequence[str], going: Sequence[str], edits: Edits) -> bool:
        trial = ports.with_edits(edits) if edits or ports.view.trace else ports
        if trial.readiness.refusal() is not None:
            return False
        again = requests_of(trial, asked, source, going or without, allow_older=allow_older)
        if upgrade:
            along = trial.transactions.predict_with_upgrade(again)
            return along is not None and along.forecast.ok
        return trial.transactions.would_carry_out(again)

    attempts = chain(
        longer_versions(found, asked), attempts, removals(ports, found, texts, without)
    )
    return found._replace(remedies=those_that_work(ports, attempts, works))


def requests_of(
    ports: Ports,
    texts: Sequence[str],
    source: str = "",
    without: Sequence[str] = (),
    *,
    allow_older: bool = False,
) -> list[Request]:
    """Return what some texts ask a host for; UsageError for texts that are no requests."""
    knows = ports.packages.knows
    coming = [parse_request(text, knows, source) for text in texts]
    going = [parse_request(text, knows)._replace(removes=True) for text in without]
    return [*(each._replace(allows_older=allow_older) for each in coming), *going]


def forecast_upgrade(ports: Ports, *, realign: bool = False, source: str = "") -> Forecast:
    """Predict the full upgrade of the host, or with `source` the upgrade to that source; UsageError
    for what this kind of host has not, Refusal for no source, or one that is off."""
    if realign and not ports.transactions.realigns:
        raise no_realign(ports.kind)
    chosen = find_source(ports.configuration.by_handle, source) if source else None
    if chosen and not chosen.on:
        raise Refusal(
            f"{source} is switched off: nothing comes from it", f"velpin on {shell_word(source)}"
        )
    refusal = ports.readiness.refusal()
    if refusal is not None:
        return _refused(ports, refusal)
    from velpin.core.next_commands import commands_for_upgrade, with_questions

    if chosen:
        predicted = ports.transactions.predict_upgrade_from(chosen)
        if predicted is None:
            raise no_upgrade_from(ports.kind)
    else:
        predicted = ports.transactions.predict_upgrade(realign=realign)
    found = _completed(ports, predicted)
    following = commands_for_upgrade(ports, found, realign=realign, source=source)
    return with_questions(ports, found, upgrade=True)._replace(next=following)


def _completed(ports: Ports, found: Forecast) -> Forecast:
    """What every kind's forecast holds beside what the kind predicts."""
    changes = found.changes
    if any(change.publisher or change.comes_from_elsewhere for change in changes):
        from velpin.core.publishers import with_publishers

        changes = with_publishers(ports, changes)
    return found._replace(
        changes=changes,
        download_bytes=sum(change.download_bytes for change in found.changes),
        disk_bytes=sum(change.disk_bytes for change in found.changes),
        notes=(*found.notes, *_index_notes(ports, found)),
    )


def refused(ports: Ports) -> HostFileError | None:
    """The file because of which the installer refuses every request, if there is one."""
    found = ports.readiness.refusal()
    return found if isinstance(found, HostFileError) else None


def host_name(ports: Ports) -> HostName:
    """Which host a forecast is for."""
    configuration = ports.configuration
    return HostName(ports.kind, configuration.native, configuration.installer.generation)


def _refused(ports: Ports, refusal: HostFileError | Reason) -> Forecast:
    """The forecast of a host that refuses everything."""
    if isinstance(refusal, HostFileError):
        refusal = FilesRefused(file=refusal.file, line=refusal.line, what=refusal.what)
    try:
        name = host_name(ports)
    except HostFileError:
        name = HostName(ports.kind, "")
    return Forecast(name, ok=False, problem=refusal)


def _index_notes(ports: Ports, found: Forecast) -> Iterator[Reason]:
    """What to know of the indexes behind a forecast."""
    used = {answer.source for answer in found.answers}
    used.update(change.source for change in found.changes)
    used.update(passed.source for answer in found.answers for passed in answer.passed_over)
    newer = [
        source.handle for source in ports.configuration.sources
        if source.on and source.handle in used and ports.indexes.holder(source) == "velpin"
    ]  # fmt: skip
    if newer:
        yield InstallerMustRefresh(sources=tuple(newer))
    missing = [
        source.handle for source in ports.configuration.sources
        if ports.indexes.state_of(source) == "not fetched" and ports.indexes.reads(source)
    ]  # fmt: skip
    if missing and not (found.problem and isinstance(found.problem, NeverRefreshed)):
        yield NotFetched(sources=tuple(missing))
    for handle, problem in ports.indexes.damage.items():
        yield Damaged(source=handle, what=str(problem))
    yield from ports.indexes.notes()
