"""A made-up source of many packages, the same at every run."""

from __future__ import annotations

import random
import sys
from collections.abc import Sequence
from pathlib import Path

from velpin.demo.build import stanza, write_repository

WORDS = (
    "gull",
    "tern",
    "tide",
    "buoy",
    "lamp",
    "fog",
    "pier",
    "mast",
    "swell",
    "kelp",
    "reef",
    "quay",
)


def write_source(folder: Path, count: int, suite: str = "jetty", seed: int = 1) -> str:
    """Write a trusted repository of `count` packages below a folder; gives its address."""
    pick = random.Random(seed)
    names = [f"{pick.choice(WORDS)}-{pick.choice(WORDS)}-{number}" for number in range(count)]
    rows = []
    for number, name in enumerate(names):
        deeper = number // 8  # as in real archives: many layers, each on far fewer packages
        needs = ", ".join(
            f"{names[pick.randrange(deeper)]} (>= 0.{pick.randint(0, 9)})"
            for _ in range(pick.randint(2, 6) if deeper else 0)
        )
        row = stanza(
            name,
            f"{pick.randint(0, 9)}.{pick.randint(0, 99)}-1",
            "amd64",
            f"the {name} of the harbour",
            needs,
        )
        row["Homepage"] = f"https://{name}.example/"
        row["Tag"] = "role::program, use::measuring, interface::commandline"
        rows.append(row)
    fields = {"Origin": "Bench", "Suite": suite, "Codename": suite}
    write_repository(folder / "bench", suite, {"main": rows}, None, fields)
    return f"file://{folder}/bench"


def write_host(root: Path, address: str, suites: Sequence[str] = ("jetty",)) -> None:
    """Write a host with one source for each suite."""
    for name, text in {
        "etc/apt/sources.list": "".join(
            f"deb [trusted=yes] {address} {suite} main\n" for suite in suites
        ),
        "etc/os-release": "ID=mooring\nVERSION_CODENAME=jetty\n",
        "var/lib/dpkg/arch": "amd64\n",
        "var/lib/dpkg/status": "",
    }.items():
        path = root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_text(text)


if __name__ == "__main__":
    folder, count, suites = Path(sys.argv[1]), int(sys.argv[2]), sys.argv[3:] or ["jetty"]
    for place, name in enumerate(suites):
        address = write_source(folder, count, name, place + 1)
    print(address)
