"""What the host's installer would make of requests, and of the full upgrade."""

from __future__ import annotations

from abc import abstractmethod
from typing import TYPE_CHECKING, NamedTuple, Protocol

from velpin.ports.commands import NoCommands

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

    from velpin.model.forecast import Change, Forecast
    from velpin.model.reason import Reason
    from velpin.model.request import Request
    from velpin.model.source import Source
    from velpin.ports.attempts import Attempt
    from velpin.ports.commands import Commands


class Prediction(NamedTuple):
    """What the installer would make of some requests, and what could be tried if it refuses."""

    forecast: Forecast
    attempts: Iterable[Attempt] = ()
    """The smallest first; made one at a time, as they are tried."""


class Transactions(Protocol):
    """Transactions that the installer would work out.

    Each costs a whole transaction: milliseconds for one name, up to a second for the upgrade of a
    host of some thousand packages."""

    realigns: bool = False
    """Whether there is an upgrade that takes every package to the best source."""

    @property
    def commands(self) -> Commands:
        """The commands that give such transactions; none if this kind says nothing of them."""
        return NoCommands()

    @abstractmethod
    def predict(self, requests: Sequence[Request]) -> Prediction:
        """Predict one transaction for some requests."""

    def predict_with_upgrade(self, requests: Sequence[Request]) -> Prediction | None:
        """Predict one transaction for some requests and the full upgrade; None if these are two
        transactions here."""
        return None

    def would_carry_out(self, requests: Sequence[Request]) -> bool:
        """Return whether the installer would carry out some requests in one transaction, on a host
        of which it does not refuse all."""
        return self.predict(requests).forecast.ok

    def may_suggest_removal(self, name: str) -> bool:
        """Return whether a host can do without an installed package, as far as that is known."""
        return True

    def left_behind(
        self, found: Forecast, later: Callable[[], Sequence[Change]]
    ) -> Sequence[Reason]:
        """Return what to know of a transaction that leaves changes of the next upgrade for `later`,
        on hosts where what comes is meant to come with all of them."""
        return ()

    @abstractmethod
    def predict_upgrade(self, *, realign: bool = False) -> Forecast:
        """Predict the full upgrade; `realign` only if the kind has it."""

    def predict_upgrade_from(self, source: Source) -> Forecast | None:
        """Predict the upgrade that takes what one source has from it, whatever the vendor; None if
        the installer has no such upgrade."""
        return None

    def predict_upgrade_for_shift(self) -> Forecast:
        """Predict the full upgrade as if no index were missing."""
        return self.predict_upgrade()
