"""A request that cannot be met, whatever else is asked."""

from __future__ import annotations

from velpin.model.reason import Reason


class RequestRefused(Exception):
    """A request cannot be met, whatever else is asked."""

    def __init__(self, reason: Reason) -> None:
        super().__init__(reason.code)
        self.reason = reason
