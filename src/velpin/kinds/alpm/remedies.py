"""Small changes with which a refused request would be carried out, each one tried."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.kinds.alpm.state import AlpmState
from velpin.model.forecast import Forecast
from velpin.model.reason import Fact, Reason
from velpin.ports.attempts import Attempt, all_of, asking, pointed_to


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
        yield asking(asked, "ask-first", name=texts[at])


def _from_another(state: AlpmState, texts: Sequence[str], found: Forecast) -> Iterator[Attempt]:
    """The same name from a later source."""
    for answer in found.answers:
        for package in state.packages.pool.offered(answer.package):
            if package.origin.handle == answer.source or answer.asked not in texts:
                continue
            word = f"{package.name}%{package.origin.handle}"
            asked = [word if text == answer.asked else text for text in texts]
            facts: dict[str, Fact] = {
                "name": package.name, "version": package.version, "source": package.origin.handle,
            }  # fmt: skip
            yield asking(asked, "ask-instead", **facts)


def _with_it_too(texts: Sequence[str], reason: Reason) -> Iterator[Attempt]:
    """What is ignored as a need comes where it is asked for by name; so does what is in a
    source that gives nothing without being asked."""
    name, source = str(reason.facts.get("name", "")), str(reason.facts.get("source", ""))
    if reason.code == "would-do" and name and source:
        facts = {"name": name, "version": reason.facts.get("version", ""), "source": source}
        yield asking([f"{name}%{source}", *texts], "ask-for-version", **facts)
