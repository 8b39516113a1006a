"""The host's preference records: which priority a version or a source is given.

One record is one stanza (`Package`, `Pin`, `Pin-Priority`) of `etc/apt/preferences` or of a
file in `preferences.d`. A record for `Package: *` alone is general: it gives sources a priority.
Any other is specific: it gives versions of the named packages a priority. The first record that
matches wins. All rules here are observed on real hosts.

Observed rules: docs/how-hosts-choose/deb.md, "Records".
"""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import lru_cache
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.files.text import decode
from velpin.files.tree import Tree
from velpin.kinds.deb.conf import Conf
from velpin.kinds.deb.control import Stanza, read_stanzas, told_twice, whole_text
from velpin.kinds.deb.files import read_and_skipped
from velpin.model.reason import Note, Place

NEVER = -32768
"""The priority of a source that a general record marks `never`."""

_DIGITS = 10
_NUMBER = re.compile(r"\s*([+-]?\d+)")
_POSIX = {
    "alpha": "a-zA-Z", "digit": "0-9", "alnum": "a-zA-Z0-9", "upper": "A-Z", "lower": "a-z",
    "space": r"\s", "blank": " \t", "punct": r"!-/:-@\[-`{-~", "xdigit": "0-9a-fA-F",
}  # fmt: skip


class Site(NamedTuple):
    """What records can match of one index; `own` marks the host's own record of packages."""

    archive: str | None
    codename: str | None
    origin: str | None
    label: str | None
    version: str | None
    component: str | None
    arch: str | None
    site: str
    own: bool = False


OWN_RECORD = Site("now", None, None, None, None, "now", None, "", own=True)


class Pin(NamedTuple):
    """The selecting half of a record: by release fields, by origin, or by version."""

    kind: str
    text: str
    fields: tuple[tuple[str, str], ...] = ()

    def selects_site(self, site: Site) -> bool:
        """Whether an index is selected (never by a version pin)."""
        if self.kind == "origin":
            return _origin_selects(self.text, site)
        return self.kind == "release" and _release_selects(self, site)

    def selects_version(self, version: str, source_version: str = "") -> bool:
        """Whether a version text is selected (only by a version pin), or that of the source
        package it is built from."""
        if self.kind == "source-version":
            return version_matches(self.text, source_version)
        return self.kind == "version" and version_matches(self.text, version)


class Record(NamedTuple):
    """One preference record; `names` is empty for a general one."""

    place: Place
    order: int
    names: tuple[str, ...]
    pin: Pin
    priority: int

    @property
    def general(self) -> bool:
        """Whether it mentions sources rather than packages."""
        return not self.names


@dataclass(slots=True)
class Preferences:
    """All records of a host in the order in which they are tried."""

    records: list[Record] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)
    skipped: list[tuple[str, str]] = field(default_factory=list)
    source_versions: bool = False
    """Whether a pin may name the version of a source package."""
    error: HostFileError | None = None
    """Set where the host refuses every request because of one record."""

    @property
    def by_source_version(self) -> bool:
        """Whether some record asks for versions of source packages."""
        return any(record.pin.kind == "source-version" for record in self.records)

    @property
    def general(self) -> list[Record]:
        """Records that give sources a priority."""
        return [record for record in self.records if record.general]

    def matcher(self, native: str) -> Matcher:
        """What finds the records that name a package; general ones name none."""
        return Matcher(self.records, native)


def read_preferences(tree: Tree, conf: Conf, *, source_versions: bool = False) -> Preferences:
    """Read both places; a record that the host cannot read is kept as `error`.

    `source_versions`: a pin may name the version of a source package.
    """
    found = Preferences(source_versions=source_versions)
    main = conf.file("Dir::Etc", "preferences", "preferences")
    folder = conf.file("Dir::Etc", "preferencesparts", "preferences.d")
    read, found.skipped = read_and_skipped(tree, folder, ("pref",), bare=True)
    for file in [main, *read]:
        data = tree.read(file)
        if data is None:
            continue
        try:
            parse_preferences(decode(data), file, found)
        except HostFileError as problem:
            found.error = found.error or problem
    return found


def parse_preferences(text: str, file: str, found: Preferences) -> None:
    """Add one file's records; HostFileError where the host would refuse every request."""
    for stanza in read_stanzas(whole_text(text, file)):
        names = stanza.words("package")
        if not names:
            raise HostFileError(file, stanza.line, "a preference record without Package")
        for line, odd in stanza.odd:
            found.notes.append(Note(Place(file, line), f"not understood: {odd.strip()!r}"))
        twice = told_twice(stanza, "record")
        if twice:
            found.notes.append(Note(Place(file, twice[0]), twice[1]))
        pin = _read_pin(stanza, file, found)
        if pin is None:
            continue
        general = names == ["*"]
        priority = _read_priority(stanza, file, general=general)
        if general and pin.kind in ("version", "source-version"):
            place = Place(file, stanza.line)
            found.notes.append(Note(place, "a version for all packages has no effect"))
            continue
        found.records.append(
            Record(
                Place(file, stanza.line),
                len(found.records),
                () if general else tuple(names),
                pin,
                priority,
            )
        )


def _read_pin(stanza: Stanza, file: str, found: Preferences) -> Pin | None:
    place = Place(file, stanza.line_of("pin"))
    kind, _, rest = " ".join(stanza.get("pin").split()).partition(" ")
    if kind.lower() == "release":
        return release_pin(rest.strip())
    if kind.lower() == "origin":
        return Pin("origin", rest.strip().strip('"'))
    if kind.lower() == "version" or (kind.lower() == "source-version" and found.source_versions):
        return Pin(kind.lower(), rest.strip())
    what = f"unknown kind of pin {kind!r}" if kind else "a record without Pin"
    found.notes.append(Note(place, f"{what}: it has no effect"))
    return None


def _read_priority(stanza: Stanza, file: str, *, general: bool) -> int:
    text, line = stanza.get("pin-priority"), stanza.line_of("pin-priority")
    if text == "never":
        if general:
            return NEVER
        raise HostFileError(file, line, "Pin-Priority: never goes with `Package: *` only")
    found = _NUMBER.match(text)
    priority = int(found.group(1)[:_DIGITS]) if found else 0
    if not -32768 <= priority <= 32767:
        raise HostFileError(file, line, f"Pin-Priority {text} is beyond -32768 to 32767")
    if priority == 0:
        what = (
            f"Pin-Priority {text!r} is not a priority" if text and not found else "Pin-Priority 0"
        )
        raise HostFileError(file, line, what if text else "a record without Pin-Priority")
    return max(priority, NEVER + 1)


# -- selecting ---------------------------------------------------------------------------


def release_pin(text: str) -> Pin:
    """A release pin, also the text of a target release; unusable parts are left out."""
    if text == "*":
        return Pin("release", text, (("*", "*"),))
    if "=" not in text:
        if not text:
            return Pin("release", text)
        key = "v" if text[0].isdigit() else "?"
        return Pin("release", text, _usable([(key, text)]))
    parts = [part.lstrip() for part in text.split(",")]
    pairs = [(part[0], part[2:]) for part in parts if len(part) >= 3 and part[1] == "="]
    return Pin("release", text, _usable([pair for pair in pairs if pair[0] in "anolvcb"]))


def _usable(pairs: list[tuple[str, str]]) -> tuple[tuple[str, str], ...]:
    return tuple(pair for pair in pairs if pair != ("v", "*"))


def _release_selects(pin: Pin, site: Site) -> bool:
    if not pin.fields:
        return site.own
    for key, wanted in pin.fields:
        if key == "*":
            continue
        if key == "?":
            if not any(expression_matches(wanted, had) for had in (site.archive, site.codename)):
                return False
            continue
        had = {
            "a": site.archive, "n": site.codename, "o": site.origin, "l": site.label,
            "v": site.version, "c": site.component, "b": site.arch,
        }[key]  # fmt: skip
        matches = version_matches if key == "v" else expression_matches
        if not matches(wanted, had):
            return False
    return True


def _origin_selects(wanted: str, site: Site) -> bool:
    if site.own:
        return False
    if not wanted:
        return not site.site
    return expression_matches(wanted, site.site)


def expression_matches(wanted: str, had: str | None) -> bool:
    """Whole text, `* ? [..]` pattern or `/regex/`, letter case ignored; a missing text never."""
    if had is None:
        return False
    return expression(wanted)(had)


def version_matches(wanted: str, had: str | None) -> bool:
    """A version text: one that ends in `*` is taken as a plain beginning, or, without that
    star, as a whole-text pattern (so `*2*` fits only versions that end in 2; observed)."""
    if had is None or not wanted.endswith("*"):
        return expression_matches(wanted, had)
    rest = wanted[:-1]
    return had.lower().startswith(rest.lower()) or expression_matches(rest, had)


@lru_cache(maxsize=4096)
def expression(wanted: str) -> Callable[[str], bool]:
    """What tells whether a text is meant by `expression_matches`, for many texts."""
    if len(wanted) > 1 and wanted[0] == "/" and wanted[-1] == "/":
        found = _regex(wanted[1:-1])
        return (lambda had: found.search(had) is not None) if found else (lambda had: False)
    if not re.search(r"[*?\[]", wanted):
        plain = wanted.lower()
        return lambda had: had.lower() == plain
    pattern = re.compile(fnmatch.translate(wanted.replace("[^", "[!")), re.IGNORECASE)
    return lambda had: pattern.match(had) is not None


def _regex(text: str) -> re.Pattern[str] | None:
    for name, inside in _POSIX.items():
        text = text.replace(f"[:{name}:]", inside)
    try:
        return re.compile(text, re.IGNORECASE)
    except re.error:
        return None


# -- from package names to records -------------------------------------------------------


def is_pattern(name: str) -> bool:
    """Whether a name in a record is a pattern or a regular expression."""
    return bool(re.search(r"[*?\[]", name)) or (
        len(name) > 1 and name[0] == "/" and name[-1] == "/"
    )


class _Named(NamedTuple):
    """One name of one record, taken apart."""

    record: Record
    means: Callable[[str], bool]
    """Tells of a name, or of a source package's name, whether it is meant."""
    arch: str
    source: bool


class Matcher:
    """Finds the specific records that may mention a package, in order."""

    def __init__(self, records: list[Record], native: str) -> None:
        self._native = native
        self._exact: dict[str, list[_Named]] = {}
        self._patterns: list[_Named] = []
        for record in records:
            for text in record.names:
                name, arch, source = take_apart(text)
                means = expression(name) if is_pattern(name) else name.__eq__
                named = _Named(record, means, arch, source)
                if source or is_pattern(name):
                    self._patterns.append(named)
                else:
                    self._exact.setdefault(name, []).append(named)

    def records_of(self, name: str, arch: str, built_from: str) -> list[Record]:
        """Records naming this package, its architecture and its source package, in order."""
        named = [
            named
            for named in self._exact.get(name, [])
            if self._covers(named.arch, arch)
        ]  # fmt: skip
        for pattern in self._patterns:
            subject = built_from if pattern.source else name
            if self._covers(pattern.arch, arch) and pattern.means(subject):
                named.append(pattern)
        found = {match.record.order: match.record for match in named}
        return [found[order] for order in sorted(found)]

    def _covers(self, asked: str, arch: str) -> bool:
        if not asked:
            return arch == self._native
        return arch_matches(asked, arch)


@lru_cache(maxsize=1024)
def arch_matches(wanted: str, arch: str) -> bool:
    """Whether an architecture is one that a pattern means: `any`, a shell pattern, or system
    and processor of which either may be `any` (`linux-any`) (observed)."""
    if wanted == "any" or fnmatch.fnmatchcase(arch, wanted):
        return True
    system, dash, processor = wanted.partition("-")
    if not dash:
        return False
    own_system, own_dash, own = arch.partition("-")
    own_system, own = (own_system, own) if own_dash else ("linux", arch)
    return system in ("any", own_system) and processor in ("any", own)


def name_matches(wanted: str, name: str) -> bool:
    """Whether a name or pattern of a record means a package or source package."""
    if is_pattern(wanted):
        return expression_matches(wanted, name)
    return wanted == name


def take_apart(text: str) -> tuple[str, str, bool]:
    """A name in a record: the name or pattern, the architecture (or `any`, or empty), and
    whether it means the binaries of a source package."""
    source = text.startswith("src:")
    rest = text[4:] if source else text
    name, arch = rest, ""
    if not (len(rest) > 1 and rest[0] == "/" and rest[-1] == "/") and ":" in rest:
        name, _, arch = rest.rpartition(":")
    return name, arch, source
