"""Which suites a repository is seen to have, and what they say of themselves; unchecked."""

from __future__ import annotations

import re
from urllib.parse import urlsplit

from velpin.errors import FetchError, HostFileError, TrustError
from velpin.fetch.download import Transport
from velpin.files.text import decode
from velpin.kinds.deb.release import Release, read_release, unwrap

COMMON_SUITES = ("stable", "main", "testing", "release", "any", "all", "unstable")
"""Suites that are named after no release of any distribution."""


def suites_of(address: str, transport: Transport, release: dict[str, str]) -> list[str]:
    """Suites a repository is seen to have: from its folder's listing, else by trying names."""
    base = f"{address}/dists/"
    listed = _listed(base, transport)
    if listed:
        return listed
    names = [release.get("VERSION_CODENAME", ""), release.get("VERSION_ID", ""), *COMMON_SUITES]
    return [name for name in dict.fromkeys(names) if name and _has_suite(base + name, transport)]


def _listed(base: str, transport: Transport) -> list[str]:
    if urlsplit(base).scheme in ("file", "copy"):
        return transport.folders(base)
    try:
        page = decode(transport.read(base, most=1 << 20))
    except (FetchError, TrustError):
        return []
    names = re.findall(r'href="(?:\./)?([A-Za-z0-9][A-Za-z0-9._+-]*)/"', page)
    return [name for name in dict.fromkeys(names) if _has_suite(base + name, transport)]


def head_at(url: str, transport: Transport) -> Release | None:
    """What a release file says; None where there is none that can be read."""
    data = _release_at(url, transport)
    try:
        return read_release(unwrap(data), url) if data else None
    except HostFileError:
        return None


def _has_suite(url: str, transport: Transport) -> bool:
    return _release_at(url, transport) is not None


def _release_at(url: str, transport: Transport) -> bytes | None:
    """A suite's release file, in either form; None where it has none."""
    for name in ("InRelease", "Release"):
        try:
            return transport.read(f"{url}/{name}")
        except (FetchError, TrustError):
            continue
    return None
