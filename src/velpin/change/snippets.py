"""What vendors' snippets and addresses have in common on every kind of host."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from velpin.errors import UsageError
from velpin.files.text import has_control

if TYPE_CHECKING:
    from collections.abc import Collection, Iterable

    from velpin.change.plan import NewSource


def plain_address(new: NewSource, more: str = "") -> str:
    """The address that was given, `more` being what belongs to it in the hint.

    Raises UsageError where there is none, or no scheme in it.
    """
    if not new.address:
        raise UsageError(
            f"no source is called {new.handle!r}, and no address was given",
            f"velpin add NAME --url ADDRESS{more}, or a snippet",
        )
    if not urlsplit(new.address).scheme:
        raise UsageError(f"{new.address!r} is not an address: it has no scheme such as https:")
    return new.address


def check_names(new: NewSource, named: Collection[str]) -> None:
    """UsageError where one name was given for the several sources of a snippet."""
    if new.handle and len(named) > 1:
        raise UsageError(
            f"the snippet names several sources: {', '.join(named)}",
            "leave the name away; each keeps its own",
        )


def check_texts(new: NewSource) -> None:
    """UsageError for a text with a line break or another control character in it: each of them
    becomes part of one line of the host's files."""
    texts = {
        "the name": new.handle, "the address": new.address, "the suite": new.release,
        "a component": "".join(new.components), "an architecture": "".join(new.archs),
        "the fingerprint": new.fingerprint,
    }  # fmt: skip
    for what, text in texts.items():
        if has_control(text):
            raise UsageError(f"{what} holds a line break or another control character: {text!r}")
    for what in ("the name", "the suite", "an architecture"):
        if any(char.isspace() for char in texts[what]):
            raise UsageError(f"{what} holds a blank: {texts[what]!r}")
    if has_control(new.snippet, lines=True):
        raise UsageError("the snippet holds control characters", "copy its text again, or type it")


def check_settings(
    settings: Iterable[str], known: Collection[str] | None, apart: Collection[str] = ()
) -> None:
    """UsageError for a setting that is no field of a source's own entry, or is said elsewhere.

    `known` are the fields that there are, None where a host takes any; `apart` those that a
    description says in words of its own.
    """
    for setting in settings:
        key = setting.partition("=")[0].strip()
        if key.lower() in apart or (known is not None and key.lower() not in known):
            raise UsageError(
                f"{setting!r}: {key} is no setting of a source, or is said in other words",
                "address, suite, components, architectures, key and state have their own names",
            )


def name_from(address: str) -> str:
    """A handle made of an address: its machine and the last plain part of its path."""
    parts = urlsplit(address)
    host = (parts.hostname or "").removeprefix("www.").split(".")
    inner = [part for part in parts.path.split("/") if part and "$" not in part]
    text = "-".join([*host[:1], *inner[-1:]]) or "source"
    return re.sub(r"[^a-z0-9.+-]+", "-", text.lower()).strip("-") or "source"
