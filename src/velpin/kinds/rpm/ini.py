"""Files of sections and keys, with the line of each, kept so that they can be edited.

    [section]
    key = value
        value goes on, on indented lines
    # or ; at the start of a line: a comment

A blank line ends a value. The last of two lines with one key wins; names of keys are taken
as they are written.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field

from velpin.errors import HostFileError
from velpin.files.text import HostText, encode, stripped

_SECTION = re.compile(r"(?a)\[([^\]]*)\]\s*$|\[([^\]]*)\]")
_KEY = re.compile(r"(?a)([^=:\s][^=]*?)\s*=\s*(.*)", re.DOTALL)
_ZYPP, _ZYPP_SOURCES = "etc/zypp/", "etc/zypp/repos.d/"


@dataclass(slots=True)
class IniValue:
    """One key's value and the lines it takes, 1-based."""

    key: str
    text: str
    line: int
    last: int
    file: str = ""
    """The file it stands in, where that is another than its section's."""


@dataclass(slots=True)
class IniSection:
    """One section: its name, its heading's line (0 before the first) and its values."""

    name: str
    line: int
    values: list[IniValue] = field(default_factory=list)
    last: int = 0
    """The last line that belongs to it, blank lines and comments behind it left out."""

    def get(self, key: str, default: str = "") -> str:
        """The value that counts for a key."""
        found = self.find(key)
        return found.text if found else default

    def find(self, key: str) -> IniValue | None:
        """The value that counts for a key, with its lines."""
        return next((value for value in reversed(self.values) if value.key == key), None)

    def __contains__(self, key: str) -> bool:
        return self.find(key) is not None


def read_sections(data: bytes, file: str, *, joined: bool | None = None) -> list[IniSection]:
    """All sections of a file, in order, as the installer reads it whose place it lies in.

    `joined`: any line that is no key goes on with the value before it, and an indented key is
    one all the same; unless said, that is so in the source files of zypp hosts, and there alone.

    Raises HostFileError, with the line, where a line is neither of the above or stands before
    the first section (a key there is passed over on zypp hosts but in source files), and for what
    that installer refuses (docs/how-hosts-choose/text.md): a byte order mark on zypp hosts, a
    value that is not UTF-8 on others.
    """
    found: list[IniSection] = []
    open_: IniValue | None = None
    host_text = HostText(data, file)
    zypp = file.startswith(_ZYPP)
    joined = file.startswith(_ZYPP_SOURCES) if joined is None else joined
    if zypp and host_text.mark:
        raise HostFileError(file, 1, "begins with a byte order mark, which the installer refuses")
    for number, line in host_text.numbered():
        text = stripped(line)
        if not text or text[0] in "#;":
            open_ = None if not text else open_
            continue
        if not zypp:
            _check_utf8(text, file, number)
        section = _SECTION.match(text)
        if section and (joined or not line[0].isspace()):
            name = stripped(section.group(1) or section.group(2) or "")
            if not name:
                raise HostFileError(file, number, "a section without a name")
            found.append(IniSection(name, number, last=number))
            open_ = None
            continue
        key = _KEY.match(text)
        loose = not key or "://" in text.partition("=")[0]
        goes_on = loose if joined else line[0].isspace()
        if goes_on and open_ is not None and text[0] != "[":
            open_.text = f"{open_.text}\n{text}" if open_.text else text
            open_.last = found[-1].last = number
            continue
        if not found and key and zypp and not file.startswith(_ZYPP_SOURCES):
            continue  # passed over there (observed)
        if not found:
            raise HostFileError(file, number, f"{text[:60]!r} stands before any section")
        if not key:
            raise HostFileError(file, number, f"{text[:60]!r} is not a key with a value")
        open_ = IniValue(key.group(1), key.group(2), number, number)
        found[-1].values.append(open_)
        found[-1].last = number
    return found


def _check_utf8(text: str, file: str, line: int) -> None:
    try:
        encode(text).decode("utf-8")
    except UnicodeDecodeError as problem:
        raise HostFileError(file, line, "not UTF-8 text") from problem


def words(text: str) -> list[str]:
    """A list's items, parted by blanks, commas or lines."""
    return [word for word in re.split(r"(?a)[\s,]+", text) if word]


def truth(text: str, unknown: bool) -> bool:
    """A switch's value; `unknown` is what a word that is none of them counts as."""
    word = text.strip().lower()
    if word in ("1", "yes", "true", "on"):
        return True
    if word in ("0", "no", "false", "off"):
        return False
    return unknown


def leading_number(text: str) -> int | None:
    """The whole number a value begins with (`10 # text` is 10), None where it is none."""
    found = re.match(r"(?a)\s*([+-]?\d{1,9})(?:\s|$)", text)
    return int(found.group(1)) if found else None
