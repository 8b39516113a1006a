"""Where the program starts: it answers a shell that completes a line, or runs the command."""

from __future__ import annotations

import os
import sys

ASKED = "VELPIN_COMPLETE"
"""The variable of the environment that asks for candidates instead of running the command."""


def main() -> None:
    """The program; a completion loads no more than it needs."""
    if os.environ.get(ASKED):
        from velpin.front.completion import complete

        sys.exit(complete(sys.argv[1:]))
    from velpin.front.running import main as run

    run()
