"""What the demo's hosts have in common: files below a root, a release, packages of a scene."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

_SIZES = ("size", "disk")


def put(root: Path, name: str, data: bytes | str) -> None:
    """Write one file below a root; a text without the blank lines it begins with."""
    path = root / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data if isinstance(data, bytes) else data.lstrip("\n").encode())


def put_release(root: Path, fields: Mapping[str, str]) -> None:
    """Write what says which release a host is of."""
    told = "".join(f'{name}="{value}"\n' for name, value in fields.items())
    put(root, "etc/os-release", told)


def package_fields(told: Mapping[str, Any]) -> dict[str, Any]:
    """A package as the scene tells of it; sizes there are in kilobytes, here in bytes."""
    return {
        key: tuple(value) if isinstance(value, list) else value * 1000 if key in _SIZES else value
        for key, value in told.items()
    }
