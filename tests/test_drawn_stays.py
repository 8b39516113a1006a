"""How long what a request gets stays, on random hosts: the transaction is written into the record of
packages, and what the upgrade then does must be what the forecast said before."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP
from tests.installer.alpm_drawn import AlpmDrawn
from tests.installer.drawn_relations import DrawnRelations
from tests.installer.rpm_drawn import NAMES, RpmDrawn
from velpin.demo.build import text_of
from velpin.host.opening import open_host
from velpin.kinds.deb.control import read_stanzas
from velpin.model.forecast import Answer, Change, Forecast

Drawn = DrawnRelations | RpmDrawn | AlpmDrawn
SEEDS = range(8)
STATUS = "var/lib/dpkg/status"


def carry_out_deb(drawn: DrawnRelations, found: Forecast) -> None:
    host, file = drawn.host(), drawn.root / STATUS
    rows = {
        (row.get("Package"), row.get("Architecture")): {
            name.title(): row.get(name) for name in row.fields
        }
        for row in read_stanzas(file.read_text(), comments=False)
    }
    for change in found.changes:
        rows = {
            key: row for key, row in rows.items()
            if not (key[0] == change.name and row["Version"] == change.old
                    and (key[1] == change.arch or len(host.configuration.archs) == 1))
        }  # fmt: skip
        if change.new:
            arch = host.configuration.native if change.arch == "all" else change.arch
            rows[change.name, change.arch] = drawn._recorded(host, change.name, arch, change.new)
    file.write_text(text_of(list(rows.values())).decode())


def carry_out_rpm(drawn: RpmDrawn, found: Forecast) -> None:
    here = {(each.name, each.arch, each.version): each for each in drawn.here}
    offered = {(each.name, each.arch, each.version): each for each in drawn.offered}
    for change in found.changes:
        here.pop((change.name, change.arch, change.old or ""), None)
        if change.old and change.new:  # its architecture may be another now
            for key in [key for key in here if (key[0], key[2]) == (change.name, change.old)]:
                del here[key]
        if change.new:
            key = change.name, change.arch, change.new
            here[key] = offered[key]
    drawn.harbour.installed(*here.values())


def carry_out_alpm(drawn: AlpmDrawn, found: Forecast) -> None:
    here = {each.name: each for each in drawn.here}
    for change in found.changes:
        here.pop(change.name, None)
        if change.new:
            here[change.name] = drawn.offered[change.source or "", change.name]
    drawn.harbour.installed(*here.values())


def make(kind: str, seed: int, folder: Path) -> tuple[Drawn, list[str], Path]:
    """A random host, requests for it, and its root."""
    if kind == "deb":
        drawn = DrawnRelations(seed, folder)
        drawn.host()
        versions = [f"{name}@{versions[0]}" for name, versions in drawn.versions.items()]
        return drawn, [name for name, _ in drawn.names] + versions, drawn.root
    if kind == "alpm":
        sections = AlpmDrawn(seed, folder)
        sections.harbour.refresh()
        named = [f"{name}%{handle}" for handle, name in sections.offered]
        return sections, [name for _, name in sections.offered] + named, sections.harbour.root
    lists = RpmDrawn(seed, folder, kind)
    lists.harbour.refresh()
    texts = [f"{each.name}@{each.version}" for each in lists.offered]
    return lists, [*NAMES, *texts], lists.harbour.root


CARRY_OUT: dict[str, Callable[..., None]] = {
    "deb": carry_out_deb, DNF: carry_out_rpm, ZYPP: carry_out_rpm, "alpm": carry_out_alpm,
}  # fmt: skip


def moved(answer: Answer, upgrade: Forecast) -> Iterator[Change]:
    """What an upgrade makes of the version that an answer gave."""
    for change in upgrade.changes:
        if (change.name, change.old) == (answer.package, answer.version):
            yield change


@pytest.mark.parametrize("seed", SEEDS)
@pytest.mark.parametrize("kind", CARRY_OUT)
def test_the_upgrade_afterwards_is_as_it_was_told(kind: str, seed: int, tmp_path: Path) -> None:
    drawn, texts, root = make(kind, seed, tmp_path)
    wrong = []
    for text in texts[:: max(1, len(texts) // 8)]:
        found = open_host(root).forecast([text])
        if not found.ok or not found.changes or found.answers[0].version is None:
            continue
        with carried_out(kind, drawn, found):
            upgrade = open_host(root).forecast_upgrade()
        if not upgrade.ok:
            continue
        answer = found.answers[0]
        became = next(moved(answer, upgrade), None)
        until = "next upgrade" if became else ""
        if answer.stays.until != until or (became and answer.stays.version != became.new):
            wrong.append((text, answer.version, answer.stays[:4], became and became[:5]))
    assert wrong == []


@contextmanager
def carried_out(kind: str, drawn: Drawn, found: Forecast) -> Iterator[None]:
    """The host with a transaction in its record of packages, for as long as it is asked."""
    file = drawn.root / STATUS if isinstance(drawn, DrawnRelations) else None
    before = file.read_text() if file else ""
    CARRY_OUT[kind](drawn, found)
    try:
        yield
    finally:
        if isinstance(drawn, DrawnRelations):
            (drawn.root / STATUS).write_text(before)
        else:
            drawn.harbour.installed(*drawn.here)  # type: ignore[arg-type]
