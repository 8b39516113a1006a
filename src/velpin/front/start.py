"""Where the program starts: it answers a shell that completes a line, or runs the command."""

from __future__ import annotations

import os
import sys
from types import ModuleType

ASKED = "VELPIN_COMPLETE"
"""The variable of the environment that asks for candidates instead of running the command."""


def main() -> None:
    """The program; a completion loads no more than it needs."""
    _load_when_used("inspect")
    if os.environ.get(ASKED):
        from velpin.front.completion import complete

        sys.exit(complete(sys.argv[1:]))
    from velpin.front.running import main as run

    run()


class _WhenUsed(ModuleType):
    """Stands for a module until something of it is asked for."""

    def __getattr__(self, name: str) -> object:
        if name.startswith("__"):
            raise AttributeError(name)
        from importlib import import_module

        if sys.modules.get(self.__name__) is self:
            del sys.modules[self.__name__]
        return getattr(import_module(self.__name__), name)


def _load_when_used(name: str) -> None:
    """Let a module of the standard library wait until something of it is asked for.

    `dataclasses` imports `inspect`, which loads five more, and asks it about classes without a
    docstring alone: without it a warm forecast takes 6 % less.
    """
    sys.modules.setdefault(name, _WhenUsed(name))
