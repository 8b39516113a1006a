"""Release files: what a source says of itself, and the digests of its indexes.

Fields per the repository format's published description. `No` reading here checks a
signature: the bytes handed in are what the signature was found to cover, or the copy the
host's installer has already checked.

Observed rules: docs/how-hosts-choose/deb.md.
"""

from __future__ import annotations

import re
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.files.text import decode, whole_number
from velpin.kinds.deb.conf import is_yes
from velpin.kinds.deb.control import read_stanzas
from velpin.model.reason import Place

_LISTS = ("md5sum", "sha1", "sha256", "sha512")
_HEAD_END = re.compile(rb"^(?:MD5Sum|SHA1|SHA256|SHA512):", re.MULTILINE | re.IGNORECASE)
STRONG = ("sha512", "sha256")


class Promise(NamedTuple):
    """What a release file promises of one file: size in bytes, digest name and hex digest."""

    size: int
    digest: str
    value: str


class Release(NamedTuple):
    """The head of one release file; missing fields are None, since empty is something else."""

    origin: str | None = None
    label: str | None = None
    suite: str | None = None
    codename: str | None = None
    version: str | None = None
    architectures: tuple[str, ...] = ()
    components: tuple[str, ...] = ()
    not_automatic: bool = False
    but_automatic_upgrades: bool = False
    by_hash: bool = False
    reads_all: bool = False
    """Whether a separate index of architecture-independent packages is to be read (observed)."""
    place: Place = Place("", 0)
    date_text: str = ""
    valid_until_text: str = ""

    @property
    def date(self) -> float | None:
        """When it was made, in seconds since 1970; HostFileError where it is not a date."""
        return read_date(self.date_text, self.place)

    @property
    def valid_until(self) -> float | None:
        """Until when it holds, in seconds since 1970; HostFileError where it is not a date."""
        return read_date(self.valid_until_text, self.place)

    def names(self, asked: str) -> bool:
        """Whether `asked` is this release's suite, codename or version."""
        return asked in (self.suite, self.codename, self.version)


def unwrap(data: bytes) -> bytes:
    """The text inside a clear-signed file, dash escapes undone; other data as it is."""
    if not data.lstrip().startswith(b"-----BEGIN PGP SIGNED MESSAGE-----"):
        return data
    _, _, rest = data.replace(b"\r\n", b"\n").partition(b"\n\n")
    body, _, _ = rest.partition(b"\n-----BEGIN PGP SIGNATURE-----")
    return re.sub(rb"^- ", b"", body, flags=re.MULTILINE) + b"\n"


def read_release(data: bytes, file: str) -> Release:
    """The head of a release file, an empty one where a source has none.

    Raises HostFileError where it has no fields.
    """
    if not data:
        return Release()
    body = unwrap(data[:8192])
    found = _HEAD_END.search(body)
    if found is None and len(data) > 8192:
        body = unwrap(data)
        found = _HEAD_END.search(body)
    stanza = next(read_stanzas(decode(body[: found.start()] if found else body)), None)
    if stanza is None or not stanza.fields:
        if found is None:
            raise HostFileError(file, 1, "holds no release fields")
        return Release()
    given = {name: field.value.strip() for name, field in stanza.fields.items()}
    archs = tuple(given.get("architectures", "").split())
    return Release(
        origin=given.get("origin"),
        label=given.get("label"),
        suite=given.get("suite"),
        codename=given.get("codename"),
        version=given.get("version"),
        architectures=archs,
        components=tuple(given.get("components", "").split()),
        not_automatic=is_yes(given.get("notautomatic", ""), False),
        but_automatic_upgrades=is_yes(given.get("butautomaticupgrades", ""), False),
        by_hash=is_yes(given.get("acquire-by-hash", ""), False),
        reads_all=(not archs or "all" in archs)
        and "Packages" not in given.get("no-support-for-architecture-all", "").split(),
        place=Place(file, stanza.line_of("date")),
        date_text=given.get("date", ""),
        valid_until_text=given.get("valid-until", ""),
    )


def read_date(text: str, place: Place) -> float | None:
    """Seconds since 1970 of a date as mail writes it (RFC 5322); None where it is missing,
    HostFileError where it is no date."""
    if not text:
        return None
    from email.utils import parsedate_to_datetime

    try:
        return parsedate_to_datetime(text).timestamp()
    except (ValueError, TypeError, OverflowError) as problem:
        raise HostFileError(place.file, place.line, f"{text!r} is not a date") from problem


def read_promises(data: bytes, file: str) -> dict[str, Promise]:
    """For each listed file its size and strongest digest.

    Raises HostFileError with the line of an entry that is not `digest size name`.
    """
    promises: dict[str, Promise] = {}
    for stanza in read_stanzas(decode(unwrap(data))):
        for digest in _LISTS:
            field = stanza.fields.get(digest)
            rows = field.value.split("\n") if field else []
            for number, row in enumerate(rows, field.line if field else 0):
                if row.strip():
                    _take_promise(row, digest, promises, file, number)
    return promises


def _take_promise(
    row: str, digest: str, promises: dict[str, Promise], file: str, line: int
) -> None:
    words = row.split()
    size = whole_number(words[1]) if len(words) == 3 else None
    if size is None:
        raise HostFileError(file, line, f"expected `digest size name`, found {row.strip()!r}")
    value, _, name = words
    before = promises.get(name)
    if before and before.size != size:
        raise HostFileError(file, line, f"{name} is listed with two sizes")
    promises[name] = Promise(size, digest, value.lower())
