"""Making a host as a file says: every difference planned on an overlay, one after the other, as one
change; a second time nothing is left to be done."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from velpin.change.plan import NewSource, Plan
from velpin.change.snippets import check_texts
from velpin.core.adding import plan_add
from velpin.core.catalog.adding import plan_add_entry
from velpin.core.catalog.entries import find_entry
from velpin.core.host_keys import check_not_revoked
from velpin.core.hostfile.expect import check_expectations, is_for
from velpin.core.rule_merge import subtract
from velpin.core.rule_planner import RulePlanner
from velpin.core.rule_plans import considering, plan_lift, plan_rules
from velpin.core.source_plans import checks_that_are_off, plan_drop, plan_switch
from velpin.errors import BadKey, HostFileError, PlanRefused, Refusal, VelpinError, no_common_keys
from velpin.model.hostfile import (
    ConformItem,
    ExpectationResult,
    HostFile,
    ItemState,
    Keyring,
    SourceDescription,
    WantedKey,
    WantedRule,
    WantedSource,
)
from velpin.model.reason import Place
from velpin.model.rule import Confine, Rule, short_of
from velpin.model.safe_text import grouped
from velpin.model.shell import shell_word
from velpin.ports.configuration import find_source
from velpin.trust.openpgp import read_keys

if TYPE_CHECKING:
    from velpin.core.access import Access
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports


class Conforming(NamedTuple):
    """What would make a host as a file says."""

    plan: Plan
    items: tuple[ConformItem, ...]
    expectations: tuple[ExpectationResult, ...]
    """On the host as it would be."""

    @property
    def changed(self) -> bool:
        """Whether anything would be changed."""
        return any(item.state != "same" for item in self.items)

    @property
    def failed(self) -> tuple[ExpectationResult, ...]:
        """The expectations that would not be met."""
        return tuple(each for each in self.expectations if not each.met)


def plan_conform(
    ports: Ports, access: Access, wanted: HostFile, *, prune: bool = False
) -> Conforming:
    """What making a host as a file says would write.

    Raises the first error of what cannot be done, with its place in the file, before anything is
    touched: a source that no catalog has or that cannot be fetched, a key that is none, a rule
    that this kind of host cannot express or that contradicts another.
    """
    work = _Conform(ports, access)
    sources = [each for each in wanted.sources if is_for(work.ports, each.when)]
    _check_names(sources)
    for key in wanted.keys:
        if is_for(work.ports, key.when):
            work.at(key.place, partial(work.common_key, key))
    for source in sources:
        work.at(source.place, partial(work.source, source))
    rules = [each for each in wanted.rules if is_for(work.ports, each.when)]
    rules += [
        WantedRule(Confine(work.handle_of(each), each.only), each.when, each.place)
        for each in sources if each.only
    ]  # fmt: skip
    if prune:
        work.prune_rules(rules)
    for rule in rules:
        work.at(rule.place, partial(work.rule, rule))
    if prune:
        work.prune_sources(sources)
    work.plan.command = f"velpin conform {shell_word(wanted.file)}"
    changed = sum(item.state != "same" for item in work.items)
    work.plan.summary = f"make the host as {wanted.file} says ({changed} of {len(work.items)})"
    results = check_expectations(work.ports, wanted.expectations)
    return Conforming(work.plan, tuple(work.items), tuple(results))


def _check_names(sources: Sequence[WantedSource]) -> None:
    """HostFileError where two descriptions of one name are both for this host."""
    seen: dict[str, WantedSource] = {}
    for source in sources:
        first = seen.setdefault(source.name, source)
        if first is not source:
            raise HostFileError(
                source.place.file, source.place.line,
                f"{source.name} is described at line {first.place.line} too, and both are for this"
                " host",
                "narrow one of them: when = { ... }",
            )  # fmt: skip


class _Conform:
    """The host so far, the plan that leads there, and what was done for each item."""

    def __init__(self, ports: Ports, access: Access) -> None:
        self._first, self.ports, self._access = ports, ports, access
        self.plan = Plan("", "")
        self.items: list[ConformItem] = []

    def at(self, place: Place, work: Callable[[], None]) -> None:
        """Do some work; what goes wrong is told with the place in the file, PlanRefused too."""
        try:
            work()
        except HostFileError:
            raise
        except PlanRefused as problem:
            raise PlanRefused(problem.reason, place=place, remedies=problem.remedies) from problem
        except VelpinError as problem:
            if not problem.message.startswith(f"{place}: "):
                problem.message = f"{place}: {problem.message}"
            raise

    def take(self, plan: Plan) -> None:
        """Go on from what a further plan would leave; raises what stops it."""
        against = plan.why_not()
        if against is not None:
            raise against
        self.plan = self.plan.then(plan)
        self.ports = considering(self._first, self.plan)

    def tell(self, item: ConformItem) -> None:
        """Take down what an item would change."""
        self.items.append(item)

    # -- sources ---------------------------------------------------------------------------

    def source(self, wanted: WantedSource) -> None:
        """Have a source as it is described."""
        here = self._present(wanted)
        done: list[str] = []
        state: ItemState = "added" if here is None else "changed"
        if here is None and wanted.described is not None and not wanted.on:
            self.take(self._added_off(wanted.described, wanted))
            done.append("off")
        elif here is None:
            self.take(self._added(wanted))
        elif not self._is_as_described(wanted, here) or self._lacks_keyring(wanted, here):
            self.take(plan_drop(self.ports, here.handle))
            self.take(self._added(wanted))
            done.append("written anew")
        elif self._lacks_key(wanted, here):
            self.take(self._with_key(wanted, here))
            done.append("key")
        handle = self.handle_of(wanted)
        if find_source(self.ports.configuration.by_handle, handle).on != wanted.on:
            self.take(plan_switch(self.ports, handle, wanted.on))
            done.append("switched on" if wanted.on else "switched off")
        if state == "changed" and not done:
            state = "same"
        self.tell(ConformItem("source", wanted.name, state, ", ".join(done), wanted.place))

    def _present(self, wanted: WantedSource) -> Source | None:
        if wanted.catalog:
            entry = find_entry(self.ports, wanted.catalog, wanted.channel)
            if entry is not None and entry.on_host:
                return find_source(self.ports.configuration.by_handle, entry.on_host)
        return self.ports.configuration.by_handle.get(wanted.name)

    def handle_of(self, wanted: WantedSource) -> str:
        """What a source is called on the host; Refusal where it is not there."""
        here = self._present(wanted)
        if here is None:
            raise Refusal(f"{wanted.name} would not be there afterwards", "velpin sources")
        return here.handle

    def _is_as_described(self, wanted: WantedSource, here: Source) -> bool:
        if wanted.described is None:
            return True  # found by its address in the catalog
        return self.ports.describer.is_described_so(here, wanted.described)

    def _lacks_keyring(self, wanted: WantedSource, here: Source) -> bool:
        """Whether a source names other keys than those of the keyring that it is to name."""
        if wanted.keyring is None:
            return False
        self._keyring(wanted.keyring, wanted.fingerprints)
        return wanted.keyring.file not in self.ports.signers.keys_of(here).files

    def _keyring(self, keyring: Keyring, fingerprints: Sequence[str]) -> str:
        """The file of a keyring; BadKey if it is not here, or lacks a key that it must have."""
        data = self.ports.tree.read(keyring.file)
        if data is None:
            raise BadKey(
                f"/{keyring.file} is not on this host", f"install the package {keyring.package}"
            )
        have = {key.fingerprint for key in read_keys(data, keyring.file)}
        missing = [each for each in fingerprints if each not in have]
        if missing:
            raise BadKey(
                f"/{keyring.file} lacks the key {grouped(missing[0])}",
                f"upgrade the package {keyring.package}",
            )
        return keyring.file

    def _lacks_key(self, wanted: WantedSource, here: Source) -> bool:
        prints = self._fingerprints(wanted)
        named = {key.fingerprint for key in self.ports.signers.keys_of(here).keys}
        return bool(prints) and not prints <= named

    def _fingerprints(self, wanted: WantedSource) -> set[str]:
        if not wanted.key:
            return set()
        return {key.fingerprint for key in read_keys(wanted.key, str(wanted.place))}

    def _added(self, wanted: WantedSource) -> Plan:
        if wanted.catalog:
            plan = plan_add_entry(
                self.ports,
                self._access,
                wanted.catalog,
                channel=wanted.channel,
                mirror=wanted.mirror,
            )
            plan.notes = [note for note in plan.notes if note.code != "catalog-suggests"]
            return plan
        assert wanted.described is not None
        return plan_add(self.ports, self._access, self._new(wanted.described, wanted))

    def _new(self, described: SourceDescription, wanted: WantedSource) -> NewSource:
        new = self.ports.describer.from_description(described)._replace(keep_options=True)
        if wanted.keyring:
            return new._replace(key_files=(self._keyring(wanted.keyring, wanted.fingerprints),))
        return new._replace(
            key=wanted.key, key_name=str(wanted.place) if wanted.key else "",
            fingerprint=",".join(wanted.fingerprints),
        )  # fmt: skip

    def _added_off(self, described: SourceDescription, wanted: WantedSource) -> Plan:
        """A source that is off is not fetched: nobody needs to reach it."""
        new = self._new(described, wanted)
        check_texts(new)
        addition = self.ports.composer.compose(new, self._access.transport(self.ports))
        before = {self.ports.editor.key_of(each) for each in self.ports.configuration.sources}
        after = self.ports.with_edits(addition.edits)
        edits = dict(addition.edits)
        for source in after.configuration.sources:
            if after.editor.key_of(source) not in before and source.on:
                edits.update(after.editor.switched(source, False))
        check_not_revoked(self.ports, addition.keys)
        plan = Plan("", f"add source {wanted.name}, off")
        plan.notes += checks_that_are_off(
            after, [s for s in after.configuration.sources if after.editor.key_of(s) not in before]
        )
        plan.propose(self.ports.tree, edits, private=addition.private)
        plan.handles = [wanted.name]
        return plan

    def _with_key(self, wanted: WantedSource, here: Source) -> Plan:
        keys = read_keys(wanted.key, str(wanted.place))
        check_not_revoked(self.ports, keys)
        plan = Plan("", f"name a key for {here.handle}")
        plan.propose(self.ports.tree, self.ports.composer.compose_key(here, keys))
        return plan

    # -- keys for all ----------------------------------------------------------------------

    def common_key(self, wanted: WantedKey) -> None:
        """Have a key that counts for all sources."""
        if wanted.keyring:
            self._keyring(wanted.keyring, wanted.fingerprints)
            self.tell(ConformItem("key", wanted.name, "same", "", wanted.place))
            return
        keys = read_keys(wanted.key, str(wanted.place))
        have = {key.fingerprint for _, found in self.ports.describer.common_keys() for key in found}
        have |= {key.fingerprint for key in self.ports.describer.all_common_keys()}
        missing = [key for key in keys if key.fingerprint not in have]
        check_not_revoked(self.ports, missing)
        if missing:
            plan = Plan("", f"key {wanted.name}")
            edits = self.ports.describer.with_common_keys(wanted.name, missing)
            if edits is None:
                raise no_common_keys(self.ports.kind)
            plan.propose(self.ports.tree, edits)
            self.take(plan)
        state: ItemState = "added" if missing else "same"
        self.tell(ConformItem("key", wanted.name, state, "", wanted.place))

    # -- rules -----------------------------------------------------------------------------

    def rule(self, wanted: WantedRule) -> None:
        """Have a rule in force."""
        missing = not RulePlanner(self.ports).stands(wanted.rule)
        if missing:
            plan = plan_rules(self.ports, [wanted.rule])
            missing = not plan.unchanged or plan.why_not() is not None
            self.take(plan)
        state: ItemState = "added" if missing else "same"
        self.tell(ConformItem("rule", short_of(wanted.rule), state, "", wanted.place))

    def prune_rules(self, wanted: Sequence[WantedRule]) -> None:
        """Take back rules of Velpin's, or parts of merged ones, that the file does not say."""
        rules = self.ports.rules
        stay = [each.rule for each in wanted]
        stay += [rule for each in wanted if (rule := self._resolved(each.rule)) is not None]
        for recorded in rules.recorded():
            rest: Rule | None = recorded
            for rule in stay:
                rest = subtract(rest, rule, rules.same_source) if rest else None
            if rest is not None:
                self.take(plan_lift(self.ports, [rest]))
                self.tell(ConformItem("rule", short_of(rest), "removed", ""))

    def _resolved(self, rule: Rule) -> Rule | None:
        try:
            return RulePlanner(self.ports).resolve(rule)
        except VelpinError:
            return None

    def prune_sources(self, wanted: Sequence[WantedSource]) -> None:
        """Drop sources that Velpin added and the file does not name."""
        named = {self.handle_of(each) for each in wanted}
        for handle in list(self._prunable(named)):
            self.take(plan_drop(self.ports, handle))
            self.tell(ConformItem("source", handle, "removed", ""))

    def _prunable(self, named: set[str]) -> Iterator[str]:
        for source in self.ports.configuration.sources:
            if source.handle not in named and self.ports.describer.is_own(source):
                yield source.handle
