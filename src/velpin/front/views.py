"""How each answer that only looks is shown to people."""

from __future__ import annotations

import os
import re
import time
from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.front.screen import Piece, Screen, signed
from velpin.front.words import age, counted, several, shortened
from velpin.model.dates import day, day_and_time, days_left
from velpin.model.forecast import Offer
from velpin.model.host import HostFacts, KeyUse, SearchHit, SourceStatus
from velpin.model.installer import Installer

if TYPE_CHECKING:
    from velpin.change.journal import JournalEntry
    from velpin.host.host import Host


def show_facts(screen: Screen, facts: HostFacts) -> None:
    """What host this is."""
    name = facts.release.get("PRETTY_NAME") or facts.release.get("NAME") or "an unnamed system"
    codename = facts.release.get("VERSION_CODENAME", "")
    told = f"  release {codename}" if codename else ""
    screen.line((name, "answer"), f"  a host of kind {facts.kind}{told}")
    foreign = f", and {', '.join(facts.foreign)}" if facts.foreign else ""
    if facts.support_ends is not None:
        screen.line("support       ", _support(facts.support_ends, time.time()))
    screen.line(f"architecture  {facts.arch}{foreign}")
    screen.line(f"installer     {_installer(facts.installer)}")
    parts = [f"{facts.sources.on} on", f"{facts.sources.off} off"]
    screen.line(f"sources       {', '.join(parts)}", _missing(facts))
    if facts.newest_index is not None:
        ages = f"{age(facts.newest_index)} old (newest), {age(facts.oldest_index)} (oldest)"
        screen.line(f"indexes       {ages.replace('just now old', 'new')}")
    else:
        screen.line("indexes       none fetched yet: velpin refresh")
    held = f", {facts.held} on hold" if facts.held else ""
    screen.line(f"installed     {several(facts.installed, 'package')}{held}")
    if facts.notes:
        screen.head("Found in its files")
        for note in facts.notes:
            screen.line((str(note.place), "warn"), f"  {note.text}")


def _support(last_day: float, now: float) -> Piece:
    """Until when the release is supported."""
    days = days_left(last_day, now)
    if days < 0:
        return signed(f"ended on {day(last_day)}", "bad")
    return f"until {day(last_day)}, {several(days, 'more day') if days else 'today'}"


_KNOWN_BY = {
    "option": " (as asked)", "setting": " (as Velpin's settings say)", "files": " (by its files)",
    "assumed": " is assumed; --generation newer asks for the other",
}  # fmt: skip


def _installer(installer: Installer) -> str:
    """The installer, its generation and what tells that."""
    found = f"{installer.package} {installer.version}".strip()
    if not installer.version:
        found = f"{installer.package} (not in the record of packages)"
    if not installer.generation:
        return found
    why = _KNOWN_BY.get(installer.known_by, "")
    return f"{found}; the {installer.generation} generation{why}"


def _missing(facts: HostFacts) -> Piece:
    if not facts.sources.not_fetched:
        return ""
    return (f"; {facts.sources.not_fetched} of those on not fetched yet: velpin refresh", "warn")


def show_source_statuses(screen: Screen, found: Sequence[SourceStatus], files: bool) -> None:
    """Every source in the order in which it wins."""
    if not found:
        screen.line("this host has no sources")
        return
    rows = [_status_row(status) for status in found]
    heads = ["tier", "source", "priority", "state", "offers", "age", "signed by", "channel", "copy"]
    screen.table(heads, rows, right=(0, 2, 4, 5))
    if files:
        screen.head("Written in")
        screen.table(
            ["source", "file and line", "address"],
            [
                [(status.source.handle, "name"), str(place), status.source.url]
                for status in found
                for place in status.source.places
            ],
        )
    for status in found:
        if status.problem:
            screen.gap()
            first, *rest = status.problem.split("\n")
            screen.line((status.source.handle, "name"), ": ", signed(first, "bad"))
            for line in rest:
                screen.line(line, indent=2)


def _status_row(one: SourceStatus) -> list[Piece]:
    state = {"on": signed("on", "good"), "off": ("  off", "quiet")}.get(
        one.state, signed(one.state, "warn")
    )
    return [
        str(one.tier or "-"),
        (one.source.handle, "name"),
        _priorities(one),
        state,
        counted(one.offers) if one.offers else "",
        age(one.dated),
        _signature(one),
        _channel(one),
        one.copy if one.copy != "installer" else "",
    ]


def _channel(one: SourceStatus) -> str:
    """What its channel is called beyond what its own name says: the first of its names, a point
    release, and what is more than a name."""
    names = [name for name in one.channel if name not in one.source.handle]
    return ", ".join([*names[:1], *(name for name in names[1:] if "." in name or " " in name)])


def _priorities(one: SourceStatus) -> str:
    if len(one.priorities) == 1:
        return str(one.priorities[0].priority)
    return "; ".join(f"{each.priority} ({' '.join(each.components)})" for each in one.priorities)


def _signature(one: SourceStatus) -> Piece:
    """Who was seen to sign it; else, quieter, who may."""
    if not one.signed:
        return ""
    if one.signed == "none":
        return signed("unsigned, and trusted", "warn")
    if one.signers:
        return signed(_first_of(one.signers), "good")
    if one.package_signers:
        return signed(f"packages: {_first_of(one.package_signers)}", "good")
    if one.to_import:
        return ("a key to be imported", "quiet")
    if one.signed == "common":
        return ("any of the common keys", "quiet")
    if one.signed == "ring":
        return ("any key of the ring", "quiet")
    if one.named_keys:
        return (f"named: {_first_of(one.named_keys)}", "quiet")
    return signed("no usable key", "bad")


def _first_of(keys: Sequence[str]) -> str:
    """The first owner without address and comment, and how many more."""
    owner = re.sub(r" *[(<].*", "", keys[0]) or keys[0]
    more = f" +{len(keys) - 1}" if len(keys) > 1 else ""
    if len(owner) > _LONGEST_OWNER:
        owner = f"{owner[: _LONGEST_OWNER - 1].rstrip()}…"
    return f"{owner}{more}"


_LONGEST_OWNER = 28
"""Characters of a key's owner that stand in a table."""


def show_skipped(screen: Screen, host: Host) -> None:
    """Files that the host's installer passes over."""
    found = host.checkup.skipped()
    if found:
        screen.head("Files that the installer ignores")
        screen.table(["file", "why"], [[file, why] for file, why in found])


# -- offers and search -------------------------------------------------------------------


def show_offers(screen: Screen, found: Sequence[Offer], *, names: bool = False) -> None:
    """Offers, the one that would be installed marked; the name stands in each line if there are
    several, or with `names`."""
    several_names = names or len({offer.name for offer in found}) > 1
    rows = [_offer_row(offer, several_names) for offer in found]
    screen.table(
        ["", "package", "version", "arch", "source", "date", "priority", "", "summary"],
        rows,
        right=(6,),
    )


def _offer_row(offer: Offer, names: bool) -> list[Piece]:
    marks = {"chosen": ("=>", "answer"), "candidate": ("=", "good")}
    told = []
    if offer.installed:
        told.append("installed")
    if offer.state == "source off":
        told.append("source is off")
    if offer.state == "to be built":
        told.append("to be built")
    if offer.kept_out is not None:
        told.append(f"kept out: {offer.kept_out.text}")
    style = "answer" if offer.state == "chosen" else "name"
    return [
        marks.get(offer.state, ""),
        (offer.name, "name") if names else "",
        (offer.version, style),
        offer.arch,
        (offer.source or "(in no source)", "source"),
        day(offer.dated) if offer.dated else "",
        "" if offer.state in ("source off", "to be built") else str(offer.priority),
        ", ".join(told),
        offer.summary if names else "",
    ]


def show_found(screen: Screen, found: Sequence[SearchHit], count: int) -> None:
    """One line for each name, with what would be installed."""
    rows: list[list[Piece]] = [
        [
            (met.name, "name"),
            met.version or "",
            (met.source or ("" if met.version else "only in sources switched off"), "source"),
            "installed" if met.installed else "",
            met.summary,
        ]
        for met in found
    ]
    screen.table(["package", "version", "source", "", "summary"], rows)
    if count > len(found):
        screen.line((f"{count - len(found)} more; add words to narrow it down", "quiet"))


# -- keys and journal --------------------------------------------------------------------


def show_keys(screen: Screen, found: Sequence[KeyUse], now: float, *, full: bool) -> None:
    """Which key signs for what: a line for each, or with `full` all that is known of it."""
    if not found:
        screen.line("no source of this host names a key, and there is no common key")
        return
    if full:
        for number, use in enumerate(found):
            if number:
                screen.gap()
            _show_key(screen, use, now)
        return
    ids = _short_ids([use.fingerprint for use in found])
    rows: list[list[Piece]] = [
        [
            (use.owner.partition(" <")[0], "name"), _key_state(use, now),
            "every source that names no key" if use.everything else ", ".join(use.sources),
            signed(shortened(use.signs, 3), "good") if use.signs else ("nothing yet", "quiet"),
            ids[use.fingerprint], use.where,
        ]
        for use in found
    ]  # fmt: skip
    screen.table(["key", "valid", "may sign", "seen to sign", "id", "in"], rows)
    screen.gap()
    screen.line("whole fingerprints: ", ("velpin keys --full", "command"))


_ID_LENGTHS = (8, 16)


def _short_ids(fingerprints: Sequence[str]) -> dict[str, str]:
    """The ends of fingerprints, as short as they still differ."""
    known = set(fingerprints)
    for length in _ID_LENGTHS:
        if len({each[-length:] for each in known}) == len(known):
            return {each: each[-length:] for each in known}
    return {each: each for each in known}


def _key_state(use: KeyUse, now: float) -> tuple[str, str]:
    """Whether a key is good, and until when, with the style of it."""
    if use.revoked:
        return signed("revoked by its owner", "bad")
    if use.expires is None:
        return signed("does not expire", "good")
    if use.expires <= now:
        return signed(f"expired {day(use.expires)}", "bad")
    return signed(f"until {day(use.expires)}", "good")


def _show_key(screen: Screen, use: KeyUse, now: float) -> None:
    from velpin.model.safe_text import grouped

    screen.line((use.owner, "name"))
    screen.line(grouped(use.fingerprint), indent=2)
    screen.line(f"{use.algorithm}, made {day(use.created)}, ", _key_state(use, now), indent=2)
    screen.line(f"in {use.where}", indent=2)
    screen.line("may sign ", *_vouched(use), indent=2)
    seen = signed(", ".join(use.signs), "good") if use.signs else ("nothing yet", "quiet")
    screen.line("seen to sign ", seen, indent=2)


def _vouched(use: KeyUse) -> list[Piece]:
    if not use.everything:
        return [(", ".join(use.sources), "source")]
    now = f" (now {', '.join(use.sources)})" if use.sources else " (none at present)"
    return [("every source that names no key", "warn"), now]


def show_journal(screen: Screen, entries: Sequence[JournalEntry]) -> None:
    """Every change, newest first."""
    if not entries:
        screen.line("velpin has changed nothing on this host yet")
        return
    for entry in reversed(entries):
        told = f"  undone by {entry.undone_by}" if entry.undone_by else ""
        screen.line(
            (f"{entry.number}", "name"),
            f"  {day_and_time(entry.time)}  {entry.summary}",
            (told, "quiet"),
        )
        for edit in entry.edits:
            what = (
                "new"
                if edit.before.is_missing
                else "removed"
                if edit.after.is_missing
                else "edited"
            )
            mode = edit.before.mode if edit.after.is_missing else edit.after.mode
            screen.line(
                (f"{what:8}/{edit.file}  {mode:o}{_owner(edit.after.owner)}", "quiet"), indent=4
            )


def _owner(owner: tuple[int, int]) -> str:
    return "" if owner == (os.geteuid(), os.getegid()) else f" {owner[0]}:{owner[1]}"
