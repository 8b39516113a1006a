"""The commands that a forecast ends with, taken apart."""

from __future__ import annotations

import shlex

REFRESHES = {("apt-get", "update"), ("zypper", "refresh"), ("pacman", "-Sy")}


def installs(lines: list[str]) -> list[list[str]]:
    """The commands of the installer, without refreshing."""
    words = [shlex.split(line) for line in lines]
    return [
        each for each in words if each[:2] not in map(list, REFRESHES) and "makecache" not in each
    ]
