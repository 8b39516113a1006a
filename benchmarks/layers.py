"""Made-up packages in layers, as in real archives: each needs a few of far fewer below it."""

from __future__ import annotations

import random
from collections.abc import Iterator
from typing import NamedTuple

from benchmarks.made_up import WORDS


class Made(NamedTuple):
    """One package: its version without release, the packages it needs, and one whose library."""

    name: str
    version: str
    needs: tuple[str, ...]
    needs_lib: str

    @property
    def summary(self) -> str:
        """A line about it."""
        return f"the {self.name} of the harbour, measured and written down every day"


def layered(count: int, seed: int = 1) -> Iterator[Made]:
    """So many packages, the same at every run."""
    pick = random.Random(seed)
    names = [f"{pick.choice(WORDS)}-{pick.choice(WORDS)}-{number}" for number in range(count)]
    for number, name in enumerate(names):
        deeper = number // 8
        needs = [names[pick.randrange(deeper)] for _ in range(pick.randint(2, 6))] if deeper else []
        library = names[pick.randrange(deeper)] if deeper else ""
        version = f"{pick.randint(0, 9)}.{pick.randint(0, 99)}"
        yield Made(name, version, tuple(dict.fromkeys(needs)), library)
