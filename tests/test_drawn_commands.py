"""Drawn commands on drawn hosts: all that they print and write stands on record (`tests/answers.py`).

What a command should do is said elsewhere; here many come together, on hosts that nobody thought of.
"""

from __future__ import annotations

import random
import string
from pathlib import Path

import pytest

from tests.drawn_hosts import made_host
from tests.drawn_settings import host_among_settings
from tests.harbours import KINDS, Item
from tests.program import CODES, run_on
from velpin import open_host

pytestmark = pytest.mark.full


def _each(text: str) -> list[str]:
    """Commands parted by `;` or line ends."""
    return [one for one in text.replace("\n", ";").split(";") if one.strip()]


ANSWERS = _each("""
host; host --json; sources; sources --files; sources --json; keys --json; rules; rules --json; journal
forecast $n; forecast $n --why; forecast $n $m --why; forecast $n $m --tree; forecast $n --all
forecast $n@$v; forecast $n@$v $m --why; forecast $n%$s; forecast $n%$s --why; forecast $n --from $s
forecast $n:i386 --why; forecast $g --why; forecast $n @g --json; forecast absent $n --why
forecast --upgrade; forecast --upgrade --why; forecast --upgrade --tree; forecast $n --upgrade
forecast $n --compare-generations; forecast --upgrade --compare-generations; forecast $n --as-is
forecast --upgrade --generation older; forecast --upgrade --generation newer
offers $n; offers $n $m --json; offers --from $s; offers $g --from $s; offers absent; find $n; find drawn
want $n@$v --preview; want $n%$s --preview; want $n@$v --json; want $n $m%$s --preview
checkup --offline; checkup --offline --json; checkup --mend --offline --preview
report --json; export; shift; expect $n --json; sources --as-is
off $s --preview; drop $s --preview; prefer $s --over $t --preview; bar $g --from $s --preview; pin $n@$v --preview
prefer $s --over-all --preview --json; confine $s $g --preview --all; keep $n --preview --json
""")
CHANGES = _each("""
off $s; on $s; drop $s; prefer $s --over $t; prefer $s --under $t; prefer $s --over-all
prefer $s --over $t --lift; prefer $s --over $t --foremost; bar $g --from $s; bar $n@$v; bar $n --from $s
bar --pre-releases --from $s; bar $n@$v --lift; pin $n@$v; pin $n@$v --allow-older; pin $n --from $s
pin $n $m --from $s; pin $n --lift; pin $n@>=$v; bar $n@<$v; bar $n@>=$v; pin $n@<=$v --allow-older; pin $n@$v --from $s; confine $s $g; confine $s $n $m; confine $s $n --lift
keep $n; keep $n $m; keep $n --lift; rules drop 1; rules drop 2; undo; undo 1; want $n@$v --take 1
want $n%$s --take 1; checkup --mend --offline
""")
STEPS = 9


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(500, 512))
def test_drawn_commands(tmp_path: Path, kind: str, seed: int) -> None:
    root, names = made_host(kind, seed, tmp_path)
    draw = random.Random(f"{kind} {seed}")
    for step in range(STEPS):
        changes = step % 3 == 2
        template = draw.choice(CHANGES if changes else ANSWERS)
        words = string.Template(template).substitute(_drawn_words(root, names, draw)).split()
        if changes:
            words += ["--yes", *(["--anyway"] if words[0] in ("bar", "pin", "confine") else [])]
        assert run_on(root, *words).code in CODES, words


def _drawn_words(root: Path, names: tuple[str, ...], draw: random.Random) -> dict[str, str]:
    host = open_host(root)
    sources = [source.handle for source in host.sources] or ["gone"]
    name, other = draw.choice(names), draw.choice(names)
    versions = sorted({offer.version for offer in host.packages.offers([name])}) or ["1"]
    glob = draw.choice((f"{name[0]}*", f"*{name[-1]}", f"?{name[1:]}*", name))
    return {
        "n": name, "m": other, "s": draw.choice(sources), "t": draw.choice(sources),
        "v": draw.choice(versions), "g": glob,
    }  # fmt: skip


READING = _each("""
sources --json; rules --json; host --json; keys --json; forecast gull --why; forecast gull tern auk --json
forecast --upgrade --json; offers gull skua; checkup --offline --json; forecast skua --json; sources --files
off own --preview --json; prefer own --over base --preview; pin gull@1 --preview; keep tern --preview
forecast gull@1 --json; bar gull --from base --preview; export; rules; want skua --preview; off base --preview
""")


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(24))
def test_drawn_settings(tmp_path: Path, kind: str, seed: int) -> None:
    draw = random.Random(f"{kind} {seed}")
    offered = [
        Item("gull", "1", "tern", "gull"), Item("gull", "2", "tern"), Item("tern", "1"), Item("tern", "2"),
        Item("skua", "1~rc1", "auk"), Item("auk", "1"), Item("auk", "1", arch="i686"),
    ]  # fmt: skip
    made = host_among_settings(
        kind, tmp_path, draw, base=offered, vendor=offered[1:], flat=offered[1::2],
        here=(offered[0], offered[2]),
    )  # fmt: skip
    assert made.run("refresh").code in CODES
    for command in draw.sample(READING, 8):
        assert made.run(*command.split()).code in CODES, command
