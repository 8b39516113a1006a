"""Reading `repomd.xml`: which lists a repository has, with their digests and sizes."""

from __future__ import annotations

from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.files.text import whole_number
from velpin.kinds.rpm.safexml import read_document

_NS = "http://linux.duke.edu/metadata/repo "
STRONG = ("sha512", "sha384", "sha256", "sha224")
"""Digests that are good enough, the strongest first."""


class PromisedList(NamedTuple):
    """One list of a repository as `repomd.xml` promises it; sizes in bytes, 0 where unsaid."""

    kind: str
    location: str
    digest: str
    value: str
    size: int
    open_digest: str
    open_value: str
    open_size: int
    dated: float

    @property
    def promise(self) -> tuple[int, str, str]:
        """Size, digest and its value of the file as it is fetched."""
        return self.size, self.digest, self.value

    @property
    def open_promise(self) -> tuple[int, str, str]:
        """The same of what is inside it; a digest that is too weak promises nothing."""
        strong = self.open_digest in STRONG and bool(self.open_value)
        return self.open_size, self.open_digest if strong else "", self.open_value


class Repomd(NamedTuple):
    """What `repomd.xml` says; `date` in seconds since 1970, None where it says none."""

    revision: str = ""
    date: float | None = None
    lists: tuple[PromisedList, ...] = ()
    tags: tuple[str, ...] = ()

    def of(self, kind: str) -> PromisedList | None:
        """The list of a kind."""
        return next((promised for promised in self.lists if promised.kind == kind), None)


def read_repomd(data: bytes, where: str) -> Repomd:
    """Read it; HostFileError, with the line, where it is no such file or declares entities."""
    reader = _Reader(where)
    read_document(data, where, reader.start, end=reader.end)
    if not reader.is_repomd:
        raise HostFileError(where, 1, "is not a list of a repository's files (repomd)")
    dates = [promised.dated for promised in reader.lists if promised.dated]
    return Repomd(
        reader.revision, max(dates, default=None), tuple(reader.lists), tuple(reader.tags)
    )


class _Reader:
    """Takes in the elements of one file."""

    def __init__(self, where: str) -> None:
        self._where = where
        self._open: dict[str, tuple[str, dict[str, str]]] | None = None
        self._kind = ""
        self._above: list[str] = []
        self.is_repomd = False
        self.revision = ""
        self.lists: list[PromisedList] = []
        self.tags: list[str] = []

    def start(self, name: str, attributes: dict[str, str], line: int) -> None:
        """An element begins; HostFileError for one that is no list of a repository."""
        if not self._above:
            self.is_repomd = name == _NS + "repomd"
        self._above.append(name)
        if name == _NS + "data":
            self._open, self._kind = {}, attributes.get("type", "")
        if name == _NS + "location":
            href = attributes.get("href", "")
            if not href or href.startswith("/") or ".." in href.split("/"):
                raise HostFileError(
                    self._where, line, "a list whose place is not below the repository"
                )

    def end(self, name: str, attributes: dict[str, str], text: str) -> None:
        """An element ends."""
        self._above.pop()
        bare = name.removeprefix(_NS)
        if bare == "data" and self._open is not None:
            self.lists.append(self._listed(self._open))
            self._open = None
        elif self._open is not None:
            self._open.setdefault(bare, (text, attributes))
        elif bare == "revision":
            self.revision = text
        elif self._above and self._above[-1] == _NS + "tags" and text:
            self.tags.append(text)

    def _listed(self, told: dict[str, tuple[str, dict[str, str]]]) -> PromisedList:
        def digest(key: str) -> tuple[str, str]:
            text, attributes = told.get(key, ("", {}))
            return attributes.get("type", "").lower(), text.lower()

        def count(key: str) -> int:
            return whole_number(told.get(key, ("", {}))[0]) or 0

        def seconds(key: str) -> float:
            whole, _, part = told.get(key, ("", {}))[0].partition(".")
            return float(whole_number(whole) or 0) + float(f"0.{whole_number(part[:9]) or 0}")

        return PromisedList(
            self._kind, told.get("location", ("", {}))[1].get("href", ""), *digest("checksum"),
            count("size"), *digest("open-checksum"), count("open-size"),
            seconds("timestamp"),
        )  # fmt: skip
