"""What people type out of habit, and the command that answers it."""

from __future__ import annotations

from typing import NamedTuple

from velpin.errors import UsageError, did_you_mean
from velpin.model.shell import as_typed


class _Answer(NamedTuple):
    """A command for a word that is none; `takes_names` if what follows the word goes with it."""

    command: tuple[str, ...]
    what: str
    takes_names: bool = False


_INSTALL = _Answer(("forecast",), "what the host's installer would put in", takes_names=True)
_REMOVE = _Answer(("drop",), "a source goes; packages are for the host's installer")
_FIND = _Answer(("find",), "names and descriptions", takes_names=True)
_OFFERS = _Answer(("offers",), "every version of a package", takes_names=True)
_UPGRADE = _Answer(("forecast", "--upgrade"), "what the full upgrade would change")
_REFRESH = _Answer(("refresh",), "fetches and checks the indexes of all sources")
_SOURCES = _Answer(("sources",), "which sources there are, and which one wins")
_KEEP = _Answer(("keep",), "leaves what is installed as it is", takes_names=True)
_UNDO = _Answer(("undo",), "takes the last change of Velpin back")
_CHECKUP = _Answer(("checkup",), "what is wrong with the sources, and how to mend it")
_ANSWERS = {
    **dict.fromkeys(("install", "in", "reinstall", "downgrade", "simulate", "why"), _INSTALL),
    **dict.fromkeys(("remove", "rm", "erase", "purge", "uninstall", "delete"), _REMOVE),
    **dict.fromkeys(("search", "se", "query", "provides", "whatprovides"), _FIND),
    **dict.fromkeys(("show", "info", "policy", "madison", "versions"), _OFFERS),
    **dict.fromkeys(("upgrade", "dist-upgrade", "full-upgrade", "up", "dup"), _UPGRADE),
    **dict.fromkeys(("update", "makecache", "ref", "sync"), _REFRESH),
    **dict.fromkeys(("repolist", "repos", "repo", "lr", "list", "ls", "status"), _SOURCES),
    **dict.fromkeys(("hold", "lock", "versionlock"), _KEEP),
    **dict.fromkeys(("rollback", "revert", "restore"), _UNDO),
    **dict.fromkeys(("check", "doctor", "verify", "fix", "lint"), _CHECKUP),
    "history": _Answer(("journal",), "what was changed"),
    "log": _Answer(("journal",), "what was changed"),
    "key": _Answer(("keys",), "which key signs for what"),
    "enable": _Answer(("on",), "switches a source on", takes_names=True),
    "disable": _Answer(("off",), "switches a source off", takes_names=True),
    "priority": _Answer(("prefer",), "a source before others, whatever the versions"),
    "diff": _Answer(("shift",), "what changed since a snapshot"),
    "import": _Answer(("conform",), "makes a host as a file describes it", takes_names=True),
    "version": _Answer(("--version",), "which Velpin this is"),
}  # fmt: skip


def no_such_command(word: str, rest: list[str], commands: list[str]) -> UsageError:
    """The error for a word that is no command, with the command that is meant."""
    answer = _ANSWERS.get(word)
    if answer is not None:
        names = [each for each in rest if not each.startswith("-")] if answer.takes_names else []
        return UsageError(
            f"velpin has no command {word!r}",
            f"{as_typed(['velpin', *answer.command, *names])}: {answer.what}",
        )
    import difflib

    near = [each for each in commands if each.startswith(word)]
    near = near or difflib.get_close_matches(word, commands)
    hint = did_you_mean([f"velpin {each}" for each in near])
    return UsageError(f"velpin has no command {word!r}", hint or "all commands: velpin --help")
