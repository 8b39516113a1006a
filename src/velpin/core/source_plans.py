"""Switching a source on or off and taking one away, planned and read back."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.change.plan import Plan
from velpin.change.readback import check_drop, check_switch
from velpin.model.rule import shell_word

if TYPE_CHECKING:
    from collections.abc import Iterable

    from velpin.core.adapter import Adapter
    from velpin.model.reason import Reason
    from velpin.model.source import Source


def plan_switch(host: Adapter[Source], handle: str, on: bool) -> Plan:
    """What switching a source on or off would write; Refusal where it would do more."""
    source = host.source(handle)
    word = "on" if on else "off"
    plan = Plan(f"velpin {word} {shell_word(source.handle)}", f"switch {source.handle} {word}")
    plan.handles = [source.handle]
    plan.propose(host.tree, host.editor.switched(source, on) if source.on != on else {})
    if plan.edits:
        after = host.with_edits(plan.edits)
        check_switch(host.editor, after.editor, host.editor.key_of(source), on)
        if on:
            key = host.editor.key_of(source)
            plan.notes += checks_that_are_off(
                after, [each for each in after.sources if after.editor.key_of(each) == key]
            )
    plan.notes += host.editor.edit_notes(plan.edits)
    return plan


def checks_that_are_off(host: Adapter[Source], sources: Iterable[Source]) -> list[Reason]:
    """What some sources keep from being checked; to be told whenever they are added or switched
    on, whatever their state."""
    return [reason for source in sources for reason in host.signers.checks_off(source)]


def plan_drop(host: Adapter[Source], handle: str) -> Plan:
    """What taking a source away would write; Refusal where it would do more."""
    source = host.source(handle)
    plan = Plan(f"velpin drop {shell_word(source.handle)}", f"drop source {source.handle}")
    plan.handles = [source.handle]
    plan.propose(host.tree, host.editor.dropped(source))
    check_drop(
        host.editor, host.with_edits(plan.edits).editor, host.editor.key_of(source), source.on
    )
    plan.notes += [*host.editor.edit_notes(plan.edits), *host.rule_writer.drop_notes(source)]
    return plan
