"""Changing a host: what a plan would do to all of it, writing it, taking it back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import cached_property
from typing import TYPE_CHECKING

from velpin.change.journal import Journal
from velpin.model.rule import Pin, Prefer

if TYPE_CHECKING:
    from velpin.change.journal import JournalEntry
    from velpin.change.plan import Plan
    from velpin.core.access import Access
    from velpin.core.options import WantedOptions
    from velpin.core.takeover import Takeover
    from velpin.errors import StoreError
    from velpin.model.shift import Shift, UpgradeResult
    from velpin.model.way_back import WayBack
    from velpin.ports.bundle import Ports


class HostChanges:
    """Changes of a host. Only `apply` writes its configuration, with a journal entry that undoes
    it."""

    def __init__(
        self, ports: Ports, access: Access, after_upgrade: Callable[[], UpgradeResult]
    ) -> None:
        self._ports, self._access, self._after_upgrade = ports, access, after_upgrade

    def shift(self, plan: Plan, names: Sequence[str] = ()) -> Shift:
        """Return what a plan would change on the whole host; for `names`, the answers before and
        after as well."""
        from velpin.core.rule_plans import considering
        from velpin.core.shift import shift_between

        return shift_between(
            self._ports, considering(self._ports, plan), names, was=self._after_upgrade
        )

    def takeover(self, plan: Plan, shift: Shift, names: Sequence[str] = ()) -> Takeover | None:
        """Return the installed packages that the sources of a plan would take over unnoticed, and
        the command against it; `names` are packages or globs that are meant to change."""
        from velpin.core.rule_plans import considering
        from velpin.core.takeover import find_takeover

        handles = plan.handles or [rule.source for rule in plan.rules if isinstance(rule, Prefer)]
        named = [*names, *(name for rule in plan.rules for name in rule.names)]
        after = considering(self._ports, plan)
        is_on = {source.handle for source in after.configuration.sources if source.on}
        live = [handle for handle in handles if handle in is_on]
        return find_takeover(after, shift, live, named)

    def next_after(self, plan: Plan, shift: Shift, names: Sequence[str] = ()) -> tuple[str, ...]:
        """Return the commands of the host's installer that come after a plan: for `names` and for
        the packages that its rules pin, else for the upgrade that its rules change."""
        from velpin.core.rule_plans import considering
        from velpin.core.what_follows import commands_after

        pinned = [name for rule in plan.rules if isinstance(rule, Pin) for name in rule.names]
        after = considering(self._ports, plan)
        asked = [name for name in dict.fromkeys([*names, *pinned]) if after.packages.knows(name)]
        upgrade = bool(plan.rules and shift.upgrades)
        return commands_after(after, asked, upgrade=upgrade, refresh=bool(plan.handles))

    def next_after_refresh(self) -> tuple[str, ...]:
        """Return the commands of the host's installer that come after a refresh: its own, if it
        lacks what Velpin has now, and the full upgrade if that changes anything."""
        from velpin.core.what_follows import commands_after

        return commands_after(self._ports.with_edits({}), (), upgrade=True, refresh=True)

    def plan_drop_and_back(self, handle: str) -> tuple[Plan, WayBack]:
        """Plan to take a source away with the rules about it, and return what the packages that
        came from it go back to; Refusal if that would do more."""
        from velpin.core.way_back import plan_drop_and_back

        return plan_drop_and_back(self._ports, handle)

    def options(self, texts: Sequence[str], source: str = "") -> WantedOptions:
        """Return the smallest changes under which requests get what they ask for; Refusal if no
        source has it, not even one that is switched off."""
        from velpin.core.options import options_for

        return options_for(self._ports, texts, source)

    def apply(self, plan: Plan, *, anyway: bool = False) -> JournalEntry:
        """Write what a plan says, whole or not at all, and record it in the journal.

        `anyway` overrules the plan's findings. Raises the plan's own error, PlanRefused if it would
        not do what it is for, ChangedSince if a file is no longer what the plan was made on,
        CannotWrite without the right, Busy if another Velpin holds the host.
        """
        from velpin.core.host_keys import remember_revoked

        against = plan.why_not(anyway=anyway)
        if against is not None:
            raise against
        self.check_writable()
        remember_revoked(self._ports)
        if plan.undoes:
            return self._journal.undo(plan.undoes, self._access.on_wait)
        return self._journal.make(
            plan.edits,
            plan.command,
            plan.summary,
            planned_on={edit.file: edit.before for edit in plan.files},
            modes=plan.modes,
            moved={edit.file: edit.was for edit in plan.files if edit.was},
            on_wait=self._access.on_wait,
        )

    def check_writable(self) -> None:
        """Raise CannotWrite if this user may not write the host's configuration."""
        from velpin.change.plan import check_writable

        check_writable(self._ports.tree)

    def journal(self) -> list[JournalEntry]:
        """Return every change that Velpin made to this host, oldest first; entries that cannot be
        read are left out (`damaged`)."""
        return self._journal.entries()

    def damaged(self) -> list[StoreError]:
        """Return why each entry of the journal that cannot be read cannot be."""
        return self._journal.damaged()

    def plan_undo(self, number: int = 0) -> Plan:
        """Plan to take back a change, the last that can be without a number."""
        from velpin.change.plan import plan_undo

        return plan_undo(self._ports.tree, self._journal.find(number))

    @cached_property
    def _journal(self) -> Journal:
        return Journal(self._ports.tree)
