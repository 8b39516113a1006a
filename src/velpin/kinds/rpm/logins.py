"""Logins and certificates for private sources, and values of small shell files."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

from velpin.fetch.download import Certificates, Login
from velpin.kinds.rpm.source import RpmSource

if TYPE_CHECKING:
    from velpin.fetch.download import Certificates, Login
    from velpin.files.tree import Tree
    from velpin.kinds.rpm.ini import IniSection


def section_logins(sources: Iterable[RpmSource]) -> list[Login]:
    """Names and passwords that sections give for their addresses."""
    from urllib.parse import urlsplit

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


def section_certificates(
    tree: Tree, sources: Iterable[RpmSource], main: IniSection
) -> list[Certificates]:
    """The certificates that sections name for their addresses, else the main section."""
    found = []
    for source in sources:
        given = [
            source.section.get(key) or main.get(key)
            for key in ("sslclientcert", "sslclientkey", "sslcacert")
        ]
        if any(given):
            files = (str(tree.path(name.strip().lstrip("/"))) if name else "" for name in given)
            own, key, authority = files
            addresses = (url for url in (*source.urls, source.mirrors) if url.startswith("https:"))
            found += [Certificates(url, own, key, authority) for url in addresses]
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
