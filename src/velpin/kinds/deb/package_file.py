"""Package files of a deb host as a flat repository, for a forecast of what installing them does.

Observed rules: docs/how-hosts-choose/deb.md, "Package files".
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.change.plan import NewSource
from velpin.errors import HostFileError
from velpin.fetch.package import control_of
from velpin.files.text import encode
from velpin.kinds.deb.control import read_stanzas
from velpin.ports.unlisted import PackagesAsSource

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from velpin.ports.unlisted import PackageFile

_OF_INDEX = {"filename", "size"}
"""Fields that an index has of a package, whatever the package says of itself."""


def as_source(packages: Sequence[PackageFile], folder: Path, handle: str) -> PackagesAsSource:
    """Write a flat repository of some packages into a folder.

    Raises HostFileError for a file that does not describe exactly one package.
    """
    requests, stanzas = [], []
    for package in packages:
        stanza = list(read_stanzas(control_of(package.data, package.name), comments=False))
        if len(stanza) != 1 or not stanza[0].get("Package") or not stanza[0].get("Version"):
            raise HostFileError(package.name, 0, "describes no package, or several")
        fields = [field for key, field in stanza[0].fields.items() if key not in _OF_INDEX]
        lines = [f"{field.name}:{field.value}" for field in fields]
        lines += [f"Filename: {package.name.rpartition('/')[2]}", f"Size: {package.size}"]
        stanzas.append("\n".join(lines) + "\n")
        arch = stanza[0].get("Architecture")
        name = stanza[0].get("Package") + ("" if arch in ("", "all") else f":{arch}")
        requests.append(f"{name}@{stanza[0].get('Version')}")
    (folder / "Packages").write_bytes(encode("\n".join(stanzas)))
    line = "deb [trusted=yes] file:/// ./\n"
    new = NewSource(handle, snippet=line, snippet_name="package files", keep_options=True)
    return PackagesAsSource(new, requests)
