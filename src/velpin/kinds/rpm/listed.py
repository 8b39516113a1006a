"""One package of a main list, and how its XML element is read."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.files.text import whole_number
from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.namespaces import implied_supplements, todays_form

if TYPE_CHECKING:
    from xml.etree.ElementTree import Element

COMMON = "{http://linux.duke.edu/metadata/common}"
RPM = "{http://linux.duke.edu/metadata/rpm}"
_RELATIONS = {
    f"{RPM}provides": RpmLink.PROVIDES,
    f"{RPM}requires": RpmLink.REQUIRES,
    f"{RPM}conflicts": RpmLink.CONFLICTS,
    f"{RPM}obsoletes": RpmLink.OBSOLETES,
    f"{RPM}recommends": RpmLink.RECOMMENDS,
    f"{RPM}suggests": RpmLink.SUGGESTS,
    f"{RPM}supplements": RpmLink.SUPPLEMENTS,
    f"{RPM}enhances": RpmLink.ENHANCES,
}
_TEXTS = {
    f"{COMMON}name": "name",
    f"{COMMON}arch": "arch",
    f"{COMMON}summary": "summary",
    f"{RPM}vendor": "vendor",
    f"{RPM}sourcerpm": "source",
}
FORMAT, _VERSION, LOCATION, _FILE = (
    f"{COMMON}{name}" for name in ("format", "version", "location", "file")
)
_NUMBERS = {
    f"{COMMON}time": (("build", "built"),),
    f"{COMMON}size": (("package", "size"), ("installed", "installed")),
}
_CHANGED_FORMS = (RpmLink.SUPPLEMENTS, RpmLink.CONFLICTS)
"""Kinds of relation whose text may be in a form of former days."""
FLAGS = {"EQ": "=", "LT": "<", "GT": ">", "LE": "<=", "GE": ">="}
"""How a list writes comparisons, and how relations have them."""
BUILT_INTO = "rpmlib("
"""What the installer itself provides begins so."""


class ListedPackage:
    """What a list says of one package; numbers are kept as texts, `0` if they are none."""

    __slots__ = (
        "arch", "built", "files", "installed", "location", "name", "relations", "size", "source",
        "summary", "vendor", "version",
    )  # fmt: skip

    def __init__(self) -> None:
        self.name = self.arch = self.version = self.summary = ""
        self.vendor = self.source = self.location = ""
        self.size = self.installed = self.built = "0"
        self.relations: dict[str, dict[str, None]] = {}
        self.files: list[str] = []

    @property
    def head(self) -> tuple[str, ...]:
        """The first line of what is kept of it (see `entry`)."""
        return self.vendor, self.location, self.size, self.installed, self.built, self.source

    def add(self, kind: RpmLink, found: dict[str, None]) -> None:
        """Take in relations of a kind, in the form of today."""
        relations = self.relations
        if kind in _CHANGED_FORMS:
            found = {todays_form(kind, text): None for text in found}
        known = relations.get(kind)
        if known is None:
            relations[kind] = known = found
        else:
            known |= found
        if kind == RpmLink.PROVIDES:
            for text in implied_supplements(known):
                relations.setdefault(RpmLink.SUPPLEMENTS, {})[text] = None


def read_element(element: Element) -> ListedPackage:
    """Return the package of an element, read in one pass."""
    found = ListedPackage()
    for child in element:
        tag = child.tag
        name = _TEXTS.get(tag)
        if name is not None:
            setattr(found, name, clean(child.text))
        elif tag == FORMAT:
            _read_format(found, child)
        elif tag == _VERSION:
            found.version = evr_of(child)
        elif tag == LOCATION:
            found.location = clean(child.get("href"))
        elif tag in _NUMBERS:
            for attribute, name in _NUMBERS[tag]:
                setattr(found, name, number(child.get(attribute)))
    return found


def _read_format(found: ListedPackage, element: Element) -> None:
    for part in element:
        tag = part.tag
        kind = _RELATIONS.get(tag)
        if kind is not None:
            found.add(kind, _relations(part))
        elif tag == _FILE:
            found.files.append(clean(part.text))
        elif tag in _TEXTS:
            setattr(found, _TEXTS[tag], clean(part.text))


def _relations(part: Element) -> dict[str, None]:
    found: dict[str, None] = {}
    for element in part:
        name = element.get("name") or ""
        if "\t" in name or "\n" in name:
            name = clean(name)
        if name.startswith(BUILT_INTO):
            continue
        flags = FLAGS.get(element.get("flags", ""))
        if flags is not None:
            version = evr_of(element)
            found[f"{name} {flags} {version}" if version else name] = None
        else:
            found[name] = None
    return found


def evr_of(element: Element) -> str:
    """The version that an element says, with its epoch if it is not 0."""
    get = element.get
    return evr(get("epoch") or "", get("ver") or "", get("rel") or "")


def evr(epoch: str, version: str, release: str) -> str:
    """A version of its parts, with its epoch if it is not 0."""
    text = f"{version}-{release}" if release else version
    return text if not epoch or epoch == "0" else f"{epoch}:{text}"


def number(text: str | None) -> str:
    """A number as it is kept."""
    return text if text and whole_number(text) is not None else "0"


def clean(text: str | None) -> str:
    """A text in one line."""
    if text and ("\t" in text or "\n" in text):
        return " ".join(text.split())
    return text or ""
