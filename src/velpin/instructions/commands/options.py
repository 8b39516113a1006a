"""A command's words told apart: its options with their values, and what they are about."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import NamedTuple


class Said(NamedTuple):
    """The options of a command by name without dashes, and its operands."""

    options: dict[str, list[str]]
    operands: list[str]

    def has(self, *names: str) -> bool:
        """Whether any of some options was given."""
        return any(name in self.options for name in names)

    def value(self, *names: str) -> str:
        """The last value of the first of some options that was given; else empty."""
        return next((self.options[name][-1] for name in names if name in self.options), "")


def said(args: Sequence[str], valued: Collection[str] = (), *, long_dash: str = "--") -> Said:
    """Tell words apart; `valued` are the options that take a value, without dashes.

    With `long_dash` as `-` one dash begins a whole name, as `-no-check`.
    """
    options: dict[str, list[str]] = {}
    operands: list[str] = []
    at = 0
    while at < len(args):
        word = args[at]
        at += 1
        if word == "--":
            operands += args[at:]
            break
        if word.startswith("--") or (long_dash == "-" and word.startswith("-") and len(word) > 1):
            name, equals, value = word.lstrip("-").partition("=")
            if not equals and name in valued and at < len(args):
                value = args[at]
                at += 1
            options.setdefault(name, []).append(value)
        elif word.startswith("-") and len(word) > 1:
            at = _short(word[1:], args, at, valued, options)
        else:
            operands.append(word)
    return Said(options, operands)


def _short(
    letters: str,
    args: Sequence[str],
    at: int,
    valued: Collection[str],
    options: dict[str, list[str]],
) -> int:
    for place, letter in enumerate(letters):
        if letter not in valued:
            options.setdefault(letter, []).append("")
            continue
        rest = letters[place + 1 :]
        if rest:
            options.setdefault(letter, []).append(rest)
            return at
        if at < len(args):
            options.setdefault(letter, []).append(args[at])
            return at + 1
    return at
