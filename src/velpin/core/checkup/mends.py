"""Mends that several checks name, on any kind of host."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from velpin.core.source_plans import plan_switch
from velpin.model.shell import shell_word
from velpin.ports.checks import Mend, SwitchOff

if TYPE_CHECKING:
    from velpin.change.plan import Plan
    from velpin.ports.bundle import Ports


def ready(mend: Mend | SwitchOff) -> Mend:
    """A mend with the change that it makes."""
    if isinstance(mend, Mend):
        return mend
    make = partial(_switched_off, mend.handle)
    return Mend(f"velpin off {shell_word(mend.handle)}", make, is_choice=True)


def _switched_off(handle: str, ports: Ports) -> Plan:
    return plan_switch(ports, handle, False)
