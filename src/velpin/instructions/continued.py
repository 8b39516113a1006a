"""Whether a shell command goes on in the next line: told line by line, each looked at once."""

from __future__ import annotations

import re

_HEREDOC = re.compile(r"(?<!<)<<(-?)\s*([\"']?)\\?([A-Za-z_]\w*)\2")
_FUNCTION = re.compile(r"[A-Za-z_][\w-]*\s*\(\)\s*(?:\{|$)")
_OPENING = re.compile(r"(?:^|[;&|]\s*|\bthen\s+|\bdo\s+|\belse\s+)(if|for|while|until|case)\b")
_CLOSING = re.compile(r"(?:^|[;&]\s*)(?:fi|done|esac)\b")


class Continued:
    """A command, as far as it has been read."""

    def __init__(self) -> None:
        self._quote = ""
        self._documents: list[str] = []
        self._goes_on = self._is_function = self._is_case = False
        self._braces = self._brackets = self._blocks = 0

    def read(self, line: str) -> None:
        """Take one more line of it."""
        if self._documents:
            if line.strip() == self._documents[0]:
                self._documents.pop(0)
            return
        if not self._quote:
            self._documents = [found.group(3) for found in _HEREDOC.finditer(line)]
        code = self._code(line).strip()
        self._goes_on = code.endswith(("\\", "|", "&&"))
        self._is_function |= _FUNCTION.search(code) is not None
        self._is_case |= re.search(r"\bcase\b", code) is not None
        self._braces += code.count("{") - code.count("}")
        self._brackets += code.count("(") - code.count(")")
        self._blocks += len(_OPENING.findall(code)) - len(_CLOSING.findall(code))

    def _code(self, line: str) -> str:
        """A line without what is quoted and without comments; what is quoted at its end goes on."""
        code: list[str] = []
        at = 0
        while at < len(line):
            char = line[at]
            if char == "\\" and self._quote != "'":
                code.append("" if self._quote or at + 1 < len(line) else char)
                at += 1
            elif self._quote:
                self._quote = "" if char == self._quote else self._quote
            elif char in "'\"":
                self._quote = char
                code.append("q")
            elif char == "#" and (not at or line[at - 1].isspace()):
                break
            else:
                code.append(char)
            at += 1
        return "".join(code)

    @property
    def is_in_document(self) -> bool:
        """Whether the next line belongs to a here-document."""
        return bool(self._documents)

    @property
    def is_in_text(self) -> bool:
        """Whether the next line begins inside quotes or a here-document."""
        return bool(self._quote or self._documents)

    @property
    def is_open(self) -> bool:
        """Whether it goes on in the next line."""
        return (
            self.is_in_text
            or self._goes_on
            or (self._is_function and self._braces > 0)
            or (self._brackets > 0 and not self._is_case)
            or self._blocks > 0
        )
