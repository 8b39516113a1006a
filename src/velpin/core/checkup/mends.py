"""Mends that several checks name, on any kind of host."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from velpin.change.plan import Plan
from velpin.core.checkup.examination import Draft, Make, Mend, note_of
from velpin.core.source_plans import plan_switch
from velpin.model.rule import shell_word

if TYPE_CHECKING:
    from velpin.core.adapter import Adapter
    from velpin.model.source import Source


def switching_off(handle: str) -> Mend:
    """To switch a source off, which somebody has to decide."""
    return Mend(f"velpin off {shell_word(handle)}", partial(_switched_off, handle), is_choice=True)


def _switched_off(handle: str, host: Adapter[Source]) -> Plan:
    return plan_switch(host, handle, False)


def removing(file: str) -> Make:
    """Removes a file."""
    return partial(_removed, file)


def _removed(file: str, host: Adapter[Source]) -> Plan:
    plan = Plan("", f"remove /{file}")
    plan.propose(host.tree, {file: None})
    return plan


def nothing_for(source: Source, here: str, has: str) -> Draft:
    """A source that has nothing for the architectures of a host."""
    what = note_of("other-arch", source=source.handle, arch=here, has=has)
    mends = [switching_off(source.handle)]
    return Draft("other-arch", what, source.places[0], source.handle, "", mends)
