"""Words as a person types them on a command line."""

from __future__ import annotations

import re
import shlex
from collections.abc import Iterable

_PLAIN = re.compile(r"[\w@%+:,./-][\w@%+=:,./~-]*", re.ASCII)


def shell_word(word: str) -> str:
    """A name as a person types it in a command: quoted where a shell would read more into it."""
    return word if _PLAIN.fullmatch(word) else shlex.quote(word)


def as_typed(words: Iterable[str]) -> str:
    """Words as a person types them: quoted where a shell would take them for something else."""
    return " ".join(map(shell_word, words))
