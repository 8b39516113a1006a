"""The command that shows what catalogs know, and keeps catalogs."""

from __future__ import annotations

import sys
from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.errors import Refusal, UsageError
from velpin.front.changing import ChangeOptions, decide, planned
from velpin.front.screen import Piece, Screen
from velpin.front.session import tell
from velpin.front.words import several
from velpin.model.shell import as_typed

if TYPE_CHECKING:
    from velpin.host.host import Host
    from velpin.model.catalog import CatalogEntry


def run(
    host: Host, words: Sequence[str], how: ChangeOptions, *, channel: str, key: str,
    fingerprint: str, name: str,
) -> None:  # fmt: skip
    """Show entries, or do what the first word says."""
    first, rest = (words[0], words[1:]) if words else ("", ())
    if first != "add" and (key or fingerprint or name):
        raise UsageError(
            "--key, --fingerprint and --name are for adding a catalog",
            "velpin catalog add URL --key FILE-or-URL",
        )
    if first == "add":
        _add(host, rest, how, key, fingerprint, name)
    elif first == "refresh":
        decide(host, planned(lambda: host.catalog.plan_refresh(rest), "fetching catalogs"), how)
    elif first == "write":
        if not rest:
            raise UsageError("an entry for which sources?", "velpin catalog write SOURCE...")
        sys.stdout.write(host.catalog.write(rest))
    else:
        _show(host, words, how, channel)


def _add(
    host: Host, words: Sequence[str], how: ChangeOptions, key: str, fingerprint: str, name: str
) -> None:
    if len(words) != 1 or not key:
        raise UsageError(
            "which catalog, signed by which key?", "velpin catalog add URL --key FILE-or-URL"
        )
    plan = planned(
        lambda: host.catalog.plan_add_catalog(words[0], key, fingerprint, name),
        "fetching the catalog",
    )
    decide(host, plan, how)


def _show(host: Host, words: Sequence[str], how: ChangeOptions, channel: str) -> None:
    entry = host.catalog.entry(words[0], channel) if len(words) == 1 else None
    if entry is not None:
        if how.as_json:
            _write(entry)
        else:
            show_entry(Screen(), entry)
        return
    entries, notes = host.catalog.entries(words)
    for note in notes:
        tell(f"{note.place}: {note.text}")
    if words and not entries:
        raise Refusal(f"no catalog has anything called {' '.join(words)}", "velpin catalog")
    shown = [entry for entry in entries if entry.fits or how.every]
    if how.as_json:
        from velpin.front import json_values

        json_values.write_rows("entries", shown)
        return
    show_entries(Screen(), shown, len(entries) - len(shown))


def _write(value: object) -> None:
    from velpin.front import json_values

    json_values.write(value)


def show_entries(screen: Screen, entries: Sequence[CatalogEntry], others: int) -> None:
    """A line for each, those for this host first, the others with the reason."""
    if not entries and not others:
        screen.line("this host has no catalog that names a source")
        screen.line("put one into /etc/velpin/catalogs, or: ",
                    ("velpin catalog add URL --key FILE-or-URL", "command"), indent=2)  # fmt: skip
        return
    rows: list[list[Piece]] = [
        [
            (entry.name, "name"),
            ", ".join(entry.channels),
            (f"here as {entry.on_host}", "good") if entry.on_host else "",
            entry.summary if entry.fits else _why_not(entry),
        ]
        for entry in sorted(entries, key=lambda entry: (not entry.fits, entry.name))
    ]
    if rows:
        screen.table(["source", "channels", "", "summary"], rows)
    if others:
        it_is = "is" if others == 1 else "are"
        screen.line(
            (
                f"{several(others, 'more source')} {it_is} not for this host; --all tells why",
                "quiet",
            )
        )


def _why_not(entry: CatalogEntry) -> Piece:
    return (f"not for this host: {entry.why_not.text}", "warn") if entry.why_not else ""


def show_entry(screen: Screen, entry: CatalogEntry) -> None:
    """One source with its address filled in, and how it is added."""
    screen.line((entry.name, "answer"), f"  {entry.summary}" if entry.summary else "")
    if entry.why_not is not None:
        screen.line(_why_not(entry))
    told = [
        ("address", entry.address), ("suite", " ".join([entry.suite, *entry.components]).strip()),
        ("channel", _channels(entry)), ("page", entry.page),
        ("for", " ".join(entry.packages)), ("key", _key(entry)),
        ("in", f"{entry.place}"), ("here as", entry.on_host),
    ]  # fmt: skip
    for label, text in told:
        if text:
            screen.line((f"{label:11}", "quiet"), text, indent=2)
    for at, mirror in enumerate([entry.address, *entry.mirrors] if entry.mirrors else [], 1):
        screen.line((f"{f'mirror {at}':11}", "quiet"), mirror, indent=2)
    for fingerprint in entry.fingerprints:
        from velpin.model.safe_text import grouped

        screen.line((f"{'signed by':11}", "quiet"), grouped(fingerprint), indent=2)
    if entry.fits and not entry.on_host:
        screen.gap()
        screen.line("add it: ", (_command(entry), "command"))


def _channels(entry: CatalogEntry) -> str:
    others = [channel for channel in entry.channels if channel != entry.channel]
    return f"{entry.channel} (also {', '.join(others)})" if others else ""


def _key(entry: CatalogEntry) -> str:
    return "in the catalog" if entry.key.startswith("-----BEGIN") else entry.key


def _command(entry: CatalogEntry) -> str:
    words = ["velpin", "add", entry.name]
    if entry.channel != entry.channels[0]:
        words += ["--channel", entry.channel]
    if entry.confine:
        words += [word for glob in entry.packages for word in ("--only", glob)]
    return as_typed(words)
