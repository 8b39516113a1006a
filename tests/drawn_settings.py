"""Configuration of each kind of host put together from pieces (`data/settings.toml`), as people and
their tools write them."""

from __future__ import annotations

import random
import tomllib
from collections.abc import Sequence
from pathlib import Path

from tests.harbours import DEB, Harbour, Item, harbour_of

WRONG_SHARE = 0.12
PIECES = tomllib.loads((Path(__file__).parent / "data/settings.toml").read_text())


def drawn_settings(kind: str, draw: random.Random, at: str) -> dict[str, str]:
    """Files of a host with some pieces in each; one that makes the host refuse everything seldom."""
    found = {}
    for settings in PIECES[kind]:
        if draw.random() < 0.75:
            right = [piece for piece in settings["pieces"] if piece[0] != "!"]
            some = draw.sample(right, min(draw.randint(1, 5), len(right)))
            wrong = [piece[1:] for piece in settings["pieces"] if piece[0] == "!"]
            if wrong and draw.random() < WRONG_SHARE:
                some[0] = draw.choice(wrong)
            text = settings["above"] + "".join(some)
            found[settings["file"]] = text.replace("{at}", at)
    return found


def host_among_settings(
    kind: str, folder: Path, draw: random.Random, *, base: Sequence[Item], vendor: Sequence[Item],
    flat: Sequence[Item], here: Sequence[Item],
) -> Harbour:  # fmt: skip
    """A host with a source, two more repositories that settings may name, and drawn settings."""
    made = harbour_of(kind, folder)
    made.repository("vendor", *(item.on(kind) for item in vendor))
    suite = {"suite": "./"} if kind == DEB else {}
    made.repository("flat", *(item.on(kind) for item in flat), **suite)
    made.installed(*(item.on(kind) for item in here))
    made.source("base", *(item.on(kind) for item in base))
    for file, text in drawn_settings(kind, draw, f"file://{folder}/repos").items():
        made.put(file, text)
    return made
