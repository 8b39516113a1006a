"""Whether the command line has `--debug`."""

from __future__ import annotations

is_on = False
