"""Small changes with which a refused request would be carried out, each one tried."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.kinds.deb.choice import DebVersion
from velpin.kinds.deb.engine.causes import Link, Obstacle
from velpin.kinds.deb.engine.world import Target
from velpin.kinds.deb.reasons import AskForHeld
from velpin.kinds.deb.transaction.steps import Transaction
from velpin.model.forecast import Answer
from velpin.model.reasons import AskForVersion, AskInstead
from velpin.ports.attempts import AskAgain, Attempt, DropRule, SwitchOn


def attempts(
    done: Transaction, chain: Sequence[Link], answers: Sequence[Answer]
) -> Iterator[Attempt]:
    """Every small change that could help, the smallest first."""
    return _Changes(done, chain, answers).all()


class _Changes:
    """Every small change that could help, in the order in which a person would like them."""

    def __init__(self, done: Transaction, chain: Sequence[Link], answers: Sequence[Answer]) -> None:
        self.world, self.state = done.world, done.world.state
        self.answers = answers
        self.removed = {answer.package for answer in answers if answer.outcome == "remove"}
        self.texts = [answer.asked for answer in answers]
        self.obstacles = [obstacle for link in chain for obstacle in link.obstacles]

    def all(self) -> Iterator[Attempt]:
        """All of them."""
        for obstacle in self.obstacles:
            yield from self._other_version(obstacle)
        for obstacle in self.obstacles:
            yield from self._off_hold(obstacle)
        for obstacle in self.obstacles:
            yield from self._source_on(obstacle.target)
        for obstacle in self.obstacles:
            yield from self._without_record(obstacle)
        yield from self._asked_in_another_version()

    def _with(self, name: str, text: str) -> list[str]:
        """The requests with one for a package added, or put in place of what there is."""
        asked = [a.package for a in self.answers]
        kept = [t for t, package in zip(self.texts, asked, strict=True) if package != name]
        return [*kept, text]

    def _other_version(self, one: Obstacle) -> Iterator[Attempt]:
        if one.code != "not chosen":
            return
        for build in self.world.options(one.target):
            version = build.offer
            if not isinstance(version, DebVersion) or not version.offered:
                continue
            if build.unit.name in self.removed:
                continue
            name = self._label(build.unit.name, build.unit.arch)
            texts = self._with(build.unit.name, f"{name}@{build.version}")
            yield AskAgain(
                texts,
                AskForVersion(name=build.unit.name, version=build.version, source=version.source),
            )

    def _label(self, name: str, arch: str) -> str:
        return name if arch == self.state.configuration.native else f"{name}:{arch}"

    def _off_hold(self, one: Obstacle) -> Iterator[Attempt]:
        units = [one.build.unit] if one.build else self.world.units_of(one.target.name)
        for unit in units:
            if unit.held and unit.name not in [a.package for a in self.answers]:
                texts = [*self.texts, self._label(unit.name, unit.arch)]
                yield AskAgain(texts, AskForHeld(name=unit.name))

    def _source_on(self, target: Target) -> Iterator[Attempt]:
        yield SwitchOn(target.name, self.texts)

    def _without_record(self, one: Obstacle) -> Iterator[Attempt]:
        records = {
            version.priority.record
            for unit in self.world.units_of(one.target.name)
            for version in self.state.packages.named(unit.name)[unit.arch].versions
            if version.priority.record is not None
        }
        for place in sorted(record.place for record in records):
            yield DropRule(place, self.texts)

    def _asked_in_another_version(self) -> Iterator[Attempt]:
        for answer in self.answers:
            if answer.outcome == "remove":
                continue
            package = self.state.packages.named(answer.package).get(
                self.state.configuration.native if answer.arch == "all" else answer.arch
            )
            for version in package.versions if package else ():
                if version.text == answer.version or not version.offered:
                    continue
                name = self._label(answer.package, package.arch if package else "")
                texts = self._with(answer.package, f"{name}@{version.text}")
                yield AskAgain(
                    texts,
                    AskInstead(name=answer.package, version=version.text, source=version.source),
                )
