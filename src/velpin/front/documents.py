"""What the commands answer with `--json`, where that is more than one value of the core."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Annotated, NamedTuple

from velpin.change.plan import KeyShown, Plan
from velpin.errors import VelpinError
from velpin.model.finding import Rehearsal
from velpin.model.forecast import Answer
from velpin.model.host import RefreshResult, SearchHit
from velpin.model.hostfile import ConformItem, ExpectationResult
from velpin.model.instructions import LineRead
from velpin.model.reason import Inline, Reason
from velpin.model.rule import Rule
from velpin.model.safe_text import without_passwords
from velpin.model.shift import Drift, Shift
from velpin.model.way_back import GoingBack

if TYPE_CHECKING:
    from velpin.change.journal import JournalEntry
    from velpin.core.hostfile.conform import Conforming
    from velpin.core.options import PlanOption
    from velpin.core.takeover import Takeover
    from velpin.model.instructions import Reading
    from velpin.model.way_back import WayBack


class Failure(NamedTuple):
    """Why a command failed; the exit code tells the kind of error (README)."""

    error: str
    hint: str | None
    exit_code: int

    @classmethod
    def of(cls, problem: VelpinError) -> Failure:
        """An error as it is told."""
        return cls(problem.message, problem.hint or None, problem.exit_code)


@dataclass(frozen=True, slots=True)
class Hits:
    """What a search found."""

    count: int
    """How many there are; `found` may be the first of them."""
    found: Sequence[SearchHit]


class Refreshed(NamedTuple):
    """What came of fetching one source; without `error` its index is in use."""

    source: str
    outcome: str
    offers: int
    bytes: int
    warnings: Sequence[str]
    error: str | None
    hint: str | None

    @classmethod
    def of(cls, result: RefreshResult) -> Refreshed:
        """A result as it is told."""
        error = result.error
        return cls(
            result.handle, result.outcome, result.offers, result.bytes, result.warnings,
            error.message if error else None, (error.hint or None) if error else None,
        )  # fmt: skip


class Planned(NamedTuple):
    """A considered change, and the journal entry it became."""

    summary: str
    unchanged: bool
    """Whether everything already is as it would be."""
    entry: int | None
    """The number of the journal's entry; null for a preview."""
    sources: Sequence[str]
    files: Mapping[str, str | None]
    """New text by file name; null for one that is removed or is not text."""
    keys: Sequence[KeyShown]
    findings: Sequence[Reason]
    notes: Sequence[Reason]
    rules: Sequence[Rule]
    taken_over: Sequence[str]
    removed: Sequence[str]
    prevented_by: str | None
    shift: Shift | None
    read: Sequence[LineRead]
    """What was made of each line of a vendor's instructions; empty without any."""
    requests: Sequence[str]
    """What the instructions have installed afterwards, as words for `velpin forecast`."""
    next: Sequence[str] = ()
    """Commands of the host's installer that come next, a line each."""
    back: Sequence[GoingBack] | None = None
    """With `--back`: what became of each package that came from the source."""

    @classmethod
    def of(
        cls, plan: Plan, shift: Shift | None, entry: int | None, takeover: Takeover | None = None,
        reading: Reading | None = None, following: Sequence[str] = (),
        back: WayBack | None = None,
    ) -> Planned:  # fmt: skip
        """A plan as it is told, and what instructions it was made of."""
        return cls(
            plan.summary, plan.unchanged and entry is None, entry, plan.handles, files_of(plan),
            plan.keys, plan.findings, plan.notes, plan.rules,
            takeover.names if takeover else (),
            takeover.removed if takeover else (),
            (takeover.command or None) if takeover else None,
            shift, reading.lines if reading else (), reading.requests if reading else (),
            following, back.packages if back else None,
        )  # fmt: skip


def files_of(plan: Plan) -> dict[str, str | None]:
    """The new text of each file of a plan."""
    return {file: _text(data) for file, data in plan.edits.items()}


def _text(data: bytes | None) -> str | None:
    if data is None or b"\0" in data:
        return None
    return without_passwords(data.decode("utf-8", "replace"))


class Option(NamedTuple):
    """One change under which the forecast gives what is wanted."""

    commands: Sequence[str]
    files: Mapping[str, str | None]
    shift: Shift
    goes_stale: Sequence[str]
    """Packages that nobody asked for and that it pins to one version: they get no update until the
    pin goes."""

    @classmethod
    def of(cls, option: PlanOption) -> Option:
        """An option as it is told."""
        return cls(
            option.commands, files_of(option.plan), option.shift, option.goes_stale
        )  # fmt: skip


class Options(NamedTuple):
    """The best changes for what is wanted; none where there is nothing to do."""

    options: Sequence[Option]
    entry: int | None
    """The number of the journal's entry where one was made."""
    next: Sequence[str] = ()
    """Commands of the host's installer that come next, a line each."""


class JournalRecord(NamedTuple):
    """One change that Velpin made, without the contents of the files."""

    number: int
    time: float
    command: str
    summary: str
    files: Sequence[str]
    undoes: int | None
    undone_by: int | None

    @classmethod
    def of(cls, entry: JournalEntry) -> JournalRecord:
        """An entry as it is told."""
        return cls(
            entry.number, entry.time, entry.command, entry.summary,
            [edit.file for edit in entry.edits], entry.undoes or None, entry.undone_by or None,
        )  # fmt: skip


class Rehearsed(NamedTuple):
    """What the move to another release would do, and the edits it would take."""

    rehearsal: Annotated[Rehearsal, Inline]
    files: Mapping[str, str | None]
    """New text by file name; null for one that is removed or is not text."""

    @classmethod
    def of(cls, found: Rehearsal, plan: Plan) -> Rehearsed:
        """A rehearsal as it is told."""
        return cls(found, files_of(plan))


class Conformed(NamedTuple):
    """What making a host as a file says changes, or would."""

    changed: bool
    entry: int | None
    """The number of the journal's entry; null where nothing was written."""
    items: Sequence[ConformItem]
    expectations: Sequence[ExpectationResult]
    files: Mapping[str, str | None]
    shift: Shift | None

    @classmethod
    def of(cls, found: Conforming, shift: Shift | None, entry: int | None) -> Conformed:
        """As it is told."""
        return cls(
            found.changed, entry, found.items, found.expectations, files_of(found.plan), shift
        )


class Expected(NamedTuple):
    """Whether expectations are met."""

    ok: bool
    expectations: Sequence[ExpectationResult]

    @classmethod
    def of(cls, results: Sequence[ExpectationResult]) -> Expected:
        """As it is told."""
        return cls(all(each.met for each in results), results)


class SavedSnapshot(NamedTuple):
    """Where a snapshot was saved."""

    saved: str
    packages: int


class Drifted(NamedTuple):
    """What differs from a saved snapshot."""

    since: float
    drift: Sequence[Drift]


class AskedShift(NamedTuple):
    """The answers for one package before and after a change."""

    before: Answer
    after: Answer
