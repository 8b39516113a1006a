"""Configuration of each kind of host put together from pieces (`data/settings.toml`), as people and
their tools write them."""

from __future__ import annotations

import random
import tomllib
from pathlib import Path

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
