"""Every form of a rule and of switching sources on one host of each kind, on record: the plan as it
is shown, the files as they are left, and what takes each back."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from tests.harbours import ALPM, DEB, KINDS, AlpmHarbour, DebHarbour, RpmHarbour, offer
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm

pytestmark = pytest.mark.full

BASE = (("gull", "1"), ("gull", "2"), ("tern", "1"), ("skua", "1"), ("gull-doc", "1"))
VENDOR = (("gull", "3"), ("gull", "4~rc1"), ("gull-tools", "1"), ("skua", "2"))
EXTRA = (("tern", "3"), ("gull", "5"), ("knot", "1"))
HERE = (("gull", "2"), ("tern", "1"))
ALL = {"base": BASE, "vendor": VENDOR, "extra": EXTRA}


def made(folder: Path, kind: str) -> Any:
    """A host with three sources that are on, and one that is off."""
    if kind == DEB:
        host = DebHarbour(folder)
        for name, offers in {**ALL, "idle": EXTRA}.items():
            rows = [offer(*one) for one in offers]
            host.source_at(
                name, host.repository(name, *rows), **({} if name != "idle" else {"arch": "amd64"})
            )
        text = host.read("etc/apt/sources.list.d/idle.list")
        host.put("etc/apt/sources.list.d/idle.list", f"# {text}")
        host.installed(*HERE)
        host.ready()
        return host
    if kind == ALPM:
        alpm = AlpmHarbour(folder)
        for name, offers in ALL.items():
            alpm.source(
                name, *(DemoArchive(n, f"{v}-1") for n, v in offers if v != "2" or n == "skua")
            )
        alpm.put("etc/pacman.conf", alpm.read() + "\n#[idle]\n#Server = http://idle.example\n")
        alpm.installed(*(DemoArchive(n, f"{v}-1") for n, v in HERE))
        return alpm.refresh()
    rpm = RpmHarbour(folder, kind)
    for name, offers in ALL.items():
        rpm.source(name, *(DemoRpm(n, f"{v}-1") for n, v in offers))
    rpm.put(
        f"{rpm.sources}/idle.repo", "[idle]\nname=idle\nbaseurl=http://idle.example\nenabled=0\n"
    )
    rpm.installed(*(DemoRpm(n, f"{v}-1") for n, v in HERE))
    return rpm.refresh()


RULES = [
    "prefer base --over vendor", "prefer vendor --over base", "prefer base --over vendor --over extra",
    "prefer extra --under vendor", "prefer base --over-all", "prefer vendor --under base --over extra",
    "prefer base --over base", "prefer nobody --over base", "prefer base --over nobody", "prefer base",
    "confine vendor gull", "confine vendor gull-tools", "confine vendor gull* skua", "confine vendor",
    "confine vendor nothing", "confine vendor nothing --anyway", "confine nobody gull",
    "pin gull@2", "pin gull@3", "pin gull@1", "pin gull@1 --allow-older", "pin gull@9", "pin gull@9 --anyway",
    "pin gull --from vendor", "pin gull --from extra", "pin gull tern@3", "pin nothing@1", "pin gull@2*",
    "pin skua@1 --from base", "pin gull",
    "bar gull --from vendor", "bar gull@3", "bar gull* --from extra", "bar --pre-releases --from vendor",
    "bar --from vendor", "bar nothing", "bar nothing --anyway", "bar gull tern", "bar gull@5 gull@3",
    "bar --from vendor --component main",
    "keep gull", "keep gull tern", "keep g*", "keep skua", "keep nothing",
    "want gull@3", "want gull@1", "want gull@9", "want skua@1", "want gull --from vendor", "want tern@3 skua",
]  # fmt: skip
SWITCHES = [
    "off vendor",
    "off nobody",
    "on idle",
    "on vendor",
    "off idle",
    "drop vendor",
    "drop idle",
    "drop nobody",
]


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("part", range(4))
def test_plans(tmp_path: Path, kind: str, part: int) -> None:
    host = made(tmp_path, kind)
    for words in [*RULES, *SWITCHES][part::4]:
        assert host.run(*words.split(), "--preview").code in (0, 1, 2, 3)


CARRIED_OUT = {
    "one after another": [
        "prefer base --over vendor", "prefer base --over extra", "confine vendor gull-tools",
        "confine vendor skua", "keep tern", "bar gull --from extra", "rules", "journal",
    ],
    "and back": [
        "prefer base --over vendor", "keep gull", "prefer base --over vendor --lift", "rules",
        "keep gull --lift", "keep gull --lift", "rules", "undo", "rules",
    ],
    "parts taken back": [
        "bar gull skua --from vendor", "bar gull --from vendor --lift", "keep gull tern",
        "keep tern --lift", "rules", "sources", "forecast gull skua tern --why",
    ],
    "contradictions": [
        "prefer base --over vendor", "prefer vendor --over base", "prefer vendor --over extra",
        "prefer extra --over base", "pin skua@1", "pin skua@2", "rules", "checkup --offline",
    ],
    "switched": [
        "off vendor", "sources", "on vendor", "off extra", "drop extra", "rules", "journal", "undo",
        "sources", "drop vendor", "forecast gull skua", "checkup --offline",
    ],
    "kept as file": ["prefer base --over vendor", "keep tern", "export", "report --json", "find gull"],
}  # fmt: skip


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("what", sorted(CARRIED_OUT))
def test_changes(tmp_path: Path, kind: str, what: str) -> None:
    host = made(tmp_path, kind)
    for words in CARRIED_OUT[what]:
        command = words.split()
        sure = (
            ["--yes"]
            if command[0]
            in ("prefer", "confine", "keep", "bar", "pin", "off", "on", "drop", "undo")
            else []
        )
        assert host.run(*command, *sure).code in (0, 1, 2, 3)
