"""Random configuration files, odd lines among them: does the real installer of alpm hosts read
them as Velpin does?"""

from __future__ import annotations

import os
import random
from pathlib import Path

import pytest

from tests.harbours import CONF, AlpmHarbour
from tests.installer.alpm_ask import PROGRAM, ask, words_for
from velpin.demo.alpm_files import DemoArchive as P

HOSTS = int(os.environ.get("VELPIN_DRAWN_ALPM_HOSTS", "12"))
FIRST = int(os.environ.get("VELPIN_FIRST_HOST", "0"))
NAMES = ("one", "two", "three")
LINES = [
    (8, "[NAME]"), (2, "  [NAME]  "), (2, "[options]"), (1, "[NAME] # c"), (0.1, "[local]"), (0.1, "[]"),
    (8, "Server = BASE/$repo"), (3, "Server = BASE/NAME"), (2, "Server=BASE/$repo/"),
    (2, "  Server  =  BASE/$repo  "), (0.3, "Server = BASE/$repo # c"), (0.1, "Server ="), (0.1, "Server"),
    (1, "Usage = USES"), (0.3, "Usage ="), (0.1, "Usage"), (0.1, "Usage = sync"),
    (1, "Architecture = x86_64"), (0.5, "Architecture = mips9 x86_64"), (0.3, "Architecture = mips9"),
    (0.3, "Architecture"), (1, "IgnorePkg = a"), (0.5, "IgnorePkg = [ab] x"), (0.3, "IgnorePkg = !a"),
    (0.3, "IgnorePkg = x,a"), (0.3, "IgnorePkg = x # a"), (0.2, "IgnorePkg"), (0.5, "IgnoreGroup = g"),
    (0.5, "SigLevel = Never"), (0.5, "SigLevel = Optional TrustAll"), (0.1, "SigLevel = Sometimes"),
    (0.5, "Unknown = 5"), (0.3, "NoSuch"), (0.5, "CheckSpace"), (0.2, "server = x"), (0.1, "; odd"),
    (0.1, "="), (1, "# comment"), (0.5, "#Server = x"), (1, ""), (0.5, "   "),
    (2, "Include = /etc/FILE"), (0.1, "Include = /etc/none.conf"), (0.1, "Include"),
]  # fmt: skip
FILES = ("x.conf", "y.conf", "inc/*.conf")
REQUESTS = (["a"], ["b"], ["c"], ["g"], ["a%two"], ["--upgrade"])


class Lines:
    """Draws the lines of files."""

    def __init__(self, seed: int, base: str) -> None:
        self.pick = random.Random(seed)
        self.base = base
        self.ending = "\r\n" if self.pick.random() < 0.1 else "\n"

    def text(self, *, includes: bool) -> str:
        """Some lines, with or without those that include other files."""
        known = [(weight, line) for weight, line in LINES if includes or "FILE" not in line]
        weights, lines = zip(*known, strict=True)
        drawn = self.pick.choices(lines, weights, k=self.pick.randint(2, 9))
        return "".join(self._filled(line) + self.ending for line in drawn)

    def _filled(self, line: str) -> str:
        uses = self.pick.sample(("Sync", "Search", "Install", "Upgrade", "All"), 2)
        told = line.replace("BASE", self.base).replace("USES", " ".join(uses))
        return told.replace("NAME", self.pick.choice(NAMES)).replace(
            "FILE", self.pick.choice(FILES)
        )


def drawn_host(seed: int, folder: Path) -> AlpmHarbour:
    """A host with three repositories and random files that may name them."""
    harbour = AlpmHarbour(folder)
    for at, name in enumerate(NAMES):
        more = [P("c")] if name == "three" else []
        arch = "mips9" if name == "two" else "any"
        harbour.repository(
            name, P("a", f"{3 - at}-1"), P("b", f"{at + 1}-1", arch, groups=("g",)), *more
        )
    lines = Lines(seed, f"file://{folder}/repos")
    head = "[options]\nSigLevel = Never\nArchitecture = x86_64\n"
    first = f"[one]\nServer = file://{folder}/repos/one\n" if lines.pick.random() < 0.5 else ""
    harbour.put(CONF, head + first + lines.text(includes=True))
    for name in ("x.conf", "y.conf", "inc/0.conf", "inc/1.conf"):
        harbour.put(f"etc/{name}", lines.text(includes=name == "y.conf"))
    harbour.installed(P("a", "2-1"))
    return harbour


@pytest.mark.skipif(PROGRAM is None, reason="no installer of kind alpm on this machine")
@pytest.mark.parametrize("seed", range(FIRST, FIRST + HOSTS))
def test_the_real_installer_reads_the_same_files_so(seed: int, tmp_path: Path) -> None:
    harbour = drawn_host(seed, tmp_path)
    harbour.run("refresh")
    wrong = []
    for words in REQUESTS:
        ours = harbour.changes(*words)
        said = ask(harbour, *words_for(words))
        refresh_failed = said.done is None and ours == {}  # and nothing was to be done
        if ours != said.done and not refresh_failed:
            wrong.append(f"{' '.join(words)}: {ours}, not {said.done}\n{said.text[-400:]}")
    assert not wrong, "\n".join([harbour.read(), *wrong])
