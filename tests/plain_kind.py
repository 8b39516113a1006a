"""The smallest kind of host; docs/adding-a-kind.md goes through it, port by port.

etc/plain/sources         NAME ADDRESS, the first that has a package wins; `#off ` switches off
etc/plain/rules           `first NAME` or `keep PACKAGE`, and behind # the command it is for
var/lib/plain/installed   PACKAGE VERSION, as in ADDRESS/list; versions are numbers
"""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from functools import cached_property, partial
from pathlib import Path
from typing import Any, Self

from velpin.change.plan import Plan
from velpin.change.readback import SourceStatements, Statement
from velpin.errors import HostFileError, Refusal
from velpin.fetch.download import Transport
from velpin.files.tree import Edits, Tree, read_release_fields
from velpin.model.forecast import Answer, Change, Forecast, HostName, Offer, PassedOver, outcome_of
from velpin.model.host import RefreshResult, SourcePriority
from velpin.model.installer import Installer
from velpin.model.reason import Place, Reason
from velpin.model.reasons import Unknown
from velpin.model.request import Request
from velpin.model.rule import (
    Keep,
    Prefer,
    Rule,
    RuleInForce,
    Verdict,
    command_of,
    read_rule,
    short_of,
)
from velpin.model.rule_reasons import SaysRule
from velpin.model.shift import Selection
from velpin.model.source import Source
from velpin.ports.answers import AnswerComparison, Answers
from velpin.ports.bundle import Ports
from velpin.ports.configuration import Configuration
from velpin.ports.editor import Editor
from velpin.ports.examiner import Examiner
from velpin.ports.fetcher import Fetcher
from velpin.ports.indexes import Holder
from velpin.ports.offers import Offers
from velpin.ports.one_list import OneList
from velpin.ports.packages import Installed, Packages
from velpin.ports.provenance import Provenance
from velpin.ports.readiness import Readiness
from velpin.ports.rule_writer import RuleWriter
from velpin.ports.rules import Rules
from velpin.ports.signers import Signers
from velpin.ports.standing import Standing, StatusParts
from velpin.ports.transactions import Prediction, Transactions
from velpin.ports.view import View
from velpin.store.cache import Fetched
from velpin.store.index import Batch, Index, IndexLine, IndexPart, Notes, ParsedEntry
from velpin.store.source_fetch import SourceFetch
from velpin.trust.named import NamedKeys

SOURCES, RULES, INSTALLED = "etc/plain/sources", "etc/plain/rules", "var/lib/plain/installed"
OFF, ANY = "#off ", "any"


def recognises(tree: Tree) -> bool:
    return tree.exists(SOURCES)


def has_packages(tree: Tree) -> bool:
    return bool(tree.read(INSTALLED))


def ports(view: View) -> Ports:
    return PlainPorts(view)


class ComesFirst(Reason):
    says = "{source} comes first"
    source: str


# -- what is read ----------------------------------------------------------------------------


def lines(tree: Tree, file: str) -> list[str]:
    return (tree.read(file) or b"").decode().splitlines()


def written(text: Iterable[str]) -> bytes:
    return "".join(f"{line}\n" for line in text).encode()


def parts_of(path: Path) -> list[IndexPart]:
    return [partial(batches, path)]


def batches(path: Path, notes: Notes) -> Iterator[Batch]:
    rows = [line.split() for line in path.read_text().splitlines()]
    yield Batch(b"", [ParsedEntry(name, ANY, no, "", "", 0, 0, "") for name, no in rows], [], [])


class PlainConfiguration(Configuration):
    native, installer = ANY, Installer("plain", "1")

    def __init__(self, tree: Tree) -> None:
        self.tree = tree
        parts = (line.partition("#") for line in lines(tree, RULES))
        self.rules = [(*said.split(), note.strip()) for said, _, note in parts]

    @cached_property
    def release(self) -> Mapping[str, str]:
        return read_release_fields(self.tree)

    @cached_property
    def sources(self) -> Sequence[Source]:
        found = []
        for number, line in enumerate(lines(self.tree, SOURCES), 1):
            name, address = line.removeprefix(OFF).split()
            on, places = not line.startswith(OFF), (Place(SOURCES, number),)
            found.append(Source(name, name, address, "", (), address, on, places))
        first = [name for word, name, _ in self.rules if word == "first"]
        return sorted(found, key=lambda each: (not each.on, each.handle not in first))

    def config_error(self) -> HostFileError | None:
        return None


class PlainIndexes(OneList[Source]):
    def __init__(self, view: View, here: PlainConfiguration) -> None:
        self.view, self.here = view, here

    @property
    def sources(self) -> Mapping[str, Source]:
        return self.here.by_handle

    def index(self, source: Source) -> Index | None:
        found = self.view.cache.fetched(source.address, "")
        return self.view.cache.parsed(found.path(found.release_file), parts_of) if found else None

    @property
    def record(self) -> Index:
        return self.view.cache.parsed(self.view.tree.path(INSTALLED), parts_of)

    def holder(self, source: Source) -> Holder:
        return "velpin" if self.view.cache.fetched(source.address, "") else ""


class PlainPackages(Packages, Offers):
    def __init__(self, here: PlainConfiguration, lists: PlainIndexes) -> None:
        self.lists = lists
        self.kept = {name for word, name, _ in here.rules if word == "keep"}

    def version_key(self, version: str) -> int:
        return int(version)

    def found(self, name: str) -> list[Selection]:
        """Version and source of all there is of a name, what counts first."""
        return [
            Selection(row.version, source.handle)
            for source, index in self.lists.opened
            for row in index.rows(name)
        ]

    def installed(self) -> Iterator[Installed]:
        for row in self.lists.record.all_rows():
            having = (source for version, source in self.found(row.name) if version == row.version)
            yield Installed(row.name, ANY, row.version, next(having, ""), row.name in self.kept)

    def version_of(self, name: str) -> str | None:
        return next((row.version for row in self.lists.record.rows(name)), None)

    def known_names(self) -> set[str]:
        return {name for index in (self.lists.record, *self.lists.on()) for name in index.names()}

    def live(self, name: str) -> Sequence[Offer]:
        old = self.version_of(name)
        offers = [
            Offer(name, ANY, version, source, "", "", "", place, "passed over", version == old)
            for place, (version, source) in enumerate(self.found(name), 1)
        ]
        return [each._replace(state="chosen") if each.priority == 1 else each for each in offers]


# -- what is answered ------------------------------------------------------------------------


class PlainAnswers(Transactions, Answers):
    """What is asked for comes, from the first source that has it, and nothing else."""

    def __init__(self, packages: PlainPackages) -> None:
        self.packages = packages

    def first(self, name: str) -> Selection | None:
        return next(iter(self.packages.found(name)), None)

    def next_alone(self, here: Installed) -> Selection | None:
        return (None if here.held else self.first(here.name)) or Selection(
            here.version, here.source
        )

    def compare(self, before: Self, places: Mapping[Path, int]) -> AnswerComparison:
        def of(which: Self, name: bytes, entries: list[IndexLine]) -> Selection | None:
            return which.first(name.decode())

        return AnswerComparison(partial(of, before), partial(of, self), frozenset(places.values()))

    def _answer(self, request: Request) -> Answer:
        name, old, every = request.name, self.packages.version_of(request.name), self.packages.found
        fits = [each for each in every(name) if request.source in ("", each.source)]
        fits = [each for each in fits if request.version in ("", each.version)]
        if not fits:
            no = Unknown(name=name)
            return Answer(request.text, name, ANY, "none", old, None, None, None, "", problem=no)
        version, source = fits[0]
        outcome = "keep" if version == old else outcome_of(old, version, self.packages.compare)
        why = ComesFirst(source=source)
        return Answer(
            request.text, name, ANY, outcome, old, version, source, None, "order of sources",
            (why,), tuple(PassedOver(*each, why) for each in every(name) if each != fits[0]),
        )  # fmt: skip

    def predict(self, requests: Sequence[Request]) -> Prediction:
        told = tuple(map(self._answer, requests))
        problem = next((each.problem for each in told if each.problem), None)
        changes = [
            Change(each.package, ANY, each.installed, each.version, each.source, None, "asked",
                   outcome=each.outcome)
            for each in told if each.outcome != "keep" and not problem
        ]  # fmt: skip
        host = HostName("plain", ANY)
        return Prediction(Forecast(host, not problem, problem, told, tuple(changes)))

    def predict_upgrade(self, *, realign: bool = False) -> Forecast:
        mine = [here.name for here in self.packages.installed() if not here.held]
        asked = [Request(name, name) for name in mine if self.first(name)]
        return self.predict(asked).forecast._replace(answers=())


# -- sources ---------------------------------------------------------------------------------


class PlainSources(Standing, Signers, Examiner, Editor, Provenance, Readiness):
    """Each source is a line, and a tier of its own; nothing is signed."""

    rule_fields: Collection[str] = ()

    def __init__(self, here: PlainConfiguration) -> None:
        self.here = here

    def tiers(self) -> Mapping[str, int]:
        on = [source.handle for source in self.here.sources if source.on]
        return {handle: place for place, handle in enumerate(on, 1)}

    def parts_of(self, source: Source) -> StatusParts:
        place = self.tiers().get(source.handle, 0)
        return StatusParts((SourcePriority(place, ()),), (), "none", (), (), None)

    def keys_of(self, source: Source) -> NamedKeys:
        return NamedKeys(how="none")

    def switched(self, source: Source, on: bool) -> Edits:
        return self._replaced(source, [f"{'' if on else OFF}{source.handle} {source.address}"])

    def dropped(self, source: Source) -> Edits:
        return self._replaced(source, [])

    def _replaced(self, source: Source, new: Sequence[str]) -> Edits:
        text, at = lines(self.here.tree, SOURCES), source.places[0].line
        return {SOURCES: written([*text[: at - 1], *new, *text[at:]])}

    def statements(self) -> SourceStatements:
        every = self.here.sources
        said = Counter(Statement(each.handle, each.on, "address", each.address) for each in every)
        on = tuple(sorted(each.handle for each in every if each.on))
        return SourceStatements(said, on, {each.handle: each.places for each in every})


class PlainFetcher(Fetcher):
    def __init__(self, view: View) -> None:
        self.view = view

    def fetch(self, source: Source, transport: Transport, options: Any = ()) -> RefreshResult:
        result = RefreshResult(source.handle, "failed")
        return PlainFetch(self.view.cache, source, transport, time.time(), result).done()


class PlainFetch(SourceFetch):
    def is_trusted_as_before(self, known: Fetched) -> bool:
        return True

    def run(self) -> None:
        target = self.next.path("list.new")
        self.get_head(f"{self.source.address}/list", target, "list")
        self.next.release_file = self.keep_file(target, "list")
        self.commit(None)


# -- rules -----------------------------------------------------------------------------------


class PlainRules(Rules, RuleWriter):
    """`prefer` puts sources first, `keep` holds packages; there is nothing else."""

    def __init__(self, bundle: PlainPorts) -> None:
        self.bundle, self.here = bundle, bundle.configuration

    @property
    def sources(self) -> Sequence[Source]:
        return self.here.sources

    def in_force(self) -> list[RuleInForce]:
        found = []
        for number, (word, name, note) in enumerate(self.here.rules, 1):
            rule = read_rule(note)
            says = SaysRule(rule=short_of(rule) if rule else f"{word} {name}")
            found.append(RuleInForce(Place(RULES, number), says, rule, 0, 0, ()))
        return found

    def verdict(self, rule: Rule) -> Verdict:
        if not isinstance(rule, Prefer):
            return Verdict(set(rule.names) <= self.bundle.packages.kept)
        tiers, pairs = self.bundle.standing.tiers(), self.precedence(rule).pairs()
        return Verdict(all(tiers[one] < tiers[other] for one, other in pairs))

    def resolve(self, rule: Rule) -> Rule:
        if isinstance(rule, Prefer | Keep):
            return rule
        other = next(each.handle for each in self.sources if each.handle != rule.source)
        nearest: Rule = Prefer(other, (rule.source,)) if rule.source else Keep(rule.names)
        raise Refusal(f"this kind cannot {rule.kind}", f"the nearest: {command_of(nearest)}")

    def compile(
        self, plan: Plan, old: Any, target: Sequence[Rule], asked: Any, *, foremost: bool = False
    ) -> None:
        theirs = [
            f"{word} {name} # {note}" for word, name, note in self.here.rules if not read_rule(note)
        ]
        mine = [
            f"{'first' if isinstance(rule, Prefer) else 'keep'} {name} # {command_of(rule)}"
            for rule in target for name in (rule.names or (rule.source,))
        ]  # fmt: skip
        plan.propose(self.here.tree, {RULES: written([*theirs, *mine])})


class PlainPorts(Ports):
    kind = "plain"
    configuration = cached_property(lambda self: PlainConfiguration(self.tree))
    indexes = cached_property(lambda self: PlainIndexes(self.view, self.configuration))
    packages = cached_property(lambda self: PlainPackages(self.configuration, self.indexes))
    offers = property(lambda self: self.packages)
    transactions = cached_property(lambda self: PlainAnswers(self.packages))
    answers = property(lambda self: self.transactions)
    standing = cached_property(lambda self: PlainSources(self.configuration))
    signers = property(lambda self: self.standing)
    provenance = editor = examiner = readiness = signers
    fetcher = cached_property(lambda self: PlainFetcher(self.view))
    rules = cached_property(lambda self: PlainRules(self))
    rule_writer = property(lambda self: self.rules)
