"""A request that cannot be met, whatever else is asked."""

from __future__ import annotations

from velpin.model import Fact, Reason


class No(Exception):
    """A request cannot be met, whatever else is asked."""

    def __init__(self, code: str, **facts: Fact) -> None:
        super().__init__(code)
        self.reason = Reason(code, facts)
