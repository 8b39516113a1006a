"""How rules become records of preference files."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence

from velpin.change.plan import Plan
from velpin.errors import Refusal
from velpin.files.text import decode, encode, split_lines
from velpin.files.tree import Edits
from velpin.kinds.deb.control import read_stanzas
from velpin.kinds.deb.rules.encode import has_several_ways, record_options
from velpin.kinds.deb.rules.listing import DebRules
from velpin.kinds.deb.rules.priorities import precedence_of, priorities_for
from velpin.kinds.deb.rules.resolve import findings, resolve_rule
from velpin.kinds.deb.rules.side_effects import notes_on, notes_on_drop
from velpin.kinds.deb.rules.store import (
    DebRecordedRule,
    PreferencesDraft,
    check_understood,
    edits_replacing,
    main_file,
    own_file,
    recorded_rules,
    rule_of,
    without_records,
)
from velpin.kinds.deb.rules.verify import verdict
from velpin.kinds.deb.state import DebState
from velpin.model.reason import Place, Reason
from velpin.model.rule import Confine, Prefer, Rule
from velpin.model.source import Source
from velpin.ports.rule_writer import RuleWriter

_TARGET_ALONE = re.compile(r'\s*APT::Default-Release\s+"?[^"\s;]*"?\s*;\s*', re.IGNORECASE)
_OF_SOURCES = (Prefer, Confine)


class DebRuleWriter(RuleWriter):
    """Writes rules of a deb host: records of its preference files."""

    def __init__(self, state: DebState) -> None:
        self._state, self._rules = state, DebRules(state)

    @property
    def foremost_file(self) -> str:
        """The file that is read before all others."""
        return main_file(self._state)

    def resolve(self, rule: Rule) -> Rule:
        """A rule with its words looked up; Refusal where it means nothing here."""
        return resolve_rule(self._state, rule)

    def notes(self, plan: Plan) -> Iterator[Reason]:
        """What rules would do beside what they are for."""
        return notes_on(self._state, plan)

    def drop_notes(self, source: Source) -> Iterator[Reason]:
        """Rules about a source that would mean nothing without it."""
        return notes_on_drop(self._state, source.handle)

    def findings(self, rule: Rule) -> list[Reason]:
        """What a rule names that is not there."""
        return findings(self._state, rule)

    def edits_without(self, place: Place) -> Edits | None:
        """The edits that take away someone else's record, or the target release; Refusal for
        a hold, which stands in the host's own record."""
        state, file = self._state, place.file
        text = decode(state.tree.read(file) or b"")
        if place == state.configuration.conf.place("APT::Default-Release"):
            return _without_lines(file, _without_setting(text, place))
        if file == state.recorded.file:
            raise Refusal(
                f"a hold stands in the host's own record ({file}); velpin does not change that",
                "the host's own tools take a hold back",
            )
        files = {record.place.file for record in state.configuration.preferences.records}
        if file not in files.union(
            note.place.file for note in state.configuration.preferences.notes
        ):
            return None
        check_understood(file, text)
        for stanza in read_stanzas(decode(self._state.tree.read(file) or b"")):
            if stanza.line <= place.line < stanza.end and rule_of(stanza) is None:
                return _without_lines(file, without_records(text, [stanza.line]))
        return None

    def compile(
        self,
        plan: Plan,
        old: Sequence[Rule],
        target: Sequence[Rule],
        asked: Sequence[Rule],
        *,
        foremost: bool = False,
    ) -> None:
        """Put into the plan what it takes that just the target stands.

        Rules about sources are written anew together, since each priority depends on the others.
        """
        state, stand = self._state, recorded_rules(self._state)
        gone = [rule for rule in stand if rule.rule not in target or rule.rule in asked]
        new = [
            (rule, self._file_for(rule, gone, asked, foremost))
            for rule in target if rule in asked or rule not in old
        ]  # fmt: skip
        changing = [*(rule for rule, _ in new), *(rule.rule for rule in gone)]
        again = [
            recorded for recorded in stand
            if any(isinstance(rule, _OF_SOURCES) for rule in changing) and recorded not in gone
            and isinstance(recorded.rule, _OF_SOURCES) and self._rules.is_there(recorded.rule)
        ]  # fmt: skip
        redone = [*gone, *again]
        base = state.with_edits(edits_replacing(state.tree, redone, []))
        prefers = [*(rule.rule for rule in again), *(rule for rule, _ in new)]
        orders = [precedence_of(base, rule) for rule in prefers if isinstance(rule, Prefer)]
        priorities = priorities_for(base, orders) if orders else {}
        drafts = [
            PreferencesDraft(
                rule.rule, rule.file, next(record_options(base, rule.rule, priorities))
            )
            for rule in again
        ]
        for rule, file in new:
            options = [
                PreferencesDraft(rule, file, each)
                for each in record_options(base, rule, priorities)
            ]
            if asked and has_several_ways(rule):
                options = [
                    draft for draft in options if self._proves(draft, redone, drafts)
                ] or options
            drafts.append(options[0])
        edits = edits_replacing(state.tree, redone, drafts)
        plan.propose(
            state.tree, {f: data for f, data in edits.items() if data != state.tree.read(f)}
        )

    def _file_for(
        self, rule: Rule, gone: Iterable[DebRecordedRule], asked: Sequence[Rule], foremost: bool
    ) -> str:  # fmt: skip
        """The file for a new rule; what is left of an old one stays where that stood."""
        if rule not in asked:
            for recorded in gone:
                if (recorded.rule.kind, recorded.rule.source) == (rule.kind, rule.source):
                    return recorded.file
        return main_file(self._state) if foremost else own_file(self._state)

    def _proves(
        self,
        draft: PreferencesDraft,
        gone: Sequence[DebRecordedRule],
        drafts: Sequence[PreferencesDraft],
    ) -> bool:
        """Whether the forecast does what a rule says where it is written in a way."""
        edits = edits_replacing(self._state.tree, gone, [*drafts, draft])
        return verdict(self._state.with_edits(edits), draft.rule).holds


def _without_setting(text: str, place: Place) -> str:
    """A configuration without the line of the target release; Refusal where more stands in it."""
    lines = split_lines(text)
    if not _TARGET_ALONE.fullmatch(lines[place.line - 1]):
        raise Refusal(
            f"more than the target release stands at {place}, and velpin does not rewrite that",
            "take it away by hand",
        )
    return "".join([*lines[: place.line - 1], *lines[place.line :]])


def _without_lines(file: str, left: str) -> dict[str, bytes | None]:
    """The edit to what is left of a file; one with nothing left is removed."""
    return {file: encode(left) if left.strip() else None}
