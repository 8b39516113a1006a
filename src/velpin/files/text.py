"""A text file of a host: bytes in, bytes out, with the same lines for readers and editors.

Host files are lines that end in a line feed, and nothing else ends one: the installers of all
kinds of host read them so (docs/how-hosts-choose/text.md). What a reader finds on line N is what
an editor changes there, and whatever is not touched stays as it is, byte for byte.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections.abc import Iterable, Iterator, Sequence

MARK = b"\xef\xbb\xbf"
"""A byte order mark, as some editors put it before everything else."""
BLANKS = " \t\n\v\f\r"
"""What installers take for blank; a no-break space is none (observed)."""
_WORD = re.compile(r"[^ \t\n\v\f\r]+")


def decode(data: bytes) -> str:
    """Text of a host file; bytes that are no UTF-8 survive a round trip through `encode`."""
    return data.decode("utf-8", "surrogateescape")


def encode(text: str) -> bytes:
    """The inverse of `decode`."""
    return text.encode("utf-8", "surrogateescape")


def split_lines(text: str) -> list[str]:
    """Lines with their ends, split at line feeds only (a form feed ends no line)."""
    lines = text.split("\n")
    return [line + "\n" for line in lines[:-1]] + ([lines[-1]] if lines[-1] else [])


def stripped(text: str) -> str:
    """A text without the blanks around it, as installers see them."""
    return text.strip(BLANKS)


def words(text: str) -> list[str]:
    """The words of a text, parted by what installers take for blank."""
    return _WORD.findall(text)


_CONTROL = re.compile("[\x00-\x1f\x7f-\x9f\u2028\u2029]")
_CONTROL_IN_LINES = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\u2028\u2029]")


def has_control(text: str, *, lines: bool = False) -> bool:
    """Whether a text holds a character that could end a line or steer a terminal; `lines` allows
    tabs and line ends."""
    if text.isascii() and text.isprintable():
        return False
    return (_CONTROL_IN_LINES if lines else _CONTROL).search(text) is not None


_DIGITS = 18
"""So many digits at the most: what is longer counts nothing real, and takes long to read."""


def whole_number(text: str, most: int = _DIGITS) -> int | None:
    """A whole number from 0 up in plain digits, None where a text is none or has more than
    `most` of them."""
    if len(text) > most or not (text.isascii() and text.isdigit()):
        return None
    return int(text)


class HostText:
    """The lines of one host file, each with its end; line N of a message is `lines[N - 1]`."""

    def __init__(self, data: bytes | None, file: str = "") -> None:
        """`data` None is a file that is not there: no lines."""
        data = data or b""
        self.file = file
        self.mark = MARK if data.startswith(MARK) else b""
        self.lines = split_lines(decode(data[len(self.mark) :]))

    @property
    def data(self) -> bytes:
        """The file's bytes."""
        return self.mark + encode("".join(self.lines))

    @property
    def ending(self) -> str:
        """How its first line ends, which new lines are given too."""
        return "\r\n" if self.lines and self.lines[0].endswith("\r\n") else "\n"

    def numbered(self) -> Iterator[tuple[int, str]]:
        """Each line without its end, with its number from 1."""
        return ((number, bare(line)) for number, line in enumerate(self.lines, 1))

    def close_line(self, at: int) -> None:
        """Give the line before index `at` an end, where it is the file's last and has none."""
        if at and not self.lines[at - 1].endswith("\n"):
            self.lines[at - 1] += self.ending

    def put(self, at: int, new: Iterable[str]) -> None:
        """Put whole lines before index `at`, ended as the file's lines are."""
        self.close_line(at)
        self.lines[at:at] = self.ended(new)

    def put_last(self, new: Iterable[str]) -> None:
        """Put whole lines at the end."""
        self.put(len(self.lines), new)

    def replace(self, first: int, last: int, new: Sequence[str]) -> None:
        """Put whole lines in the place of those from index `first` up to before `last`; the
        file's last line stays without an end where it had none."""
        if first == last:
            self.put(first, new)
            return
        lines = self.ended(new)
        if lines and last == len(self.lines):
            lines[-1] = bare(lines[-1]) + self.lines[last - 1][len(bare(self.lines[last - 1])) :]
        self.lines[first:last] = lines

    def ended(self, new: Iterable[str]) -> list[str]:
        """Lines, whatever their ends, with ends as the file's lines have."""
        return [bare(line) + self.ending for line in new]


def bare(line: str) -> str:
    """A line without its end."""
    return line.removesuffix("\n").removesuffix("\r")


def plain_start(glob: str) -> str:
    """The text before the first sign of a glob (`* ? [`): whatever it means begins so."""
    return re.split(r"[*?\[]", glob, maxsplit=1)[0]


def beginning_with(names: Sequence[str], start: str) -> Iterator[str]:
    """Those of some sorted names that begin with a text."""
    for at in range(bisect_left(names, start), len(names)):
        if not names[at].startswith(start):
            break
        yield names[at]
