"""Vendors that count as one on rpm-dnf hosts of the newer generation (observed).

TOML files: `equivalent_vendors` may follow each other; `outgoing_vendors` may be followed by
`incoming_vendors`. An entry names a vendor and how the name is compared; entries with `exclude`
stand first and take vendors out again. Files of version 1.0 need both lists, later ones take a
missing list for any vendor.

Observed rules: docs/how-hosts-choose/rpm-dnf-newer.md, "Vendors".
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from fnmatch import fnmatchcase
from typing import Any, NamedTuple

from velpin.errors import HostFileError
from velpin.files.tree import Tree

FOLDERS = ("usr/share/dnf5/vendors.d", "etc/dnf/vendors.d")
_LONGEST = 200
_COMPARE: Mapping[str, Callable[[str, str], bool]] = {
    "EXACT": lambda vendor, text: vendor == text,
    "GLOB": fnmatchcase,
    "CONTAINS": lambda vendor, text: text in vendor,
    "STARTSWITH": lambda vendor, text: vendor.startswith(text),
    "ENDSWITH": lambda vendor, text: vendor.endswith(text),
    "REGEX": lambda vendor, text: _fits(vendor, text),
}


def _fits(vendor: str, text: str) -> bool:
    try:
        return re.search(text, vendor[:_LONGEST]) is not None
    except re.error:
        return False


class VendorEntry(NamedTuple):
    """One vendor, and how its name is compared."""

    vendor: str
    comparator: str
    exclude: bool

    def means(self, vendor: str) -> bool:
        """Whether it is about a vendor."""
        word = self.comparator.removeprefix("NOT_")
        bare = word.removeprefix("I") if word[:1] == "I" else word
        one, other = (
            (vendor.lower(), self.vendor.lower()) if bare != word else (vendor, self.vendor)
        )
        compare = _COMPARE.get(bare)
        found = compare is not None and compare(one, other)
        return found != self.comparator.startswith("NOT_")


class VendorChange(NamedTuple):
    """From which vendors to which a package may go without being asked; None means any."""

    outgoing: Sequence[VendorEntry] | None
    incoming: Sequence[VendorEntry] | None

    def allows(self, old: str, new: str) -> bool:
        """Whether it lets a package go from one vendor to another."""
        return _among(self.outgoing, old) and _among(self.incoming, new)


def _among(entries: Sequence[VendorEntry] | None, vendor: str) -> bool:
    if entries is None:
        return True
    first = next((entry for entry in entries if entry.means(vendor)), None)
    return first is not None and not first.exclude


def read_vendor_changes(tree: Tree) -> list[VendorChange]:
    """What the files allow; HostFileError where one is no TOML, which stops the installer."""
    files = {
        name: f"{folder}/{name}"
        for folder in FOLDERS
        for name in tree.names(folder)
        if name.endswith(".conf")
    }
    return [change for name in sorted(files) for change in _read(tree, files[name])]


def _read(tree: Tree, file: str) -> list[VendorChange]:
    import tomllib

    try:
        given = tomllib.loads((tree.read(file) or b"").decode("utf-8"))
    except (ValueError, RecursionError) as problem:
        raise HostFileError(file, 0, str(problem)) from problem
    version = given.get("version")
    if version not in ("1.0", "1.1", "1.2"):
        return []
    found = []
    equal = _entries(given, "equivalent_vendors")
    if equal is not None:
        found.append(VendorChange(equal, equal))
    outgoing, incoming = _entries(given, "outgoing_vendors"), _entries(given, "incoming_vendors")
    both = outgoing is not None and incoming is not None
    if both or (version != "1.0" and (outgoing is not None or incoming is not None)):
        found.append(VendorChange(outgoing, incoming))
    return found


def _entries(given: Mapping[str, Any], key: str) -> list[VendorEntry] | None:
    listed = given.get(key)
    if not isinstance(listed, list):
        return None
    return [
        VendorEntry(one["vendor"], str(one.get("comparator", "EXACT")), one.get("exclude") is True)
        for one in listed
        if isinstance(one, dict) and isinstance(one.get("vendor"), str)
    ]
