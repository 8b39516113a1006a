"""Lists of mirrors: one address a line, or a metalink."""

from __future__ import annotations

from velpin.errors import HostFileError
from velpin.files.text import whole_number
from velpin.kinds.rpm.safexml import read_document


def read_mirrors(data: bytes, where: str) -> list[str]:
    """Base addresses of a repository, best first; each ends in a slash.

    Raises HostFileError where it is no such list.
    """
    if b"<metalink" in data[:4096]:
        return _metalink(data, where)
    found = []
    for line in data.decode("utf-8", "replace").split("\n"):
        text = line.strip()
        if "://" in text and not text.startswith("#"):
            found.append(text.rstrip("/") + "/")
    if not found:
        raise HostFileError(where, 0, "a list of mirrors without an address")
    return found


def _metalink(data: bytes, where: str) -> list[str]:
    found: list[tuple[int, str]] = []

    def ended(name: str, attributes: dict[str, str], text: str) -> None:
        if name.rpartition(" ")[2] != "url":
            return
        if text.startswith(("http://", "https://", "file://")) and "/repodata/" in text:
            base = text.rpartition("/repodata/")[0] + "/"
            found.append((-(whole_number(attributes.get("preference", "0")) or 0), base))

    read_document(data, where, end=ended)
    if not found:
        raise HostFileError(where, 0, "a metalink without an address of repomd.xml")
    return list(dict.fromkeys(base for _, base in sorted(found, key=lambda ranked: ranked[0])))
