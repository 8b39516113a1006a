"""On random hosts: the whole host at once is every name by itself."""

from __future__ import annotations

import random
from collections.abc import Sequence
from functools import partial
from pathlib import Path

import pytest

from tests.drawn_hosts import by_name
from tests.harbours import CONF, DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour
from velpin import forked
from velpin.core import host_diff
from velpin.core.host_diff import changed_answers
from velpin.demo.alpm_files import DemoArchive as ArchiveMade
from velpin.demo.rpm_files import DemoRpm as P
from velpin.forked import side_by_side
from velpin.host.opening import open_host
from velpin.model.rule import Bar

NAMES = ("gull", "gull-doc", "gull-wing", "tern", "tern-lib", "kelp", "fog")
VERSIONS = ("1-1", "2-1", "1:1-1", "2~rc-1")
PATTERNS = (
    "gull", "g*", "gull-*", "*-doc", "gull-2-1", "tern-0:2-1.*", "*", "?elp.x86_64", "kelp-[0-9]*",
    "gull-*~*-*", "fog.i686",
)  # fmt: skip
NEWER_MARK = "usr/bin/dnf5"


def rpm_host(kind: str, pick: random.Random, folder: Path) -> RpmHarbour:
    """Three sources of some of the names, and some that are installed."""
    harbour = RpmHarbour(folder, kind)
    for handle in ("quay", "pier", "dock"):
        made = [
            P(
                name,
                pick.choice(VERSIONS),
                pick.choice(("x86_64", "noarch", "i686")),
                obsoletes=pick.choice(((), (), (f"{pick.choice(NAMES)} < 2",))),
                provides=pick.choice(((), (), ("retracted-patch-package()",))),
            )
            for name in pick.sample(NAMES, 5)
        ]
        harbour.source(handle, *made, settings=_section(kind, pick))
    harbour.installed(P(pick.choice(NAMES), "1-1"))
    harbour.put("etc/dnf/plugins/versionlock.conf", "[main]\nenabled=1\n")
    return harbour.refresh()


def _section(kind: str, pick: random.Random) -> str:
    text = f"gpgcheck=0\npriority={pick.choice((50, 99))}\n"
    if kind == DNF:
        for key in ("excludepkgs", "includepkgs"):
            if pick.random() < 0.3:
                text += f"{key}={' '.join(pick.sample(PATTERNS, 2))}\n"
    return text


def change_rpm(kind: str, pick: random.Random, harbour: RpmHarbour) -> None:
    """Put something else into some of the files that decide."""
    for handle in pick.sample(("quay", "pier", "dock"), pick.randint(0, 2)):
        file = f"{harbour.sources}/{handle}.repo"
        head = harbour.read(file).split("gpgcheck")[0]
        if pick.random() < 0.2:
            head = head.replace("enabled=1", "enabled=0")
        harbour.put(file, head + _section(kind, pick))
    filters(kind, pick, harbour)


def filters(kind: str, pick: random.Random, harbour: RpmHarbour) -> None:
    """Excludes of the whole host and locks."""
    if kind == ZYPP:
        harbour.put("etc/zypp/locks", "\n".join(_locks(pick)))
        return
    main = "".join(
        f"{key}={' '.join(pick.sample(PATTERNS, 2))}\n"
        for key in ("excludepkgs", "includepkgs")
        if pick.random() < 0.3
    )
    harbour.put("etc/dnf/dnf.conf", f"[main]\ngpgcheck=0\n{main}")
    lines = [pick.choice(("", "!")) + pattern for pattern in pick.sample(PATTERNS, 2)]
    harbour.put("etc/dnf/plugins/versionlock.list", "\n".join(lines) if pick.random() < 0.5 else "")
    entries = [
        f'[[packages]]\nname = "{name}"\n[[packages.conditions]]\nkey = "evr"\n'
        f'comparator = "{pick.choice(("=", "<="))}"\nvalue = "0:2-1"\n'
        for name in pick.sample(("gull", "g*", "tern", "*-doc"), pick.randint(0, 2))
    ]
    harbour.put("etc/dnf/versionlock.toml", 'version = "1.0"\n' + "".join(entries))


def _locks(pick: random.Random) -> Sequence[str]:
    texts = []
    for name in pick.sample(("gull", "g*", "ER", "^t", "kelp", ""), pick.randint(0, 3)):
        lines = [f"match_type: {pick.choice(('glob', 'exact', 'regex', 'substring'))}"]
        lines += [f"solvable_name: {name}"] if name else ["repo: quay"]
        lines += ["case_sensitive: on"] if pick.random() < 0.5 else []
        lines += [f"version: {pick.choice(('< 2', '== 1-1'))}"] if pick.random() < 0.3 else []
        texts.append("\n".join(lines) + "\n")
    return texts


@pytest.mark.parametrize("newer", [False, True])
@pytest.mark.parametrize("kind", [DNF, ZYPP])
@pytest.mark.parametrize("seed", range(14))
def test_rpm(seed: int, kind: str, newer: bool, tmp_path: Path) -> None:
    pick = random.Random(f"{seed}{kind}{newer}")
    harbour = rpm_host(kind, pick, tmp_path)
    if newer:
        harbour.put(NEWER_MARK, "")
    filters(kind, pick, harbour)
    before = open_host(harbour.root)
    assert by_name(before, before) == []
    before.packages.parse_indexes()
    assert before.packages.installed_names()
    change_rpm(kind, pick, harbour)
    after = open_host(harbour.root)
    assert [tuple(one) for one in changed_answers(before._ports, after._ports)] == by_name(
        before, after
    )


def _records(pick: random.Random) -> str:
    """Preferences by name, most of them about sources: what is answered in one pass."""
    pins = ("release o=quay", "release o=pier, a=jetty", "release a=now", "origin \"\"", "release o=none",
            "release c=main", "version 2*", "version 1-1")  # fmt: skip
    names = (
        "gull",
        "gull*",
        "g* tern",
        "*",
        "/er/",
        "kelp:any",
        "kelp:i386",
        "src:fog",
        "tern-lib fog",
    )
    general = [f"Package: *\nPin: release o=dock\nPin-Priority: {pick.choice((1, -1, 100, 990))}\n"]
    named = [
        f"Package: {pick.choice(names)}\nPin: {pick.choice(pins[: pick.choice((6, 8))])}\n"
        f"Pin-Priority: {pick.choice((-1, 1, 99, 499, 500, 501, 1001))}\n"
        for _ in range(pick.randint(0, 3))
    ]
    return "\n".join(general * pick.randint(0, 1) + named)


@pytest.mark.parametrize("seed", range(40))
def test_deb_by_records(seed: int, tmp_path: Path) -> None:
    pick = random.Random(seed)
    harbour = DebHarbour(tmp_path)
    if pick.random() < 0.5:
        harbour.put("var/lib/dpkg/arch", "amd64\n")
    for handle in ("quay", "pier", "dock"):
        harbour.source(handle, *((name, pick.choice(VERSIONS)) for name in pick.sample(NAMES, 5)))
    harbour.installed(
        ("tern", "1-1"), ("kelp", "2-1", "deinstall ok config-files"), ("fog", "1-1", "hold ok installed")
    )  # fmt: skip
    harbour.put("etc/apt/preferences", _records(pick))
    before = harbour.ready()
    assert by_name(before, before) == []
    harbour.put("etc/apt/preferences", _records(pick))
    after = open_host(harbour.root)
    assert [tuple(one) for one in changed_answers(before._ports, after._ports)] == by_name(
        before, after
    )


@pytest.mark.parametrize("seed", range(14))
def test_alpm(seed: int, tmp_path: Path) -> None:
    pick = random.Random(seed)
    harbour = AlpmHarbour(tmp_path)
    for handle in ("quay", "pier", "dock"):
        harbour.source(
            handle, *(ArchiveMade(name, pick.choice(VERSIONS)) for name in pick.sample(NAMES, 5))
        )
    harbour.refresh()
    before = open_host(harbour.root)
    assert by_name(before, before) == []
    head, *sections = harbour.read().split("\n[")[0:1] + harbour.read().split("\n[")[1:]
    pick.shuffle(sections)
    kept = sections[: pick.randint(1, 3)]
    harbour.put(CONF, "\n[".join([head, *kept]))
    after = open_host(harbour.root)
    assert [tuple(one) for one in changed_answers(before._ports, after._ports)] == by_name(
        before, after
    )


def test_several_processes_find_what_one_finds(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    harbour = rpm_host(DNF, random.Random(5), tmp_path)
    before = open_host(harbour.root)
    after = before.considering(before.sources.plan_switch("quay", False))
    alone = changed_answers(before._ports, after._ports)
    assert alone
    begun: list[int] = []
    monkeypatch.setattr(host_diff, "_LARGE", 0)
    monkeypatch.setattr(host_diff, "processors", lambda: 3)
    monkeypatch.setattr(forked, "processors", lambda: begun.append(1) or 3)
    assert changed_answers(before._ports, after._ports) == alone
    assert begun


def test_what_fails_in_another_process_fails_here(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(forked, "processors", lambda: 2)
    assert side_by_side([partial(pow, 2, each) for each in range(4)]) == [1, 2, 4, 8]
    with pytest.raises(ZeroDivisionError):
        side_by_side([partial(divmod, 1, 1), partial(divmod, 1, 0)])


@pytest.mark.parametrize("kind", ["deb", DNF, ZYPP])
def test_a_rule_on_a_host_without_any_list_changes_no_answer(kind: str, tmp_path: Path) -> None:
    root = (DebHarbour(tmp_path) if kind == "deb" else RpmHarbour(tmp_path, kind)).root
    before = open_host(root)
    assert not before.sources
    after = before.considering(before.rules.plan([Bar(("gull", "mooring-release"))]))
    assert changed_answers(before._ports, after._ports) == []
    assert after.after_upgrade() == before.after_upgrade()
