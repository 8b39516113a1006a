"""Small changes with which a refused request would be carried out, each one tried."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.kinds.alpm.reasons import AskFirst
from velpin.kinds.alpm.state import AlpmState
from velpin.model.forecast import Forecast
from velpin.model.reason import Reason
from velpin.model.reasons import AskForVersion, AskInstead, WouldDo
from velpin.ports.attempts import AskAgain, Attempt, all_of, pointed_to


def attempts(state: AlpmState, texts: Sequence[str], found: Forecast) -> Iterator[Attempt]:
    """Every small change that could help, those for which nothing is written first."""
    yield from _in_another_order(texts)
    yield from _from_another(state, texts, found)
    for reason in all_of(found.because):
        yield from _with_it_too(texts, reason)
    yield from pointed_to(found, texts)


def _in_another_order(texts: Sequence[str]) -> Iterator[Attempt]:
    """Choices are made in the order of what is asked for."""
    for at in range(1, len(texts)):
        asked = [texts[at], *texts[:at], *texts[at + 1 :]]
        yield AskAgain(asked, AskFirst(name=texts[at]))


def _from_another(state: AlpmState, texts: Sequence[str], found: Forecast) -> Iterator[Attempt]:
    """The same name from a later source."""
    for answer in found.answers:
        for package in state.packages.pool.offered(answer.package):
            if package.origin.handle == answer.source or answer.asked not in texts:
                continue
            word = f"{package.name}%{package.origin.handle}"
            asked = [word if text == answer.asked else text for text in texts]
            instead = AskInstead(
                name=package.name, version=package.version, source=package.origin.handle
            )
            yield AskAgain(asked, instead)


def _with_it_too(texts: Sequence[str], reason: Reason) -> Iterator[Attempt]:
    """What is ignored as a need comes where it is asked for by name; so does what is in a
    source that gives nothing without being asked."""
    if isinstance(reason, WouldDo) and reason.source:
        name, source = reason.name, reason.source
        too = AskForVersion(name=name, version=reason.version, source=source)
        yield AskAgain([f"{name}%{source}", *texts], too)
