"""What a shell offers to complete a command line with, and the scripts by which shells ask.

A script sets the variable `ASKED` to its shell's name and runs the very command line, up to the
cursor. The answer is a line for each candidate: the word, a tab, what it is. The line `:files` (or
`:folders`) says that names of those are wanted there.

Only what is parsed already is looked at: nothing is fetched, parsed or mended for a completion.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping, Sequence
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple

from velpin.errors import UsageError, VelpinError
from velpin.model.safe_text import safe

if TYPE_CHECKING:
    from velpin.core.host import Host

ASKED = "VELPIN_COMPLETE"
"""The variable of the environment that asks for candidates instead of running the command."""
BREAKS = "VELPIN_COMPLETE_BREAKS"
"""Characters at which the shell begins a new word, so that only what is behind the last of them is
to be answered."""
_LEADING = "@$"
"""Breaks that bash counts to the word behind them: it completes names of hosts and variables."""
SHELLS = ("bash", "fish", "zsh")
TOPICS = ("requests", "rules", "tiers", "formats")
"""What `velpin help` explains."""
_MOST = 2000
FILES, FOLDERS = ":files", ":folders"

Candidates = Iterable[tuple[str, str]]


def script(shell: str) -> str:
    """The script that makes a shell ask; UsageError for a shell that is none of them."""
    if shell not in SHELLS:
        raise UsageError(f"no completion for {shell!r}", f"velpin completion {'|'.join(SHELLS)}")
    return (files("velpin.front") / "shells" / f"velpin.{shell}").read_text("utf-8")


def answer(words: Sequence[str], commands: Mapping[str, Any], breaks: str = "") -> list[str]:
    """The lines for a shell: `words` are those of the command line behind the program's name, the
    last one as far as it is typed; `commands` are Typer's, by name."""
    *before, start = words or [""]
    try:
        found = _candidates(before, start, commands)
        if isinstance(found, str):
            return [found]
        cut = _behind_breaks(start, breaks)
        return [
            f"{word[cut:]}\t{safe(what)}"
            for word, what in found
            if word.startswith(start) and word == safe(word) and " " not in word
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
    option: Any
    """The option whose value is wanted, None where it is none's."""
    plain: list[str]
    """Words of the command that are no options and no values of them."""


def _candidates(before: list[str], start: str, commands: Mapping[str, Any]) -> Candidates | str:
    typed = _read(before, commands)
    if typed.option is not None:
        return _of_option(typed, start)
    if not typed.command:
        if start.startswith("-"):
            return [("--root", "the host's root folder"), ("--version", ""), ("--help", "")]
        return [(name, _first_line(each)) for name, each in commands.items() if not each.hidden]
    if start.startswith("-"):
        return _options(commands[typed.command])
    return _of_argument(typed, commands[typed.command], start)


def _first_line(command: Any) -> str:
    return (command.help or "").partition("\n")[0]


def _read(before: list[str], commands: Mapping[str, Any]) -> _Typed:
    """The words before, taken apart as Typer takes them."""
    root, command, plain = Path("/"), "", list[str]()
    waiting: Any = None
    for word in before:
        if waiting is not None:
            if _is_root(waiting):
                root = Path(word)
            waiting = None
        elif word.startswith("-"):
            name, mark, value = word.partition("=")
            option = _ROOT if name == "--root" else _option(commands.get(command), name)
            if option is not None and mark and _is_root(option):
                root = Path(value)
            elif option is not None and not mark and _takes_value(option):
                waiting = option
        elif not command and word in commands:
            command = word
        else:
            plain.append(word)
    return _Typed(root, command, waiting, plain)


class _RootOption:
    """The option that every command has, and the program itself."""

    name, is_flag, opts = "root", False, ("--root",)


_ROOT = _RootOption()


def _is_root(option: Any) -> bool:
    return bool(option.name == "root")


def _takes_value(option: Any) -> bool:
    return not option.is_flag


def _option(command: Any, name: str) -> Any:
    for each in command.params if command is not None else ():
        if each.param_type_name == "option" and name in each.opts:
            return each
    return None


def _options(command: Any) -> Candidates:
    return [
        (max(each.opts, key=len), each.help or "")
        for each in command.params
        if each.param_type_name == "option"
    ]


# -- what stands in which place ------------------------------------------------------------------


def _of_option(typed: _Typed, start: str) -> Candidates | str:
    name = typed.option.name
    if name == "root":
        return FOLDERS
    if name in _OPTIONS:
        return _OPTIONS[name](typed, start)
    return FILES if name in _FILES else []


def _of_argument(typed: _Typed, command: Any, start: str) -> Candidates | str:
    arguments = [each for each in command.params if each.param_type_name == "argument"]
    if not arguments:
        return []
    at = min(len(typed.plain), len(arguments) - 1)
    if at < len(typed.plain) and arguments[at].nargs == 1:
        return []  # all it takes is there
    known = _ARGUMENTS.get((typed.command, arguments[at].name))
    if known is not None:
        return known(typed, start)
    return FILES if arguments[at].name in _FILES else []


def _host(typed: _Typed) -> Host:
    from velpin.core.opening import open_host

    return open_host(typed.root, ready_only=True)


def _handles(typed: _Typed, _start: str) -> Candidates:
    return [(source.handle, source.url) for source in _host(typed).sources]


def _names(typed: _Typed, start: str) -> Candidates:
    """Names; behind an @ the versions of one."""
    name, mark, _ = start.partition("@")
    if mark and name:
        return [(f"{name}@{version}", f"from {source}" if source else "installed")
                for version, source in _host(typed).versions(name)]  # fmt: skip
    return _host(typed).names_beginning(start, _MOST).items()


def _requests(typed: _Typed, start: str) -> Candidates:
    """Names with what may stand behind them: @VERSION or %SOURCE."""
    name, mark, _ = start.partition("%")
    if mark and name:
        return [(f"{name}%{handle}", what) for handle, what in _handles(typed, "")]
    return _names(typed, start)


def _installed(typed: _Typed, start: str) -> Candidates:
    return _host(typed).names_beginning(start, _MOST, installed=True).items()


def _rule_numbers(typed: _Typed, _start: str) -> Candidates:
    """Rules by number; what they decide is not worked out, so no index is asked."""
    if not typed.plain:
        return [("drop", "drop rules, by number or FILE:LINE")]
    from velpin.front.words import sentence

    said = _host(typed).rule_sentences()
    return [(str(number), sentence(reason)) for number, reason in enumerate(said, 1)]


def _changes(typed: _Typed, _start: str) -> Candidates:
    entries = [entry for entry in _host(typed).journal() if not entry.undone_by]
    return [(str(entry.number), entry.summary) for entry in reversed(entries)]


def _catalog_names(typed: _Typed, _start: str) -> Candidates:
    entries, _ = _host(typed).catalog()
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
    from velpin.core.checkup.codes import FINDING_CODES

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


def lines(words: Sequence[str], commands: Mapping[str, Any]) -> list[str]:
    """What is printed for the shell that asks."""
    return answer(words, commands, os.environ.get(BREAKS, ""))
