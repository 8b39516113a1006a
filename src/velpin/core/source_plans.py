"""Switching a source on or off and taking one away, planned and read back."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.change.plan import Plan
from velpin.change.readback import check_drop, check_switch
from velpin.model.shell import shell_word
from velpin.ports.configuration import find_source

if TYPE_CHECKING:
    from collections.abc import Iterable

    from velpin.model.reason import Reason
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports


def plan_switch(ports: Ports, handle: str, on: bool) -> Plan:
    """What switching a source on or off would write; Refusal where it would do more."""
    source = find_source(ports.configuration.by_handle, handle)
    word = "on" if on else "off"
    plan = Plan(f"velpin {word} {shell_word(source.handle)}", f"switch {source.handle} {word}")
    plan.handles = [source.handle]
    plan.propose(ports.tree, ports.editor.switched(source, on) if source.on != on else {})
    if plan.edits:
        after = ports.with_edits(plan.edits)
        check_switch(ports.editor, after.editor, ports.editor.key_of(source), on)
        if on:
            key = ports.editor.key_of(source)
            plan.notes += checks_that_are_off(
                after,
                [each for each in after.configuration.sources if after.editor.key_of(each) == key],
            )
    plan.notes += ports.editor.edit_notes(plan.edits)
    return plan


def added_sources(before: Ports, after: Ports) -> list[Source]:
    """The sources that a host has after a change and did not have before."""
    known = {before.editor.key_of(source) for source in before.configuration.sources}
    sources = after.configuration.sources
    return [source for source in sources if after.editor.key_of(source) not in known]


def checks_that_are_off(ports: Ports, sources: Iterable[Source]) -> list[Reason]:
    """What some sources keep from being checked; to be told whenever they are added or switched
    on, whatever their state."""
    return [reason for source in sources for reason in ports.signers.checks_off(source)]


def plan_drop(ports: Ports, handle: str) -> Plan:
    """What taking a source away would write; Refusal where it would do more."""
    source = find_source(ports.configuration.by_handle, handle)
    plan = Plan(f"velpin drop {shell_word(source.handle)}", f"drop source {source.handle}")
    plan.handles = [source.handle]
    plan.propose(ports.tree, ports.editor.dropped(source))
    check_drop(
        ports.editor, ports.with_edits(plan.edits).editor, ports.editor.key_of(source), source.on
    )
    plan.notes += [*ports.editor.edit_notes(plan.edits), *ports.rule_writer.drop_notes(source)]
    return plan
