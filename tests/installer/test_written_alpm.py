"""What Velpin writes on an alpm host, read by the real installer."""

from __future__ import annotations

import shutil
from pathlib import Path

import pytest

from tests.harbours import CONF, AlpmHarbour
from tests.installer.alpm_ask import PROGRAM, ask
from velpin.demo.alpm_files import DemoArchive as P
from velpin.demo.alpm_files import write_alpm_repository
from velpin.demo.signer import Signer

pytestmark = pytest.mark.skipif(PROGRAM is None, reason="no installer of kind alpm on this machine")

MORE = "etc/pacman.d/more"


@pytest.fixture
def harbour(tmp_path: Path) -> AlpmHarbour:
    """Sections in several files, one commented out, something installed."""
    made = AlpmHarbour(tmp_path)
    made.put("etc/pacman.d/mirrors.conf", f"Server = file://{tmp_path}/repos/$repo\n")
    made.put(f"{MORE}/10-early.conf", "[early]\nInclude = /etc/pacman.d/mirrors.conf\n")
    made.put(
        CONF,
        "[options]\nArchitecture = x86_64\nSigLevel = Never\n\n#[testing]\n"
        "#Include = /etc/pacman.d/mirrors.conf\n\n[base]\nInclude = /etc/pacman.d/mirrors.conf\n\n"
        "[extra]\n# near\nInclude = /etc/pacman.d/mirrors.conf\n\nInclude = /etc/pacman.d/more/*.conf\n",
    )
    for place, name in enumerate(("testing", "base", "extra", "early"), 1):
        made.repository(name, P("gull", f"{place}-1"), P("tern", f"{place}-1"), P(f"only-{name}"))
    made.installed(P("gull", "0-1"), P("tern", "0-1"))
    return made.refresh()


CHANGES = [
    ["on", "testing"], ["off", "base"], ["drop", "extra"], ["keep", "gull"], ["keep", "t*"],
    ["prefer", "early", "--over", "base"], ["prefer", "base", "--under", "early"],
    ["prefer", "early", "--over-all"], ["bar", "*", "--from", "base"],
]  # fmt: skip


@pytest.mark.parametrize("words", CHANGES, ids=" ".join)
def test_it_reads_what_was_written(harbour: AlpmHarbour, words: list[str]) -> None:
    harbour.done(*words, "--yes")
    harbour.refresh()
    for asked, real in ((["gull"], ["-S", "gull"]), (["--upgrade"], ["-Su"])):
        ours = harbour.changes(*asked)
        assert ours is not None
        assert ask(harbour, *real).done == ours


def test_all_of_them_one_after_the_other(harbour: AlpmHarbour) -> None:
    for words in CHANGES:
        harbour.run(*words, "--yes")
    harbour.refresh()
    assert ask(harbour, "-Su").done == harbour.changes("--upgrade")


@pytest.mark.skipif(shutil.which("gpg") is None, reason="no gpg on this machine")
def test_a_key_in_the_ring_is_taken_for_its_section_only(
    harbour: AlpmHarbour, signer: Signer, stranger: Signer
) -> None:
    """A list signed by the key is taken; the same key signs for no section that asks for a
    trusted one."""
    folder = harbour.folder / "repos" / "vendor"
    write_alpm_repository(folder, "vendor", [P("gull", "9-1")], sign=signer.detached_binary)
    key = harbour.folder / "key.asc"
    key.write_bytes(signer.public)
    harbour.done("add", "vendor", "--url", f"file://{folder}", "--key", str(key), "--yes")
    (harbour.root / "etc/pacman.d/gnupg").chmod(0o700)
    said = ask(harbour, "-Sy", "vendor", refresh=False, packages=False)
    assert "invalid or corrupted" not in said.text
    assert "vendor.db" not in said.text or "error" not in said.text, said.text
    trusted = harbour.read().replace(
        "SigLevel = Required TrustAll", "SigLevel = Required TrustedOnly"
    )
    harbour.put(CONF, trusted)
    said = ask(harbour, "-Sy", "vendor", refresh=False, packages=False)
    assert "unknown trust" in said.text
    write_alpm_repository(folder, "vendor", [P("gull", "9-1")], sign=stranger.detached_binary)
    code, _, told = harbour.run("refresh", "vendor")
    assert (code, "vendor" in told) == (4, True)
