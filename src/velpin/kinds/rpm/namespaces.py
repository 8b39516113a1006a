"""Relations that say more than their text: the forms older than joined relations (observed).

    Supplements: packageand(a:b)      goes along with a and b together
    Conflicts: otherproviders(x)      with whatever else provides x
    Provides: locale(a:de;fr)         goes along with a where de or fr is wanted here (zypp)
    Provides: a:/usr/bin/x            was split off: comes when a version of a with that file
                                      is replaced (zypp)

They are put into today's form when a list is read, so that nothing else has to know of them.
What only the host itself can meet stands there as `wanted-locale(de)` and
`split-from(a:/usr/bin/x)`; a host that does not know of such things never meets them.

Observed rules: docs/how-hosts-choose/rpm.md, "Older forms of relations".
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator

from velpin.kinds.rpm.entry import RpmLink

_PART = re.compile(r"[^:()]+(?:\([^()]*\))?")
_LOCALE = re.compile(r"locale\(([^:()\s]+):([^:()\s]+)\)$")
_SPLIT = re.compile(r"([^:/()\s]+):(/[^()\s]+)$")
_WANTED, _FROM = "wanted-locale(", "split-from("


def todays_form(kind: RpmLink, text: str) -> str:
    """A relation of a kind in the form that is read everywhere."""
    if kind == RpmLink.SUPPLEMENTS and text.startswith("packageand(") and text.endswith(")"):
        parts = _PART.findall(text[len("packageand(") : -1])
        return f"({' and '.join(parts)})" if len(parts) > 1 else text
    if kind == RpmLink.CONFLICTS and text.startswith("otherproviders("):
        return text[len("otherproviders(") :].removesuffix(")")
    return text


def implied_supplements(provides: Iterable[str]) -> Iterator[str]:
    """What a package goes along with because of what it provides."""
    for text in provides:
        if text.startswith("locale("):
            found = _LOCALE.match(text)
            if found and (codes := [code for code in found[2].split(";") if code]):
                wanted = [f"{_WANTED}{code})" for code in codes]
                either = f"({' or '.join(wanted)})" if len(wanted) > 1 else wanted[0]
                yield f"({found[1]} and {either})"
        elif ":/" in text:
            found = _SPLIT.match(text)
            if found:
                yield f"({found[1]} and {_FROM}{text}))"


def wanted_locales(requested: Iterable[str]) -> frozenset[str]:
    """What a host meets where these locales are requested: each as it is and by its language
    alone, except that of Brazil; and English, where any is."""
    codes: set[str] = set()
    for text in requested:
        code = re.split("[.@]", text, maxsplit=1)[0]
        codes.update((code, "en"))
        if code != "pt_BR":
            codes.add(code.partition("_")[0])
    return frozenset(f"{_WANTED}{code})" for code in codes)


def says_split(text: str) -> bool:
    """Whether a relation says that something was split off from a package."""
    return _FROM in text


def split_from(name: str) -> tuple[str, str] | None:
    """Package and file that a capability says something was split off from."""
    if not name.startswith(_FROM):
        return None
    package, _, path = name[len(_FROM) : -1].partition(":")
    return package, path
