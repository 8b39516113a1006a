"""What a checkup asks of an rpm host of either layout, and the checks that only these have.

Observed rules: docs/how-hosts-choose/rpm.md, docs/how-hosts-choose/signatures.md.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from functools import partial

from velpin.change.plan import Plan
from velpin.errors import FetchError, TrustError
from velpin.files.text import HostText
from velpin.kinds.rpm.edit import with_value
from velpin.kinds.rpm.ini import read_sections
from velpin.kinds.rpm.keyring import RpmSigners
from velpin.kinds.rpm.provenance import RpmProvenance
from velpin.kinds.rpm.reasons import TypeNotRead
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.source_reasons import CheckOffPackages, CheckOffServer
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.trust import CHECKS, named_keys, ring
from velpin.kinds.rpm.variables import unknown_in, unset_in
from velpin.model import findings
from velpin.model.publisher import archive_addresses
from velpin.model.reason import Place
from velpin.model.safe_text import has_login
from velpin.model.source import Source
from velpin.model.source_reasons import PlainIndex, PlainWay, Unchecked
from velpin.ports.bundle import Ports
from velpin.ports.checks import (
    Check,
    Draft,
    Look,
    Mend,
    SwitchOff,
    nothing_for,
)
from velpin.ports.configuration import find_source
from velpin.ports.examiner import Examiner
from velpin.trust.openpgp import Key, read_sound_keys

_SAMPLE = 60
_PUT_TOGETHER = re.compile(r"\.([a-z]{1,10})(\d{1,3})(?:[._]\d+)*(?:\.|\Z)")
"""How releases of packages end that tell what they were built for: letters and a number."""
_SOURCE_RPM = re.compile(r"(.+)-([^-]+-[^-]+)\.(?:no)?src\.rpm\Z")
RELEASE_NUMBER = re.compile(r"(?<=/)(\d+(?:\.\d+)?)(?=/|\Z)")


_OTHER_FOLDERS = ("etc/dnf/vars", "etc/yum/vars", "etc/zypp/vars.d", "etc/zypp/vendors.d")


class RpmExaminer(Examiner):
    """One rpm host as a checkup asks it."""

    def __init__(self, state: RpmState) -> None:
        self.state, self.signers = state, RpmSigners(state)

    def own_checks(self) -> Sequence[Check]:
        """Keys that are not named, sections that stand twice, other releases, types not read."""
        return (
            check_unnamed, check_twice, check_variables, check_releases, check_archs, check_gone,
            check_types,
        )  # fmt: skip

    # -- trust -------------------------------------------------------------------------------

    def is_checked(self, source: Source) -> bool:
        """Its index or its packages."""
        mine = self.state.configuration.by_handle[source.handle]
        return mine.signed_index or mine.signed_packages

    def check_mends(self, source: Source, reason: Unchecked) -> Sequence[Mend]:
        """To take out the key that switches the check off, else to set it, where there are keys
        to check with."""
        names = [key for key, kind in CHECKS.items() if isinstance(reason, kind)]
        if isinstance(reason, PlainWay | PlainIndex):
            names = ["repo_gpgcheck", "gpgcheck"]
        section = self.state.configuration.by_handle[source.handle].section
        said = [name for name in names if name in section]
        make = partial(_checked_again, source.handle, said or names[:1], type(reason))
        return [Mend("", make, is_choice=not isinstance(reason, CheckOffPackages))]

    def place_of_check(self, source: Source, reason: Unchecked) -> Place:
        """The line of the section that switches it off."""
        mine = self.state.configuration.by_handle[source.handle]
        for key, kind in CHECKS.items():
            found = mine.section.find(key)
            if found is not None and isinstance(reason, kind):
                return Place(found.file or mine.file, found.line)
        return source.places[0]

    def login_files(self) -> Sequence[str]:
        """Files with a section that holds a password, and the installer's own of them."""
        tree = self.state.tree
        found = [
            source.file
            for source in self.state.configuration.sources
            if source.section.get("password") or any(map(has_login, (*source.urls, source.mirrors)))
        ]
        folder = "etc/zypp/credentials.d"
        found += [f"{folder}/{name}" for name in tree.names(folder)]
        return found

    def own_files(self) -> Sequence[str]:
        """Files of sections, of locks, and of variables."""
        state = self.state
        found = [
            *state.rule_files.sections,
            *state.rule_files.lines,
            *(s.file for s in state.configuration.sources),
        ]
        for folder in (state.configuration.layout.sources_folder, *_OTHER_FOLDERS):
            found += [f"{folder}/{name}" for name in state.tree.names(folder)]
        found += ["etc/zypp/zypp.conf", "etc/zypp/locks"]
        return [file for file in dict.fromkeys(found) if state.tree.stat(file) is not None]

    # -- sources -----------------------------------------------------------------------------

    # -- packages ----------------------------------------------------------------------------

    def half_installed(self) -> Iterable[tuple[str, str]]:
        """Packages of which two versions stand that may not: an upgrade was interrupted."""
        multiple = self.state.chooser.solver_options.multiple
        seen: dict[tuple[str, str], str] = {}
        for package in self.state.packages.pool.all_installed():
            key = (package.name, package.arch)
            provided = {package.name, *(p.name for p in package.provides)}
            if key in seen and seen[key] != package.version and not provided & multiple:
                yield package.name, f"{seen[key]} and {package.version}"
            seen[key] = package.version


def _examiner(look: Look) -> RpmExaminer:
    assert isinstance(look.examiner, RpmExaminer)
    return look.examiner


def _state(ports: Ports) -> RpmState:
    examiner = ports.examiner
    assert isinstance(examiner, RpmExaminer)
    return examiner.state


def _checked_again(handle: str, keys: Sequence[str], kind: type[Unchecked], ports: Ports) -> Plan:
    state = _state(ports)
    source = find_source(state.configuration.by_handle, handle)
    plan = Plan("", f"check {handle} again ({', '.join(keys)})")
    edits: dict[str, bytes | None] = {}
    for key in keys:
        file = source.file_of(key)
        data = edits.get(file) or state.tree.read(file) or b""
        edits[file] = with_value(data, file, handle, key, "1")
    plan.propose(state.tree, edits)
    after = state.with_edits(edits)
    if kind is not CheckOffServer:
        named = named_keys(after, find_source(after.configuration.by_handle, handle))
        if not any(key.is_usable(_now()) for key in named.keys):
            raise TrustError(f"no key here signs {handle}")
    return plan


def _now() -> float:
    import time

    return time.time()


def check_unnamed(look: Look) -> Iterator[Draft]:
    """Sources whose signatures are checked and that name no key."""
    examiner = _examiner(look)
    for source in examiner.state.configuration.sources:
        if not source.on or source.keys or not examiner.is_checked(source):
            continue
        signers = {
            *examiner.signers.index_signers(source),
            *examiner.signers.package_signers(source),
        }
        trusted = {key.fingerprint for key in ring(examiner.state)}
        mends = [
            Mend("", partial(_named, source.handle, file), is_choice=not keys <= trusted)
            for file in examiner.signers.key_files()
            if (keys := {key.fingerprint for key in _keys_in(examiner.state, file)}) & signers
        ]
        what = findings.KeyUnnamed(source=source.handle)
        yield Draft(findings.KeyUnnamed, what, source.places[0], source.handle, "", mends,
                    findings.NameKey(source=source.handle),
                    "hint" if ring(examiner.state) else None)  # fmt: skip


def _keys_in(state: RpmState, file: str) -> list[Key]:
    return read_sound_keys(state.tree.read(file) or b"", file)


def _named(handle: str, file: str, ports: Ports) -> Plan:
    state = _state(ports)
    source = find_source(state.configuration.by_handle, handle)
    plan = Plan("", f"name the key in /{file} for {handle}")
    data = state.tree.read(source.file) or b""
    value = f"file:///{file}"
    plan.propose(state.tree, {source.file: with_value(data, source.file, handle, "gpgkey", value)})
    return plan


# -- sections ------------------------------------------------------------------------------


def check_twice(look: Look) -> Iterator[Draft]:
    """Sections of one name: all but the first count for nothing."""
    for note in _examiner(look).state.configuration.notes():
        if note.code != "listed-twice":
            continue
        name, _, first = note.text.partition(" stands in ")
        what = findings.ListedTwice(
            what=f"[{name}]", place=note.place, first=first.removesuffix(" already")
        )
        mend = Mend("", partial(_section_removed, note.place, name))
        handle = name if name in _examiner(look).state.configuration.by_handle else ""
        yield Draft(findings.ListedTwice, what, note.place, handle, note.place.file, [mend])


def _section_removed(place: Place, name: str, ports: Ports) -> Plan:
    state = _state(ports)
    text = HostText(state.tree.read(place.file), place.file)
    sections = read_sections(text.data, place.file)
    alike = [section for section in sections if section.name == name]
    section = min(alike, key=lambda each: abs(each.line - place.line))
    first, last = section.line - 1, max(section.last, section.line)
    while last < len(text.lines) and not text.lines[last].strip():
        last += 1
    del text.lines[first:last]
    plan = Plan("", f"take the second [{name}] out of /{place.file}")
    left = text.data if any(line.strip() for line in text.lines) else None
    plan.propose(state.tree, {place.file: left})
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


def check_releases(look: Look) -> Iterator[Draft]:
    """Sources whose packages were built for another release than those of the distribution."""
    examiner = _examiner(look)
    here = _built_for(each.version for each in look.installed if look.is_home(each.source))
    if here is None:
        return
    for source in examiner.state.configuration.sources:
        if not source.on or not examiner.state.indexes.copies[source.handle].files:
            continue
        theirs = _built_for(each.version for each in RpmProvenance(examiner.state).sample(source))
        if theirs is None or theirs[0] != here[0] or theirs[1] == here[1]:
            continue
        what = findings.OtherRelease(
            source=source.handle, asked="".join(theirs), here="".join(here)
        )
        mends = _to_release(look, source, theirs[1], here[1])
        yield Draft(findings.OtherRelease, what, source.places[0], source.handle, "", mends)


def _to_release(look: Look, source: RpmSource, old: str, new: str) -> list[Mend]:
    """The same address with another number in it, where something is there."""
    return [
        Mend("", partial(_readdressed, look, source.handle, address), is_choice=True)
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
    look: Look, handle: str, address: str, ports: Ports
) -> Plan:  # fmt: skip
    """A source with another address, fetched with its own keys; VelpinError where it is not
    there."""
    state = _state(ports)
    source = find_source(state.configuration.by_handle, handle)
    plan = Plan("", f"{handle}: from {address}")
    data = state.tree.read(source.file) or b""
    plan.propose(
        state.tree, {source.file: with_value(data, source.file, handle, "baseurl", address)}
    )
    plan.handles = [handle]
    if look.transport is None:
        raise FetchError("no server may be asked")
    after = ports.with_edits(plan.edits)
    moved = find_source(after.configuration.by_handle, handle)
    error = after.fetcher.fetch(moved, look.transport).error
    if error is not None:
        raise error
    return plan


def check_archs(look: Look) -> Iterator[Draft]:
    """Sources that have nothing for this host's architecture."""
    examiner = _examiner(look)
    for source in examiner.state.configuration.sources:
        if not source.on:
            continue
        archs = {each.arch for each in RpmProvenance(examiner.state).sample(source, 4000)}
        if archs and not any(examiner.state.packages.takes_arch(arch) for arch in archs):
            yield nothing_for(source, examiner.state.configuration.native, " ".join(sorted(archs)))


def check_variables(look: Look) -> Iterator[Draft]:
    """Addresses with variables that nothing sets: mostly a slip of the pen."""
    state = _examiner(look).state
    for source in state.configuration.sources:
        if not source.on:
            continue
        known = state.configuration.variables
        for name, near in unset_in(" ".join((*source.urls, source.mirrors)), known):
            mends = [
                Mend("", partial(_variable_renamed, source.handle, name, better), is_choice=True)
                for better in near
            ]
            what = findings.UnknownVariable(source=source.handle, name=name)
            yield Draft(
                findings.UnknownVariable,
                what,
                source.places[0],
                source.handle,
                name,
                mends,
                findings.EditByHand(file=f"/{source.file}"),
            )


_ADDRESS_KEYS = ("baseurl", "mirrorlist", "metalink")


def _variable_renamed(handle: str, name: str, better: str, ports: Ports) -> Plan:
    state = _state(ports)
    source = find_source(state.configuration.by_handle, handle)
    plan = Plan("", f"${better} instead of ${name} in the address of {handle}")
    data = state.tree.read(source.file) or b""
    pattern = re.compile(rf"\$(?:{re.escape(name)}\b|\{{{re.escape(name)}\}})")
    for key in _ADDRESS_KEYS:
        value = source.section.get(key)
        if pattern.search(value):
            text = pattern.sub(f"${better}", value)
            data = with_value(data, source.file, handle, key, text)
    plan.propose(state.tree, {source.file: data})
    return plan


def check_gone(look: Look) -> Iterator[Draft]:
    """Sources whose server says that there is no such thing."""
    examiner = _examiner(look)
    for source in examiner.state.configuration.sources:
        failure = look.failure(source)
        if not source.on or failure is None or failure.kind != "NotThere":
            continue
        if unknown_in(source.url):
            continue  # told as such
        what = findings.SuiteGone(source=source.handle, asked=source.url, what=failure.message)
        mends = []
        if look.ask(source) is not None:
            written = source.section.get("baseurl")
            version = examiner.state.configuration.variables.get(
                "releasever"
            ) or examiner.state.configuration.release.get("VERSION_ID", "")
            addresses = [
                written[: match.start()] + version + written[match.end() :]
                for match in RELEASE_NUMBER.finditer(written) if match.group(1) != version
            ] if version else []  # fmt: skip
            addresses += archive_addresses(written)
            mends = [
                Mend("", partial(_readdressed, look, source.handle, address), is_choice=True)
                for address in addresses
            ]
        yield Draft(findings.SuiteGone, what, source.places[0], source.handle, "", mends,
                    findings.AskTheVendor(source=source.handle))  # fmt: skip


def check_types(look: Look) -> Iterator[Draft]:
    """Sources of a form that is for other installers."""
    for source in _examiner(look).state.configuration.sources:
        if source.on and source.unread:
            what = TypeNotRead(source=source.handle, type=source.unread)
            mends = [SwitchOff(source.handle)]
            yield Draft(findings.OtherKind, what, source.places[0], source.handle, "", mends)
