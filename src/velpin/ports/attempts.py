"""Small changes that could help with a refused request; that one works is for the core to try."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import TYPE_CHECKING, NamedTuple

from velpin.model.reason import Place, Reason, place_of
from velpin.model.reasons import Lacking

if TYPE_CHECKING:
    from velpin.model.forecast import Forecast


class AskAgain(NamedTuple):
    """To ask otherwise."""

    texts: Sequence[str]
    what: Reason
    """What is told of it."""
    without: Sequence[str] = ()
    """Installed packages that are to go."""


class SwitchOn(NamedTuple):
    """To switch a source on that has a name."""

    name: str
    texts: Sequence[str]
    handles: Sequence[str] | None = None
    """The sources that may be meant; any if None."""


class DropRule(NamedTuple):
    """To drop the rule at a place, if there is one that can be dropped."""

    place: Place
    texts: Sequence[str]


class Uncover(NamedTuple):
    """To show offers of a name that settings hide which are no rules."""

    name: str
    texts: Sequence[str]


Attempt = AskAgain | SwitchOn | DropRule | Uncover


def pointed_to(found: Forecast, texts: Sequence[str]) -> Iterator[Attempt]:
    """What the reasons of a refusal point to: a source that is off and has what is asked for, a
    rule in the way."""
    problems = [answer.problem for answer in found.answers if answer.problem]
    reasons = list(all_of([*found.because, *problems]))
    for reason in reasons:
        if isinstance(reason, Lacking) and reason.off:
            yield SwitchOn(reason.name, texts, reason.off)
    for answer in found.answers:
        if answer.problem is not None:
            yield SwitchOn(answer.package, texts)
    passed = (passed.why for answer in found.answers for passed in answer.passed_over)
    for reason in (*reasons, *all_of(passed)):
        place = place_of(reason)
        if place:
            yield DropRule(place, texts)


def all_of(reasons: Iterable[Reason]) -> Iterator[Reason]:
    """Reasons with all their causes."""
    for reason in reasons:
        yield reason
        yield from all_of(reason.because)
