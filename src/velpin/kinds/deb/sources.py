"""The sources a deb host's files name: `sources.list` and `sources.list.d`, both formats.

One-line form (`*.list`):   deb [option=value ...] ADDRESS SUITE COMPONENT...
Stanza form (`*.sources`):  Types, URIs, Suites, Components and options as fields.

A suite that ends in `/` is a folder with an index of its own (a flat repository) and takes
no components. Entries of one address and suite are one source, at its first mention. What a
host would refuse as a whole is kept in `SourceFiles.errors`; the rest stays readable.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, field, replace
from typing import NamedTuple

from velpin.errors import HostFileError
from velpin.files.text import BLANKS, decode, split_lines, words
from velpin.files.tree import Tree
from velpin.kinds.deb.conf import Conf, is_yes
from velpin.kinds.deb.control import Stanza, read_stanzas, told_twice, whole_text
from velpin.kinds.deb.files import read_and_skipped
from velpin.model.reason import Note, Place
from velpin.model.source import Source

OPTIONS = {
    "architectures": "arch",
    "architectures-add": "arch+",
    "architectures-remove": "arch-",
    "languages": "lang",
    "languages-add": "lang+",
    "languages-remove": "lang-",
    "targets": "target",
    "targets-add": "target+",
    "targets-remove": "target-",
    "pdiffs": "pdiffs",
    "by-hash": "by-hash",
    "allow-insecure": "allow-insecure",
    "allow-weak": "allow-weak",
    "allow-downgrade-to-insecure": "allow-downgrade-to-insecure",
    "trusted": "trusted",
    "signed-by": "signed-by",
    "check-valid-until": "check-valid-until",
    "valid-until-min": "valid-until-min",
    "valid-until-max": "valid-until-max",
    "check-date": "check-date",
    "date-max-future": "date-max-future",
    "inrelease-path": "inrelease-path",
    "snapshot": "snapshot",
    "include": "include",
    "exclude": "exclude",
}
"""Option fields of the stanza form, and their names in the one-line form."""

ADDED = "# Added by velpin."
"""The first line of a source file of Velpin's own."""
ASIDE = "-velpin"
"""What stands behind a source's name in its file's name if others have a file of that name."""
HANDLE_FIELD = "X-Velpin-Handle"
"""Where Velpin once wrote a source's name; now that is its file's name."""
_Wrong = Callable[[str], HostFileError]
"""Makes the error of the line or stanza that is being read."""

_MAIN_FIELDS = {"enabled", "types", "uris", "suites", "components", HANDLE_FIELD.lower()}
_ONE_LINE_OPTIONS = {name for key in OPTIONS.values() for name in (key, key.rstrip("+-"))} | {
    f"{name}{sign}" for name in ("arch", "lang", "target") for sign in "+-"
}
_COMMENTED = re.compile(r"(?a)\s*#+\s*(?=deb(?:-src)?\s+(?:\[|\S+:))")
_WORD = re.compile(r'(?a)(?:[^\s"\[\]]|"[^"]*"|\[[^\]]*\])+')
_LIST_OPTIONS = ("arch", "lang", "target")
_GENERIC = frozenset(
    (
        "any", "apt", "archive", "archives", "binary", "cdn", "deb", "debs", "dist", "dists",
        "dl", "download", "downloads", "files", "ftp", "get", "linux", "mirror", "mirrors",
        "os", "package", "packages", "pkg", "pkgs", "pub", "public", "repo", "repos",
        "repositories", "repository", "software", "stable", "static", "www",
    )
)  # fmt: skip
"""Words in addresses that tell nothing about whose packages they are."""


class SourceEntry(NamedTuple):
    """One line or stanza of a source file, as written."""

    file: str
    line: int
    end: int
    """The line after its last one."""
    form: str
    """`line` or `stanza`."""
    on: bool
    types: tuple[str, ...]
    addresses: tuple[str, ...]
    suites: tuple[str, ...]
    components: tuple[str, ...]
    options: dict[str, str] = {}  # noqa: RUF012
    handle: str = ""

    @property
    def place(self) -> Place:
        """File and first line."""
        return Place(self.file, self.line)


@dataclass(frozen=True, slots=True)
class DebSource(Source):
    """A source of a deb host, with what only this kind knows of it."""

    entries: tuple[SourceEntry, ...] = ()
    flat: bool = False
    archs: tuple[str, ...] = ()
    signed_by: str = ""
    """The `Signed-By` value: paths, fingerprints or a whole key; empty where not named."""
    component_order: tuple[tuple[str, tuple[str, ...]], ...] = ()
    """Each component with the architectures to read for it."""

    def option(self, name: str, default: str = "") -> str:
        """An option of the first entry that gives it."""
        for entry in self.entries:
            if name in entry.options:
                return entry.options[name]
        return default

    def switch(self, name: str, default: bool) -> bool:
        """A yes/no option."""
        return is_yes(self.option(name), default)

    @property
    def trusted(self) -> bool:
        """Taken without any signature, by the administrator's own word."""
        return self.switch("trusted", False)


@dataclass(slots=True)
class SourceFiles:
    """All that the source files of a host say."""

    entries: list[SourceEntry] = field(default_factory=list)
    sources: list[DebSource] = field(default_factory=list)
    """On first, in the order in which the host reads them, then those switched off."""
    notes: list[Note] = field(default_factory=list)
    skipped: list[tuple[str, str]] = field(default_factory=list)
    errors: list[HostFileError] = field(default_factory=list)


def sources_folder(conf: Conf) -> str:
    """The folder of source files."""
    return conf.file("Dir::Etc", "sourceparts", "sources.list.d")


def read_sources(tree: Tree, conf: Conf, archs: tuple[str, ...], distribution: str) -> SourceFiles:
    """Read every source file of the host; `archs` are its architectures, native first."""
    found = SourceFiles()
    main = conf.file("Dir::Etc", "sourcelist", "sources.list")
    folder = sources_folder(conf)
    read, found.skipped = read_and_skipped(tree, folder, ("list", "sources"), bare=False)
    for file in [main, *read]:
        data = tree.read(file)
        if data is not None:
            parse_file(decode(data), file, found)
    found.sources = _joined(found, archs, distribution)
    return found


def parse_file(text: str, file: str, found: SourceFiles) -> None:
    """Add the entries of one file's text, by the format its extension names."""
    entries = _stanza_entries if file.endswith(".sources") else _line_entries
    found.entries += entries(text, file, found)


# -- the one-line form -------------------------------------------------------------------


def _line_entries(text: str, file: str, found: SourceFiles) -> Iterator[SourceEntry]:
    for number, raw in enumerate(split_lines(text), 1):
        line = raw.partition("\0")[0].strip(" \t\r\n")  # where C ends a text
        if line.startswith("#"):
            body = _COMMENTED.sub("", line)
            if body != line:
                try:
                    yield parse_line(body, file, number, on=False)
                except HostFileError:
                    continue
        elif line:
            try:
                entry = parse_line(line, file, number, on=True)
            except HostFileError as problem:
                found.errors.append(problem)
                continue
            for name in entry.options:
                if name not in _ONE_LINE_OPTIONS:
                    found.notes.append(Note(entry.place, f"unknown option {name}"))
            yield entry


def parse_line(line: str, file: str, number: int, *, on: bool) -> SourceEntry:
    """One source in the one-line form; HostFileError says which part is missing."""

    def wrong(what: str) -> HostFileError:
        return HostFileError(file, number, what)

    line = line.strip(BLANKS)
    kind = next(iter(words(line)), "")
    rest = line[len(kind) :].lstrip(BLANKS)
    if kind not in ("deb", "deb-src"):
        raise wrong(f"expected `deb` or `deb-src`, found {kind!r}")
    options: dict[str, str] = {}
    if rest.startswith("["):
        inside, bracket, rest = rest[1:].partition("]")
        if not bracket:
            raise wrong("the [options] have no closing ]")
        if rest and not rest[0].isspace():
            raise wrong("no blank after the [options]")
        options = _read_options(inside, wrong)
    said = [_decoded(word.replace('"', "")) for word in _WORD.findall(rest.split("#")[0])]
    if not said:
        raise wrong("no address")
    if not has_scheme(said[0]):
        raise wrong(f"{said[0]!r} is not an address: it has no scheme such as https:")
    if len(said) == 1:
        raise wrong("no suite after the address")
    _check_components(said[1], tuple(said[2:]), wrong)
    return SourceEntry(
        file, number, number + 1, "line", on, (kind,), (said[0],), (said[1],),
        tuple(said[2:]), options,
    )  # fmt: skip


def _decoded(text: str) -> str:
    if "%" not in text:
        return text
    from urllib.parse import unquote

    return unquote(text)


def _read_options(inside: str, wrong: _Wrong) -> dict[str, str]:
    options: dict[str, str] = {}
    for word in words(inside):
        name, equals, value = word.partition("=")
        if not equals or not value:
            raise wrong(f"option {word!r} is not name=value")
        options[name.lower()] = value
    return options


def has_scheme(address: str) -> bool:
    """Whether a text can be an address at all (RFC 3986, section 3.1)."""
    return re.match(r"[A-Za-z][A-Za-z0-9+.-]*:", address) is not None


def _check_components(suite: str, components: tuple[str, ...], wrong: _Wrong) -> None:
    if suite.endswith("/") and components:
        raise wrong(f"{suite!r} is a folder and takes no components")
    if not suite.endswith("/") and not components:
        raise wrong(f"no component after suite {suite!r}")


# -- the stanza form ---------------------------------------------------------------------


def _stanza_entries(text: str, file: str, found: SourceFiles) -> Iterator[SourceEntry]:
    handle = _own_name(file) if text.startswith(ADDED) else ""
    try:
        text = whole_text(text, file)
    except HostFileError as problem:
        found.errors.append(problem)
    for stanza in read_stanzas(text):
        try:
            entry = parse_entry(stanza, file)
            entry = entry._replace(handle=entry.handle or handle)
        except HostFileError as problem:
            if is_yes(stanza.get("enabled"), True):
                found.errors.append(problem)
            continue
        twice = told_twice(stanza, "entry")
        if twice:
            found.notes.append(Note(Place(file, twice[0]), twice[1]))
        for name, written in stanza.fields.items():
            if name not in _MAIN_FIELDS and name not in OPTIONS:
                found.notes.append(Note(Place(file, written.line), f"unknown field {written.name}"))
        yield entry


def _own_name(file: str) -> str:
    """The name of the sources in a file of Velpin's own."""
    return file.rpartition("/")[2].removesuffix(".sources").removesuffix(ASIDE)


def parse_entry(stanza: Stanza, file: str) -> SourceEntry:
    """One source stanza; HostFileError says which field is missing or wrong."""

    def wrong(what: str, name: str = "") -> HostFileError:
        return HostFileError(file, stanza.line_of(name) if name else stanza.line, what)

    for line, text in stanza.odd:
        raise HostFileError(file, line, f"expected `Field: value`, found {text.strip()!r}")
    types, addresses = stanza.words("types"), stanza.words("uris")
    suites, components = stanza.words("suites"), tuple(stanza.words("components"))
    if not types:
        raise wrong("the stanza has no Types")
    for kind in types:
        if kind not in ("deb", "deb-src"):
            raise wrong(f"Types: expected `deb` or `deb-src`, found {kind!r}", "types")
    if not addresses:
        raise wrong("the stanza has no URIs")
    for address in addresses:
        if not has_scheme(address):
            raise wrong(
                f"URIs: {address!r} is not an address: it has no scheme such as https:", "uris"
            )
    if not suites:
        raise wrong("the stanza has no Suites")
    for suite in suites:
        _check_components(suite, components, lambda what: wrong(what, "suites"))
    return SourceEntry(
        file, stanza.line, stanza.end, "stanza", is_yes(stanza.get("enabled"), True),
        tuple(types), tuple(addresses), tuple(suites), components, _stanza_options(stanza),
        stanza.get(HANDLE_FIELD),
    )  # fmt: skip


def _stanza_options(stanza: Stanza) -> dict[str, str]:
    options = {}
    for name, option in OPTIONS.items():
        if name in stanza.fields:
            value = stanza.get(name)
            listed = option.rstrip("+-") in _LIST_OPTIONS
            options[option] = ",".join(value.split()) if listed else value
    return options


# -- from entries to sources -------------------------------------------------------------


def _joined(found: SourceFiles, archs: tuple[str, ...], distribution: str) -> list[DebSource]:
    groups: dict[tuple[str, str, bool], list[SourceEntry]] = {}
    seen: dict[tuple[str, str, str], SourceEntry] = {}
    for entry in found.entries:
        if "deb" not in entry.types:
            continue
        for address, suite in pairs_of(entry, archs):
            groups.setdefault((address, suite, entry.on), []).append(entry)
            if entry.on:
                _note_twice(entry, address, suite, seen, found)
    for (address, suite, on), entries in list(groups.items()):
        if not on and (address, suite, True) in groups:
            live = {s for entry in groups[address, suite, True] for s in entry.components}
            if all(set(entry.components) <= live and entry.form == "line" for entry in entries):
                del groups[address, suite, on]
    ordered = sorted(groups.items(), key=lambda item: not item[0][2])
    sources = [
        _make_source(address, suite, on, entries, archs, distribution, found)
        for (address, suite, on), entries in ordered
    ]
    return _with_handles(sources)


def pairs_of(entry: SourceEntry, archs: tuple[str, ...]) -> Iterator[tuple[str, str]]:
    """Each address and suite that an entry names, variables put in."""
    native = archs[0] if archs else ""
    for address in entry.addresses:
        whole = address.replace("$(ARCH)", native).rstrip("/")
        for suite in entry.suites:
            yield whole, suite.replace("$(ARCH)", native)


def _note_twice(
    entry: SourceEntry,
    address: str,
    suite: str,
    seen: dict[tuple[str, str, str], SourceEntry],
    found: SourceFiles,
) -> None:
    for component in entry.components or ("",):
        before = seen.setdefault((address, suite, component), entry)
        if before is not entry:
            what = f"{address} {suite} {component}".strip()
            found.notes.append(
                Note(entry.place, f"{what} is listed already at {before.place}", "listed-twice")
            )


def _make_source(
    address: str,
    suite: str,
    on: bool,
    entries: list[SourceEntry],
    archs: tuple[str, ...],
    distribution: str,
    found: SourceFiles,
) -> DebSource:
    flat = suite.endswith("/")
    components: dict[str, dict[str, None]] = {}
    for entry in entries:
        for component in entry.components or ("",):
            components.setdefault(component, {}).update(dict.fromkeys(_archs_of(entry, archs)))
    if on:
        _check_agreement(entries, found)
    return DebSource(
        handle="",
        repository=repository_name(address, distribution),
        address=address,
        release=suite,
        components=tuple(component for component in components if component),
        url=base_url(address, suite),
        on=on,
        places=tuple(dict.fromkeys(entry.place for entry in entries)),
        entries=tuple(entries),
        flat=flat,
        archs=tuple(
            arch for arch in archs if any(arch in wanted for wanted in components.values())
        ),
        signed_by=next((e.options["signed-by"] for e in entries if "signed-by" in e.options), ""),
        component_order=tuple(
            (component, tuple(arch for arch in archs if arch in wanted))
            for component, wanted in components.items()
        ),
    )


def _archs_of(entry: SourceEntry, archs: tuple[str, ...]) -> list[str]:
    wanted = list(archs)
    if "arch" in entry.options:
        wanted = entry.options["arch"].split(",")
    wanted += entry.options.get("arch+", "").split(",")
    dropped = entry.options.get("arch-", "").split(",")
    return [arch for arch in wanted if arch in archs and arch not in dropped]


def _check_agreement(entries: list[SourceEntry], found: SourceFiles) -> None:
    """The host refuses two mentions of a source that disagree on how it is trusted."""
    first = entries[0]
    for other in entries[1:]:
        for name in ("signed-by", "trusted"):
            if first.options.get(name) != other.options.get(name):
                found.errors.append(
                    HostFileError(
                        other.file,
                        other.line,
                        f"says something else of {name} than {first.place} does for this source",
                    )
                )


def base_url(address: str, suite: str) -> str:
    """The repository's base URL: address plus `dists/<suite>`, or the flat folder."""
    if not suite.endswith("/"):
        return f"{address}/dists/{suite}"
    inner = suite.removeprefix("./").strip("/")
    return f"{address}/{inner}" if inner else address


def repository_name(address: str, distribution: str = "") -> str:
    """A short name for an address: its last telling word, made of `a-z 0-9 . + -` only."""
    scheme, _, rest = address.partition(":")
    if scheme.startswith("mirror"):  # a list of mirrors, called after its contents
        rest = re.sub(r"\.(txt|list|mirrors)$", "", rest)
    host, _, path = rest.lstrip("/").partition("/")
    local = not rest.startswith("//") or rest.startswith("///")
    names = [name for name in reversed(([host] if local else []) + path.split("/")) if name]
    core = "" if local else _core_label(host)
    for name in names:
        word = _decoded(name).lower()
        if word in _GENERIC or (word == distribution and core not in ("", word)):
            continue
        return plain_handle(word)
    return plain_handle(core or "local")


def _core_label(host: str) -> str:
    host = host.rpartition("@")[2].partition(":")[0] if not host.startswith("[") else "host"
    labels = host.lower().split(".")
    if all(label.isdigit() for label in labels):
        return host.replace(".", "-")
    telling = [label for label in labels[:-1] or labels if label not in _GENERIC]
    return telling[-1] if telling else labels[0]


def plain_handle(text: str) -> str:
    """A text as a handle: lower case, everything but letters, digits, `.`, `+` folded to `-`."""
    return re.sub(r"[^a-z0-9.+]+", "-", text.lower()).strip("-.") or "source"


def _with_handles(sources: list[DebSource]) -> list[DebSource]:
    shared: dict[str, int] = {}
    for source in sources:
        if not any(entry.handle for entry in source.entries):
            shared[source.repository] = shared.get(source.repository, 0) + 1
    taken: set[str] = set()
    named = []
    for source in sources:
        given = next((entry.handle for entry in source.entries if entry.handle), "")
        several = given and any(len(e.suites) * len(e.addresses) > 1 for e in source.entries)
        handle = plain_handle(given) if given else source.repository
        if (not given and shared[source.repository] > 1) or (several and handle in taken):
            handle = with_release(handle, source.release)
        handle = _free(handle, taken)
        taken.add(handle)
        named.append(replace(source, handle=handle))
    return named


def with_release(handle: str, release: str) -> str:
    """The name of one of several sources of a repository."""
    tail = plain_handle(release) if release.strip("./") else "flat"
    return tail if tail.startswith(handle) else f"{handle}-{tail}"


def _free(handle: str, taken: Iterable[str]) -> str:
    number, found = 2, handle
    while found in taken:
        found, number = f"{handle}-{number}", number + 1
    return found
