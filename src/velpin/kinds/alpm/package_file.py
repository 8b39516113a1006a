"""Package files of an alpm host as a repository, for a forecast of what installing them does.

Observed rules: docs/how-hosts-choose/alpm.md, "Package files".
"""

from __future__ import annotations

import io
from typing import TYPE_CHECKING

from velpin.change.plan import NewSource
from velpin.errors import HostFileError
from velpin.fetch.package import early_member
from velpin.files.text import decode, encode
from velpin.ports.unlisted import PackagesAsSource

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from pathlib import Path

    from velpin.ports.unlisted import PackageFile

_DESCRIPTION = ".PKGINFO"
_FIELDS = {
    "pkgname": "NAME", "pkgbase": "BASE", "pkgver": "VERSION", "pkgdesc": "DESC", "size": "ISIZE",
    "arch": "ARCH", "builddate": "BUILDDATE", "packager": "PACKAGER", "group": "GROUPS",
    "depend": "DEPENDS", "optdepend": "OPTDEPENDS", "conflict": "CONFLICTS",
    "provides": "PROVIDES", "replaces": "REPLACES",
}  # fmt: skip
"""How an index calls what a package's description says."""


def as_source(packages: Sequence[PackageFile], folder: Path, handle: str) -> PackagesAsSource:
    """Write a repository of some packages into a folder.

    Raises HostFileError for a file that is no package, or the second of one name.
    """
    import tarfile

    requests: list[str] = []
    with tarfile.open(folder / f"{handle}.db", "w") as archive:
        for package in packages:
            fields = _read(package)
            name, version = fields["NAME"][0], fields["VERSION"][0]
            if f"{name}%{handle}" in requests:
                raise HostFileError(package.name, 0, f"is the second file of {name}")
            data = encode(_written(fields))
            member = tarfile.TarInfo(f"{name}-{version}/desc")
            member.size = len(data)
            archive.addfile(member, io.BytesIO(data))
            requests.append(f"{name}%{handle}")
    section = f"[{handle}]\nSigLevel = Never\nServer = file:///\n"
    new = NewSource(snippet=section, snippet_name="package files", keep_options=True)
    return PackagesAsSource(new, requests)


def _read(package: PackageFile) -> Mapping[str, Sequence[str]]:
    """The fields of an index from a package's own description."""
    found: dict[str, list[str]] = {}
    for line in decode(early_member(package.data, _DESCRIPTION, package.name)).split("\n"):
        key, equals, value = (part.strip() for part in line.partition("="))
        if equals and value and key in _FIELDS:
            found.setdefault(_FIELDS[key], []).append(value)
    for field in ("NAME", "VERSION"):
        if len(found.get(field, ())) != 1 or "/" in found[field][0]:
            raise HostFileError(package.name, 0, f"does not say its {field.lower()} in one word")
    found["FILENAME"] = [package.name.rpartition("/")[2]]
    found["CSIZE"] = [str(package.size)]
    return found


def _written(fields: Mapping[str, Sequence[str]]) -> str:
    return "".join(
        f"%{name}%\n" + "".join(f"{value}\n" for value in values) + "\n"
        for name, values in fields.items()
    )
