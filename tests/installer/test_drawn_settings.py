"""The reader of settings against the installer's own dump of them, on drawn files, good and bad."""

from __future__ import annotations

import os
import random
import shutil
import subprocess
from collections.abc import Callable
from pathlib import Path

import pytest

from velpin.errors import HostFileError
from velpin.kinds.deb.conf import Conf, parse_conf

pytestmark = pytest.mark.slow
TOKENS = [
    "Zz", "Zz::A", "Zz::B ", "a", '"b"', '"c d"', "::", "{", "}", ";", ";", "; ", " ", "\n", "//c\n",
    "#c\n", "/*c*/", "/* c\n d */", "[x y]", "%41", '"', "\\", "#clear Zz::A;", "{ ", "}; ", ' "1";',
    ' "x;y";', "'", "Zz { ", "A", "b::c", '""', "=", ",", "\t", "/", "*", "[", "]",
]  # fmt: skip
Dump = Callable[[str], "list[str] | None"]


def drawn(random_: random.Random) -> str:
    text = "".join(random_.choice(TOKENS) for _ in range(random_.randint(1, 9)))
    head = "Zz::A " if random_.random() < 0.7 else ""
    return head + text + (random_.choice([";", "};", "\n;"]) if random_.random() < 0.7 else "")


def installers(folder: Path, *before: str, inside: str = "") -> Dump:
    """The settings below `Zz` as the installer dumps them; None where it refuses the file."""
    file = folder / "drawn.conf"
    seen = f"{inside}/drawn.conf" if inside else str(file)

    def dump(text: str) -> list[str] | None:
        file.write_text(text)
        done = subprocess.run(
            [*before, "env", f"APT_CONFIG={seen}", "apt-config", "-o", "Dir::Etc=/nonexistent",
             "-o", "Dir::Etc::parts=/nonexistent", "dump", "--format", '%F "%v";%n'],
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        if done.returncode or any(line.startswith("E:") for line in done.stderr.splitlines()):
            return None
        lines = (line.replace("%20", " ").replace("%3d", "=") for line in done.stdout.splitlines())
        return sorted(
            line.lower() for line in lines
            if line.lower().startswith("zz") and not line.endswith(' "";')
        )  # fmt: skip

    return dump


def ours(text: str) -> list[str] | None:
    conf = Conf()
    try:
        parse_conf(text, "drawn.conf", conf)
    except HostFileError:
        return None
    return sorted(
        f'{name} "{value.text}";'.lower() for name, values in conf.values.items()
        for value in values if name.startswith("zz") and value.text
    )  # fmt: skip


def differing(dump: Dump, seed: str, count: int) -> list[tuple[str, object, object]]:
    random_ = random.Random(seed)
    texts = [drawn(random_) for _ in range(count)]
    return [
        (text, theirs, mine) for text in texts if (theirs := dump(text)) != (mine := ours(text))
    ]


def test_settings_are_read_as_the_installer_reads_them(tmp_path: Path) -> None:
    if shutil.which("apt-config") is None:
        pytest.skip("no installer of this kind here")
    count = int(os.environ.get("VELPIN_DRAWN_SETTINGS", "300"))
    found = differing(installers(tmp_path), "settings", count)
    assert len(found) * 300 <= count, found[:5]


def test_and_as_the_newer_one_does(newer_root: Path) -> None:
    folder = newer_root / "tmp"
    folder.mkdir(exist_ok=True)
    dump = installers(folder, "chroot", str(newer_root), inside="/tmp")
    found = differing(dump, "newer", 150)
    assert len(found) <= 1, found[:5]
