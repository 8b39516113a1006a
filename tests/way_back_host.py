"""A host of any kind with packages from a source that is to go."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from tests.harbours import Item, harbour_of


def host(kind: str, folder: Path, *more: Item, base: tuple[Item, ...] = ()) -> Any:
    """A host of which `gull` and others came from `vendor`; `base` has some of them older."""
    harbour = harbour_of(kind, folder)
    offered = [Item("gull", "1"), Item("tern", "2"), *base]
    harbour.source("base", *(item.on(kind) for item in offered))
    came = [Item("gull", "3"), Item("tern", "2"), Item("auk", "1"), *more]
    harbour.source("vendor", *(item.on(kind) for item in came if item.name != "tern"))
    harbour.installed(*(item.on(kind) for item in came))
    return harbour.refresh()
