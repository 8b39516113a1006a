"""A forecast put together: what each kind of host predicts, what is to be known of the indexes
behind it, and small changes that would help where the installer would refuse."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING

from velpin.errors import HostFileError, no_realign, no_upgrade_along
from velpin.model.forecast import Forecast, HostName
from velpin.model.reason import Fact, Reason
from velpin.model.request import parse_request

if TYPE_CHECKING:
    from velpin.core.adapter import Adapter
    from velpin.files.tree import Edits
    from velpin.model.source import Source


def forecast(
    host: Adapter[Source], texts: Sequence[str], source: str = "", *, upgrade: bool = False
) -> Forecast:
    """Predict one transaction for all requests together, with remedies where it is refused;
    `upgrade`: and for the full upgrade.

    Raises UsageError for texts that are no requests, and for `upgrade` where the kind of host
    has no such transaction.
    """
    refusal = host.refusal()
    if refusal is not None:
        return _refused(host, refusal)
    asked = [parse_request(text, host.knows, source) for text in texts]
    if upgrade:
        predicted = host.transactions.predict_with_upgrade(asked)
    else:
        predicted = host.transactions.predict(asked)
    if predicted is None:
        raise no_upgrade_along(host.kind)
    found, attempts = predicted
    found = _completed(host, found)
    if found.ok:
        return found
    from velpin.core.remedies import those_that_work

    def works(asked: Sequence[str], edits: Edits) -> bool:
        trial = host.with_edits(edits) if edits else host
        if trial.refusal() is not None:
            return False
        again = [parse_request(text, trial.knows, source) for text in asked]
        if upgrade:
            along = trial.transactions.predict_with_upgrade(again)
            return along is not None and along.forecast.ok
        return trial.transactions.would_carry_out(again)

    return found._replace(remedies=those_that_work(host, attempts, works))


def forecast_upgrade(host: Adapter[Source], *, realign: bool = False) -> Forecast:
    """Predict the full upgrade of the host; UsageError for `realign` where it has none."""
    if realign and not host.transactions.realigns:
        raise no_realign(host.kind)
    refusal = host.refusal()
    if refusal is not None:
        return _refused(host, refusal)
    return _completed(host, host.transactions.predict_upgrade(realign=realign))


def _completed(host: Adapter[Source], found: Forecast) -> Forecast:
    """What every kind's forecast holds beside what the kind predicts."""
    return found._replace(
        download_bytes=sum(change.download_bytes for change in found.changes),
        disk_bytes=sum(change.disk_bytes for change in found.changes),
        notes=(*found.notes, *_index_notes(host, found)),
    )


def _refused(host: Adapter[Source], refusal: HostFileError | Reason) -> Forecast:
    """The forecast of a host that refuses everything."""
    if isinstance(refusal, HostFileError):
        facts: dict[str, Fact] = {"file": refusal.file, "line": refusal.line, "what": refusal.what}
        refusal = Reason("files-refused", facts)
    try:
        name = host.name
    except HostFileError:
        name = HostName(host.kind, "")
    return Forecast(name, ok=False, problem=refusal)


def _index_notes(host: Adapter[Source], found: Forecast) -> Iterator[Reason]:
    """What to know of the indexes behind a forecast."""
    used = {answer.source for answer in found.answers}
    used.update(change.source for change in found.changes)
    used.update(passed.source for answer in found.answers for passed in answer.passed_over)
    newer = [
        source.handle for source in host.sources
        if source.on and source.handle in used and host.index_holder(source.handle) == "velpin"
    ]  # fmt: skip
    if newer:
        yield Reason("installer-must-refresh", {"sources": tuple(newer)})
    missing = [
        source.handle for source in host.sources
        if host.state_of(source) == "not fetched" and host.reads(source)
    ]  # fmt: skip
    if missing and not (found.problem and found.problem.code == "never-refreshed"):
        yield Reason("not-fetched", {"sources": tuple(missing)})
    for handle, problem in host.damage.items():
        yield Reason("damaged", {"source": handle, "what": str(problem)})
    yield from host.index_notes()


def near_names(host: Adapter[Source], name: str) -> tuple[str, ...]:
    """Names like one that is not known, also across sources switched off."""
    from velpin.store.name_search import named_near

    off = ((source.handle, index) for source, index in host.indexes_off())
    return named_near(name, host.known_names(), off)
