"""Small changes with which a refused request would be carried out: which of them work.

What could help is for each kind of host to say; that each was tried, and how many are named,
is the same for all.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.core.rule_planner import RulePlanner
from velpin.errors import VelpinError
from velpin.model.forecast import Remedy
from velpin.model.reasons import (
    NoVersion,
    NoVersionInSource,
    RuleInTheWay,
    ShowsHidden,
    SourceOn,
    ThereIs,
    WithoutIt,
)
from velpin.model.shell import as_typed, shell_word
from velpin.ports.attempts import AskAgain, Attempt, DropRule, SwitchOn, Uncover, all_of

if TYPE_CHECKING:
    from velpin.files.tree import Edits
    from velpin.model.forecast import Forecast
    from velpin.model.request import Request
    from velpin.ports.bundle import Ports

_MOST_TRIED = 10
_ENOUGH = 2

Try = Callable[[Sequence[str], Sequence[str], "Edits"], bool]
"""Whether the host, with some edits, would carry out some requests without some packages."""


class Trial(NamedTuple):
    """One small change: what is told of it, the requests then, and what is edited first."""

    remedy: Remedy
    texts: Sequence[str]
    edits: Edits
    without: Sequence[str] = ()


def those_that_work(ports: Ports, attempts: Iterable[Attempt], works: Try) -> tuple[Remedy, ...]:
    """The first few that work, each tried once."""
    found: list[Remedy] = []
    tried: set[tuple[str, frozenset[tuple[str, bytes | None]]]] = set()
    for trial in (trial for attempt in attempts for trial in _trials(ports, attempt)):
        key = (trial.remedy.command, frozenset(trial.edits.items()))
        if key in tried or trial.remedy in found:
            continue
        tried.add(key)
        if works(trial.texts, trial.without, trial.edits):
            found.append(trial.remedy)
        if len(found) == _ENOUGH or len(tried) == _MOST_TRIED:
            break
    return tuple(found)


def removals(
    ports: Ports, found: Forecast, texts: Sequence[str], without: Sequence[str]
) -> Iterator[Attempt]:
    """Attempts without one installed package that the reasons of a refusal name."""
    asked = {answer.package for answer in found.answers}.union(texts, without)
    installed = set(ports.packages.installed_names())
    for reason in all_of(found.because):
        for fact in reason.facts.values():
            if not isinstance(fact, str) or fact in asked or fact not in installed:
                continue
            if ports.transactions.may_suggest_removal(fact):
                yield AskAgain(texts, WithoutIt(name=fact), [*without, fact])


def longer_versions(found: Forecast, requests: Sequence[Request]) -> Iterator[Attempt]:
    """Attempts with the whole of a version that was given without its epoch or its end."""
    texts = [request.text for request in requests if not request.removes]
    without = [request.text for request in requests if request.removes]
    meant = {request.text: request.version for request in requests}
    for answer in found.answers:
        version = meant.get(answer.asked, "")
        if not version or not isinstance(answer.problem, NoVersion | NoVersionInSource):
            continue
        whole = next((v for v in answer.near if _begins(v, version)), None)
        if whole is None:
            continue
        epoch = whole[: whole.index(version)]
        matched = [v for v in answer.near if v.startswith(f"{epoch}{version}")]
        alike = all(_begins(v, version) for v in matched)
        before, _, after = answer.asked.rpartition(version)
        again = f"{before}{f'{epoch}{version}*' if alike else whole}{after}"
        asked = [again if text == answer.asked else text for text in texts]
        yield AskAgain(asked, ThereIs(name=answer.package, version=whole), without)


def _begins(whole: str, version: str) -> bool:
    """Whether a version is another one's beginning, up to a sign, with or without its epoch."""
    rest = whole.partition(":")[2] or whole
    return any(
        text.startswith(version) and not text[len(version) : len(version) + 1].isalnum()
        for text in (whole, rest)
    )


def _trials(ports: Ports, attempt: Attempt) -> Iterator[Trial]:
    match attempt:
        case AskAgain(texts, what, without):
            options = [word for name in without for word in ("--without", name)]
            remedy = Remedy(as_typed(["velpin", "forecast", *texts, *options]), what)
            yield Trial(remedy, texts, {}, without)
        case SwitchOn():
            yield from _switching_on(ports, attempt)
        case DropRule():
            yield from _dropping(ports, attempt)
        case Uncover(name, texts):
            remedy = Remedy(as_typed(["velpin", "want", *texts]), ShowsHidden(name=name))
            for way in ports.rule_writer.uncovering(name):
                yield Trial(remedy, texts, way.edits)


def _switching_on(ports: Ports, attempt: SwitchOn) -> Iterator[Trial]:
    for source, index in ports.indexes.off():
        if attempt.handles is not None and source.handle not in attempt.handles:
            continue
        if index.rows(attempt.name) or index.providers(attempt.name):
            what = SourceOn(source=source.handle, name=attempt.name)
            remedy = Remedy(f"velpin on {shell_word(source.handle)}", what)
            yield Trial(remedy, attempt.texts, ports.editor.switched(source, True))


def _dropping(ports: Ports, attempt: DropRule) -> Iterator[Trial]:
    try:
        edits = RulePlanner(ports).dropped(attempt.place).edits
    except VelpinError:
        return
    what = RuleInTheWay(place=attempt.place)
    yield Trial(Remedy(f"velpin rules drop {attempt.place}", what), attempt.texts, edits)
