"""Patterns of the text tools, bounded in the time that they may take."""

from __future__ import annotations

import re

_LONGEST = 400
_MOST_WORK = 10_000_000
"""Characters of a text to the power of the repetitions in a pattern."""


class Pattern:
    """A pattern that is not tried on a text on which that might take long."""

    def __init__(self, pattern: str, flags: int = 0) -> None:
        """Raise `re.error` for what is no pattern, or one that may not be tried at all."""
        if len(pattern) > _LONGEST or re.search(r"\)[*+{]|(?<!\\)\\[1-9]", pattern):
            raise re.error("repeats what repeats")
        self._pattern = re.compile(pattern, flags)
        self._repeated = len(re.findall(r"(?<!\\)[*+{]", pattern))

    def search(self, text: str) -> re.Match[str] | None:
        """Find it in a text; `re.error` where that might take long."""
        self._bound(text)
        return self._pattern.search(text)

    def replaced(self, new: str, text: str, count: int) -> tuple[str, int]:
        """Put another text in its place; also return how often. `re.error` as `search`."""
        self._bound(text)
        return self._pattern.subn(lambda found: _replacement(new, found), text, count)

    def _bound(self, text: str) -> None:
        if len(text) ** max(self._repeated, 1) > _MOST_WORK:
            raise re.error("takes too long")


def _replacement(new: str, found: re.Match[str]) -> str:
    def one(part: re.Match[str]) -> str:
        text = part.group()
        if text == "&":
            return found.group()
        if text[1].isdigit():
            return (found.group(int(text[1])) or "") if int(text[1]) <= found.re.groups else ""
        return {"n": "\n", "t": "\t"}.get(text[1], text[1])

    return re.sub(r"\\.|&", one, new, flags=re.DOTALL)


_CLASSES = {
    "space": r"\s", "blank": r" \t", "alpha": "A-Za-z", "digit": "0-9", "alnum": "A-Za-z0-9",
    "upper": "A-Z", "lower": "a-z", "punct": r"!-/:-@\[-`{-~",
}  # fmt: skip


def basic(pattern: str) -> str:
    """A pattern as the text tools take it without more, as Python takes it."""
    made: list[str] = []
    at, in_set = 0, False
    while at < len(pattern):
        char = pattern[at]
        if in_set:
            if pattern.startswith("[:", at) and ":]" in pattern[at:]:
                end = pattern.index(":]", at)
                made.append(_CLASSES.get(pattern[at + 2 : end], ""))
                at = end + 2
                continue
            in_set = char != "]" or made[-1] in ("[", "[^")
            made.append("\\" + char if char in "\\[" else char)
        elif char == "\\" and at + 1 < len(pattern):
            at += 1
            following = pattern[at]
            made.append(following if following in "(){}+?|" else "\\" + following)
        elif char == "[":
            in_set = True
            negated = pattern[at + 1 : at + 2] == "^"
            made.append("[^" if negated else "[")
            at += negated
        else:
            made.append("\\" + char if char in "(){}+?|" else char)
        at += 1
    return "".join(made)


def extended(pattern: str) -> str:
    """A pattern as the text tools take it with `-E`, as Python takes it."""
    return re.sub(r"\[:(\w+):\]", lambda found: _CLASSES.get(found.group(1), ""), pattern)


def characters(text: str) -> str:
    """The characters that a set such as `[:upper:]` or `a-z` stands for."""
    for name, held in _CLASSES.items():
        text = text.replace(f"[:{name}:]", held)

    def spread(found: re.Match[str]) -> str:
        first, last = ord(found.group(1)), ord(found.group(2))
        return "".join(map(chr, range(first, last + 1))) if first <= last < 0x250 else ""

    return re.sub(r"(\w)-(\w)", spread, text)
