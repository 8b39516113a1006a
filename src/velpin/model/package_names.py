"""What packages and versions can be called, kind by kind.

An index comes from outside, and its names end up on command lines, in files of the host and in
what a shell completes. A package whose name or version its own installer's tools could not even
build is not taken in: it is told, and counted. `@` and `%` are let through on every kind, since
hosts with such names were seen and nothing reads them as more than themselves.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import cache
from typing import NamedTuple

LONGEST = 255
"""Characters that a name or a version may have: that of a file, which both are part of."""
MOST_TOLD = 1000
"""So many odd packages of one index are told one by one."""


class NameGrammar(NamedTuple):
    """Names and versions of one kind of host, as patterns of characters."""

    first: str
    """Characters with which a name may begin."""
    rest: str
    """Characters that may follow."""
    version: str

    def compiled(self) -> NameCheck:
        """The check of these; costly, so `check` keeps it."""
        return NameCheck(
            re.compile(f"[{self.first}][{self.rest}]*", re.ASCII),
            re.compile(f"[{self.version}]+", re.ASCII),
            re.compile(f"(?:^|\\n)[^\\n{self.first}]|[^\\n{self.rest}]", re.ASCII),
            re.compile(f"[^\\n{self.version}]", re.ASCII),
        )


class NameCheck(NamedTuple):
    """Says whether packages are called as their kind allows."""

    name: re.Pattern[str]
    version: re.Pattern[str]
    odd_name: re.Pattern[str]
    odd_version: re.Pattern[str]

    def are_all_sound(self, names: Sequence[str], versions: Sequence[str]) -> bool:
        """Whether none of many is odd; far faster than asking for each."""
        if self.odd_name.search("\n".join(names)) or self.odd_version.search("\n".join(versions)):
            return False
        return max(map(len, names), default=0) <= LONGEST >= max(map(len, versions), default=0)

    def why_odd(self, name: str, version: str) -> str:
        """What is wrong with a package, empty where nothing is."""
        for what, text, pattern in (
            ("name", name, self.name), ("version", version, self.version),
        ):  # fmt: skip
            if len(text) > LONGEST:
                return f"a {what} of {len(text)} characters; the package is left out"
            if not pattern.fullmatch(text):
                return f"{text!r} cannot be a {what}; the package is left out"
        return ""


@cache
def check(grammar: NameGrammar) -> NameCheck:
    """The check for one kind's names; made once."""
    return grammar.compiled()
