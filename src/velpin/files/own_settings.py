"""Velpin's own settings: `etc/velpin/velpin.toml` below the root, all of it optional.

[forecast]
generation = "newer"      of the installer, where the host itself does not tell
next = false              leaves out the commands to run next, in what people read

[refresh]                 (see `velpin.core.settings`)
[keys]                    (see `velpin.core.named_keys`)
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

from velpin.errors import HostFileError
from velpin.files.tree import Tree

if TYPE_CHECKING:
    from velpin.model.installer import GenerationName

FILE = "etc/velpin/velpin.toml"


def read_generation(tree: Tree) -> GenerationName | Literal[""]:
    """The generation of the installer that the settings name; HostFileError where the file is
    not understood."""
    found: GenerationName | Literal[""] = _forecast_settings(tree).get("generation", "")
    return found


def shows_next(tree: Tree) -> bool:
    """Whether people are told the commands to run next; HostFileError where the file is not
    understood."""
    found: bool = _forecast_settings(tree).get("next", True)
    return found


def _forecast_settings(tree: Tree) -> dict[str, Any]:
    if b"forecast" not in (tree.read(FILE) or b""):
        return {}  # most files say nothing of it, and need no reader then
    given = table(tree, "forecast")
    for name, value in given.items():
        if name not in ("generation", "next"):
            raise HostFileError(FILE, 0, f"[forecast] has no {name!r}; it has generation, next")
        if name == "generation" and value not in ("older", "newer"):
            raise HostFileError(FILE, 0, f"forecast.generation: {value!r} is not older or newer")
        if name == "next" and not isinstance(value, bool):
            raise HostFileError(FILE, 0, f"forecast.next: {value!r} is not true or false")
    return given


def table(tree: Tree, name: str) -> dict[str, Any]:
    """One table of the file, empty where there is none; HostFileError where the file is not
    understood."""
    data = tree.read(FILE)
    if data is None:
        return {}
    import tomllib

    try:
        given = tomllib.loads(data.decode("utf-8")).get(name, {})
    except (ValueError, RecursionError) as problem:
        raise HostFileError(FILE, 0, str(problem)) from problem
    if not isinstance(given, dict):
        raise HostFileError(FILE, 0, f"[{name}] is not a table of settings")
    return given
