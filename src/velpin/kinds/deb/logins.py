"""Logins for private sources: `etc/apt/auth.conf` and `auth.conf.d`.

Each entry is `machine [SCHEME://]HOST[:PORT][/PATH] login NAME password WORD`, over any lines.
Without a scheme it holds for https only (the format's manual page). The first that fits is used.
"""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from urllib.parse import urlsplit

from velpin.fetch.download import Login
from velpin.files.text import decode
from velpin.files.tree import Tree
from velpin.kinds.deb.files import read_and_skipped

LOGIN_FOLDER = "etc/apt/auth.conf.d"
MAIN = "etc/apt/auth.conf"


def login_file(handle: str) -> str:
    """Where Velpin puts the login of a source."""
    return f"{LOGIN_FOLDER}/velpin-{handle}.conf"


def read_logins(tree: Tree) -> list[Login]:
    """Every login the host's files give, in the order in which they are tried."""
    read, _ = read_and_skipped(tree, LOGIN_FOLDER, ("conf",), bare=True)
    texts = [decode(tree.read(file) or b"") for file in (*read, MAIN)]
    return [login for text in texts for login in parse_logins(text)]


def parse_logins(text: str) -> Iterator[Login]:
    """The logins of one file's text; words that are not understood are passed over."""
    lines = (line for line in text.split("\n") if not line.lstrip().startswith("#"))
    words = iter(" ".join(lines).split())
    machine, name = "", ""
    for word in words:
        if word == "machine":
            machine, name = next(words, ""), ""
        elif word in ("login", "user"):
            name = next(words, "")
        elif word == "password" and machine:
            with contextlib.suppress(ValueError):  # what is no address is passed over
                yield _login(machine, name, next(words, ""))


def _login(machine: str, name: str, password: str) -> Login:
    parts = urlsplit(machine if "://" in machine else f"https://{machine}")
    return Login(parts.scheme, parts.netloc, parts.path, name, password)
