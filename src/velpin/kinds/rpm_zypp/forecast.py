"""Forecasts for an rpm-zypp host."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.kinds.rpm.forecast import RpmTransactions
from velpin.kinds.rpm_zypp.commands import ZyppCommands

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.kinds.rpm_zypp.state import ZyppState
    from velpin.model.forecast import Forecast
    from velpin.model.request import Request
    from velpin.model.source import Source
    from velpin.ports.transactions import Prediction


class ZyppTransactions(RpmTransactions):
    """Transactions of an rpm-zypp host: there is an upgrade to the best sources."""

    realigns = True
    _state: ZyppState

    @property
    def commands(self) -> ZyppCommands:
        """The commands that give such transactions."""
        return ZyppCommands(self._state)

    def predict_upgrade_from(self, source: Source) -> Forecast:
        """What the upgrade to one source would change."""
        return self.told(self._state.chooser.upgrade_work_from(source.handle))

    def predict(self, requests: Sequence[Request]) -> Prediction:
        """What the installer would make of some requests; a `!` before a name asks for the package
        to go."""
        return super().predict([_without_sign(request) for request in requests])


def _without_sign(request: Request) -> Request:
    name = request.name.removeprefix("!")
    if name == request.name or not name or request.removes:
        return request
    return request._replace(name=name, removes=True)
