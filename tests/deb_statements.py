"""A deb host from lines of text, and what a forecast changes on it."""

from __future__ import annotations

from tests.harbours import AUTOMATIC, DebHarbour, automatic_marks, offer
from tests.statements import line_parts

_HELD = "hold ok installed"


def rows(text: str) -> list[dict[str, str]]:
    """Entries from lines `NAME VERSION[/ARCH] [Field=value] [Field=value]`, parted by `;`."""
    found = []
    for line in filter(None, map(str.strip, text.split(";"))):
        name, version, arch, fields = line_parts(line)
        row = offer(name, version, arch or "amd64", **fields)
        found.append({field: value for field, value in row.items() if value != "-"})
    return found


def built(
    harbour: DebHarbour,
    offered: str | dict[str, str],
    here: str = "",
    files: dict[str, str] | None = None,
) -> DebHarbour:
    """A host of two architectures: sources by their suites, installed packages, more files."""
    suites = {"jetty": offered} if isinstance(offered, str) else offered
    harbour.put("var/lib/dpkg/arch", "amd64\ni386\n")
    for suite, text in suites.items():
        address = harbour.repository(suite, *rows(text), suite=suite, archs=("amd64", "i386"))
        harbour.source_at(suite, address, suite)
    harbour.installed(*rows(here))
    for name, text in (files or {}).items():
        harbour.put(name, text)
    harbour.ready()
    return harbour


def comes(harbour: DebHarbour, asked: str) -> str | None:
    """What a forecast changes: NAME[:ARCH]=VERSION, `-NAME` for what goes, by name."""
    words = asked.split()
    host = harbour.host()
    found = host.forecast_upgrade() if words == ["--upgrade"] else host.forecast(words)
    if not found.ok:
        return None
    told = []
    for change in found.changes:
        name = change.name + (f":{change.arch}" if change.foreign else "")
        told.append(f"{name}={change.new}" if change.new else f"-{name}")
    return " ".join(told)


def stanza_of(text: str) -> dict[str, str]:
    """`gull 2 Depends: tern (>= 1), auk; Priority: required` as an entry of an index."""
    head, *fields = text.split("; ")
    name, version, *first = head.split(" ", 2)
    row = offer(name, version)
    for field in (*first, *fields):
        key, _, value = field.partition(": ")
        row[key] = value
    return row


def write(harbour: DebHarbour, offers: list[str], installed: list[str], *, auto: str = "") -> None:
    """A host with one source; installed ones marked `!` are held."""
    address = harbour.repository(
        "base", *[stanza_of(one) for one in offers], archs=("amd64", "i386")
    )
    harbour.source_at("base", address)
    rows = [
        {**stanza_of(text.removeprefix("!")), **({"Status": _HELD} if text[0] == "!" else {})}
        for text in installed
    ]
    harbour.installed(*rows)
    harbour.put(AUTOMATIC, automatic_marks(auto.split()))
