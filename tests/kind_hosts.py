"""The same small host of every kind, and what is a kind's own in what it answers."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import NamedTuple

from tests import plain_kind
from tests.harbours import DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour
from velpin.demo.alpm_files import DemoArchive as AlpmPackage
from velpin.demo.rpm_files import DemoRpm


def deb_host(folder: Path) -> Path:
    """A root: `gull` in two sources, the newer installed nowhere; `tern` installed and held."""
    harbour = DebHarbour(folder)
    harbour.source("base", ("gull", "1"), ("tern", "1"))
    harbour.source("vendor", ("gull", "2"), ("vendor-tool", "5"))
    harbour.installed(("gull", "1"), ("tern", "1", "hold ok installed"))
    return harbour.root


def rpm_host(folder: Path, kind: str) -> Path:
    """The same on an rpm host; where that has locks, `tern` is locked."""
    harbour = RpmHarbour(folder, kind)
    harbour.source("base", DemoRpm("gull", "1-1"), DemoRpm("tern", "1-1"))
    harbour.source("vendor", DemoRpm("gull", "2-1"), DemoRpm("vendor-tool", "5-1"))
    harbour.installed(DemoRpm("gull", "1-1"), DemoRpm("tern", "1-1"), release=False)
    harbour.put("etc/dnf/dnf.conf", "[main]\ngpgcheck=0\nbest=1\n")
    if kind == ZYPP:
        harbour.put("etc/zypp/locks", "type: package\nsolvable_name: tern\n")
    return harbour.root


def alpm_host(folder: Path) -> Path:
    """The same on an alpm host, where the order of sections decides; `tern` is ignored."""
    harbour = AlpmHarbour(folder, "Architecture = x86_64\nIgnorePkg = tern\n")
    one = AlpmPackage
    harbour.source("vendor", one("gull", "2-1"), one("vendor-tool", "5-1"))
    harbour.source("base", one("gull", "1-1"), one("tern", "1-1"))
    harbour.installed(one("gull", "1-1"), one("tern", "1-1"))
    return harbour.root


def plain_host(folder: Path) -> Path:
    """The same on the smallest kind there could be; `tern` is kept."""
    for name, text in {
        "repos/base/list": "gull 1\ntern 1\n", "repos/vendor/list": "gull 2\nvendor-tool 5\n",
        f"root/{plain_kind.SOURCES}": "".join(
            f"{name} file://{folder}/repos/{name}\n" for name in ("vendor", "base")
        ),
        f"root/{plain_kind.RULES}": "keep tern #\n",
        f"root/{plain_kind.INSTALLED}": "gull 1\ntern 1\n",
    }.items():  # fmt: skip
        file = folder / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_text(text)
    return folder / "root"


class Told(NamedTuple):
    """What is a kind's own in the answers below."""

    make: Callable[[Path], Path]
    release: str
    """What stands behind a version's number."""
    held: int
    refuses: tuple[str, ...] = ()
    """Kinds of rule that this kind of host cannot express."""


MAKERS = {
    "deb": Told(deb_host, "", 1),
    "rpm-dnf": Told(partial(rpm_host, kind=DNF), "-1", 0),
    "rpm-zypp": Told(partial(rpm_host, kind=ZYPP), "-1", 1, ("confine",)),
    "alpm": Told(alpm_host, "-1", 1, ("confine", "pin", "bar")),
    "plain": Told(plain_host, "", 1, ("confine", "pin", "bar")),
}
