"""Taking a request's text apart: `NAME`, `NAME:ARCH`, `NAME@VERSION`, `NAME%SOURCE`.

A text is first looked up as it stands, then taken apart, since names may hold `@`, `+`, `%`
and, after a colon, no architecture. Forms of installers come last. Which names exist is for the
host to say.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import NamedTuple

from velpin.errors import UsageError

_ARCH = re.compile(r"[a-z0-9][a-z0-9_-]*\Z")
_BOUND = re.compile(r"(>=|<=|==|>|<|=)?(.*)", re.DOTALL)


class Request(NamedTuple):
    """What the administrator asks for, taken apart; `text` is as it was typed."""

    text: str
    name: str
    arch: str = ""
    operator: str = ""
    """Empty, `=` (text or glob), or one of `>= <= > < ==`."""
    version: str = ""
    source: str = ""
    removes: bool = False
    """Whether it asks for the package to go (`NAME-`, on hosts whose installer takes that)."""
    allows_older: bool = False
    """Whether a version that is asked for may take the place of a newer one, on hosts whose
    installer has to be told so."""


def parse_request(text: str, knows: Callable[[str], bool], source: str = "") -> Request:
    """One request; `source` narrows it where the text itself names none.

    Raises UsageError for a text with an empty part.
    """
    if not text or text != text.strip() or any(ord(char) < 32 for char in text):
        raise UsageError(f"{text!r} is not a request", "give a package's name")
    if knows(text):
        return Request(text, text, source=source)
    for name, rest in _cuts(text, "%"):
        taken = _with_version(name, knows)
        if taken is not None and rest:
            return taken._replace(text=text, source=rest)
    taken = _with_version(text, knows)
    if taken is not None:
        return taken._replace(text=text, source=source)
    return _as_typed(text, knows, source) or _by_form(text, source)


def _cuts(text: str, mark: str) -> list[tuple[str, str]]:
    """Every way to cut a text at a mark, the last mark first."""
    places = [at for at, char in enumerate(text) if char == mark and at > 0]
    return [(text[:at], text[at + 1 :]) for at in reversed(places)]


def _with_version(text: str, knows: Callable[[str], bool]) -> Request | None:
    taken = _with_arch(text, knows)
    if taken is not None:
        return taken
    for name, rest in _cuts(text, "@"):
        taken = _with_arch(name, knows)
        if taken is not None and rest:
            operator, version = _bound(rest)
            return taken._replace(operator=operator, version=version)
    return None


def _with_arch(text: str, knows: Callable[[str], bool]) -> Request | None:
    if knows(text):
        return Request(text, text)
    for name, arch in _cuts(text, ":"):
        if _ARCH.match(arch) and knows(name):
            return Request(text, name, arch)
    return None


def _bound(text: str) -> tuple[str, str]:
    found = _BOUND.match(text)
    operator, version = found.groups() if found else (None, text)
    if not version:
        raise UsageError(f"@{text} names no version")
    return operator or "=", version.strip()


_FORMS = (
    re.compile(r"(?P<name>[^<>=]+?)\s*(?P<operator>[<>]=?|==?)\s*(?P<version>[^<>=]+)"),
    re.compile(r"(?P<source>[^/:]+)[/:](?P<name>[^/]+)"),
    re.compile(r"(?P<name>[^/]+)/(?P<source>[^/]+)"),
    re.compile(r"(?P<name>.+)-(?P<version>\d+:[^-:]+-[^-:]+?)(?:\.(?P<arch>[a-z]\w*))?"),
)
"""How people type requests for one installer or another: `NAME=VERSION`, `SOURCE/NAME`,
`SOURCE:NAME`, `NAME/SUITE`, `NAME-EPOCH:VERSION-RELEASE.ARCH`."""


def _as_typed(text: str, knows: Callable[[str], bool], source: str) -> Request | None:
    """A request in the form of an installer, if its name is known then."""
    for form in _FORMS:
        found = form.fullmatch(text)
        taken = _with_arch(found["name"], knows) if found else None
        if found is None or taken is None:
            continue
        said = found.groupdict()
        version = (said.get("version") or "").strip().removeprefix("0:")
        return taken._replace(
            text=text, arch=said.get("arch") or taken.arch, version=version,
            operator=(said.get("operator") or "=").replace("==", "=") if version else "",
            source=said.get("source") or source,
        )  # fmt: skip
    return None


def _by_form(text: str, source: str) -> Request:
    """Nothing of it is known: take it apart by its marks alone."""
    rest, _, named = text.partition("%")
    rest, _, bound = rest.partition("@")
    name, _, arch = rest.partition(":")
    if not name:
        raise UsageError(f"{text!r} names no package")
    operator, version = _bound(bound) if bound else ("", "")
    return Request(text, name, arch, operator, version, named or source)
