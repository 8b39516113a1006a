"""Offers with all that their indexes say of them."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.front.screen import Piece, Screen
from velpin.front.words import several, size
from velpin.model.dates import day
from velpin.model.forecast import Details, Offer

_LABEL = 12
"""Columns of what stands before a text."""


def show_offers_in_full(screen: Screen, found: Sequence[Offer]) -> None:
    """Each offer with all that its index says of it, the one that would be installed marked."""
    for number, offer in enumerate(found):
        if number:
            screen.gap()
        screen.line(*_head(offer))
        if offer.summary:
            screen.line(offer.summary, indent=2)
        for label, text in _told(offer):
            screen.line((label.ljust(_LABEL), "quiet"), text, indent=2)


def _head(offer: Offer) -> Iterator[Piece]:
    yield ("=> ", "answer") if offer.state == "chosen" else ""
    yield (offer.name, "answer" if offer.state == "chosen" else "name")
    yield f" {offer.version}  {offer.arch}  "
    yield (f"from {offer.source}" if offer.source else "in no source", "source")
    if offer.state not in ("source off", "to be built"):
        yield f", priority {offer.priority}"
    elif offer.state == "source off":
        yield ", which is off"
    if offer.dated:
        yield f"  {day(offer.dated)}"
    if offer.installed:
        yield "  installed"


def _told(offer: Offer) -> Iterator[tuple[str, str]]:
    """What is known of a package, each with the word before it."""
    if offer.kept_out is not None:
        yield "kept out", offer.kept_out.text
    found, summary = offer.details or Details(), offer.summary
    about = [text for text in paragraphs(found.description) if text != summary]
    yield from zip(["about", *[""] * len(about)], about, strict=False)
    sizes = [
        f"{size(count)} {where}"
        for count, where in ((found.download_bytes, "to download"), (found.disk_bytes, "on disk"))
        if count is not None
    ]
    for label, texts in (
        ("home page", [found.homepage]), ("license", [found.license]),
        ("maintainer", [found.maintainer]), ("size", sizes), ("needs", found.needs),
        ("recommends", found.recommends), ("suggests", found.suggests),
        ("conflicts", found.conflicts), ("replaces", found.replaces),
        ("provides", found.provides),
    ):  # fmt: skip
        if any(texts):
            yield label, ", ".join(texts)
    if found.rhythm:
        days = several(found.rhythm.days, "day")
        newest = day(found.rhythm.newest)
        yield "its source", f"has packages built on {days} of the year up to {newest}"


def paragraphs(text: str) -> Iterator[str]:
    """The paragraphs of a description, each in one line; what begins as an item of a list does is
    one of its own."""
    held: list[str] = []
    for line in [*map(str.strip, text.split("\n")), ""]:
        if held and (not line or line.startswith(("* ", "- ", "+ "))):
            yield " ".join(held)
            held = []
        if line:
            held.append(line)
