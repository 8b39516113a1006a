"""Whole-number arithmetic of the shell, as `$(( ))` and `(( ))` have it."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

_TOKEN = re.compile(
    r"\s*(?:(\d+)|([A-Za-z_]\w*)|(\+\+|--|[-+*/%]=|<=|>=|==|!=|&&|\|\||[-+*/%<>=!()?:,]))"
)
_LEVELS: tuple[tuple[str, ...], ...] = (
    ("||",), ("&&",), ("==", "!="), ("<", "<=", ">", ">="), ("+", "-"), ("*", "/", "%"),
)  # fmt: skip
"""Signs between two numbers, those that bind least first."""
_LARGEST = 10**15
_MOST_TOKENS = 500
_MOST_DEPTH = 50

_SIGNS: Mapping[str, Callable[[int, int], int]] = {
    "||": lambda a, b: int(bool(a or b)), "&&": lambda a, b: int(bool(a and b)),
    "==": lambda a, b: int(a == b), "!=": lambda a, b: int(a != b),
    "<": lambda a, b: int(a < b), "<=": lambda a, b: int(a <= b),
    ">": lambda a, b: int(a > b), ">=": lambda a, b: int(a >= b),
    "+": lambda a, b: a + b, "-": lambda a, b: a - b, "*": lambda a, b: a * b,
    "/": lambda a, b: int(a / b), "%": lambda a, b: a - b * int(a / b),
}  # fmt: skip


class NotKnown(Exception):
    """An expression that cannot be worked out."""


def worked_out(
    text: str, value: Callable[[str], str | None], assign: Callable[[str, str], None]
) -> int:
    """The value of an expression whose substitutions are made already.

    `value` gives a variable's text, None if it is not set; `assign` takes what the expression sets.
    Raises NotKnown for what is no number, and for signs that are not read here.
    """
    tokens: list[str] = []
    at = 0
    text = text.strip()
    while at < len(text):
        found = _TOKEN.match(text, at)
        if found is None or len(tokens) > _MOST_TOKENS:
            raise NotKnown
        tokens.append(found.group(1) or found.group(2) or found.group(3))
        at = found.end()
    if not tokens:
        return 0
    reader = _Reader(tokens, value, assign)
    result = reader.sequence()
    if not reader.is_done:
        raise NotKnown
    return result


class _Reader:
    def __init__(
        self, tokens: list[str], value: Callable[[str], str | None],
        assign: Callable[[str, str], None],
    ) -> None:  # fmt: skip
        self._tokens, self._at, self._depth = tokens, 0, 0
        self._value, self._assign = value, assign

    @property
    def is_done(self) -> bool:
        return self._at == len(self._tokens)

    def _next(self, ahead: int = 0) -> str:
        at = self._at + ahead
        return self._tokens[at] if at < len(self._tokens) else ""

    def _take(self) -> str:
        token = self._next()
        self._at += 1
        return token

    def sequence(self) -> int:
        result = self._assigned()
        while self._next() == ",":
            self._take()
            result = self._assigned()
        return result

    def _assigned(self) -> int:
        name, sign = self._next(), self._next(1)
        if not name.isidentifier() or sign not in ("=", "+=", "-=", "*=", "/=", "%="):
            return self._chosen()
        self._at += 2
        right = self._assigned()
        result = right if sign == "=" else self._joined(sign[0], self._number(name), right)
        self._assign(name, str(result))
        return result

    def _chosen(self) -> int:
        condition = self._level(0)
        if self._next() != "?":
            return condition
        self._take()
        one = self._assigned()
        if self._take() != ":":
            raise NotKnown
        other = self._assigned()
        return one if condition else other

    def _level(self, level: int) -> int:
        if level == len(_LEVELS):
            return self._single()
        result = self._level(level + 1)
        while self._next() in _LEVELS[level]:
            result = self._joined(self._take(), result, self._level(level + 1))
        return result

    def _joined(self, sign: str, one: int, other: int) -> int:
        if sign in "/%" and not other:
            raise NotKnown
        result = _SIGNS[sign](one, other)
        if abs(result) > _LARGEST:
            raise NotKnown
        return result

    def _single(self) -> int:
        self._depth += 1
        if self._depth > _MOST_DEPTH:
            raise NotKnown
        try:
            return self._unary()
        finally:
            self._depth -= 1

    def _unary(self) -> int:
        token = self._take()
        if token == "!":
            return int(not self._single())
        if token in ("-", "+"):
            return self._single() * (-1 if token == "-" else 1)
        if token in ("++", "--"):
            return self._stepped(self._take(), token, is_before=True)
        if token == "(":
            result = self.sequence()
            if self._take() != ")":
                raise NotKnown
            return result
        if token.isdigit():
            return self._whole(token)
        if not token.isidentifier():
            raise NotKnown
        if self._next() in ("++", "--"):
            return self._stepped(token, self._take(), is_before=False)
        return self._number(token)

    def _stepped(self, name: str, sign: str, *, is_before: bool) -> int:
        before = self._number(name)
        after = before + (1 if sign == "++" else -1)
        self._assign(name, str(after))
        return after if is_before else before

    def _number(self, name: str) -> int:
        text = (self._value(name) or "").strip()
        return self._whole(text) if text else 0

    def _whole(self, text: str) -> int:
        """A decimal number; one that begins with 0 would be octal."""
        if not re.fullmatch(r"-?(?:0|[1-9]\d{0,14})", text):
            raise NotKnown
        return int(text)
