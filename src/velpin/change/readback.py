"""Whether a considered change of source files does what it is for and nothing else.

The host under the overlay is read by the ordinary reader, and what its files state is held
against what they state now. A statement that comes, goes or changes without being asked for
stops the plan.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Hashable, Iterable, Sequence
from typing import NamedTuple, Protocol

from velpin.errors import Refusal
from velpin.model.reason import Place

StatementKey = Hashable
"""What a source is known by whatever changes around it; the empty text is the host itself."""
HOST: StatementKey = ""


class Statement(NamedTuple):
    """One thing that the host's files say of a source, or of the whole host."""

    key: StatementKey
    on: bool
    field: str
    value: str


class SourceStatements(NamedTuple):
    """All that the source files of a host state, and in which order its sources stand."""

    statements: Counter[Statement]
    order: tuple[StatementKey, ...]
    """Sources that are on."""
    places: dict[StatementKey, tuple[Place, ...]]


class Readable(Protocol):
    """Source files that can be held against what they said before."""

    def statements(self) -> SourceStatements:
        """What its source files state."""


def check_switch(before: Readable, after: Readable, key: StatementKey, on: bool) -> None:
    """Refusal unless just one source is switched, and all else is as before."""
    was, now = before.statements(), after.statements()
    expected = Counter[Statement]()
    for statement, count in was.statements.items():
        expected[
            statement._replace(on=on) if statement.key == key and statement.on != on else statement
        ] += count
    # A source that stands twice, once on and once off, is one where both are on.
    _compare(_once(expected, key), now._replace(statements=_once(now.statements, key)))
    _compare_order(was.order, now.order, [key])


def check_drop(before: Readable, after: Readable, key: StatementKey, on: bool) -> None:
    """Refusal unless just one source is gone, and all else is as before."""
    was, now = before.statements(), after.statements()
    expected = Counter(
        {
            statement: n
            for statement, n in was.statements.items()
            if statement.key != key or statement.on != on
        }
    )
    _compare(expected, now)
    _compare_order(was.order, now.order, [key] if on else [])


def check_add(before: Readable, after: Readable, keys: Collection[StatementKey]) -> None:
    """Refusal where anything but some sources comes, changes or goes."""
    was, now = before.statements(), after.statements()
    expected = Counter(
        {statement: n for statement, n in was.statements.items() if statement.key not in keys}
    )
    seen = Counter(
        {statement: n for statement, n in now.statements.items() if statement.key not in keys}
    )
    _compare(expected, now._replace(statements=seen))
    _compare_order(was.order, now.order, keys)


def check_rules(before: Readable, after: Readable, fields: Collection[str]) -> None:
    """Refusal where anything but the fields that rules are written in differs."""
    was, now = before.statements(), after.statements()
    expected, seen = (
        Counter(
            {
                statement: n
                for statement, n in some.statements.items()
                if statement.field not in fields
            }
        )
        for some in (was, now)
    )
    _compare(expected, now._replace(statements=seen))


def _once(some: Counter[Statement], key: StatementKey) -> Counter[Statement]:
    return Counter({statement: 1 if statement.key == key else n for statement, n in some.items()})


def _compare(expected: Counter[Statement], now: SourceStatements) -> None:
    gone, new = expected - now.statements, now.statements - expected
    told = [*_told(gone, "would be gone", now), *_told(new, "would come", now)]
    if told:
        raise _refusal("; ".join(told))


def _told(some: Iterable[Statement], what: str, now: SourceStatements) -> list[str]:
    found = sorted(some, key=str)[:2]
    return [
        f"{_name(statement.key)}: {statement.field} {statement.value}".strip()
        + f" {what}{_where(now.places.get(statement.key, ()))}"
        for statement in found
    ]


def _where(places: Sequence[Place]) -> str:
    return f" ({', '.join(map(str, places[:2]))})" if places else ""


def _name(key: StatementKey) -> str:
    return " ".join(map(str, key)) if isinstance(key, tuple) else str(key) or "the whole host"


def _compare_order(
    before: Sequence[StatementKey], after: Sequence[StatementKey], moved: Collection[StatementKey]
) -> None:
    if [key for key in before if key not in moved] != [key for key in after if key not in moved]:
        raise _refusal("other sources would stand in another order")


def _refusal(what: str) -> Refusal:
    return Refusal(
        f"not written: read back, the changed files would do more than that: {what}",
        "nothing was changed; edit the file by hand, or put that part of it right first",
    )
