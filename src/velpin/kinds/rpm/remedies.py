"""Small changes with which a refused request would be carried out, each one tried."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.kinds.rpm.reasons import Hidden
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import version_key
from velpin.model.forecast import Answer, Forecast
from velpin.model.reasons import AskInstead
from velpin.ports.attempts import AskAgain, Attempt, Uncover, pointed_to


def attempts(state: RpmState, texts: Sequence[str], found: Forecast) -> Iterator[Attempt]:
    """Every small change that could help, those for which nothing is written first."""
    for answer in found.answers:
        if answer.problem is None:
            yield from _in_another_version(state, found.answers, answer)
        elif isinstance(answer.problem, Hidden):
            yield Uncover(answer.package, texts)
    yield from pointed_to(found, texts)


def _in_another_version(
    state: RpmState, answers: Sequence[Answer], answer: Answer
) -> Iterator[Attempt]:
    builds = [
        package
        for package in state.packages.pool.named(answer.package)
        if not package.installed
        and package.arch == answer.arch
        and package.version != answer.version
    ]
    for package in sorted(builds, key=lambda build: version_key(build.version), reverse=True):
        asked = [
            f"{package.name}@{package.version}" if other.package == answer.package else other.asked
            for other in answers
        ]
        instead = AskInstead(
            name=package.name, version=package.version, source=package.origin.handle
        )
        yield AskAgain(asked, instead)
