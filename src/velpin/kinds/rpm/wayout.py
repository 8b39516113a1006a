"""Small changes with which a refused request would be carried out, each one tried."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.kinds.rpm.edit import switch
from velpin.kinds.rpm.rules.plan import plan_rule_drop
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import version_key
from velpin.kinds.trying import Change, Try, asking, pointed_to, those_that_work
from velpin.model import Answer, Fact, Forecast, WayOut


def ways_out(
    host: RpmState, texts: Sequence[str], found: Forecast, works: Try
) -> tuple[WayOut, ...]:
    """The first few changes that work, those for which nothing is written first."""
    return those_that_work(_changes(host, texts, found), works)


def _changes(host: RpmState, texts: Sequence[str], found: Forecast) -> Iterator[Change]:
    for answer in found.answers:
        if answer.problem is None:
            yield from _in_another_version(host, found.answers, answer)
    yield from pointed_to(host, found, texts, switch, plan_rule_drop)


def _in_another_version(
    host: RpmState, answers: Sequence[Answer], answer: Answer
) -> Iterator[Change]:
    builds = [
        one
        for one in host.pool.named(answer.package)
        if not one.installed and one.arch == answer.arch and one.version != answer.version
    ]
    for one in sorted(builds, key=lambda build: version_key(build.version), reverse=True):
        asked = [
            f"{one.name}@{one.version}" if other.package == answer.package else other.asked
            for other in answers
        ]
        facts: dict[str, Fact] = {
            "name": one.name, "version": one.version, "source": one.origin.handle,
        }  # fmt: skip
        yield asking(asked, "ask-instead", **facts)
