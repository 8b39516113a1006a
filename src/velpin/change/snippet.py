"""What vendors' snippets and addresses have in common on every kind of host."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

_SHELL = re.compile(r"\s*(EOF|EOL|END|_EOF_|'|\"|EOT)\s*")


def is_shell_line(line: str) -> bool:
    """The closing line of a command that vendors print around a snippet."""
    return _SHELL.fullmatch(line) is not None


def name_from(address: str) -> str:
    """A handle made of an address: its machine and the last plain part of its path."""
    parts = urlsplit(address)
    host = (parts.hostname or "").removeprefix("www.").split(".")
    inner = [one for one in parts.path.split("/") if one and "$" not in one]
    text = "-".join([*host[:1], *inner[-1:]]) or "source"
    return re.sub(r"[^a-z0-9.+-]+", "-", text.lower()).strip("-") or "source"
