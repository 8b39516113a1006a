"""Packages of a main list in the form in which the usual tool writes them, read without XML.

Parsing the list of a distribution as XML takes most of the time of its first reading. Nearly all of
them come from one tool and have one form: each element has its place, each attribute too. Text that
is wholly of that form is read by regular expressions, whose patterns leave room for nothing that
XML would read in another way; anything else is for the XML parser. Both must give the same
(tests/test_usual_form.py).
"""

from __future__ import annotations

import re
from collections.abc import Sequence

from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.listed import BUILT_INTO, FLAGS, ListedPackage, clean, evr

_ROOT = re.compile(
    rb'<metadata xmlns="http://linux\.duke\.edu/metadata/common"'
    rb' xmlns:rpm="http://linux\.duke\.edu/metadata/rpm"(?: packages="[0-9]*")?>'
)
_CONTROL = bytes({*range(0x20), 0x7F} - {0x09, 0x0A})
_FOREIGN = (b"]]>", b"\xef\xbf\xbe", b"\xef\xbf\xbf")
_REFERENCES = (
    ("&lt;", "<"), ("&gt;", ">"), ("&quot;", '"'), ("&apos;", "'"), ("&amp;", "&"),
)  # fmt: skip
"""The ampersand's last: what it gives is not read again."""
_TEXT, _VALUE, _NUMBER = "[^<]*+", '"[^"<\t\n]*+"', "[0-9]{1,18}+"
_RELATION = "provides|requires|conflicts|obsoletes|suggests|enhances|recommends|supplements"


def _pattern(text: str) -> re.Pattern[str]:
    """A pattern with blanks between its parts, written T for a text, V for a value in quotes and N
    for a number in quotes; a comma stands for the space between elements."""
    parts = {
        "T": _TEXT, "(T)": f"({_TEXT})", "V": _VALUE, "(V)": '"([^"<\t\n]*+)"',
        "N": f'"{_NUMBER}"', "(N)": f'"({_NUMBER})"', ",": r"[ \n]*+",
    }  # fmt: skip
    return re.compile("".join(parts.get(part, part.replace("_", " ")) for part in text.split()))


_HEAD = (
    ", <package_type=\"rpm\"> , <name> (T) </name> , <arch> (T) </arch> ,"
    " <version_epoch= (V) _ver= (V) _rel= (V) /> ,"
    " <checksum_type= V _pkgid=\"YES\"> T </checksum> , <summary> (T) </summary> ,"
    " <description> T </description> , <packager> T </packager> , <url> T </url> ,"
    " <time_file= V _build= (N) /> , <size_package= (N) _installed= (N) _archive= V /> ,"
    " <location_href= (V) /> , <format> , (?: <rpm:license> T </rpm:license> , | <rpm:license/> , )"
    " (?: <rpm:vendor> (T) </rpm:vendor> , | <rpm:vendor/> , )"
    " (?: <rpm:group> T </rpm:group> , | <rpm:group/> , )?+"
    " (?: <rpm:buildhost> T </rpm:buildhost> , | <rpm:buildhost/> , )?+"
    " (?: <rpm:sourcerpm> (T) </rpm:sourcerpm> , | <rpm:sourcerpm/> , )"
    " (?: <rpm:header-range_start= V _end= V /> , )?+"
)  # fmt: skip
_ENTRY = (
    '<rpm:entry_name= (V) (?: _flags="(EQ|LT|GT|LE|GE)" _epoch= (V) _ver= (V) (?: _rel= (V) )?+'
    ' )?+ (?: _pre="1" )?+ /> ,'
)
_FILE = '<file (?: _type="(?:dir|ghost)" )?+ > (T) </file> ,'


_HEADS, _ENTRIES, _FILES = _pattern(_HEAD), _pattern(_ENTRY), _pattern(_FILE)
_SECTIONS = re.compile(rf"<rpm:({_RELATION})>([^<]*+(?:<rpm:entry [^<]*+)*+)</rpm:\1>")
_END = "</format>"
_KINDS = {link.name.lower(): link for link in RpmLink}


def packages_in(root: bytes, text: bytes) -> list[ListedPackage] | None:
    """Return the packages of a piece of a list, given the start tag of the whole; None if the piece
    is not wholly of the usual form."""
    if not _ROOT.fullmatch(root) or _has_foreign(text):
        return None
    try:
        whole = text.decode()
    except UnicodeDecodeError:
        return None
    *packages, rest = whole.split("</package>")
    found = list(map(_package, packages))
    return None if None in found or rest.strip(" \n") else found  # type: ignore[return-value]


def _has_foreign(text: bytes) -> bool:
    """Whether something is in a text that XML forbids or changes: control characters, ends of
    lines of other systems, references beside the five."""
    if len(text.translate(None, _CONTROL)) < len(text) or any(each in text for each in _FOREIGN):
        return True
    known = sum(text.count(name.encode()) for name, _ in _REFERENCES) if b"&" in text else 0
    return text.count(b"&") > known


def _package(text: str) -> ListedPackage | None:
    """The package of a text; None if the text is not wholly of the usual form.

    Every `<` of it must belong to something that was understood. What else stands between elements
    has no meaning in a list.
    """
    head = _HEADS.match(text)
    if head is None or not text.endswith((_END, _END + "\n")):
        return None
    found = ListedPackage()
    has_references = "&" in text
    (
        found.name, found.arch, epoch, version, release, found.summary, found.built, found.size,
        found.installed, found.location, found.vendor, found.source,
    ) = _plain(head.groups(""), has_references=has_references)  # fmt: skip
    found.version = evr(epoch, version, release)
    at = head.end()
    marks = 1
    for section, body in _SECTIONS.findall(text, at):
        entries = _ENTRIES.findall(body)
        marks += 2 + len(entries)
        if has_references:
            entries = [tuple(map(_resolved, entry)) for entry in entries]
        found.add(_KINDS[section], _relations(entries))
    files = text.find("<file", at)
    if files >= 0:
        found.files = _plain(_FILES.findall(text, files), has_references=has_references)
        marks += 2 * len(found.files)
    return found if text.count("<", at) == marks else None


def _plain(texts: Sequence[str], *, has_references: bool) -> list[str]:
    """Texts in one line each, as XML gives them."""
    if has_references:
        texts = list(map(_resolved, texts))
    joined = "".join(texts)
    return list(map(clean, texts)) if "\n" in joined or "\t" in joined else list(texts)


def _relations(entries: Sequence[Sequence[str]]) -> dict[str, None]:
    found: dict[str, None] = {}
    for name, flags, epoch, version, release in entries:
        if name.startswith(BUILT_INTO):
            continue
        if flags:
            full = evr(epoch, version, release)
            found[f"{name} {FLAGS[flags]} {full}" if full else name] = None
        else:
            found[name] = None
    return found


def _resolved(text: str) -> str:
    """A text with its references in place of which XML puts a character."""
    for name, character in _REFERENCES:
        text = text.replace(name, character)
    return text
