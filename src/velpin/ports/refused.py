"""A request that cannot be met, whatever else is asked."""

from __future__ import annotations

from velpin.model.reason import Fact, Reason


class RequestRefused(Exception):
    """A request cannot be met, whatever else is asked."""

    def __init__(self, code: str, **facts: Fact) -> None:
        super().__init__(code)
        self.reason = Reason(code, facts)
