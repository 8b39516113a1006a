"""What a checkup asks of an rpm host of either layout, and the checks that only these have.

Observed rules: docs/how-hosts-choose/rpm.md, docs/how-hosts-choose/signatures.md.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import partial
from itertools import islice
from urllib.parse import unquote, urlsplit

from velpin.change.plan import Plan
from velpin.core.adapter import Adapter
from velpin.core.checkup.examination import Check, Draft, Examination, Mend, note_of
from velpin.core.checkup.facts import KindFacts
from velpin.core.checkup.mends import nothing_for, switching_off
from velpin.core.checkup.next_release import NextRelease
from velpin.core.name_search import nearest
from velpin.core.publisher import archive_addresses
from velpin.errors import FetchError, HostFileError, StoreError, TrustError
from velpin.fetch.download import Transport
from velpin.files.text import HostText
from velpin.kinds.rpm.adapter import RpmAdapter
from velpin.kinds.rpm.edit import with_value
from velpin.kinds.rpm.entry import read_facts
from velpin.kinds.rpm.ini import read_sections
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.trust import CHECKS, OWN_FOLDER, named_keys, ring
from velpin.kinds.rpm.variables import unknown_in
from velpin.model.reason import Place, Reason
from velpin.model.safe_text import has_login
from velpin.model.source import Source
from velpin.ports.packages import Installed
from velpin.trust.named import NamedKeys
from velpin.trust.openpgp import Key, read_sound_keys

_SAMPLE = 60
_PUT_TOGETHER = re.compile(r"\.([a-z]{1,10})(\d{1,3})(?:[._]\d+)*(?:\.|\Z)")
"""How releases of packages end that tell what they were built for: letters and a number."""
_SOURCE_RPM = re.compile(r"(.+)-([^-]+-[^-]+)\.(?:no)?src\.rpm\Z")
RELEASE_NUMBER = re.compile(r"(?<=/)(\d+(?:\.\d+)?)(?=/|\Z)")


class RpmCheckupFacts(KindFacts):
    """One rpm host as a checkup asks it."""

    host: RpmAdapter
    other_endings = (".list", ".sources")

    def __init__(self, host: RpmAdapter) -> None:
        self.host = host

    def own_checks(self) -> Sequence[Check]:
        """Keys that are not named, sections that stand twice, other releases, types not read."""
        return (
            check_unnamed, check_twice, check_variables, check_releases, check_archs, check_gone,
            check_types,
        )  # fmt: skip

    # -- trust -------------------------------------------------------------------------------

    def keys_of(self, source: Source) -> NamedKeys:
        """The keys its section names, else those of the host's ring."""
        return named_keys(self.host, self.host.source(source.handle))

    def index_signers(self, source: Source) -> Sequence[str]:
        """Who signed the index that Velpin fetched; a key that an address merely offers is left
        out, since nobody on this host has taken it yet."""
        fetched = self.host.copies[source.handle].fetched
        if fetched is None:
            return ()
        return [key for key in fetched.signed_by if key not in fetched.offered]

    def package_signers(self, source: Source) -> Sequence[str]:
        """Who signed the few packages that were looked at."""
        fetched = self.host.copies[source.handle].fetched
        if fetched is None:
            return ()
        return [key for key in fetched.packages_signed_by if key not in fetched.offered]

    def is_checked(self, source: Source) -> bool:
        """Its index or its packages."""
        mine = self.host.source(source.handle)
        return mine.signed_index or mine.signed_packages

    def check_mends(self, source: Source, reason: Reason) -> Sequence[Mend]:
        """To take out the key that switches the check off, else to set it, where there are keys
        to check with."""
        names = [key for key, code in CHECKS.items() if code == reason.code]
        if reason.code in ("plain-way", "plain-index"):
            names = ["repo_gpgcheck", "gpgcheck"]
        section = self.host.source(source.handle).section
        said = [name for name in names if name in section]
        make = partial(_checked_again, source.handle, said or names[:1], reason.code)
        return [Mend("", make, is_choice=reason.code != "check-off-packages")]

    def place_of_check(self, source: Source, reason: Reason) -> Place:
        """The line of the section that switches it off."""
        mine = self.host.source(source.handle)
        for key, code in CHECKS.items():
            found = mine.section.find(key)
            if found is not None and code == reason.code:
                return Place(found.file or mine.file, found.line)
        return source.places[0]

    def key_files(self) -> Sequence[str]:
        """Those of the folder for keys, and those that sections name."""
        tree = self.host.tree
        found = [f"{OWN_FOLDER}/{name}" for name in tree.names(OWN_FOLDER)]
        for source in self.host.sources:
            found += [unquote(urlsplit(address).path).lstrip("/") for address in source.keys
                      if address.startswith(("file:", "/"))]  # fmt: skip
        return [file for file in dict.fromkeys(found) if tree.stat(file) is not None]

    def key_addresses(self, source: Source) -> Sequence[str]:
        """As its section names them."""
        mine = self.host.source(source.handle)
        return [key for key in mine.keys if key.startswith(("http://", "https://"))]

    def login_files(self) -> Sequence[str]:
        """Files with a section that holds a password, and the installer's own of them."""
        tree = self.host.tree
        found = [
            source.file
            for source in self.host.sources
            if source.section.get("password") or any(map(has_login, (*source.urls, source.mirrors)))
        ]
        folder = "etc/zypp/credentials.d"
        found += [f"{folder}/{name}" for name in tree.names(folder)]
        return found

    def own_files(self) -> Sequence[str]:
        """Files of sections, of locks, and of variables."""
        host = self.host
        found = [*host.section_files, *host.line_files, *(s.file for s in host.sources)]
        for folder in (host.sources_folder, "etc/dnf/vars", "etc/yum/vars", "etc/zypp/vars.d",
                       "etc/zypp/vendors.d"):  # fmt: skip
            found += [f"{folder}/{name}" for name in host.tree.names(folder)]
        found += ["etc/zypp/zypp.conf", "etc/zypp/locks"]
        return [file for file in dict.fromkeys(found) if host.tree.stat(file) is not None]

    # -- sources -----------------------------------------------------------------------------

    def publisher_of(self, source: Source) -> str:
        """The vendor its packages name, else the domain of its address."""
        for facts in self.sample(source, 1):
            if facts.vendor:
                return facts.vendor
        return super().publisher_of(source)

    def sample(self, source: Source, most: int = _SAMPLE) -> Iterator[_Sampled]:
        """Some of a source's packages; none where it cannot be read."""
        try:
            for index in self.host.indexes_of(source.handle):
                for row in islice(index.all_rows(), most):
                    facts = read_facts(index.text(row))
                    yield _Sampled(facts.vendor, row.version, row.arch)
        except (HostFileError, StoreError):
            return

    def installer_looked_at(self, source: Source) -> float | None:
        """The newest change among its copies: it touches them whenever it has looked."""
        tree = self.host.tree
        times = []
        for folder in self.host.copy_folders(self.host.source(source.handle)):
            for name in ("repodata/repomd.xml", "cookie", "."):
                try:
                    times.append(tree.path(f"{folder}/{name}").stat().st_mtime)
                except OSError:
                    continue
        return max(times, default=None)

    def catalog_fields(self, source: Source) -> Mapping[str, object]:
        """Whether its index is signed."""
        return {"signed_index": True} if self.host.source(source.handle).signed_index else {}

    def moves_to(self, release: str, transport: Transport) -> NextRelease:
        """The release variable, and addresses with that number in the place of this one's."""
        from velpin.kinds.rpm.next_release import moves_to

        return moves_to(self.host, release)

    # -- packages ----------------------------------------------------------------------------

    def set_of(self, here: Installed) -> tuple[str, str] | None:
        """The source package it was built from."""
        for package in self.host.pool.installed(here.name):
            if (package.arch, package.version) == (here.arch, here.version):
                found = _SOURCE_RPM.fullmatch(package.facts.source)
                return (found.group(1), found.group(2)) if found else None
        return None

    def half_installed(self) -> Iterable[tuple[str, str]]:
        """Packages of which two versions stand that may not: an upgrade was interrupted."""
        multiple = self.host.solver_options.multiple
        seen: dict[tuple[str, str], str] = {}
        for package in self.host.pool.all_installed():
            key = (package.name, package.arch)
            provided = {package.name, *(p.name for p in package.provides)}
            if key in seen and seen[key] != package.version and not provided & multiple:
                yield package.name, f"{seen[key]} and {package.version}"
            seen[key] = package.version


class _Sampled:
    """One of a source's packages, as far as a checkup asks."""

    __slots__ = ("arch", "vendor", "version")

    def __init__(self, vendor: str, version: str, arch: str) -> None:
        self.vendor, self.version, self.arch = vendor, version, arch


def _facts(check: Examination) -> RpmCheckupFacts:
    assert isinstance(check.facts, RpmCheckupFacts)
    return check.facts


def _adapter(host: Adapter[Source]) -> RpmAdapter:
    assert isinstance(host, RpmAdapter)
    return host


def _checked_again(handle: str, keys: Sequence[str], code: str, given: Adapter[Source]) -> Plan:
    host = _adapter(given)
    source = host.source(handle)
    plan = Plan("", f"check {handle} again ({', '.join(keys)})")
    edits: dict[str, bytes | None] = {}
    for key in keys:
        file = source.file_of(key)
        data = edits.get(file) or host.tree.read(file) or b""
        edits[file] = with_value(data, file, handle, key, "1")
    plan.propose(host.tree, edits)
    after = host.with_edits(edits)
    if code in ("check-off-packages", "check-off-index", "plain-way", "plain-index"):
        named = named_keys(after, after.source(handle))
        if not any(key.is_usable(_now()) for key in named.keys):
            raise TrustError(f"no key here signs {handle}")
    return plan


def _now() -> float:
    import time

    return time.time()


def check_unnamed(check: Examination) -> Iterator[Draft]:
    """Sources whose signatures are checked and that name no key."""
    facts = _facts(check)
    for source in facts.host.sources:
        if not source.on or source.keys or not facts.is_checked(source):
            continue
        signers = {*facts.index_signers(source), *facts.package_signers(source)}
        trusted = {key.fingerprint for key in ring(facts.host)}
        mends = [
            Mend("", partial(_named, source.handle, file), is_choice=not keys <= trusted)
            for file in facts.key_files()
            if (keys := {key.fingerprint for key in _keys_in(facts.host, file)}) & signers
        ]
        what = note_of("key-unnamed", source=source.handle)
        yield Draft("key-unnamed", what, source.places[0], source.handle, "", mends,
                    note_of("name-key", source=source.handle),
                    "hint" if ring(facts.host) else None)  # fmt: skip


def _keys_in(host: RpmAdapter, file: str) -> list[Key]:
    return read_sound_keys(host.tree.read(file) or b"", file)


def _named(handle: str, file: str, given: Adapter[Source]) -> Plan:
    host = _adapter(given)
    source = host.source(handle)
    plan = Plan("", f"name the key in /{file} for {handle}")
    data = host.tree.read(source.file) or b""
    value = f"file:///{file}"
    plan.propose(host.tree, {source.file: with_value(data, source.file, handle, "gpgkey", value)})
    return plan


# -- sections ------------------------------------------------------------------------------


def check_twice(check: Examination) -> Iterator[Draft]:
    """Sections of one name: all but the first count for nothing."""
    for note in check.host.notes():
        if note.code != "listed-twice":
            continue
        name, _, first = note.text.partition(" stands in ")
        what = note_of(
            "listed-twice", what=f"[{name}]", place=note.place, first=first.removesuffix(" already")
        )
        mend = Mend("", partial(_section_removed, note.place, name))
        handle = name if name in check.host.by_handle else ""
        yield Draft("listed-twice", what, note.place, handle, note.place.file, [mend])


def _section_removed(place: Place, name: str, given: Adapter[Source]) -> Plan:
    host = _adapter(given)
    text = HostText(host.tree.read(place.file), place.file)
    sections = read_sections(text.data, place.file)
    alike = [section for section in sections if section.name == name]
    section = min(alike, key=lambda each: abs(each.line - place.line))
    first, last = section.line - 1, max(section.last, section.line)
    while last < len(text.lines) and not text.lines[last].strip():
        last += 1
    del text.lines[first:last]
    plan = Plan("", f"take the second [{name}] out of /{place.file}")
    left = text.data if any(line.strip() for line in text.lines) else None
    plan.propose(host.tree, {place.file: left})
    return plan


# -- fit -----------------------------------------------------------------------------------


def _built_for(versions: Iterable[str]) -> tuple[str, str] | None:
    """For which release most of some versions were built, by the end of theirs."""
    found = Counter(
        match.groups() for version in versions if (match := _PUT_TOGETHER.search(version))
    )
    if not found:
        return None
    (best, count), total = found.most_common(1)[0], sum(found.values())
    return (best[0], best[1]) if count * 2 > total else None


def check_releases(check: Examination) -> Iterator[Draft]:
    """Sources whose packages were built for another release than those of the distribution."""
    facts = _facts(check)
    here = _built_for(each.version for each in check.installed if check.is_home(each.source))
    if here is None:
        return
    for source in facts.host.sources:
        if not source.on or not facts.host.copies[source.handle].files:
            continue
        theirs = _built_for(each.version for each in facts.sample(source))
        if theirs is None or theirs[0] != here[0] or theirs[1] == here[1]:
            continue
        what = note_of(
            "other-release", source=source.handle, asked="".join(theirs), here="".join(here)
        )
        mends = _to_release(check, source, theirs[1], here[1])
        yield Draft("other-release", what, source.places[0], source.handle, "", mends)


def _to_release(check: Examination, source: RpmSource, old: str, new: str) -> list[Mend]:
    """The same address with another number in it, where something is there."""
    return [
        Mend("", partial(_readdressed, check, source.handle, address), is_choice=True)
        for address in _renumbered(source.section.get("baseurl"), old, new)
    ]


def _renumbered(address: str, old: str, new: str) -> list[str]:
    found = [
        address[: match.start()] + new + address[match.end() :]
        for match in RELEASE_NUMBER.finditer(address)
        if match.group(1).partition(".")[0] == old
    ]
    return list(dict.fromkeys(found))


def _readdressed(
    check: Examination, handle: str, address: str, given: Adapter[Source]
) -> Plan:  # fmt: skip
    """A source with another address, fetched with its own keys; VelpinError where it is not
    there."""
    host = _adapter(given)
    source = host.source(handle)
    plan = Plan("", f"{handle}: from {address}")
    data = host.tree.read(source.file) or b""
    plan.propose(
        host.tree, {source.file: with_value(data, source.file, handle, "baseurl", address)}
    )
    plan.handles = [handle]
    if check.transport is None:
        raise FetchError("no server may be asked")
    after = host.with_edits(plan.edits)
    error = after.fetcher.fetch(after.source(handle), check.transport).error
    if error is not None:
        raise error
    return plan


def check_archs(check: Examination) -> Iterator[Draft]:
    """Sources that have nothing for this host's architecture."""
    facts = _facts(check)
    for source in facts.host.sources:
        if not source.on:
            continue
        archs = {each.arch for each in facts.sample(source, 4000)}
        if archs and not any(facts.host.takes_arch(arch) for arch in archs):
            yield nothing_for(source, facts.host.native, " ".join(sorted(archs)))


def check_variables(check: Examination) -> Iterator[Draft]:
    """Addresses with variables that nothing sets: mostly a slip of the pen."""
    host = _facts(check).host
    for source in host.sources:
        if not source.on:
            continue
        for name in unknown_in(" ".join((*source.urls, source.mirrors))):
            if name in _OWN_VARIABLES:
                continue
            near = nearest(name, [*host.variables, *_OWN_VARIABLES])
            mends = [
                Mend("", partial(_variable_renamed, source.handle, name, better), is_choice=True)
                for better in near
            ]
            what = note_of("unknown-variable", source=source.handle, name=name)
            yield Draft("unknown-variable", what, source.places[0], source.handle, name, mends,
                        note_of("edit-by-hand", file=f"/{source.file}"))  # fmt: skip


_OWN_VARIABLES = ("releasever", "basearch", "arch")
"""Variables that the installer sets itself."""
_ADDRESS_KEYS = ("baseurl", "mirrorlist", "metalink")


def _variable_renamed(handle: str, name: str, better: str, given: Adapter[Source]) -> Plan:
    host = _adapter(given)
    source = host.source(handle)
    plan = Plan("", f"${better} instead of ${name} in the address of {handle}")
    data = host.tree.read(source.file) or b""
    pattern = re.compile(rf"\$(?:{re.escape(name)}\b|\{{{re.escape(name)}\}})")
    for key in _ADDRESS_KEYS:
        value = source.section.get(key)
        if pattern.search(value):
            text = pattern.sub(f"${better}", value)
            data = with_value(data, source.file, handle, key, text)
    plan.propose(host.tree, {source.file: data})
    return plan


def check_gone(check: Examination) -> Iterator[Draft]:
    """Sources whose server says that there is no such thing."""
    facts = _facts(check)
    for source in facts.host.sources:
        failure = check.failure(source)
        if not source.on or failure is None or failure.kind != "NotThere":
            continue
        if unknown_in(source.url):
            continue  # told as such
        what = note_of("suite-gone", source=source.handle, asked=source.url, what=failure.message)
        mends = []
        if check.ask(source) is not None:
            written = source.section.get("baseurl")
            version = facts.host.variables.get("releasever") or facts.host.release.get(
                "VERSION_ID", ""
            )
            addresses = [
                written[: match.start()] + version + written[match.end() :]
                for match in RELEASE_NUMBER.finditer(written) if match.group(1) != version
            ] if version else []  # fmt: skip
            addresses += archive_addresses(written)
            mends = [
                Mend("", partial(_readdressed, check, source.handle, address), is_choice=True)
                for address in addresses
            ]
        yield Draft("suite-gone", what, source.places[0], source.handle, "", mends,
                    note_of("ask-the-vendor", source=source.handle))  # fmt: skip


def check_types(check: Examination) -> Iterator[Draft]:
    """Sources of a form that is for other installers."""
    for source in _facts(check).host.sources:
        if source.on and source.unread:
            what = note_of("type-not-read", source=source.handle, type=source.unread)
            mends = [switching_off(source.handle)]
            yield Draft("other-kind", what, source.places[0], source.handle, "", mends)
