"""Velpin's own settings: `etc/velpin/velpin.toml` below the root, all of it optional.

[refresh]
connect_timeout = 15.0    seconds
read_timeout = 30.0       seconds
retries = 3
at_once = 6               sources fetched at the same time
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from velpin.errors import HostFileError
from velpin.fetch.download import FetchSettings, Login
from velpin.tree import Tree

FILE = "etc/velpin/velpin.toml"
_REFRESH = {"connect_timeout": float, "read_timeout": float, "retries": int, "at_once": int}


def read_settings(
    tree: Tree, proxies: Mapping[str, str] | None = None, logins: Sequence[Login] = ()
) -> FetchSettings:
    """The settings for fetching; HostFileError where the file is not understood."""
    data = tree.read(FILE)
    values: dict[str, float | int] = {}
    if data is not None:
        import tomllib

        try:
            given = tomllib.loads(data.decode("utf-8")).get("refresh", {})
        except (tomllib.TOMLDecodeError, UnicodeDecodeError) as problem:
            raise HostFileError(FILE, 0, str(problem)) from problem
        for name, value in given.items():
            if name not in _REFRESH:
                known = ", ".join(_REFRESH)
                raise HostFileError(FILE, 0, f"[refresh] has no {name!r}; it has {known}")
            if isinstance(value, bool) or not isinstance(value, int | float) or value < 0:
                raise HostFileError(FILE, 0, f"refresh.{name}: {value!r} is no number from 0 up")
            values[name] = _REFRESH[name](value)
    return FetchSettings(proxies=proxies or {}, logins=logins, **values)  # type: ignore[arg-type]
