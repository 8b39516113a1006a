"""Checks of the indexes: missing, failed, expired, old, behind."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise
from statistics import median

from velpin.core.checkup.examination import DAY, Check, Examination
from velpin.model import findings
from velpin.model.dates import day, days_left, seconds_of
from velpin.model.finding import Severity
from velpin.model.shell import as_typed, shell_word
from velpin.model.source import Source
from velpin.ports.bundle import Ports
from velpin.ports.checks import Draft, Mend

_LEAST = 7 * DAY
_USUAL = 30 * DAY
"""How long an index may go without being looked at where nothing tells how often it changes."""
_ENOUGH_DATES = 4
_BEHIND = DAY
_SOON = 90
"""Days of support that are left when that is told."""
_ELSEWHERE = ("MissingKey", "BadKey", "NotThere")
"""Failures that another check tells more of."""


def _refreshing(source: Source) -> list[Mend]:
    return [Mend(f"velpin refresh {shell_word(source.handle)}", None)]


def check_fetches(check: Examination) -> Iterator[Draft]:
    """Indexes that are not here, cannot be read, or whose last fetch failed."""
    ports, missing = check.ports, list[str]()
    for source in check.sources_on:
        place, mends = source.places[0], _refreshing(source)
        failure = check.failure(source)
        damaged = ports.indexes.damage.get(source.handle)
        if damaged is not None:
            broken = findings.IndexDamaged(source=source.handle, what=str(damaged))
            yield Draft(findings.IndexDamaged, broken, place, source.handle, mends=mends)
        elif failure and failure.kind not in _ELSEWHERE:
            failed = findings.RefreshFailed(source=source.handle, what=failure.message)
            again = findings.RefreshAgain(source=source.handle, hint=failure.hint)
            yield Draft(findings.RefreshFailed, failed, place, source.handle, advice=again)
        elif (
            not failure
            and ports.indexes.state_of(source) == "not fetched"
            and ports.indexes.reads(source)
        ):
            missing.append(source.handle)
    if missing:
        what = findings.NeverFetched(sources=tuple(missing))
        mend = Mend(as_typed(["velpin", "refresh", *missing]), None)
        yield Draft(findings.NeverFetched, what, None, missing[0] if len(missing) == 1 else "", "",
                    [mend])  # fmt: skip


def check_ages(check: Examination) -> Iterator[Draft]:
    """Indexes that have expired, or were not looked at for longer than they usually last."""
    ports = check.ports
    for source in check.sources_on:
        if not ports.indexes.holder(source):
            continue
        place, mends = source.places[0], _refreshing(source)
        until = ports.standing.valid_until(source)
        if until is not None and until < check.now:
            expired = findings.IndexExpired(source=source.handle, day=day(until))
            yield Draft(findings.IndexExpired, expired, place, source.handle, mends=mends)
            continue
        seen = last_looked_at(check, source)
        usual = usual_life(check, source)
        if seen is not None and check.now - seen > max(usual, _LEAST):
            old = findings.IndexOld(
                source=source.handle,
                days=int((check.now - seen) // DAY),
                usual=max(1, round(usual / DAY)),
            )
            yield Draft(findings.IndexOld, old, place, source.handle, mends=mends)


def last_looked_at(check: Examination, source: Source) -> float | None:
    """When anybody last asked the source for its index, as far as can be told."""
    fetched = check.ports.view.cache.fetched(source.address, source.release)
    times = [check.ports.standing.installer_looked_at(source), fetched.fetched if fetched else None]
    dated = check.dated(source)
    return max((time for time in (*times, dated) if time is not None), default=None)


def usual_life(check: Examination, source: Source) -> float:
    """How long an index of a source usually lasts, in seconds: the median time between those that
    were seen, else as long as the source says it holds."""
    fetched = check.ports.view.cache.fetched(source.address, source.release)
    dates: Sequence[float] = fetched.dates if fetched else ()
    if len(dates) >= _ENOUGH_DATES:
        gaps = [later - earlier for earlier, later in pairwise(dates)]
        return median(gaps)
    until, dated = check.ports.standing.valid_until(source), check.dated(source)
    if until is not None and dated is not None and until > dated:
        return until - dated
    return _USUAL


def check_support(check: Examination) -> Iterator[Draft]:
    """A release that is no longer supported, or soon will not be."""
    release = check.ports.configuration.release
    last_day = seconds_of(release.get("SUPPORT_END", ""))
    if last_day is None or (days := days_left(last_day, check.now)) >= _SOON:
        return
    name = release.get("PRETTY_NAME") or release.get("NAME") or "this release"
    what = findings.SupportEnds(release=name, day=day(last_day), days=days)
    severity: Severity | None = "warning" if days < 0 else None
    yield Draft(findings.SupportEnds, what, advice=findings.RehearseNext(), severity=severity)


def check_copies(check: Examination) -> Iterator[Draft]:
    """Sources of which Velpin has a newer index than the host's installer."""
    theirs = check.ports.seen(check.ports.view.with_installers_indexes())
    behind = [source for source in check.sources_on if _is_behind(check, theirs, source)]
    if behind:
        what = findings.InstallerBehind(sources=tuple(each.handle for each in behind))
        only = behind[0].handle if len(behind) == 1 else ""
        yield Draft(findings.InstallerBehind, what, None, only, advice=findings.InstallerRefresh())


def _is_behind(check: Examination, theirs: Ports, source: Source) -> bool:
    if check.ports.indexes.holder(source) != "velpin":
        return False
    if not theirs.indexes.holder(source):
        return True
    ours = check.dated(source)
    their = theirs.standing.parts_of(source).dated
    return ours is not None and their is not None and ours > their


def check_mirrors(check: Examination) -> Iterator[Draft]:
    """Of two addresses of one release, the one that is behind."""
    known = [
        (source, parts)
        for source in check.ports.configuration.sources
        if (parts := check.ports.provenance.identity_of(source)) is not None
    ]
    for source, identity in known:
        if not source.on:
            continue
        dated = check.dated(source)
        for other, same in known:
            ahead = check.dated(other)
            if other.handle == source.handle or same != identity or not (dated and ahead):
                continue
            if other.address != source.address and ahead - dated > _BEHIND:
                days = max(1, int((ahead - dated) // DAY))
                what = findings.MirrorBehind(source=source.handle, other=other.handle, days=days)
                advice = findings.UseOther(source=source.handle, other=other.handle)
                yield Draft(
                    findings.MirrorBehind,
                    what,
                    source.places[0],
                    source.handle,
                    other.handle,
                    advice=advice,
                )
                break


CHECKS: tuple[Check, ...] = (check_fetches, check_ages, check_support, check_copies, check_mirrors)
