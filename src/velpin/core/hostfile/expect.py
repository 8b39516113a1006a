"""What must be true of the forecast, held against it."""

from __future__ import annotations

import fnmatch
import time
from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, Any

from velpin.core.forecasting import bare_forecast, forecast_upgrade
from velpin.core.host_diff import after_upgrade
from velpin.core.hostfile.format import VERSION
from velpin.core.hostfile.writing import table_text
from velpin.core.offers import offers_from
from velpin.errors import Refusal
from velpin.model.dates import day
from velpin.model.hostfile import Condition, Expectation, ExpectationResult
from velpin.model.reason import Reason
from velpin.model.shell import shell_word

if TYPE_CHECKING:
    from velpin.model.forecast import Answer, Forecast
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports

_DAY = 86400.0
_MOST_NAMES = 5000
_SHOWN = 6
_BOUNDS = (">=", "<=", "=", ">", "<")


def is_for(ports: Ports, when: Condition) -> bool:
    """Whether something in a file is for a host."""
    release = ports.configuration.release
    ids = {release.get("ID", ""), *release.get("ID_LIKE", "").split()}
    number = release.get("VERSION_ID", "")
    releases = {release.get("VERSION_CODENAME", ""), number, number.partition(".")[0]}
    return all(
        not wanted or bool(mine.intersection(wanted))
        for wanted, mine in (
            (when.kinds, {ports.kind}),
            (when.hosts, ids),
            (when.releases, releases),
            (when.archs, {ports.configuration.native}),
        )
    )


def check_expectations(
    ports: Ports, expectations: Iterable[Expectation]
) -> list[ExpectationResult]:
    """Each expectation that is for a host, and whether it is met."""
    judge = _Judge(ports)
    return [judge.of(each) for each in expectations if is_for(ports, each.when)]


class _Judge:
    """Holds one host against expectations; the whole upgrade is worked out once."""

    def __init__(self, ports: Ports) -> None:
        self.ports = ports
        self._upgrade: Forecast | None = None

    @property
    def upgrade(self) -> Forecast:
        """The next full upgrade."""
        if self._upgrade is None:
            self._upgrade = forecast_upgrade(self.ports)
        return self._upgrade

    def of(self, each: Expectation) -> ExpectationResult:
        """Whether one is met."""
        expected = say(each)
        reasons: tuple[Reason, ...] = ()
        if each.absent:
            found = self._absent(each.package)
        elif each.package:
            found, reasons = self._package(each)
        elif each.no_removals:
            found = self._removals()
        elif each.days:
            found = self._old_indexes(each.days)
        else:
            found = self._others_from(each)
        return ExpectationResult(expected, each.place, not found, found, reasons)

    def _package(self, each: Expectation) -> tuple[str, tuple[Reason, ...]]:
        told = bare_forecast(self.ports, [each.package])
        if not told.answers or told.answers[0].version is None or not told.ok:
            answer = told.answers[0] if told.answers else None
            problem = (answer.problem if answer else None) or told.problem
            return "is not available", (problem,) if problem else ()
        answer = told.answers[0]
        wrong = list(self._differs(each, answer))
        return "; ".join(wrong), answer.reasons if wrong else ()

    def _differs(self, each: Expectation, answer: Answer) -> Iterator[str]:
        version, source = answer.version or "", answer.source or ""
        if each.source and not self._is_source(source, each.source):
            yield f"comes from {source or 'no source'} in version {version}"
        if each.version and not self._is_version(version, each.version):
            yield f"comes in version {version}"
        if each.at_most:
            for then in [version, *self._after_upgrade(each.package)]:
                if self.ports.packages.compare(then, each.at_most) > 0:
                    yield f"would be upgraded to {then}"
                    break

    def _is_source(self, handle: str, wanted: str) -> bool:
        """A handle, or the name of a repository with several releases."""
        source = self.ports.configuration.by_handle.get(handle)
        return handle == wanted or (source is not None and source.repository == wanted)

    def _is_version(self, version: str, wanted: str) -> bool:
        bound = next((mark for mark in _BOUNDS if wanted.startswith(mark)), "")
        if not bound:
            return fnmatch.fnmatchcase(version, wanted)
        order = self.ports.packages.compare(version, wanted.removeprefix(bound).strip())
        return {"=": order == 0, ">": order > 0, "<": order < 0, ">=": order >= 0,
                "<=": order <= 0}[bound]  # fmt: skip

    def _after_upgrade(self, name: str) -> list[str]:
        return [change.new for change in self.upgrade.changes if change.name == name and change.new]

    def _absent(self, name: str) -> str:
        if name in self.ports.packages.installed_names():
            return "is installed"
        return "comes with the next upgrade" if self._after_upgrade(name) else ""

    def _removals(self) -> str:
        if not self.upgrade.ok:
            return "the next upgrade would be refused"
        gone = [change.name for change in self.upgrade.changes if change.new is None]
        return f"the next upgrade would remove {_few(gone)}" if gone else ""

    def _old_indexes(self, days: int) -> str:
        now = time.time()
        old = []
        for source in self.ports.configuration.sources:
            if not source.on:
                continue
            dated = self._looked_at(source)
            if dated is None:
                old.append(f"{source.handle} (none)")
            elif now - dated > days * _DAY:
                old.append(f"{source.handle} ({day(dated)})")
        return f"older: {_few(old)}" if old else ""

    def _looked_at(self, source: Source) -> float | None:
        fetched = self.ports.view.cache.fetched(source.address, source.release)
        times = (
            fetched.fetched if fetched else None,
            self.ports.standing.installer_looked_at(source)
            if self.ports.indexes.holder(source) == "installer" else None,
            self.ports.standing.parts_of(source).dated,
        )  # fmt: skip
        return max((each for each in times if each is not None), default=None)

    def _others_from(self, each: Expectation) -> str:
        """Packages that come from a source and are not among those that may."""
        handles = [
            s.handle
            for s in self.ports.configuration.sources
            if self._is_source(s.handle, each.source)
        ]
        if not handles:
            return f"there is no source {each.source}"
        selections = after_upgrade(self.ports).selections
        names = {
            name for (name, _), (_, then) in selections.items() if then and then.source in handles
        }
        for handle in handles:
            offered = sorted({o.name for o in offers_from(self.ports, handle)})[:_MOST_NAMES]
            names.update(
                name
                for name in offered
                if not _is_one_of(name, each.only)
                and (answer := self.ports.answers.first(name)) is not None
                and answer.source in handles
            )
        others = sorted(name for name in names if not _is_one_of(name, each.only))
        return f"so do {_few(others)}" if others else ""


def _is_one_of(name: str, globs: Sequence[str]) -> bool:
    return any(fnmatch.fnmatchcase(name, glob) for glob in globs)


def _few(names: Sequence[str]) -> str:
    more = len(names) - _SHOWN
    return ", ".join(names[:_SHOWN]) + (f" and {more} more" if more > 0 else "")


def say(each: Expectation) -> str:
    """An expectation in a few words."""
    if each.absent:
        return f"{each.package} is absent"
    if each.package:
        told = [each.package]
        if each.source:
            told.append(f"from {each.source}")
        if each.version:
            told.append(f"in version {each.version}")
        if each.at_most:
            told.append(f"not beyond {each.at_most}")
        return " ".join(told)
    if each.no_removals:
        return "the next upgrade removes nothing"
    if each.days:
        return f"no index older than {each.days} days"
    return f"only {' '.join(each.only)} from {each.source}"


def from_now(ports: Ports, names: Sequence[str]) -> str:
    """Expectations that today's forecast of some names meets, as a file.

    Raises Refusal for a name that is not available."""
    found: list[dict[str, Any]] = []
    for name in names:
        answers = bare_forecast(ports, [name]).answers
        if not answers or answers[0].version is None:
            raise Refusal(
                f"{name} is not available", f"velpin forecast {shell_word(name)} tells why"
            )
        answer = answers[0]
        each: dict[str, Any] = {"package": name}
        if answer.source:
            each["source"] = answer.source
        found.append({**each, "version": answer.version})
    return f"velpin-host = {VERSION}\n" + "".join(table_text("expect", each) for each in found)
