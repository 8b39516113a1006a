"""One package's facts: read from its `desc`, and how they are kept in the index store.

line 1      file, bytes to fetch, bytes on disk, time of building, base package, why it was
            installed, parted by tabs
further     the letter of a kind of relation (`AlpmLink`), then the relations, parted by tabs
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from enum import StrEnum
from functools import cached_property
from typing import NamedTuple

from velpin.files.text import whole_number
from velpin.kinds.alpm.relation import AlpmRelation, read_relation


class AlpmLink(StrEnum):
    """A kind of relation between packages, by the letter that stands for it in an index."""

    PROVIDES = "P"
    DEPENDS = "D"
    CONFLICTS = "C"
    REPLACES = "R"
    OPTIONAL = "O"
    GROUPS = "G"
    MAKE_DEPENDS = "M"
    CHECK_DEPENDS = "K"


LINK_FIELDS = {
    "PROVIDES": AlpmLink.PROVIDES, "DEPENDS": AlpmLink.DEPENDS,
    "CONFLICTS": AlpmLink.CONFLICTS, "REPLACES": AlpmLink.REPLACES,
    "OPTDEPENDS": AlpmLink.OPTIONAL, "GROUPS": AlpmLink.GROUPS,
    "MAKEDEPENDS": AlpmLink.MAKE_DEPENDS, "CHECKDEPENDS": AlpmLink.CHECK_DEPENDS,
}  # fmt: skip
"""The fields of a `desc` that are relations."""


class Desc(NamedTuple):
    """The fields of a `desc` file: values by name, one a line."""

    fields: dict[str, list[str]]

    def one(self, name: str) -> str:
        """The first value of a field, empty where there is none."""
        values = self.fields.get(name)
        return values[0] if values else ""

    def all(self, name: str) -> tuple[str, ...]:
        """Every value of a field."""
        return tuple(self.fields.get(name, ()))

    def number(self, name: str) -> str:
        """The value of a field that is a number, 0 where it is none."""
        text = self.one(name)
        return text if whole_number(text) is not None else "0"


def read_desc(text: str) -> Desc:
    """A `desc` file taken apart: `%NAME%`, its values, a blank line."""
    if "\r" in text or "\t" in text or " \n" in text or text.endswith(" "):
        return read_lines(text)
    fields: dict[str, list[str]] = {}
    for piece in text.split("\n\n"):
        head, _, rest = piece.strip("\n").partition("\n")
        if head[:1] == "%" == head[-1:] and len(head) > 2:
            values = fields.setdefault(head[1:-1], [])
            if rest:
                values += rest.split("\n")
        elif head:
            return read_lines(text)
    return Desc(fields)


def read_lines(text: str) -> Desc:
    """The same line by line, where a text is not written as the tools write it."""
    fields: dict[str, list[str]] = {}
    values: list[str] | None = None
    for raw in text.replace("\t", " ").split("\n"):
        line = raw.rstrip("\r ")
        if not line:
            values = None
        elif values is None and line[0] == "%" == line[-1] and len(line) > 2:
            values = fields.setdefault(line[1:-1], [])
        elif values is not None:
            values.append(line)
    return Desc(fields)


def written(desc: Desc) -> str:
    """The text kept for one package."""
    head = (
        desc.one("FILENAME"), desc.number("CSIZE"),
        desc.number("ISIZE" if "ISIZE" in desc.fields else "SIZE"),
        desc.number("BUILDDATE"), desc.one("BASE"), desc.one("REASON"),
    )  # fmt: skip
    lines = ["\t".join(head)]
    for name, letter in LINK_FIELDS.items():
        values = desc.fields.get(name)
        if values:
            lines.append(letter + "\t".join(values))
    return "\n".join(lines)


@dataclass
class AlpmFacts:
    """What choosing and its forecast need to know of one package."""

    file: str = ""
    size: int = 0
    installed_size: int = 0
    built: int = 0
    """Time of building, in seconds since 1970."""
    base: str = ""
    reason: str = ""
    """1 where it was installed because another needs it."""
    texts: dict[str, tuple[str, ...]] = field(default_factory=dict)

    def of(self, kind: AlpmLink) -> tuple[AlpmRelation, ...]:
        """The relations of one kind."""
        return tuple(map(read_relation, self.texts.get(kind, ())))

    @cached_property
    def provides(self) -> tuple[AlpmRelation, ...]:
        """What it provides beside its own name."""
        return self.of(AlpmLink.PROVIDES)

    @cached_property
    def depends(self) -> tuple[AlpmRelation, ...]:
        """What it needs, in the order written."""
        return self.of(AlpmLink.DEPENDS)

    @cached_property
    def conflicts(self) -> tuple[AlpmRelation, ...]:
        """What it cannot stand beside."""
        return self.of(AlpmLink.CONFLICTS)

    @cached_property
    def replaces(self) -> tuple[AlpmRelation, ...]:
        """Whose place it takes in an upgrade."""
        return self.of(AlpmLink.REPLACES)

    @property
    def groups(self) -> tuple[str, ...]:
        """The groups it is in."""
        return self.texts.get(AlpmLink.GROUPS, ())


def built(text: bytes) -> int:
    """The time of building alone, in seconds since 1970, from the kept text; 0 where unsaid."""
    return int(text.partition(b"\n")[0].split(b"\t")[3])


def read_facts(text: bytes) -> AlpmFacts:
    """The facts from their kept text."""
    first, *rest = text.decode("utf-8", "replace").split("\n")
    file, size, installed, built, base, reason = first.split("\t")
    texts = {line[0]: tuple(line[1:].split("\t")) for line in rest if line}
    return AlpmFacts(file, int(size), int(installed), int(built), base, reason, texts)


def names_in(values: list[str]) -> Iterator[str]:
    """The names of some relations, each once."""
    yield from dict.fromkeys(map(_name_of, values))


def _name_of(text: str) -> str:
    bound = "=" in text or "<" in text or ">" in text or ": " in text
    return read_relation(text).name if bound else text
