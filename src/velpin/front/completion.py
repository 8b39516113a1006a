"""What a shell offers to complete a command line with, and the scripts by which shells ask.

A script sets the variable `start.ASKED` to its shell's name and runs the very command line, up to
the cursor. The answer is a line for each candidate: the word, a tab, what it is. The line `:files`
(or `:folders`) says that names of those are wanted there.

Only what is parsed already is looked at: nothing is fetched, parsed or mended for a completion. The
commands and their options are read from `shells/commands.json`, which `tools/manual.py` writes from
the commands themselves: loading those would take longer than all the rest.
"""

from __future__ import annotations

import os
import re
import sys
from collections.abc import Callable, Iterable, Mapping, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from velpin.errors import UsageError, VelpinError
from velpin.front.commands import SHELLS_FOLDER, Command, Commands, Parameter, read_commands
from velpin.model.safe_text import safe

if TYPE_CHECKING:
    from velpin.host.host import Host

BREAKS = "VELPIN_COMPLETE_BREAKS"
"""Characters at which the shell begins a new word, so that only what is behind the last of them is
to be answered."""
_LEADING = "@$"
"""Breaks that bash counts to the word behind them: it completes names of hosts and variables."""
SHELLS = ("bash", "fish", "zsh")
TOPICS = ("requests", "rules", "tiers", "formats")
"""What `velpin help` explains."""
_PLAIN = re.compile(r"[\w@%+:,./~^*?=-]+", re.ASCII)
"""What a completed word may be made of: nothing by which a shell would do more than pass it on. The
scripts quote it besides."""
_MOST = 2000
FILES, FOLDERS = ":files", ":folders"

Candidates = Iterable[tuple[str, str]]


def script(shell: str) -> str:
    """The script that makes a shell ask; UsageError for a shell that is none of them."""
    if shell not in SHELLS:
        raise UsageError(f"no completion for {shell!r}", f"velpin completion {'|'.join(SHELLS)}")
    return (SHELLS_FOLDER / f"velpin.{shell}").read_text("utf-8")


def complete(words: Sequence[str]) -> int:
    """Answer the shell that asks what a command line could go on with; the exit code."""
    breaks = os.environ.get(BREAKS, "")
    sys.stdout.writelines(f"{line}\n" for line in answer(words, read_commands(), breaks))
    return 0


def answer(words: Sequence[str], commands: Commands, breaks: str = "") -> list[str]:
    """The lines for a shell: `words` are those of the command line behind the program's name, the
    last one as far as it is typed."""
    *before, start = words or [""]
    try:
        found = _candidates(before, start, commands)
        if isinstance(found, str):
            return [found]
        cut = _behind_breaks(start, breaks)
        return [
            f"{word[cut:]}\t{safe(what)}"
            for word, what in found
            if word.startswith(start) and _PLAIN.fullmatch(word)
        ]
    except VelpinError:  # a host that cannot be read completes nothing
        return []


def _behind_breaks(word: str, breaks: str) -> int:
    """Where the part of a word begins that the shell puts the answer in place of."""
    last = max((word.rfind(char) for char in breaks), default=-1)
    return last if last >= 0 and word[last] in _LEADING else last + 1


class _Typed(NamedTuple):
    """What stands on the line before the word that is completed."""

    root: Path
    command: str
    option: Parameter | None
    """The option whose value is wanted, None where it is none's."""
    plain: list[str]
    """Words of the command that are no options and no values of them."""


_ROOT = Parameter("root", ("--root",), True, False, "The host's root folder.")
"""The option that every command has, and the program itself."""
_PROGRAM = [("--root", _ROOT.help), ("--version", "Show the version."), ("--help", "")]


def _candidates(before: list[str], start: str, commands: Commands) -> Candidates | str:
    typed = _read(before, commands)
    if typed.option is not None:
        return _of_option(typed.option, typed, start)
    if not typed.command:
        if start.startswith("-"):
            return _PROGRAM
        return [(name, each.help) for name, each in commands.items()]
    command = commands[typed.command]
    if start.startswith("-"):
        return [(max(each.opts, key=len), each.help) for each in command.parameters if each.opts]
    return _of_argument(typed, command, start)


def _read(before: list[str], commands: Commands) -> _Typed:
    """The words before, taken apart as the program takes them."""
    root, command, plain = Path("/"), "", list[str]()
    waiting: Parameter | None = None
    for word in before:
        if waiting is not None:
            root = Path(word) if waiting.name == "root" else root
            waiting = None
        elif word.startswith("-"):
            name, mark, value = word.partition("=")
            option = _ROOT if name == "--root" else _option(commands.get(command), name)
            if option is None or not option.takes_value:
                continue
            if not mark:
                waiting = option
            elif option.name == "root":
                root = Path(value)
        elif not command and word in commands:
            command = word
        else:
            plain.append(word)
    return _Typed(root, command, waiting, plain)


def _option(command: Command | None, name: str) -> Parameter | None:
    known = command.parameters if command is not None else ()
    return next((each for each in known if name in each.opts), None)


# -- what stands in which place ------------------------------------------------------------------


def _of_option(option: Parameter, typed: _Typed, start: str) -> Candidates | str:
    if option.name == "root":
        return FOLDERS
    if option.name in _OPTIONS:
        return _OPTIONS[option.name](typed, start)
    return FILES if option.name in _FILES else []


def _of_argument(typed: _Typed, command: Command, start: str) -> Candidates | str:
    arguments = [each for each in command.parameters if not each.opts]
    if not arguments:
        return []
    at = min(len(typed.plain), len(arguments) - 1)
    if at < len(typed.plain) and not arguments[at].is_list:
        return []  # all it takes is there
    known = _ARGUMENTS.get((typed.command, arguments[at].name))
    if known is not None:
        return known(typed, start)
    return FILES if arguments[at].name in _FILES else []


def _host(typed: _Typed) -> Host:
    from velpin.host.opening import open_host

    return open_host(typed.root, ready_only=True)


def _handles(typed: _Typed, _start: str) -> Candidates:
    return [(source.handle, source.url) for source in _host(typed).sources]


def _names(typed: _Typed, start: str) -> Candidates:
    """Names; behind an @ the versions of one."""
    name, mark, _ = start.partition("@")
    if mark and name:
        return [(f"{name}@{version}", f"from {source}" if source else "installed")
                for version, source in _host(typed).packages.versions(name)]  # fmt: skip
    return _host(typed).packages.names_beginning(start, _MOST).items()


def _requests(typed: _Typed, start: str) -> Candidates:
    """Names with what may stand behind them: @VERSION or %SOURCE."""
    name, mark, _ = start.partition("%")
    if mark and name:
        return [(f"{name}%{handle}", what) for handle, what in _handles(typed, "")]
    return _names(typed, start)


def _installed(typed: _Typed, start: str) -> Candidates:
    return _host(typed).packages.names_beginning(start, _MOST, installed=True).items()


def _rule_numbers(typed: _Typed, _start: str) -> Candidates:
    """Rules by number; what they decide is not worked out, so no index is asked."""
    if not typed.plain:
        return [("drop", "drop rules, by number or FILE:LINE")]

    said = _host(typed).rules.sentences()
    return [(str(number), reason.text) for number, reason in enumerate(said, 1)]


def _changes(typed: _Typed, _start: str) -> Candidates:
    entries = [entry for entry in _host(typed).changes.journal() if not entry.undone_by]
    return [(str(entry.number), entry.summary) for entry in reversed(entries)]


def _catalog_names(typed: _Typed, _start: str) -> Candidates:
    entries, _ = _host(typed).catalog.entries()
    return [(entry.name, entry.summary) for entry in entries]


def _new_source(typed: _Typed, start: str) -> Candidates | str:
    """A source of a catalog; else the file of a snippet."""
    if "/" in start or start.startswith((".", "~")):
        return FILES
    return list(_catalog_names(typed, start)) or FILES


def _about_catalogs(typed: _Typed, start: str) -> Candidates:
    if typed.plain:
        return _handles(typed, start) if typed.plain[0] == "write" else []
    words = [("add", "keep a catalog from an address"), ("refresh", "bring catalogs up to date"),
             ("write", "write an entry from sources of this host")]  # fmt: skip
    return [*words, *_catalog_names(typed, start)]


def _codes(_typed: _Typed, _start: str) -> Candidates:
    from velpin.model.findings import FINDING_CODES

    return [(code, "") for code in FINDING_CODES]


def _chapters(_typed: _Typed, _start: str) -> Candidates:
    from velpin.demo.walk import CHAPTERS

    return [(name, chapter.title) for name, chapter in CHAPTERS.items()]


def _fixed(*words: str) -> Callable[[_Typed, str], Candidates]:
    return lambda _typed, _start: [(word, "") for word in words]


_FILES = frozenset({"key", "save", "since", "out", "png", "keep", "serve", "file"})
"""Parameters whose values are files."""
_OPTIONS: Mapping[str, Callable[[_Typed, str], Candidates | str]] = {
    "source": _handles, "over": _handles, "under": _handles, "wanted": _names, "only": _names,
    "generation": _fixed("older", "newer"), "mend": _codes,
}  # fmt: skip
_ARGUMENTS: Mapping[tuple[str, str], Callable[[_Typed, str], Candidates | str]] = {
    ("forecast", "request"): _requests, ("offers", "what"): _names, ("refresh", "source"): _handles,
    ("add", "what"): _new_source, ("off", "source"): _handles, ("on", "source"): _handles,
    ("drop", "source"): _handles, ("prefer", "source"): _handles, ("confine", "source"): _handles,
    ("confine", "name"): _names, ("pin", "what"): _names, ("bar", "name"): _names,
    ("keep", "name"): _installed, ("want", "what"): _names, ("shift", "watch"): _names,
    ("rules", "drop"): _rule_numbers, ("undo", "number"): _changes,
    ("checkup", "source"): _handles, ("catalog", "what"): _about_catalogs,
    ("demo", "chapter"): _chapters, ("completion", "shell"): _fixed(*SHELLS),
    ("help", "topic"): _fixed(*TOPICS), ("expect", "what"): lambda _typed, _start: FILES,
}  # fmt: skip
