"""What stands in the way of every request on a deb host."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.errors import HostFileError
from velpin.kinds.deb.limits import unreadable
from velpin.kinds.deb.preferences import release_pin
from velpin.model.reason import Reason
from velpin.model.reasons import TargetUnknown
from velpin.ports.readiness import Readiness

if TYPE_CHECKING:
    from velpin.kinds.deb.state import DebState


class DebReadiness(Readiness):
    """What stands in the way of every request."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def refusal(self) -> HostFileError | Reason | None:
        """Why this host would refuse every request; None where it would not."""
        try:
            self._state.configuration.conf.get("")
        except HostFileError as problem:
            return problem
        if self._state.configuration.source_files.errors:
            return self._state.configuration.source_files.errors[0]
        wrong = (
            next(unreadable(self._state.configuration.sources), None)
            if self._state.configuration.ways.stops_at_keys
            else None
        )
        if wrong is not None:
            return wrong
        unknown = self._state.configuration.unknown_solver()
        if unknown is not None:
            return unknown
        if self._state.configuration.preferences.error:
            return self._state.configuration.preferences.error
        return self._unreadable() or self._unknown_target()

    def _unreadable(self) -> HostFileError | None:
        """An index or the record that makes the installer read nothing at all."""
        opened = [index for _, index in self._state.indexes.opened]
        for index in (
            *([self._state.recorded.index] if self._state.recorded.index else ()),
            *opened,
        ):
            for note in index.notes:
                if note.code == "unreadable":
                    file = self._below_root(index.stamp.path)
                    return HostFileError(file, note.line, note.text)
        return None

    def _below_root(self, path: str) -> str:
        """A file's name below the root, where it lies there."""
        return path.removeprefix(f"{self._state.tree.root}/".replace("//", "/"))

    def _unknown_target(self) -> Reason | None:
        if not self._state.configuration.target or "=" in self._state.configuration.target:
            return None
        pin = release_pin(self._state.configuration.target)
        sites = [
            self._state.indexes.own_origin.site,
            *(origin.site for origin, _ in self._state.indexes.origins),
        ]
        if any(pin.selects_site(site) for site in sites):
            return None
        place = self._state.configuration.conf.place("APT::Default-Release")
        return TargetUnknown(target=self._state.configuration.target, place=place or "")
