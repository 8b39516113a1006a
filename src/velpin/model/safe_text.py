"""What may be shown of texts that came from outside: nothing that steers a terminal or forges a
line or an order of text, and no password.

Everything printed goes through here, at the one place where a screen or a JSON value is written.
"""

from __future__ import annotations

import re

_HIDDEN = (
    "\u00ad\u034f\u061c\u115f\u1160\u17b4\u17b5\u180b-\u180e\u200b-\u200f\u2028-\u202e\u2060-\u206f"
    "\u3164\ufe00-\ufe0f\ufeff\uffa0\ufff0-\uffff\U000e0000-\U000e0fff"
)
"""Characters without a width of their own, and those that turn the order of text."""
_UNSAFE = f"[\\x00-\\x08\\x0a-\\x1f\\x7f-\\x9f{_HIDDEN}]|[\\ud800-\\udfff]"
_LOGIN = r"\A[^/\s\"'<>]{1,512}@"
_PASSWORD = r"""(?imx)^([+\- ]?\s*(?:proxy_)?password\s*=\s*)\S.*$   # a key of a section
      | ^([+\- ]?\s*machine\s.*?\bpassword\s+)\S+           # a login for a machine
    """


def safe(text: str) -> str:
    """A text as it may stand within a line: control and hidden characters as escapes, logins in
    addresses starred."""
    if text.isascii() and text.isprintable():  # most are, and then nothing need be compiled
        return without_logins(text)
    return re.sub(_UNSAFE, lambda found: _escaped(found.group()), without_logins(text))


def safe_json(text: str) -> str:
    """The text of a JSON value, with hidden characters as JSON's own escapes."""
    return re.sub(f"[\\x7f-\\x9f{_HIDDEN}]|[\\ud800-\\udfff]", _json_escaped, text)


def without_logins(text: str) -> str:
    """A text with the name and password of every address in it starred."""
    if "@" not in text or "://" not in text:
        return text
    first, *rest = text.split("://")
    return "://".join((first, *(re.sub(_LOGIN, "***@", part, count=1) for part in rest)))


def without_passwords(text: str) -> str:
    """Lines of a host's file with the passwords in them starred, those in addresses too."""
    return re.sub(_PASSWORD, lambda found: f"{found[1] or found[2]}***", without_logins(text))


def bare_address(url: str) -> str:
    """An address without its login, as it is known by."""
    scheme, mark, rest = url.partition("://")
    host, slash, path = rest.partition("/")
    return f"{scheme}{mark}{host.rpartition('@')[2]}{slash}{path}"


def has_login(url: str) -> bool:
    """Whether an address carries a name or password."""
    return "@" in url.partition("://")[2].partition("/")[0]


def _escaped(char: str) -> str:
    code = ord(char)
    return (
        f"\\x{code:02x}" if code < 256 else f"\\u{code:04x}" if code < 65536 else f"\\U{code:08x}"
    )


def _json_escaped(found: re.Match[str]) -> str:
    code = ord(found.group())
    if code < 65536:
        return f"\\u{code:04x}"
    code -= 65536
    return f"\\u{0xD800 + (code >> 10):04x}\\u{0xDC00 + (code & 0x3FF):04x}"


def grouped(fingerprint: str, size: int = 4) -> str:
    """Return a fingerprint as people compare it, in groups of some digits."""
    return " ".join(fingerprint[at : at + size] for at in range(0, len(fingerprint), size))
