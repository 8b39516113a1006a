"""Statements about how hosts choose, each with one small host that shows it (`data/statements/`).

A package is written `NAME VERSION[/ARCH]`, and `[FIELD=VALUE, VALUE]` for all that it says besides.
"""

from __future__ import annotations

import re
import tomllib
from dataclasses import fields
from functools import cache
from pathlib import Path
from typing import Any, NamedTuple

from tests.harbours import ALPM, DNF, AlpmHarbour, RpmHarbour
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm

FOLDER = Path(__file__).parent / "data" / "statements"
_PACKAGE = re.compile(r"(\S+) (\S+?)(?:/(\S+))?((?: \[[^\]]*\])*)")


class Case(NamedTuple):
    """One host, what is asked, and what comes: `None` where the host refuses."""

    what: str
    kinds: tuple[str, ...]
    sources: dict[str, tuple[str, tuple[Any, ...]]]
    """By handle, in their order: further lines of the section, packages."""
    asked: tuple[str, ...]
    comes: dict[str, str] | None
    here: tuple[Any, ...] = ()
    main: str = ""
    """Lines of the main section of the host's settings."""
    files: dict[str, str] = {}  # noqa: RUF012 - read only


def line_parts(text: str) -> tuple[str, str, str, dict[str, str]]:
    """Name, version, architecture ("" where none is said) and fields of a package's line."""
    match = _PACKAGE.fullmatch(text)
    assert match, text
    name, version, arch, more = match.groups("")
    parts = re.findall(r"\[([^\]]*)\]", more)
    return name, version, arch, dict(part.split("=", 1) for part in parts)


def package(kind: str, text: str) -> Any:
    """A package of an rpm or alpm host from its line."""
    made = DemoArchive if kind == ALPM else DemoRpm
    name, version, arch, more = line_parts(text)
    types = {field.name: str(field.type) for field in fields(made)}
    found: dict[str, Any] = {"arch": arch} if arch else {}
    for key, value in more.items():
        words = tuple(value.split(", ")) if types[key].startswith("tuple") else value
        found[key] = int(value) if types[key] == "int" else words
    return made(name, version, **found)


@cache
def cases(name: str) -> tuple[Case, ...]:
    """All statements of a file."""
    return tuple(map(_case, tomllib.loads((FOLDER / f"{name}.toml").read_text())["case"]))


def _case(row: dict[str, Any]) -> Case:
    kind = row["kinds"][0]
    sources = {
        handle: (said.get("lines", ""), tuple(package(kind, text) for text in said["has"]))
        for handle, said in row["sources"].items()
    }
    return Case(
        row["what"], tuple(row["kinds"]), sources, tuple(row["asked"].split()), row.get("comes"),
        tuple(package(kind, text) for text in row.get("here", ())), row.get("main", ""),
        row.get("files", {}),
    )  # fmt: skip


def rpm_host(folder: Path, kind: str, case: Case) -> RpmHarbour:
    """The rpm host of a case, its indexes fetched."""
    harbour = RpmHarbour(folder, kind)
    for name, (lines, packages) in case.sources.items():
        harbour.source(name, *packages, settings="gpgcheck=0\n" + lines)
    harbour.installed(*case.here)
    file = "etc/dnf/dnf.conf" if kind == DNF else "etc/zypp/zypp.conf"
    harbour.put(file, "[main]\ngpgcheck=0\n" + case.main)
    for name, text in case.files.items():
        harbour.put(name, text)
    return harbour.refresh()


def alpm_host(folder: Path, case: Case) -> AlpmHarbour:
    """The alpm host of a case."""
    harbour = AlpmHarbour(folder, case.main)
    for name, (lines, packages) in case.sources.items():
        harbour.source(name, *packages, settings=lines)
    harbour.installed(*case.here)
    return harbour


def what_comes(folder: Path, kind: str, case: Case) -> dict[str, str] | None:
    """What is foreseen on the rpm host of a case; None where it is refused."""
    harbour = rpm_host(folder, kind, case)
    found = harbour.forecast(*case.asked)
    assert found["ok"] or (found["problem"] and not found["changes"])
    return harbour.changes_in(found)
