"""Rules that only show on real rpm hosts: two word sizes, several versions, older forms of
relations, module streams. Each is a host of a few packages; what comes was observed."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.harbours import RPM, RpmHarbour
from tests.module_documents import default, stream
from tests.statements import Case, cases, what_comes
from velpin.demo.rpm_files import DemoRpm as P


def i686(name: str, version: str = "1.0-1", **more: tuple[str, ...]) -> P:
    return P(name, version, "i686", **more)  # type: ignore[arg-type]


A, B = P("a"), P("b")
A2, A3 = P("a", "2-1"), P("a", "3-1")
TWO = (P("a", "1-1"), A2)


@pytest.mark.parametrize(
    ("kind", "found"), [(kind, found) for found in cases("rpm-found") for kind in found.kinds],
    ids=lambda value: value.what if isinstance(value, Case) else value,
)  # fmt: skip
def test_rule(tmp_path: Path, kind: str, found: Case) -> None:
    assert what_comes(tmp_path, kind, found) == found.comes


def test_all_versions_of_a_name_go_for_a_newer_one(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", A3)
    harbour.installed(*TWO)
    changes = harbour.refresh().forecast("--upgrade")["changes"]
    assert [(one["old"], one["new"], one["role"]) for one in changes] == [
        ("2-1", "3-1", "upgrade"), ("1-1", None, "replaced"),
    ]  # fmt: skip


# -- module streams ------------------------------------------------------------------------


B1_B2 = stream("mb", 1) + stream("mb", 2)
A_ON_B1 = stream("ma", 1, needs="mb=[1]")
MODULES = [
    ("a default stream brings what it needs", A_ON_B1 + B1_B2 + default("ma", 1), "", "1 1"),
    ("even in another than its default", A_ON_B1 + B1_B2 + default("ma", 1) + default("mb", 2), "", "1 1"),
    ("a default later by name gives way",
     stream("mb", 1, needs="ma=[1]") + stream("ma", 1) + stream("ma", 2) + default("mb", 1) + default("ma", 2),
     "", "2 3"),
    ("one that is enabled does not", A_ON_B1 + B1_B2 + default("ma", 1), "mb=2", "3 2"),
    ("one that is enabled, not the default one", stream("ma", 1) + stream("ma", 2) + default("ma", 2), "ma=1", "1 3"),
    ("two enabled at odds are both off", A_ON_B1 + B1_B2, "ma=1 mb=2", "3 3"),
    ("a need of what is switched off", A_ON_B1 + B1_B2, "ma=1 mb=", "3 3"),
    ("a need that nobody has", stream("ma", 1, needs="mx=[1]") + default("ma", 1), "", "3 3"),
    ("any stream will do", stream("ma", 1, needs="mb=[]") + B1_B2 + default("ma", 1), "", "1 1"),
    ("the default one first", stream("ma", 1, needs="mb=[]") + B1_B2 + default("ma", 1) + default("mb", 2), "", "1 2"),
    ("all but one", stream("ma", 1, needs="mb=[-1]") + B1_B2 + default("ma", 1), "", "1 2"),
    ("the context that fits the defaults",
     stream("ma", 1, needs="mb=[1]", context="x") + stream("ma", 1, needs="mb=[2]", context="y", package="2")
     + B1_B2 + default("ma", 1) + default("mb", 2), "", "2 2"),
    ("an older build where the newest cannot be",
     stream("ma", 1) + stream("ma", 1, needs="mx=[1]", version="2", package="2") + default("ma", 1), "", "1 3"),
    ("the newest build is for another platform",
     stream("ma", 1) + stream("ma", 1, needs="platform=[four]", version="2", package="2") + default("ma", 1),
     "", "3 3"),
    ("a need that cannot be met further on",
     A_ON_B1 + stream("mb", 1, needs="mx=[1]") + default("ma", 1), "", "3 3"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("what", "modules", "states", "comes"), MODULES, ids=lambda value: value[:40]
)
def test_module_streams(tmp_path: Path, what: str, modules: str, states: str, comes: str) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.put("etc/os-release", 'ID=mooring\nVERSION_ID=4\nPLATFORM_ID="platform:three"\n')
    packages = [P(name, f"{number}-1") for name in "ab" for number in (1, 2, 3)]
    harbour.source("one", *packages, modules=modules)
    for state in states.split():
        name, _, number = state.partition("=")
        told = f"stream={number}\nprofiles=\nstate={'enabled' if number else 'disabled'}\n"
        harbour.put(f"etc/dnf/modules.d/{name}.module", f"[{name}]\nname={name}\n{told}")
    harbour.refresh()
    found = [harbour.forecast(name)["changes"][0]["new"].partition("-")[0] for name in "ab"]
    assert " ".join(found) == comes, what


# -- words ---------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("offered", "asked", "told"),
    [
        ((i686("a"),), "a:x86_64", "a is not available for x86_64, only for i686"),
        ((P("a", arch="aarch64"),), "a",
         "a is only available for aarch64; this host takes x86_64, amd64, i686, i586, i486, i386, noarch"),
        ((A,), "a:s390x",
         "a is only available for x86_64; this host takes x86_64, amd64, i686, i586, i486, i386, noarch"),
        ((A,), "b", "no enabled source has a package called b"),
    ],
)  # fmt: skip
@pytest.mark.parametrize("kind", RPM)
def test_a_package_of_another_architecture_is_told_as_such(
    tmp_path: Path, kind: str, offered: tuple[P, ...], asked: str, told: str
) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("one", *offered)
    harbour.installed(P("z"))
    code, out, _ = harbour.refresh().run("forecast", asked)
    assert (code, told in out) == (1, True)


def test_what_no_source_has_any_more_is_told_as_installed(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", B)
    harbour.installed(A)
    told = harbour.refresh().run("forecast", "a")[1]
    assert told.startswith("a 1.0-1  installed, in no source now; nothing to do\n")
