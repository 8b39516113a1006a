"""The installer's own configuration (`etc/apt/apt.conf` and `apt.conf.d`).

Grammar (the format's manual page, and observed):

    file      = statement*
    statement = [name] [value] ";" | [name] [value] "{" statement* "}" [";"]
    name      = word ("::" word)*        a trailing "::" appends to a list
    value     = "quoted" | word
    comment   = "//" line | "#" line | "/*" any "*/"

Files of the folder are read in byte order, then `apt.conf`, and the last value wins.
One file that breaks the grammar makes every request fail (observed), so it raises.

Observed rules: docs/how-hosts-choose/deb.md.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.files.text import decode
from velpin.files.tree import Tree
from velpin.kinds.deb.files import read_and_skipped
from velpin.model.reason import Place

_TOKEN = re.compile(
    r"""(?P<blank>[\s]+)
      | (?P<comment>//[^\n]* | \#[^\n]* | /\*.*?\*/)
      | (?P<quoted>"[^"\n]*")
      | (?P<mark>[{};])
      | (?P<word>[^\s"{};]+)
      | (?P<bad>.)""",
    re.VERBOSE | re.DOTALL,
)
_MAIN = "etc/apt/apt.conf"
_PROGRAM = "apt-get"
"""The program of the host's installer whose decisions are forecast."""
_PLACES = {"Dir::Etc": "etc/apt", "Dir::State": "var/lib/apt"}


class ConfValue(NamedTuple):
    """One setting and where it stands."""

    text: str
    place: Place


class Conf:
    """Settings by name; names ignore case, as on the host."""

    def __init__(self) -> None:
        self.values: dict[str, list[ConfValue]] = {}
        self.skipped: list[tuple[str, str]] = []

    def get(self, name: str, default: str = "") -> str:
        """The value in force."""
        found = self.values.get(name.lower())
        return found[-1].text if found else default

    def place(self, name: str) -> Place | None:
        """Where the value in force stands."""
        found = self.values.get(name.lower())
        return found[-1].place if found else None

    def listed(self, name: str) -> list[str]:
        """All values of a list setting (`Name:: "x";` or `Name { "x"; };`)."""
        return [value.text for value in self.values.get(name.lower() + "::", [])]

    def switch(self, name: str, default: bool) -> bool:
        """A yes/no setting."""
        return is_yes(self.get(name), default)

    def file(self, place: str, name: str, default: str) -> str:
        """Where a file or folder of the installer's lies, below the root: `place` is the
        folder setting that it lies in (`Dir::Etc`), unless its own setting is absolute."""
        text = self.get(f"{place}::{name}") or default
        folder = self.get(place) or _PLACES[place]
        whole = text if text.startswith("/") else f"{folder}/{text}"
        return "/".join(part for part in whole.split("/") if part not in ("", "."))

    def take_for(self, program: str) -> None:
        """Let what is set for one program alone hold; it goes before what is set for all."""
        own = f"binary::{program}::"
        for name, values in list(self.values.items()):
            if name.startswith(own):
                for value in values:
                    self.set(name.removeprefix(own), value)

    def set(self, name: str, value: ConfValue) -> None:
        """Record one setting; a name ending in `::` appends."""
        if name.endswith("::"):
            self.values.setdefault(name.lower(), []).append(value)
        else:
            self.values[name.lower()] = [value]


def is_yes(text: str, default: bool) -> bool:
    """How the host reads yes/no texts; anything it does not know is the default."""
    word = text.strip().lower()
    if word in ("yes", "true", "with", "on", "enable", "1"):
        return True
    if word in ("no", "false", "without", "off", "disable", "0"):
        return False
    return default


def read_conf(tree: Tree) -> Conf:
    """All settings of the host; HostFileError (file, line) where the host would stop."""
    conf = Conf()
    read, conf.skipped = read_and_skipped(tree, "etc/apt/apt.conf.d", ("conf",), bare=True)
    for file in [*read, _MAIN]:
        data = tree.read(file)
        if data is not None:
            parse_conf(decode(data), file, conf)
    conf.take_for(_PROGRAM)
    return conf


def parse_conf(text: str, file: str, conf: Conf) -> None:
    """Add the settings of one file's text to `conf`; HostFileError where it is malformed."""
    scopes: list[str] = []
    parts: list[tuple[str, bool]] = []
    opened: list[int] = []
    start = 1
    for kind, token, line in _tokens(text):
        if kind == "bad":
            raise HostFileError(file, line, "a quoted value has no end")
        if kind != "mark":
            start = line if not parts else start
            parts.append((token, kind == "quoted"))
            continue
        if token == "}":
            if parts:
                raise HostFileError(file, start, f"no ; after {parts[-1][0]!r}")
            if not scopes:
                raise HostFileError(file, line, "a } without its {")
            scopes.pop()
            opened.pop()
            continue
        _state(parts, scopes, Place(file, start), conf, opens=token == "{")
        if token == "{":
            opened.append(start)
        parts = []
    if parts:
        raise HostFileError(file, start, f"no ; after {parts[-1][0]!r}")
    if scopes:
        raise HostFileError(file, opened[-1], f"{scopes[-1]} {{ is not closed")


def _tokens(text: str) -> Iterator[tuple[str, str, int]]:
    line = 1
    for found in _TOKEN.finditer(text):
        kind, token = str(found.lastgroup), found.group()
        if kind not in ("blank", "comment"):
            yield kind, token[1:-1] if kind == "quoted" else token, line
        line += token.count("\n")


def _state(
    parts: list[tuple[str, bool]], scopes: list[str], place: Place, conf: Conf, *, opens: bool
) -> None:
    if len(parts) > 2:
        raise HostFileError(place.file, place.line, f"no ; after {parts[1][0]!r}")
    within = scopes[-1] + "::" if scopes else ""
    if not parts:
        if opens:
            raise HostFileError(place.file, place.line, "a { without a name")
        return
    first, quoted = parts[0]
    if quoted or (len(parts) == 1 and not opens and within and "::" not in first):
        name, value = within, first
    else:
        name, value = within + first, parts[1][0] if len(parts) > 1 else ""
    if len(parts) > 1 or not opens:
        conf.set(name, ConfValue(value, place))
    if opens:
        scopes.append((within + first).removesuffix("::"))
