"""A source as a person gives it: a name and an address, a snippet, a release package; its key."""

from __future__ import annotations

import os
import re
from collections.abc import Mapping, Sequence
from pathlib import Path
from types import MappingProxyType
from typing import TYPE_CHECKING, NamedTuple
from urllib.parse import quote

from velpin.change.plan import NewSource
from velpin.core.named_keys import LARGEST_KEY, by_fingerprint, by_mail, is_fingerprint, is_mail
from velpin.errors import HostFileError, NoSourceInside, UsageError
from velpin.files.given import read_given, why_writable
from velpin.model.shell import as_typed
from velpin.model.source_reasons import ComponentsTaken, ReleaseTaken
from velpin.trust.openpgp import bare

if TYPE_CHECKING:
    from velpin.core.access import Access
    from velpin.model.reason import Reason
    from velpin.ports.bundle import Ports

_LARGEST_GIVEN = 32 << 20
"""No snippet or release package may be larger, in bytes."""
_LARGEST_SNIPPET = 4 << 20
_OPENED = (".rpm", ".deb")
"""Endings of packages that are opened on every kind of host."""


def new_source_from(
    ports: Ports,
    access: Access,
    what: str,
    *,
    name: str = "",
    url: str = "",
    suite: str = "",
    components: Sequence[str] = (),
    archs: Sequence[str] = (),
    key: str = "",
    fingerprint: str = "",
    standard_input: str | None = None,
) -> NewSource:
    """A source as a person gives it; nothing of it is looked at yet.

    `what` is a name for it, with `url`; or a vendor's snippet or release package: its text, file
    or address, or `-` for `standard_input`. `key` is a file, an address, a whole fingerprint or a
    mail address. Raises UsageError where the words clash, HostFileError for a file that cannot be
    read, FetchError for an address that cannot be reached.
    """
    if key and is_fingerprint(key):
        fingerprint = fingerprint or bare(key)
    is_folder = not url and "/" in what and os.path.isdir(what)
    address = _address_of_folder(ports, what) if is_folder else what
    found = None
    if not url and _may_be_repository(address):
        found = _repository_at(ports, access, address, suite)
    if is_folder and found is None:
        raise _no_repository(ports, what)
    if found is not None:
        return found._replace(
            handle=name or found.handle, release=suite or found.release,
            components=tuple(components) or found.components, archs=tuple(archs),
            notes=tuple(
                note for note in found.notes if not (components and note.code == "components-taken")
            ),
            key=read_key(ports, access, key, fingerprint) if key else b"", key_name=key,
            fingerprint=fingerprint,
        )  # fmt: skip
    text = _given(ports, access, what, standard_input) if not url else _Given()
    snippet = text.snippet
    if snippet and (components or archs):
        raise UsageError(
            "a snippet names its own components and architectures",
            "leave --component and --arch away; --suite puts another release in its place",
        )
    return NewSource(
        handle=name if snippet else name or what, address=url, release=suite,
        components=tuple(components), archs=tuple(archs), snippet=snippet, snippet_name=text.name,
        files=text.files, arguments=text.arguments,
        key=read_key(ports, access, key, fingerprint) if key else b"", key_name=key,
        fingerprint=fingerprint,
    )  # fmt: skip


def is_plain_name(what: str) -> bool:
    """Whether this can only be a name: no address, no snippet, no file that is there."""
    return what != "-" and "://" not in what and not _is_quoted(what) and not os.path.isfile(what)


def read_key(ports: Ports, access: Access, key: str, fingerprint: str = "") -> bytes:
    """A key from a file or an address, by its fingerprint or its owner's mail address.

    HostFileError for a file that cannot be read, or that others may write, unless its fingerprint
    is known from elsewhere.
    """
    if is_fingerprint(key):
        return by_fingerprint(ports.tree, access.transport(ports), key)
    if is_mail(key) and not os.path.exists(key):
        return by_mail(access.transport(ports), key)
    if "://" in key or key.startswith("file:"):
        return access.transport(ports).read(key, most=LARGEST_KEY)
    doubt = "" if fingerprint else why_writable(key)
    if doubt:
        raise HostFileError(
            key, 0, f"{doubt}, so nobody knows whose key is in it",
            "chmod go-w, or give the fingerprint that the vendor publishes: --fingerprint",
        )  # fmt: skip
    return read_given(key, LARGEST_KEY)


def _may_be_repository(what: str) -> bool:
    """Whether this is an address that ends as no file does."""
    return "://" in what and not _is_quoted(what) and not re.search(r"\.[A-Za-z]\w*\Z", what[8:])


def _address_of_folder(ports: Ports, folder: str) -> str:
    """A folder of the host as an address; UsageError for one outside its root."""
    path, root = Path(os.path.realpath(folder)), ports.tree.root
    if not path.is_relative_to(root):
        raise UsageError(f"{folder} is not on this host, whose root is {root}")
    return f"file:///{quote(str(path.relative_to(root)))}/"


def _no_repository(ports: Ports, folder: str) -> UsageError:
    is_package_name = ports.composer.unlisted.is_package_name
    packages = sorted(name for name in os.listdir(folder) if is_package_name(name))
    if not packages:
        return UsageError(f"{folder} holds no repository for a host of kind {ports.kind}")
    return UsageError(
        f"{folder} holds package files ({len(packages)}) and no index of them, so it cannot be a"
        " source",
        "to see what installing one of them would do: "
        + as_typed(["velpin", "forecast", os.path.join(folder, packages[0])]),
    )


def _repository_at(ports: Ports, access: Access, address: str, release: str) -> NewSource | None:
    """The source that stands at an address itself."""
    with access.holding(ports):
        there = ports.composer.unlisted.at_address(address, access.transport(ports), release)
    if there is None:
        return None
    notes: list[Reason] = []
    if len(there.releases) > 1 and not release:
        notes.append(ReleaseTaken(release=there.new.release, has=tuple(there.releases)))
    if len(there.components) > len(there.new.components):
        notes.append(ComponentsTaken(taken=there.new.components, has=tuple(there.components)))
    return there.new._replace(notes=tuple(notes))


class _Given(NamedTuple):
    """A snippet's text and where it is from, empty where a plain name was given; and what came
    with it."""

    snippet: str = ""
    name: str = ""
    files: Mapping[str, bytes] = MappingProxyType({})
    arguments: tuple[str, ...] = ()


def _given(ports: Ports, access: Access, what: str, standard_input: str | None) -> _Given:
    from velpin.fetch.package import is_package, open_package, open_scripts

    data = _bytes_of(ports, access, what)
    if data is None:
        return _Given(*_snippet(what, standard_input))
    if not is_package(data):
        if what.endswith(_OPENED):
            raise HostFileError(what, 0, "is not a package")
        if ports.composer.unlisted.is_package_name(what):
            raise _no_source_inside(ports, what)
        return _Given(data.decode("utf-8", "surrogateescape"), what)
    files = open_package(data, what)
    found = _source_files(ports, files)
    if found:
        texts = [files[name].decode("utf-8", "surrogateescape") for name in found]
        return _Given("\n".join(texts), f"{what}: {', '.join(found)}", files)
    script, arguments = open_scripts(data, what)
    if script.startswith("#!"):
        return _Given(script, f"{what}: its script", files, arguments)
    raise _no_source_inside(ports, what)


def _no_source_inside(ports: Ports, what: str) -> NoSourceInside:
    """The error for a package that brings no source, and what it can be asked about instead."""
    asked = what if "/" in what else f"./{what}"
    return NoSourceInside(
        f"{what} holds no source for a host of kind {ports.kind}",
        "to see what installing it would do: " + as_typed(["velpin", "forecast", asked])
        if ports.composer.unlisted.is_package_name(what)
        else "a release package brings files that end in"
        f" {' or '.join(ports.composer.snippet_endings)}",
    )


def _bytes_of(ports: Ports, access: Access, what: str) -> bytes | None:
    """What stands at an address, or in a release package's file; None where it is neither."""
    if _is_quoted(what):
        return None
    if "://" in what:
        return access.transport(ports).read(what, most=_LARGEST_GIVEN)
    path = Path(what)
    is_package = what.endswith(_OPENED) or ports.composer.unlisted.is_package_name(what)
    if not is_package or not os.path.isfile(path):
        return None
    return read_given(what, _LARGEST_GIVEN)


def _source_files(ports: Ports, files: Mapping[str, bytes]) -> list[str]:
    """The source files of a release package, by name."""
    endings = ports.composer.snippet_endings
    return sorted(n for n in files if n.endswith(endings) and n.startswith(("etc/", "usr/")))


def _is_quoted(what: str) -> bool:
    """Whether this is a snippet's text itself: names have no blanks in them."""
    return "\n" in what or (len(what.split()) > 1 and not os.path.isfile(what))


def _snippet(what: str, standard_input: str | None) -> tuple[str, str]:
    """A snippet's text and where it is from; empty where `what` is a plain name."""
    if what == "-" and standard_input is not None:
        return standard_input, "standard input"
    if _is_quoted(what):
        return what, "the quoted snippet"
    path = Path(what)
    if os.path.isfile(path) and ("/" in what or path.suffix):
        return read_given(path, _LARGEST_SNIPPET).decode("utf-8", "surrogateescape"), what
    if "/" in what:
        raise UsageError(f"{what}: no such file", "give a snippet's file, `-`, or a name and --url")
    return "", ""
