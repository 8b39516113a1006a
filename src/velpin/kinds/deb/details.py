"""All that a stanza of an index says of a package."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from velpin.files.text import whole_number
from velpin.kinds.deb.control import parse_stanza
from velpin.kinds.deb.translations import long_description
from velpin.model.forecast import Details

if TYPE_CHECKING:
    from velpin.kinds.deb.state import DebState
    from velpin.model.source import Source
    from velpin.store.index import Index, Row


def details_of(state: DebState, source: Source | None, index: Index, row: Row) -> Details:
    """The stanza of an index, its description from the installer's lists of translations where the
    stanza has a line of it alone."""
    fields = parse_stanza(index.text(row))
    copy = state.indexes.copies[source.handle] if source else None
    longer = copy and long_description(state.tree, copy.files.values(), fields)
    return Details(
        description=_behind_summary(longer or fields.get("description", "")),
        homepage=fields.get("homepage", ""),
        maintainer=fields.get("maintainer", ""),
        download_bytes=whole_number(fields.get("size", "")),
        disk_bytes=_from_kilobytes(fields.get("installed-size", "")),
        needs=(*_listed(fields, "pre-depends"), *_listed(fields, "depends")),
        recommends=_listed(fields, "recommends"),
        suggests=_listed(fields, "suggests"),
        conflicts=(*_listed(fields, "breaks"), *_listed(fields, "conflicts")),
        replaces=_listed(fields, "replaces"),
        provides=_listed(fields, "provides"),
    )


def _behind_summary(text: str) -> str:
    """A description behind its first line, without the dots that stand for blank lines in it."""
    return "\n".join("" if line == "." else line for line in text.split("\n")[1:])


def _from_kilobytes(text: str) -> int | None:
    number = whole_number(text)
    return None if number is None else number * 1024


def _listed(fields: Mapping[str, str], name: str) -> tuple[str, ...]:
    """The relations of a field, as they are written."""
    parts = " ".join(fields.get(name, "").split()).split(",")
    return tuple(part.strip() for part in parts if part.strip())
