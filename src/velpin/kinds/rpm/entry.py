"""One package's facts, and how they are kept in the index store.

line 1      vendor, location, bytes to fetch, bytes on disk, time of building, source
            package, parted by tabs
further     the letter of a kind of relation (`RpmLink`; F for files), then the relations,
            parted by tabs
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

from velpin.kinds.rpm.relation import Capability, RpmRelation, read_relation


class RpmLink(StrEnum):
    """A kind of relation between packages, by the letter that stands for it in an index."""

    PROVIDES = "P"
    REQUIRES = "R"
    CONFLICTS = "C"
    OBSOLETES = "O"
    RECOMMENDS = "M"
    SUGGESTS = "G"
    SUPPLEMENTS = "S"
    ENHANCES = "E"


@dataclass(slots=True)
class RpmFacts:
    """What choosing and its forecast need to know of one package."""

    vendor: str = ""
    location: str = ""
    size: int = 0
    installed_size: int = 0
    built: int = 0
    """Time of building, in seconds since 1970."""
    source: str = ""
    relations: dict[str, tuple[str, ...]] = field(default_factory=dict)
    files: tuple[str, ...] = ()

    def of(self, kind: RpmLink) -> tuple[RpmRelation, ...]:
        """The relations of one kind."""
        return tuple(map(read_relation, self.relations.get(kind, ())))

    @property
    def provides(self) -> tuple[Capability, ...]:
        """What it provides."""
        return tuple(
            relation for relation in self.of(RpmLink.PROVIDES) if isinstance(relation, Capability)
        )

    @property
    def requires(self) -> tuple[RpmRelation, ...]:
        """What it needs."""
        return self.of(RpmLink.REQUIRES)

    @property
    def obsoletes(self) -> tuple[RpmRelation, ...]:
        """What it replaces."""
        return self.of(RpmLink.OBSOLETES)


def written(
    head: Iterable[str], relations: Mapping[str, Iterable[str]], files: Iterable[str]
) -> str:
    """The text kept for one package."""
    lines = ["\t".join(head)]
    lines += [
        f"{letter}{joined}" for letter, given in relations.items() if (joined := "\t".join(given))
    ]
    joined = "\t".join(files)
    if joined:
        lines.append("F" + joined)
    return "\n".join(lines)


def built(text: bytes) -> int:
    """The time of building alone, in seconds since 1970, from the kept text; 0 where unsaid."""
    return int(text.partition(b"\n")[0].split(b"\t")[4])


def read_facts(text: bytes) -> RpmFacts:
    """The facts from their kept text."""
    first, *rest = text.decode("utf-8", "replace").split("\n")
    vendor, location, size, installed, built, source = first.split("\t")
    found = RpmFacts(vendor, location, int(size), int(installed), int(built), source)
    for line in rest:
        if line[:1] == "F":
            found.files = tuple(line[1:].split("\t"))
        elif line:
            found.relations[line[0]] = tuple(line[1:].split("\t"))
    return found
