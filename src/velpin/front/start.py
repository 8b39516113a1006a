"""Where the program starts: it answers a shell that completes a line, or runs the command."""

from __future__ import annotations

import os
import sys


def main() -> None:
    """The program; a completion loads no more than it needs."""
    if os.environ.get("VELPIN_COMPLETE"):
        from velpin.front.completion import complete

        sys.exit(complete(sys.argv[1:]))
    from velpin.front.running import main as run

    run()
