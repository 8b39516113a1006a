"""Whose sources are whose: what tells the distribution's from a vendor's."""

from __future__ import annotations

from urllib.parse import urlsplit


def domain_of(address: str) -> str:
    """The last two labels of the name in an address; the whole address where it has no name, as
    one in a folder of this machine."""
    try:
        name = urlsplit(address).hostname or ""
    except ValueError:
        return address
    labels = name.split(".")
    if all(label.isdigit() for label in labels):
        return name
    return ".".join(labels[-2:]) or address


def archive_addresses(address: str) -> list[str]:
    """Where the releases that a server no longer keeps often go: the archive of its domain."""
    parts = urlsplit(address)
    name = parts.hostname or ""
    first, _, domain = name.partition(".")
    if parts.scheme not in ("http", "https") or "." not in domain or first == "archive":
        return []
    port = f":{parts.port}" if parts.port else ""
    return [
        parts._replace(netloc=f"{label}.{domain}{port}").geturl()
        for label in ("archive", "old-releases")
    ]
