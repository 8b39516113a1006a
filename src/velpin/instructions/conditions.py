"""Tests of the shell, `[ ... ]` and `[[ ... ]]`, as far as they can be decided."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from velpin.instructions.patterns import Pattern, extended
from velpin.instructions.words import (
    UNKNOWN,
    Names,
    fields,
    is_known,
    pattern_of,
    split_words,
    text_of,
)

Exists = Callable[[str, str], bool]
"""Whether a file is there, by its name and the test's."""

_FILES = ("-e", "-f", "-d", "-r", "-w", "-x", "-s", "-L", "-h", "-a")
_NUMBERS = {
    "-eq": lambda a, b: a == b, "-ne": lambda a, b: a != b, "-gt": lambda a, b: a > b,
    "-lt": lambda a, b: a < b, "-ge": lambda a, b: a >= b, "-le": lambda a, b: a <= b,
}  # fmt: skip


def decided(raw: str, names: Names, exists: Exists, *, patterns: bool) -> int | None:
    """The status of a test: 0 where it holds, 1 where not, None where that cannot be known.

    With `patterns` it is a `[[ ]]`, where texts are compared with patterns.
    """
    found = _Test(split_words(raw), names, exists, patterns=patterns).either()
    return None if found is None else int(not found)


class _Test:
    def __init__(
        self, raws: Sequence[str], names: Names, exists: Exists, *, patterns: bool
    ) -> None:
        self._raws, self._at, self._open = list(raws), 0, 0
        self._names, self._exists, self._patterns = names, exists, patterns

    def _next(self) -> str:
        return self._raws[self._at] if self._at < len(self._raws) else ""

    def _take(self) -> str:
        raw = self._next()
        self._at += 1
        return raw

    def _take_last(self) -> str:
        """The last word of a comparison, without the bracket that closes what it stands in."""
        raw = self._take()
        is_closed = len(raw) > 1 and raw.endswith(")") and raw.count(")") > raw.count("(")
        if is_closed and self._open and self._patterns:
            self._raws.insert(self._at, ")")
            return raw[:-1]
        return raw

    def either(self) -> bool | None:
        """Parts of which one must hold."""
        found = self._both()
        while self._next() in ("||", "-o"):
            self._take()
            other = self._both()
            found = True if found or other else None if None in (found, other) else False
        return found

    def _both(self) -> bool | None:
        found = self._one()
        while self._next() in ("&&", "-a"):
            self._take()
            other = self._one()
            found = False if False in (found, other) else None if None in (found, other) else True
        return found

    def _one(self) -> bool | None:
        raw = self._take()
        if raw == "!":
            found = self._one()
            return None if found is None else not found
        if raw.startswith("(") and self._patterns and raw != "(":  # `(a` is two words
            self._at -= 1
            self._raws[self._at : self._at + 1] = ["(", raw[1:]]
            raw = self._take()
        if raw in ("(", "\\("):
            self._open += 1
            found = self.either()
            self._open -= 1
            self._take()
            return found
        operator = self._next()
        if operator in ("=", "==", "!=", "=~", "<", ">", "\\<", "\\>", *_NUMBERS):
            self._take()
            return self._compared(raw, operator, self._take_last())
        if (
            re.fullmatch(r"-[a-zA-Z]", raw)
            and operator
            and operator not in ("&&", "||", "-a", "-o")
        ):
            return self._single(raw, self._take_last())
        text = self._text(raw)
        return bool(text) if is_known(text) else None

    def _text(self, raw: str) -> str:
        if self._patterns:
            return text_of(raw, self._names)
        return " ".join(fields(raw, self._names))

    def _single(self, operator: str, raw: str) -> bool | None:
        text = self._text(raw)
        if operator == "-v":
            return self._names.value(text) is not None
        if operator == "-t":
            return False
        if not is_known(text):
            return operator == "-n" if operator in ("-n", "-z") and text.strip(UNKNOWN) else None
        if operator in ("-n", "-z"):
            return bool(text) == (operator == "-n")
        if operator in _FILES:
            return self._exists(text, operator)
        return None

    def _compared(self, left: str, operator: str, right: str) -> bool | None:
        one = self._text(left)
        if operator == "=~":
            try:
                pattern = Pattern(extended(text_of(right, self._names)))
                return pattern.search(one) is not None if is_known(one) else None
            except re.error:
                return None
        two = self._text(right)
        if not (is_known(one) and is_known(two)):
            return None
        if operator in _NUMBERS:
            if not (re.fullmatch(r"\s*-?\d+\s*", one) and re.fullmatch(r"\s*-?\d+\s*", two)):
                return False
            return bool(_NUMBERS[operator](int(one), int(two)))
        if operator.lstrip("\\") in "<>":
            return one < two if operator.endswith("<") else one > two
        same = (
            pattern_of(right, self._names).match(one) is not None if self._patterns else one == two
        )
        return same == (operator != "!=")
