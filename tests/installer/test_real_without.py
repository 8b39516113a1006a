"""A removal in a request, held against the real installers, in the words that the forecast gives."""

from __future__ import annotations

import shlex
from pathlib import Path

import pytest

from tests.harbours import ALPM, DEB, DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour
from tests.installer import alpm_ask
from tests.installer.ask import INSTALLER, Installer
from tests.installer.newer_ask import NewerInstaller, NewerRpmInstaller
from tests.installer.rpm_ask import PROGRAMS, RealInstaller, agree
from tests.several_removals import ROWS as SEVERAL
from tests.several_removals import Several
from tests.without_cases import ROWS, Row

PLAIN = {
    DEB: ["install", "gull", "lamp-"],
    DNF: ["swap", "lamp", "gull"],
    ZYPP: ["install", "gull", "!lamp"],
}
"""What a person types where the forecast is a refusal."""
several = pytest.mark.parametrize("row", SEVERAL, ids=lambda row: row.title)
rows = pytest.mark.parametrize("row", ROWS, ids=lambda row: row.title)


def words_for(kind: str, harbour: DebHarbour | RpmHarbour, *more: str) -> list[str]:
    lines = harbour.forecast("gull", "--without", "lamp", *more)["next"]
    return shlex.split(lines[-1])[1:] if lines else PLAIN[kind]


def deb_changes(installer: Installer, harbour: DebHarbour, *more: str) -> dict[str, str] | None:
    installer.refresh()
    done = installer.transaction(*words_for(DEB, harbour, *more))
    assert done is not None
    ok, changes = done
    return (
        {name: (new or "").removesuffix("-1") for name, (_, new) in changes.items()} if ok else None
    )


@pytest.mark.skipif(INSTALLER is None, reason="no deb installer on this machine")
@rows
def test_deb(row: Row, tmp_path: Path) -> None:
    harbour = row.harbour(DEB, tmp_path)
    assert isinstance(harbour, DebHarbour)
    assert deb_changes(Installer(harbour.root), harbour) == row.wanted(DEB)


def rpm_changes(
    real: RealInstaller | NewerRpmInstaller, harbour: RpmHarbour, *more: str
) -> dict[str, str] | None:
    done = real.ask(*words_for(harbour.kind, harbour, *more)).done
    return done and {
        name.rpartition(".")[0]: new.removesuffix("-1") for name, (new, _) in done.items()
    }


@pytest.mark.parametrize("kind", [DNF, ZYPP])
@rows
def test_rpm(kind: str, row: Row, tmp_path: Path) -> None:
    if PROGRAMS[kind] is None:
        pytest.skip(f"no installer of kind {kind} on this machine")
    harbour = row.harbour(kind, tmp_path)
    assert isinstance(harbour, RpmHarbour)
    assert rpm_changes(RealInstaller(harbour), harbour) == row.wanted(kind)


def several_agree(
    real: RealInstaller | NewerRpmInstaller, row: Several, harbour: RpmHarbour, *more: str
) -> bool:
    """Whether the installer does with the command what is foreseen; where a removal comes first, it
    removes what is to go and no more."""
    told = harbour.forecast(*row.words.split(), *more)
    lines = [shlex.split(line)[1:] for line in told["next"] if "makecache" not in line]
    if not lines:
        return not (told["ok"] and told["changes"]) or row.older == ()
    if len(lines) == 1:
        return agree(real.ask(*lines[0]), told)
    gone = {one["name"] for one in told["changes"] if one["new"] is None}
    done = real.ask(*lines[0]).done or {}
    return {name.rpartition(".")[0] for name in done} == gone


@pytest.mark.skipif(PROGRAMS[DNF] is None, reason="no dnf installer on this machine")
@several
def test_several_that_go(row: Several, tmp_path: Path) -> None:
    harbour = row.harbour(tmp_path)
    assert several_agree(RealInstaller(harbour), row, harbour)


@several
def test_several_that_go_on_a_newer_host(newer_root: Path, folder: Path, row: Several) -> None:
    harbour = row.harbour(folder)
    real = NewerRpmInstaller(newer_root, harbour)
    assert several_agree(real, row, harbour, "--generation", "newer")


@pytest.mark.skipif(alpm_ask.PROGRAM is None, reason="no alpm installer on this machine")
@rows
def test_alpm(row: Row, tmp_path: Path) -> None:
    harbour = row.harbour(ALPM, tmp_path)
    assert isinstance(harbour, AlpmHarbour)
    lines = harbour.forecast("gull", "--without", "lamp")["next"]
    commands = [shlex.split(line)[1:] for line in lines if line != "pacman -Sy"]
    commands = commands or [["-R", "lamp"], ["-S", "gull"]]
    done = alpm_ask.ask(harbour, *commands[-1], first=commands[:-1]).done
    changes = done and {
        name: new.partition(" ")[0].removesuffix("-1").replace("gone", "")
        for name, new in done.items()
    }
    if row.title == "what comes needs it":
        assert "lamp" in (changes or {})  # it would be there again, which nobody asked for
        return
    assert changes == row.wanted(ALPM)


@pytest.mark.parametrize("kind", [DEB, DNF, ZYPP])
@rows
def test_newer(newer_root: Path, folder: Path, kind: str, row: Row) -> None:
    harbour = row.harbour(kind, folder)
    newer = ("--generation", "newer")
    if isinstance(harbour, DebHarbour):
        done = deb_changes(NewerInstaller(newer_root, harbour.root), harbour, *newer)
    else:
        assert isinstance(harbour, RpmHarbour)
        done = rpm_changes(NewerRpmInstaller(newer_root, harbour), harbour, *newer)
    assert done == row.wanted(kind, newer=True)
