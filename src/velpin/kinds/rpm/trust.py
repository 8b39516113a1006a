"""Which keys an rpm host's configuration names for a source, and where they stand.

`gpgkey` names key files (`file:///...`) or addresses; a key at an address is known here once
the host has taken it into its own ring, which is kept with the record of installed packages.
"""

from __future__ import annotations

from collections.abc import Mapping
from urllib.parse import unquote, urlsplit

from velpin.errors import BadKey, HostFileError
from velpin.kinds.rpm.ini import truth
from velpin.kinds.rpm.record.packages import signing_keys
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.source_reasons import CheckOffIndex, CheckOffPackages, CheckOffServer
from velpin.kinds.rpm.state import RpmState
from velpin.model.source_reasons import CheckOff
from velpin.trust.named import NamedKeys
from velpin.trust.openpgp import Key, read_keys

OWN_FOLDER = "etc/pki/rpm-gpg"
"""Where Velpin puts the key of one source."""


def named_keys(state: RpmState, source: RpmSource) -> NamedKeys:
    """The keys a source's section names; files that cannot be used are told."""
    if not (source.signed_index or source.signed_packages):
        return NamedKeys("none")
    return keys_given(state, source)


def keys_given(state: RpmState, source: RpmSource) -> NamedKeys:
    """The keys that a source's section names, whether or not the host checks anything by them;
    where it names none that is here, those of the host's ring."""
    found = NamedKeys()
    remote = False
    for address in source.keys:
        file = _file_of(address)
        if file is not None:
            found.files.append(file)
            found.keys += _read_file(state, file, found.problems)
        else:
            remote = True
    if remote or not source.keys:
        found.keys += ring(state)
        if not found.files:
            found.how = "ring"
    if not source.signed_index:
        found.how = "packages"
    return found


def keys_in_files(state: RpmState, source: RpmSource) -> list[tuple[str, Key]]:
    """Return the keys in the files that a source's section names, each with its file; files that
    cannot be read have none."""
    found = []
    for address in source.keys:
        file = _file_of(address)
        if file is not None:
            found += [(f"/{file}", key) for key in _read_file(state, file, [])]
    return found


def _file_of(address: str) -> str | None:
    """The key file that an address of a section names, below the root; None if it is elsewhere."""
    parts = urlsplit(address)
    if parts.scheme == "file" or address.startswith("/"):
        return unquote(parts.path).lstrip("/")
    return None


CHECKS: Mapping[str, type[CheckOff]] = {
    "gpgcheck": CheckOffPackages,
    "pkg_gpgcheck": CheckOffPackages,
    "repo_gpgcheck": CheckOffIndex,
    "sslverify": CheckOffServer,
}
"""Keys of a section that switch a check off, and what is told of it."""


def weakens(key: str, value: str) -> bool:
    """Whether a key of a section switches a check off."""
    return key in CHECKS and not truth(value, True)


def ring(state: RpmState) -> list[Key]:
    """The signing keys that the host's own record of packages holds."""
    if state.recorded.file is None:
        return []
    found: list[Key] = []
    path = state.tree.path(state.recorded.file)
    try:
        for name, text in signing_keys(path):
            try:
                found += read_keys(
                    text.encode("utf-8", "surrogateescape"), f"{state.recorded.file} ({name})"
                )
            except BadKey:
                continue
    except HostFileError:
        return found
    return found


def key_addresses(source: RpmSource) -> list[str]:
    """Addresses of keys that a section names, from which the installer fetches them."""
    return [key for key in source.keys if key.startswith(("http://", "https://", "ftp://"))]


def _read_file(state: RpmState, file: str, problems: list[str]) -> list[Key]:
    data = state.tree.read(file)
    if data is None:
        problems.append(f"/{file} is not there")
        return []
    try:
        return read_keys(data, file, problems)
    except BadKey as problem:
        problems.append(problem.message)
        return []
