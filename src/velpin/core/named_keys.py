"""Keys as people name them: by a whole fingerprint, or by the mail address of their owner.

[keys]
server = "https://keys.example"     asked for keys by fingerprint; there is none built in

A key server need not be trusted: what it sends must have the fingerprint. Of a mail address's key
its domain's own web server decides, so it is fetched over https alone, and shown for comparison.
"""

from __future__ import annotations

import hashlib
import re
from typing import TYPE_CHECKING
from urllib.parse import quote, urlsplit

from velpin.errors import BadKey, FetchError, HostFileError, UsageError
from velpin.files.own_settings import FILE, table
from velpin.trust.openpgp import armoured, bare, read_keys

if TYPE_CHECKING:
    from velpin.fetch.download import Transport
    from velpin.files.tree import Tree

LARGEST_KEY = 1 << 20
"""No file of keys that is given with a source may hold more bytes."""
_WHOLE = re.compile(r"(?:[0-9A-F]{40}|[0-9A-F]{64})\Z")
_SHORT = re.compile(r"(?:0x)?[0-9A-Fa-f]{8,39}\Z")
_MAIL = re.compile(r"([A-Za-z0-9._%+-]{1,64})@([A-Za-z0-9-]+(?:\.[A-Za-z0-9-]+)+)\Z")
_ALPHABET = "ybndrfg8ejkmcpqxot1uwisza345h769"


def is_fingerprint(text: str) -> bool:
    """Whether a text is a whole fingerprint; UsageError for a short one."""
    if _WHOLE.match(bare(text)):
        return True
    if _SHORT.match(text.replace(" ", "")):
        raise UsageError(
            f"{text} is not a whole fingerprint, and anyone can make a key with the same short one",
            "give all 40 characters of it, or FILE-or-URL",
        )
    return False


def is_mail(text: str) -> bool:
    """Whether a text is a mail address."""
    return _MAIL.match(text) is not None


def by_fingerprint(tree: Tree, transport: Transport, fingerprint: str, server: str = "") -> bytes:
    """The key that a key server has; the one of the settings, unless another is named.

    Raises UsageError where none is named, FetchError where it does not answer or has none. What
    comes is not compared with the fingerprint here.
    """
    address = key_server_address(server or server_of(tree), bare(fingerprint))
    return transport.read(address, most=LARGEST_KEY)


def server_of(tree: Tree) -> str:
    """The key server of the settings, empty where they name none; HostFileError for settings
    that are not understood."""
    for name, value in table(tree, "keys").items():
        if name != "server":
            raise HostFileError(FILE, 0, f"[keys] has no {name!r}; it has server")
        if not isinstance(value, str) or not urlsplit(value).hostname:
            raise HostFileError(FILE, 0, f"keys.server: {value!r} is no address")
        return value
    return ""


def key_server_address(server: str, fingerprint: str) -> str:
    """The address at which a key server has a key, by the open protocol of such servers.

    UsageError where no server is named.
    """
    try:
        parts = urlsplit(server if "://" in server else f"hkps://{server}")
        name, port = parts.hostname or "", parts.port
    except ValueError:
        parts, name, port = urlsplit(""), "", None
    if not name:
        raise UsageError(
            f"no key server is named for {fingerprint}",
            f"give the key itself: --key FILE-or-URL, or name a server in {FILE}: [keys] server ="
            ' "https://..."',
        )
    scheme = "http" if parts.scheme in ("hkp", "http") else "https"
    if parts.scheme == "hkp" and port is None:
        port = 11371
    place = f"{name}:{port}" if port else name
    return f"{scheme}://{place}/pks/lookup?op=get&options=mr&search=0x{fingerprint}"


def by_mail(transport: Transport, mail: str) -> bytes:
    """The keys that a mail address's own domain publishes for it, armoured.

    Raises FetchError where it publishes none, BadKey where none of them names the address.
    """
    found = _MAIL.match(mail)
    assert found is not None
    local, domain = found.group(1), found.group(2).lower()
    name = f"hu/{_hashed(local.lower())}?l={quote(local)}"
    places = (
        f"https://openpgpkey.{domain}/.well-known/openpgpkey/{domain}/{name}",
        f"https://{domain}/.well-known/openpgpkey/{name}",
    )
    try:
        data = transport.read(places[0], most=LARGEST_KEY)
    except FetchError:
        data = transport.read(places[1], most=LARGEST_KEY)
    keys = [key for key in read_keys(data, mail) if any(_names(o, mail) for o in key.owners)]
    if not keys:
        raise BadKey(f"what {domain} publishes for {mail} is a key that does not name that address")
    return armoured(keys)


def _names(owner: str, mail: str) -> bool:
    """Whether an owner's name has a mail address, in angle brackets or alone."""
    found = re.search(r"<([^<>]*)>\s*\Z", owner)
    return (found.group(1) if found else owner).strip().lower() == mail.lower()


def _hashed(local: str) -> str:
    """The name of a mail address's key in its domain's directory: 32 letters of the hash."""
    bits = int.from_bytes(hashlib.sha1(local.encode(), usedforsecurity=False).digest(), "big")
    return "".join(_ALPHABET[bits >> shift & 31] for shift in range(155, -1, -5))
