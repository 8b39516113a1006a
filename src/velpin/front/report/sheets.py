"""What a report tells, as tables of short texts; the page and the figures only lay them out."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import NamedTuple

from velpin.front.shift_command import CAUSES
from velpin.front.words import (
    age,
    counted,
    role,
    selected,
    several,
    shortened,
    size,
)
from velpin.model.dates import day
from velpin.model.finding import Finding
from velpin.model.forecast import Change
from velpin.model.host import KeyUse, SourceStatus
from velpin.model.report import HostReport, PackageOutlook
from velpin.model.rule import RuleInForce, short_of

SOON = 30 * 86400
"""A key that expires within this time, in seconds, is told."""
MARKS = {"error": "✕", "warning": "▲", "hint": "·", "good": "✓"}
"""A sign beside each colour: nothing is said by colour alone."""


class Cell(NamedTuple):
    """One cell of a table, with the name of its style."""

    text: str
    style: str = ""


class Sheet(NamedTuple):
    """A table: its heads, its rows, and which columns are numbers."""

    heads: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
    numbers: tuple[int, ...] = ()


def sheet(
    heads: Sequence[str], rows: Iterable[Sequence[Cell]], numbers: Sequence[int] = ()
) -> Sheet:
    """A table without its empty columns; `numbers` are columns of numbers."""
    found = list(rows)
    used = [at for at in range(len(heads)) if any(row[at].text for row in found)]
    return Sheet(
        tuple(heads[at] for at in used),
        tuple(tuple(row[at] for at in used) for row in found),
        tuple(place for place, at in enumerate(used) if at in numbers),
    )


class Share(NamedTuple):
    """What one source gives the host."""

    status: SourceStatus
    now: tuple[PackageOutlook, ...]
    """Installed packages that come from it."""
    coming: tuple[PackageOutlook, ...]
    """Installed packages that the next upgrade takes from it in another version, or from another
    source than now."""
    after: int
    """How many installed packages come from it after the upgrade."""
    rules: tuple[str, ...]
    """The rules that are about it, in words."""

    @property
    def handle(self) -> str:
        """The source's handle."""
        return self.status.source.handle


class Sheets:
    """The tables of one report."""

    def __init__(self, report: HostReport) -> None:
        self.report = report

    # -- who gives what ------------------------------------------------------------------

    @cached_property
    def shares(self) -> list[Share]:
        """Every source, in the order in which they win, and what it gives."""
        return [self._share(status) for status in self.report.sources]

    def _share(self, status: SourceStatus) -> Share:
        handle = status.source.handle
        packages = self.report.packages
        coming = [p for p in packages if p.changes and p.next and p.next.source == handle]
        return Share(
            status,
            tuple(package for package in packages if package.giver == handle),
            tuple(coming),
            sum(package.next is not None and package.next.source == handle for package in packages),
            tuple(_said(rule) for rule in self.report.rules if handle in _about(rule)),
        )

    @cached_property
    def in_no_source(self) -> tuple[PackageOutlook, ...]:
        """Installed packages that no source has."""
        return tuple(package for package in self.report.packages if not package.giver)

    def packages(self, of: Sequence[PackageOutlook]) -> Sheet:
        """Installed packages, each with what the next upgrade makes of it."""
        rows = [
            (
                Cell(f"{p.name}:{p.arch}" if self._is_foreign(p) else p.name, "name"),
                Cell(p.installed),
                self._next(p),
                Cell("on hold" if p.held else "", "warning" if p.held else ""),
            )
            for p in of
        ]
        return sheet(("package", "installed", "after the next upgrade", ""), rows)

    def _next(self, package: PackageOutlook) -> Cell:
        if package.next is None:
            return Cell(f"{MARKS['error']} removed", "error")
        if self.report.is_takeover(package):
            return Cell(f"{MARKS['warning']} {selected(package.next, '')}", "warning")
        if package.changes_source:
            return Cell(selected(package.next, ""))
        return Cell(package.next.version if package.changes else "")

    def _is_foreign(self, package: PackageOutlook) -> bool:
        return package.arch in self.report.facts.foreign

    # -- sources and rules ---------------------------------------------------------------

    @cached_property
    def sources(self) -> Sheet:
        """Every source in the order in which it wins."""
        rows = [
            (
                Cell(str(share.status.tier or "-")),
                Cell(share.handle, "name"),
                _state(share.status),
                Cell(", ".join(str(each.priority) for each in share.status.priorities)),
                Cell(_count(share.status.offers)),
                Cell(_count(len(share.now))),
                Cell(_count(share.after)),
                self._age(share.status),
                Cell(share.status.source.url, "address"),
            )
            for share in self.shares
        ]
        heads = ("tier", "source", "state", "priority", "offers", "installed", "after",
                 "index made", "address")  # fmt: skip
        return sheet(heads, rows, (0, 3, 4, 5, 6))

    def _age(self, status: SourceStatus) -> Cell:
        if status.dated is None:
            return Cell(f"{MARKS['warning']} never fetched" if status.state != "off" else "",
                        "warning")  # fmt: skip
        told = age(status.dated, self.report.time)
        return Cell(told if told == "just now" else f"{told} ago")

    @cached_property
    def rules(self) -> Sheet:
        """Every rule in force, and what it decides."""
        rows = []
        for rule in self.report.rules:
            decides = [several(rule.offers, "offer")] if rule.offers else []
            decides += [shortened(rule.installed, 6)] if rule.installed else []
            told = Cell("; ".join(decides))
            if rule.dead is not None:
                told = Cell(f"{MARKS['warning']} {rule.dead.text}", "warning")
            rows.append((Cell(_said(rule), "rule"), told, Cell(str(rule.place), "address")))
        return sheet(("rule", "decides", "written at"), rows)

    # -- the next upgrade ----------------------------------------------------------------

    @cached_property
    def upgrade(self) -> list[tuple[str, Sheet]]:
        """The groups of the next upgrade, the gravest first."""
        groups: dict[str, list[Change]] = {
            "removed": [], "downgraded": [], "from another publisher": [],
            "upgraded": [], "new": [],
        }  # fmt: skip
        for change in self.report.upgrade.changes:
            groups[_group(change)].append(change)
        return [
            (f"{name.capitalize()} ({len(changes)})", _changes(changes))
            for name, changes in groups.items()
            if changes
        ]

    @cached_property
    def takeovers(self) -> list[str]:
        """Publishers that the next upgrade gives packages of others to, in words."""
        found: dict[tuple[str, str], list[str]] = {}
        for package in self.report.packages:
            if self.report.is_takeover(package) and package.next is not None:
                found.setdefault((package.next.source, package.source), []).append(package.name)
        return [
            f"{several(len(names), 'package')} would move from {before} to {after or 'no source'}:"
            f" {shortened(names)}"
            for (after, before), names in sorted(found.items())
        ]

    @cached_property
    def held_back(self) -> Sheet:
        """Installed packages that the next upgrade holds back, and why."""
        rows = [
            (
                Cell(held.name, "name"), Cell(held.installed), Cell(held.version),
                Cell(held.source or ""), Cell("; ".join(reason.text for reason in held.why)),
            )
            for held in self.report.upgrade.held_back
        ]  # fmt: skip
        return sheet(("package", "installed", "held back from", "source", "because"), rows)

    # -- keys ----------------------------------------------------------------------------

    @cached_property
    def keys(self) -> Sheet:
        """Every key, what it signs for, and until when."""
        rows = [
            (
                Cell(key.owner, "rule"), self.key_state(key), Cell(day(key.created), "day"),
                Cell(_signs(key)), Cell(key.algorithm), Cell(key.fingerprint, "address"),
                Cell(key.where, "address"),
            )
            for key in self.report.keys
        ]  # fmt: skip
        heads = ("key", "state", "made", "signs for", "algorithm", "fingerprint", "in")
        return sheet(heads, rows)

    @cached_property
    def single_keys(self) -> list[KeyUse]:
        """Every key once, however many files hold it."""
        return list({key.fingerprint: key for key in self.report.keys}.values())

    def key_state(self, key: KeyUse) -> Cell:
        """Whether a key is good today."""
        now = self.report.time
        if key.revoked:
            return Cell(f"{MARKS['error']} revoked", "error")
        if key.expires is None:
            return Cell(f"{MARKS['good']} does not expire", "good")
        if key.expires <= now:
            return Cell(f"{MARKS['error']} expired {day(key.expires)}", "error")
        if key.expires <= now + SOON:
            return Cell(f"{MARKS['warning']} expires {day(key.expires)}", "warning")
        return Cell(f"{MARKS['good']} until {day(key.expires)}", "good")

    # -- drift, and the summary ----------------------------------------------------------

    @cached_property
    def drift(self) -> Sheet:
        """What differs from the snapshot, and why."""
        rows = [
            (
                Cell(each.name, "name"),
                Cell(selected(each.before, "nothing")),
                Cell(selected(each.after, "nothing")),
                Cell(", ".join(CAUSES[cause] for cause in each.causes)),
            )
            for each in self.report.drift
        ]
        return sheet(("package", "then", "now", "because of"), rows)

    @cached_property
    def summary(self) -> list[tuple[str, Cell, str]]:
        """What stands first: a name, a figure, and the section that tells more."""
        report, counts = self.report, self.report.facts.sources
        changes = report.upgrade.changes
        told = Cell("nothing to do", "good")
        if not report.upgrade.ok:
            told = Cell(f"{MARKS['error']} refused", "error")
        elif changes:
            told = Cell(several(len(changes), "package"))
        fresh = [s.dated for s in report.sources if s.dated is not None and s.state == "on"]
        oldest = f"oldest: {age(min(fresh), report.time)}" if fresh else "no index yet"
        return [
            ("sources", Cell(f"{counts.on} on, {counts.off} off"), "sources"),
            ("installed", Cell(several(len(report.packages), "package")), "packages"),
            ("next upgrade", told, "upgrade"),
            ("checkup", self._worst(), "findings"),
            ("indexes", Cell(oldest), "ages"),
        ]

    def _worst(self) -> Cell:
        counts = Counter(finding.severity for finding in self.report.checkup.findings)
        if not counts:
            return Cell(f"{MARKS['good']} nothing found", "good")
        worst = next(each for each in ("error", "warning", "hint") if counts[each])
        parts = [several(counts[each], each) for each in ("error", "warning", "hint")
                 if counts[each]]  # fmt: skip
        return Cell(f"{MARKS[worst]} {', '.join(parts)}", worst)


def _about(rule: RuleInForce) -> set[str]:
    """Handles of the sources that a rule is about."""
    if rule.rule is not None and rule.rule.source:
        return {rule.rule.source}
    facts: Mapping[str, object] = rule.says.facts
    found = facts.get("sources", facts.get("source", ()))
    if isinstance(found, str):
        return {part.strip() for part in found.split(",")}
    return {str(part) for part in found} if isinstance(found, tuple) else set()


def _said(rule: RuleInForce) -> str:
    return short_of(rule.rule) if rule.rule is not None else rule.says.text


def _signs(key: KeyUse) -> str:
    if not key.everything:
        return ", ".join(key.sources)
    return f"every source that names no key ({', '.join(key.sources) or 'none at present'})"


def _state(status: SourceStatus) -> Cell:
    if status.problem:
        return Cell(f"{MARKS['error']} {status.problem.splitlines()[0]}", "error")
    if status.state == "on":
        return Cell(f"{MARKS['good']} on", "good")
    return Cell(status.state, "quiet" if status.state == "off" else "warning")


def _group(change: Change) -> str:
    if change.outcome == "install":
        return "new"
    if change.outcome in ("remove", "downgrade"):
        return "removed" if change.outcome == "remove" else "downgraded"
    if change.changes_hands:
        return "from another publisher"
    return "upgraded"


def _changes(changes: Sequence[Change]) -> Sheet:
    rows = []
    for change in sorted(changes, key=lambda change: change.name):
        source = change.source or ""
        if change.changes_hands and change.old_source:
            source += f" (now {change.old_source})"
        rows.append((
            Cell(f"{change.name}:{change.arch}" if change.foreign else change.name, "name"),
            Cell(change.old or ""), Cell(change.new or ""),
            Cell(source),
            Cell(size(change.download_bytes) if change.new else ""), Cell(role(change)),
        ))  # fmt: skip
    heads = ("package", "now", "then", "source", "download", "because")
    return sheet(heads, rows, (4,))


def _count(number: int) -> str:
    return counted(number) if number else ""


class Case(NamedTuple):
    """One finding as the page shows it, below what it has in common with others of its code."""

    text: str
    because: tuple[str, ...]
    place: str
    mend: str
    advice: str


class FindingGroup(NamedTuple):
    """Findings of one code."""

    severity: str
    mark: str
    code: str
    why: str
    cases: tuple[Case, ...]


def findings(report: HostReport) -> list[FindingGroup]:
    """What the checkup found by codes, the worst first."""
    groups: dict[tuple[str, str, str], list[Case]] = {}
    for each in report.checkup.findings:
        groups.setdefault((each.severity, each.code, each.why), []).append(_case(each))
    return [
        FindingGroup(severity, MARKS[severity], code, why, tuple(cases))
        for (severity, code, why), cases in groups.items()
    ]


def _case(finding: Finding) -> Case:
    return Case(
        finding.text.text, tuple(reason.text for reason in finding.text.because),
        str(finding.place or ""), finding.mend or "",
        finding.advice.text if finding.advice else "",
    )  # fmt: skip
