"""Velpin's own settings for fetching, in its own file below the root.

[refresh]
connect_timeout = 15.0    seconds
read_timeout = 30.0       seconds, for each piece
file_timeout = 3600.0     seconds, for a whole file with all retries
retries = 3
at_once = 6               sources fetched at the same time
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from velpin.errors import HostFileError
from velpin.fetch.download import Certificates, FetchSettings, Login
from velpin.files.own_settings import FILE, table
from velpin.files.tree import Tree

_REFRESH: dict[str, tuple[type, float]] = {
    "connect_timeout": (float, 3600), "read_timeout": (float, 3600),
    "file_timeout": (float, 604800), "retries": (int, 100), "at_once": (int, 64),
}  # fmt: skip
"""What each setting is, and its highest value."""


def read_settings(
    tree: Tree,
    proxies: Mapping[str, str] | None = None,
    logins: Sequence[Login] = (),
    certificates: Sequence[Certificates] = (),
) -> FetchSettings:
    """The settings for fetching; HostFileError where the file is not understood."""
    values: dict[str, float | int] = {}
    for name, value in table(tree, "refresh").items():
        if name not in _REFRESH:
            known = ", ".join(_REFRESH)
            raise HostFileError(FILE, 0, f"[refresh] has no {name!r}; it has {known}")
        kind, most = _REFRESH[name]
        is_number = isinstance(value, int | float) and not isinstance(value, bool)
        if not is_number or not 0 <= value <= most:
            raise HostFileError(
                FILE, 0, f"refresh.{name}: {value!r} is not a number from 0 to {most}"
            )
        values[name] = kind(value)
    return FetchSettings(
        proxies=proxies or {},
        logins=logins,
        certificates=certificates,
        **values,  # type: ignore[arg-type]
    )
