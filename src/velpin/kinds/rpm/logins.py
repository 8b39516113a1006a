"""Logins for private sources, and values of small shell files."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from velpin.kinds.rpm.source import RpmSource

if TYPE_CHECKING:
    from velpin.fetch.download import Login


def section_logins(sources: Iterable[RpmSource]) -> list[Login]:
    """Names and passwords that sections give for their addresses."""
    from urllib.parse import urlsplit

    from velpin.fetch.download import Login

    found = []
    for source in sources:
        name, password = source.section.get("username"), source.section.get("password")
        if not name:
            continue
        for url in source.urls:
            try:
                parts = urlsplit(url)
            except ValueError:
                continue
            found.append(Login(parts.scheme, parts.netloc, parts.path, name, password))
    return found


def shell_values(text: str) -> dict[str, str]:
    """Assignments of a file that a shell would read, quotes taken off."""
    import shlex

    found = {}
    for line in text.split("\n"):
        name, equals, value = line.strip().partition("=")
        if equals and name.isidentifier():
            try:
                found[name] = "".join(shlex.split(value)[:1])
            except ValueError:
                continue
    return found
