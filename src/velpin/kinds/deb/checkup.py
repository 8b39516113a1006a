"""What a checkup asks of a deb host, and the checks that only this kind has.

Observed rules: docs/how-hosts-choose/deb.md, docs/how-hosts-choose/signatures.md.
"""

from __future__ import annotations

import re
import time
from collections.abc import Collection, Iterable, Iterator, Sequence
from functools import partial
from pathlib import Path

from velpin.change.plan import Plan, shown_key
from velpin.errors import FetchError, HostFileError, TrustError
from velpin.files.text import decode
from velpin.files.tree import Tree
from velpin.kinds.deb import edit
from velpin.kinds.deb.add import examined, key_edits
from velpin.kinds.deb.edit import DebEditor, EntryChange
from velpin.kinds.deb.files import read_and_skipped
from velpin.kinds.deb.keyring import DebSigners
from velpin.kinds.deb.logins import LOGIN_FOLDER, MAIN, parse_logins
from velpin.kinds.deb.refresh import DebFetcher
from velpin.kinds.deb.release import Release
from velpin.kinds.deb.source_reasons import (
    CheckOffExpiry,
    CheckOffInsecure,
    CheckOffTrusted,
    WrongRelease,
)
from velpin.kinds.deb.sources import DebSource, SourceEntry, pairs_of, sources_folder
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.status import DebStanding
from velpin.kinds.deb.suites import suites_of
from velpin.kinds.deb.trust import (
    COMMON_FILE,
    COMMON_FOLDER,
    OWN_FOLDER,
    WEAKENING,
)
from velpin.model import findings
from velpin.model.finding import Severity
from velpin.model.publisher import archive_addresses
from velpin.model.reason import Place
from velpin.model.safe_text import has_login
from velpin.model.shell import as_typed
from velpin.model.source import Source
from velpin.model.source_reasons import PlainWay, Unchecked
from velpin.ports.bundle import Ports
from velpin.ports.checks import (
    Check,
    Draft,
    Look,
    Make,
    Mend,
    SwitchOff,
    nothing_for,
)
from velpin.ports.configuration import find_source
from velpin.ports.examiner import Examiner
from velpin.trust.openpgp import (
    Key,
    armoured,
    key_with,
    read_keys,
    read_sound_keys,
)

_KEY_FOLDERS = (OWN_FOLDER, "usr/share/keyrings", COMMON_FOLDER)
_UNSIGNED = (CheckOffTrusted, CheckOffInsecure, PlainWay)
_UNFINISHED = ("half-installed", "unpacked", "half-configured", "triggers-awaited",
               "triggers-pending")  # fmt: skip
_REBUILD = re.compile(r"\+b\d+\Z")
"""How versions end of packages that were built anew from the same source."""
_BUILT = re.compile(r"\(([^)]*)\)")


class DebExaminer(Examiner):
    """One deb host as a checkup asks it."""

    def __init__(self, state: DebState) -> None:
        self.state, self.signers = state, DebSigners(state)

    def own_checks(self) -> Sequence[Check]:
        """Keys that count for all, suites, components, what is listed twice."""
        return (
            check_key_files, check_unnamed, check_for_all, check_old_place, check_suites,
            check_components, check_archs, check_twice, check_media,
        )  # fmt: skip

    # -- trust -------------------------------------------------------------------------------

    def is_checked(self, source: Source) -> bool:
        """Every release file's signature is, unless that is switched off or there is none."""
        copy = self.state.indexes.copies[source.handle]
        if not copy.holder or self.state.configuration.by_handle[source.handle].trusted:
            return True  # told as switched off
        if copy.fetched:
            return bool(copy.fetched.signed_by)
        file = copy.release_file
        detached = bool(file and self.state.tree.stat(f"{file}.gpg"))
        return not file or file.endswith("InRelease") or detached

    def check_mends(self, source: Source, reason: Unchecked) -> Sequence[Mend]:
        """To take the option away, where the source then passes the look."""
        mine = self.state.configuration.by_handle[source.handle]
        names = _weakening(reason)
        if isinstance(reason, PlainWay):
            names = ["trusted", "allow-insecure"]
        said = frozenset(name for name in names if mine.option(name))
        make = partial(_checked_again, source.handle, said, type(reason))
        return [Mend("", make)] if said else []

    def is_signed_by_named(self, handle: str) -> bool:
        """Whether the index here is signed by a key that may sign the source."""
        source = self.state.configuration.by_handle.get(handle)
        if source is None:
            return False
        keys = self.state.keys.of(source).keys
        return any(key_with(keys, signer) for signer in self.signers.index_signers(source))

    def place_of_check(self, source: Source, reason: Unchecked) -> Place:
        """The entry that has the option."""
        names = _weakening(reason)
        for entry in self.state.configuration.by_handle[source.handle].entries:
            if any(name in entry.options for name in names or ("trusted", "allow-insecure")):
                return entry.place
        return source.places[0]

    def key_file_mends(self, source: Source) -> Sequence[Mend]:
        """To write a file again in the form that its name asks for, or to let it be read."""
        reader = self.state.keys.files
        return [
            mend
            for file in self.signers.keys_of(source).files
            for mend in _key_file_mends(self.state, file, reader.read(file).mistake)
        ]

    def login_files(self) -> Sequence[str]:
        """The files of logins, and source files with a login in an address."""
        tree = self.state.tree
        read, _ = read_and_skipped(tree, LOGIN_FOLDER, ("conf",), bare=True)
        found = [
            file for file in (*read, MAIN)
            if _holds_password(tree, file)
        ]  # fmt: skip
        found += [
            entry.file
            for entry in self.state.configuration.source_files.entries
            if any(has_login(address) for address in entry.addresses)
        ]
        return found

    def own_files(self) -> Sequence[str]:
        """Source files, preferences and settings."""
        state, tree = self.state, self.state.tree
        folders = (
            sources_folder(state.configuration.conf),
            state.configuration.conf.file("Dir::Etc", "preferencesparts", "preferences.d"),
            state.configuration.conf.file("Dir::Etc", "parts", "apt.conf.d"),
        )
        mains = (
            state.configuration.conf.file("Dir::Etc", "sourcelist", "sources.list"),
            state.configuration.conf.file("Dir::Etc", "preferences", "preferences"),
            state.configuration.conf.file("Dir::Etc", "main", "apt.conf"),
        )
        inner = [f"{folder}/{name}" for folder in folders for name in tree.names(folder)]
        return [file for file in (*mains, *inner) if tree.stat(file) is not None]

    def endings_of(self, folder: str) -> Sequence[str]:
        """Of source files and preferences."""
        if folder == sources_folder(self.state.configuration.conf):
            return (".list", ".sources")
        return (".pref",) if folder.endswith("preferences.d") else (".conf",)

    # -- sources -----------------------------------------------------------------------------

    # -- packages ----------------------------------------------------------------------------

    def half_installed(self) -> Iterable[tuple[str, str]]:
        """As the record says."""
        for row in self.state.recorded.index.all_rows() if self.state.recorded.index else ():
            words = row.state.split()
            if words and words[-1] in _UNFINISHED:
                yield row.name, words[-1]
            elif len(words) == 3 and words[1] != "ok":
                yield row.name, "to be installed again"


def _holds_password(tree: Tree, file: str) -> bool:
    """Whether a file of logins holds one; one that may not be read is not for everybody."""
    try:
        data = tree.read(file) or b""
    except HostFileError:
        return False
    return any(login.password for login in parse_logins(decode(data)))


def _examiner(look: Look) -> DebExaminer:
    assert isinstance(look.examiner, DebExaminer)
    return look.examiner


def state_of(ports: Ports) -> DebState:
    """What a host with these ports is read as."""
    examiner = ports.examiner
    assert isinstance(examiner, DebExaminer)
    return examiner.state


def _checked_again(handle: str, said: frozenset[str], kind: type[Unchecked], ports: Ports) -> Plan:
    """Options of a source taken out; TrustError where it would not pass the check then."""
    state = state_of(ports)
    plan = Plan("", f"check {handle} again ({', '.join(sorted(said))})")
    change = EntryChange(without_options=said)
    plan.propose(
        state.tree, edit.reworded(state, find_source(state.configuration.by_handle, handle), change)
    )
    after = state.with_edits(plan.edits)
    if issubclass(kind, _UNSIGNED) and not DebExaminer(after).is_signed_by_named(handle):
        raise TrustError(f"no key here signs {handle}")
    until = DebStanding(after).valid_until(find_source(after.configuration.by_handle, handle))
    if kind is CheckOffExpiry and until is not None and until < time.time():
        raise TrustError(f"the index of {handle} has expired")
    return plan


# -- files of keys ---------------------------------------------------------------------------


def _weakening(reason: Unchecked) -> list[str]:
    """The options that switch a check off."""
    return [name for name, (_, kind) in WEAKENING.items() if isinstance(reason, kind)]


def _key_file_mends(state: DebState, file: str, mistake: str) -> Iterator[Mend]:
    if mistake in ("ending", "line"):
        yield Mend("", partial(_form_changed, file))
    elif mistake == "rights" and not state.keys.files.why_barred_by_folder(file):
        yield Mend("", partial(_made_readable, file))


def _form_changed(file: str, ports: Ports) -> Plan:
    """The same keys in the form that the name of their file asks for."""
    keys = read_keys(ports.tree.read(file) or b"", f"/{file}")
    form = "binary" if file.endswith(".gpg") else "armored"
    plan = Plan("", f"write /{file} again as {form} keys")
    data = b"".join(bytes(key.cert) for key in keys) if form == "binary" else armoured(keys)
    plan.propose(ports.tree, {file: data})
    plan.keys = [shown_key(key, signs=None) for key in keys]
    return plan


def _made_readable(file: str, ports: Ports) -> Plan:
    mode = ports.tree.mode(file) or 0
    plan = Plan("", f"let everybody read /{file}: {mode | 0o444:04o} instead of {mode:04o}")
    plan.propose_modes(ports.tree, {file: mode | 0o444})
    return plan


def check_key_files(look: Look) -> Iterator[Draft]:
    """Files of common keys that the installer passes over; those that a source names are told
    with the source."""
    state = _examiner(look).state
    read, _ = read_and_skipped(state.tree, COMMON_FOLDER, ("gpg", "asc"), bare=False)
    for file in read:
        held = state.keys.files.read(file, is_common=True)
        if held.mistake:
            mends = list(_key_file_mends(state, file, held.mistake))
            what = findings.KeyForm(what=held.problem)
            yield Draft(findings.KeyForm, what, Place(file, 0), "", file, mends,
                        findings.EditByHand(file=f"/{file}"))  # fmt: skip


# -- keys that count for all -----------------------------------------------------------------


def check_unnamed(look: Look) -> Iterator[Draft]:
    """Sources that name no key."""
    examiner = _examiner(look)
    tree = examiner.state.tree
    for source in examiner.state.configuration.sources:
        if not source.on or source.is_medium or look.named_keys(source).how != "common":
            continue
        signers = examiner.signers.index_signers(source)
        accepted = [key.fingerprint for key in look.named_keys(source).keys]
        mends = [
            Mend(
                _key_command(source, tree.path(file)), partial(_name_key, source, keys),
                is_choice=not _is_only_its_own(look, source, keys),
            )
            for file, keys in _signing_keys(examiner, signers)
            if all(key.fingerprint in accepted for key in keys)
        ]  # fmt: skip
        yield Draft(
            findings.KeyUnnamed, findings.KeyUnnamed(source=source.handle), source.places[0],
            source.handle, "", mends, findings.NameKey(source=source.handle),
            "hint" if look.is_home(source.handle) else None,
        )  # fmt: skip


def _is_only_its_own(look: Look, source: DebSource, keys: Sequence[Key]) -> bool:
    """Whether keys sign for sources of one publisher alone. A key that signs for somebody else as
    well may be theirs: then to name it here takes a decision."""
    others = (each for each in _signed_with(look, keys) if each.handle != source.handle)
    mine = look.publishers.get(source.handle)
    return all(look.publishers.get(each.handle) == mine for each in others)


def _key_command(source: DebSource, file: Path) -> str:
    return as_typed(["velpin", "add", source.handle, "--key", str(file)])


def _signing_keys(
    examiner: DebExaminer, signers: Collection[str]
) -> Iterator[tuple[str, tuple[Key, ...]]]:
    """Files of this host with keys that signed the index of a source, and those keys."""
    for file in examiner.signers.key_files() if signers else ():
        keys = tuple(key for key in _keys_in(examiner, file) if key.fingerprint in signers)
        if keys:
            yield file, keys


def _name_key(source: DebSource, keys: tuple[Key, ...], ports: Ports) -> Plan:
    """Name just these keys, in a file of their own: another key may lie beside them."""
    state = state_of(ports)
    here = state.configuration.by_handle[source.handle]
    plan = Plan("", f"name the key {keys[0].grouped} ({keys[0].owner}) for {source.handle}")
    files = {file for file, held in _signing_files(state) if held == set(keys)}
    own = next((file for file in sorted(files) if not file.startswith(COMMON_FOLDER)), "")
    if own and own != COMMON_FILE:
        plan.propose(state.tree, edit.set_key(state.tree, here, f"/{own}"))
    else:
        plan.propose(state.tree, key_edits(state, here, keys))
    plan.keys = [shown_key(key, signs=True) for key in keys]
    return plan


def _signing_files(state: DebState) -> Iterator[tuple[str, set[Key]]]:
    for file in DebSigners(state).key_files():
        yield file, set(read_sound_keys(state.tree.read(file) or b"", f"/{file}"))


def _keys_in(examiner: DebExaminer, file: str) -> list[Key]:
    return read_sound_keys(examiner.state.tree.read(file) or b"", f"/{file}")


def check_for_all(look: Look) -> Iterator[Draft]:
    """Keys in the common folder by which vendors could sign for sources that are not theirs."""
    examiner = _examiner(look)
    unnamed = _unnamed(look)
    if not unnamed:
        return
    read, _ = read_and_skipped(examiner.state.tree, COMMON_FOLDER, ("gpg", "asc"), bare=False)
    for file in read:
        keys = _keys_in(examiner, file)
        signed = _signed_with(look, keys)
        others = [source.handle for source in unnamed if source not in signed]
        homely = any(look.is_home(source.handle) for source in signed)
        owner_of = examiner.state.packages.owner_of
        if not keys or not others or homely or (not signed and owner_of(file)):
            continue
        what = findings.KeyForAll(
            file=f"/{file}",
            owner=keys[0].owner,
            others=tuple(others),
            signs=", ".join(source.handle for source in signed) or "no source here",
        )
        mend = Mend("", partial(_out_of_common, file, signed, keys), is_choice=True)
        yield Draft(findings.KeyForAll, what, Place(file, 0), "", file, [mend])


def _unnamed(look: Look) -> list[DebSource]:
    return [
        source for source in _examiner(look).state.configuration.sources
        if source.on and look.named_keys(source).how == "common"
    ]  # fmt: skip


def _signed_with(look: Look, keys: Sequence[Key]) -> list[DebSource]:
    examiner = _examiner(look)
    return [
        source for source in examiner.state.configuration.sources
        if any(key_with(keys, signer) for signer in examiner.signers.index_signers(source))
    ]  # fmt: skip


def _out_of_common(
    file: str, signed: Sequence[DebSource], keys: Sequence[Key], ports: Ports
) -> Plan:
    """Name the keys of a common file for the sources that they signed, and remove it."""
    before = state_of(ports)
    whole, state = Plan("", ""), before
    for source in signed:
        if source.handle in state.configuration.by_handle and state.keys.of(source).how != "common":
            continue
        signers = DebSigners(before).index_signers(source)
        mine = [key for key in keys if key.goes_by(signers)]
        plan = Plan("", f"name its key for {source.handle}")
        plan.propose(state.tree, key_edits(state, source, mine))
        whole = whole.then(plan) if whole.edits else plan
        state = before.with_edits(whole.edits)
    edits = {**whole.edits, file: None}
    plan = Plan("", f"remove /{file}, naming its key where it signs")
    plan.propose(before.tree, edits)
    return plan


def check_old_place(look: Look) -> Iterator[Draft]:
    """The one old file of keys for all sources."""
    examiner = _examiner(look)
    keys = _keys_in(examiner, COMMON_FILE)
    if not keys:
        return
    signed = [source for source in _signed_with(look, keys) if source in _unnamed(look)]
    what = findings.KeyOldPlace(
        file=f"/{COMMON_FILE}",
        keys=", ".join(key.owner for key in keys[:4]),
        signs=", ".join(source.handle for source in signed) or "no source here",
    )
    mend = Mend("", partial(_out_of_common, COMMON_FILE, signed, keys), is_choice=True)
    severity: Severity | None = (
        None if examiner.state.configuration.ways.reads_common_file or not signed else "error"
    )
    yield Draft(findings.KeyOldPlace, what, Place(COMMON_FILE, 0), "", "", [mend], None, severity)


def check_media(look: Look) -> Iterator[Draft]:
    """Installation media that installing left among the sources."""
    examiner = _examiner(look)
    for source in examiner.state.configuration.sources:
        if source.on and source.is_medium:
            what = findings.InstallMedium(source=source.handle, address=source.address)
            yield Draft(findings.InstallMedium, what, source.places[0], source.handle, "",
                        [SwitchOff(source.handle)])  # fmt: skip


# -- suites ----------------------------------------------------------------------------------


def check_suites(look: Look) -> Iterator[Draft]:
    """Suites of another release, gone ones, and names that move on."""
    examiner = _examiner(look)
    here = examiner.state.configuration.release.get("VERSION_CODENAME", "")
    for source in examiner.state.configuration.sources:
        if not source.on or source.flat:
            continue
        failure = look.failure(source)
        if failure and failure.kind == "NotThere":
            yield _gone(look, source)
            continue
        release = examiner.state.indexes.copies[source.handle].release
        codename = release.codename or ""
        if not here or not codename:
            continue
        if look.is_home(source.handle):
            yield from _of_home(look, source, release, here)
        elif not is_of(here, source.release, codename):
            yield from _of_vendor(look, source)


def is_of(here: str, *names: str) -> bool:
    """Whether one of some names is a release's, or one of its suites'."""
    return any(name == here or re.match(rf"{re.escape(here)}[-/]", name) for name in names)


def _of_home(look: Look, source: DebSource, release: Release, here: str) -> Iterator[Draft]:
    codename, suite = release.codename or "", release.suite or ""
    if not is_of(here, codename) and not release.not_automatic:
        other = findings.OtherRelease(source=source.handle, asked=codename, here=here)
        tail = codename.partition("-")[1] + codename.partition("-")[2]
        mends = [_resuited(look, source, here + tail)]
        yield Draft(findings.OtherRelease, other, source.places[0], source.handle, "", mends)
    elif source.release == suite and suite != codename and is_of(here, codename):
        what = findings.MovingName(source=source.handle, asked=source.release, codename=codename)
        mends = [_resuited(look, source, codename)]
        yield Draft(findings.MovingName, what, source.places[0], source.handle, "", mends)


def _of_vendor(look: Look, source: DebSource) -> Iterator[Draft]:
    """A vendor's suite may have any name: whether it has one for this release is asked."""
    transport = look.ask(source)
    if transport is None:
        return
    for reason in examined(_examiner(look).state, source, transport).findings:
        if isinstance(reason, WrongRelease):
            what = findings.OtherRelease(
                source=source.handle, asked=source.release, here=reason.here
            )
            yield Draft(findings.OtherRelease, what, source.places[0], source.handle, "",
                        [_resuited(look, source, reason.better)])  # fmt: skip


def _gone(look: Look, source: DebSource) -> Draft:
    failure = look.failure(source)
    said = failure.message if failure else ""
    what = findings.SuiteGone(source=source.handle, asked=source.release, what=said)
    mends: list[Mend] = []
    transport = look.ask(source)
    examiner = _examiner(look)
    if transport is not None:
        release = examiner.state.configuration.release
        found = suites_of(source.address, transport, release)
        suites = [suite for suite in found if suite != source.release]
        here = examiner.state.configuration.release.get("VERSION_CODENAME", "")
        suites.sort(key=lambda suite: not is_of(here, suite))
        mends += [_resuited(look, source, suite, must_fetch=True) for suite in suites[:3]]
        mends += [_moved(look, source, address) for address in archive_addresses(source.address)]
    return Draft(findings.SuiteGone, what, source.places[0], source.handle, "", mends,
                 findings.AskTheVendor(source=source.handle))  # fmt: skip


def _resuited(look: Look, source: DebSource, suite: str, *, must_fetch: bool = False) -> Mend:
    change = EntryChange(suite=suite)
    summary = f"{source.handle}: suite {suite} instead of {source.release}"
    make = partial(_reworded, look, source, change, summary, must_fetch)
    return Mend("", make, is_choice=True)


def _moved(look: Look, source: DebSource, address: str) -> Mend:
    change = EntryChange(address=address)
    make = partial(_reworded, look, source, change, f"{source.handle}: from {address}", True)
    return Mend("", make, is_choice=True)


def _reworded(
    look: Look, source: DebSource, change: EntryChange, summary: str, must_fetch: bool,
    ports: Ports,
) -> Plan:  # fmt: skip
    """A source with another suite or address, fetched with its own keys where servers may be
    asked; VelpinError where it must be there and is not."""
    state = state_of(ports)
    here = state.configuration.by_handle[source.handle]
    plan = Plan("", summary)
    plan.propose(state.tree, edit.reworded(state, here, change))
    after = state.with_edits(plan.edits)
    key = (change.address or here.address, change.suite or here.release)
    moved = next(
        (each for each in after.configuration.sources if DebEditor(after).key_of(each) == key), None
    )
    if moved is None:
        raise FetchError(f"{source.handle} is not found there any more")
    plan.handles = [moved.handle]
    if look.transport is not None:
        error = DebFetcher(after).fetch(moved, look.transport).error
        if error is not None and must_fetch:
            raise error
    elif must_fetch:
        raise FetchError("no server may be asked")
    return plan


# -- components and architectures ------------------------------------------------------------


def check_components(look: Look) -> Iterator[Draft]:
    """Components that a source's release file does not name."""
    examiner = _examiner(look)
    for source in examiner.state.configuration.sources:
        has = examiner.state.indexes.copies[source.handle].release.components
        if not source.on or source.flat or not has:
            continue
        known = {*has, *(name.rpartition("/")[2] for name in has)}
        gone = [name for name in source.components if name not in known]
        if gone:
            what = findings.ComponentGone(
                source=source.handle, names=tuple(gone), has=" ".join(has)
            )
            place = next((e.place for e in source.entries if set(gone) & set(e.components)),
                         source.places[0])  # fmt: skip
            mend = Mend("", partial(_without, source, frozenset(gone), ()))
            yield Draft(findings.ComponentGone, what, place, source.handle, " ".join(gone), [mend])


def _without(
    source: DebSource, components: frozenset[str], entries: Sequence[SourceEntry],
    ports: Ports,
) -> Plan:  # fmt: skip
    return _without_in(state_of(ports), source, components, entries)


def _without_in(
    state: DebState, source: DebSource, components: frozenset[str], entries: Sequence[SourceEntry]
) -> Plan:
    here = next(
        each for each in state.configuration.sources
        if (each.address, each.release, each.on) == (source.address, source.release, source.on)
    )  # fmt: skip
    plan = Plan("", f"{source.handle}: without {', '.join(sorted(components))}")
    change = EntryChange(without_components=components)
    edits = edit.reworded(state, here, change, entries)
    plan.propose(state.tree, {file: data if data and data.strip() else None
                             for file, data in edits.items()})  # fmt: skip
    return plan


def check_archs(look: Look) -> Iterator[Draft]:
    """Sources that have nothing for this host's architectures."""
    examiner = _examiner(look)
    for source in examiner.state.configuration.sources:
        has = examiner.state.indexes.copies[source.handle].release.architectures
        if not source.on:
            continue
        asked = set(source.archs)
        if (has and not asked & {*has, "all"} and "all" not in has) or not asked:
            shown = " ".join(has) if asked else source.option("arch") or "others"
            yield nothing_for(source, " ".join(examiner.state.configuration.archs), shown)


def check_twice(look: Look) -> Iterator[Draft]:
    """A component of a suite that is listed twice, in whatever files and forms."""
    examiner = _examiner(look)
    state = examiner.state
    seen: dict[tuple[str, str, str, str], SourceEntry] = {}
    named_first = sorted(
        state.configuration.source_files.entries, key=lambda entry: not entry.handle
    )
    for entry in named_first:  # rules go by the handles that entries give
        if not entry.on:
            continue
        for address, suite in pairs_of(entry, state.configuration.archs):
            twice: dict[Place, list[str]] = {}
            for kind in entry.types:
                for component in entry.components or ("",):
                    first = seen.setdefault((kind, address, suite, component), entry)
                    if first is not entry and kind == "deb":
                        twice.setdefault(first.place, []).append(component)
            for place, components in twice.items():
                yield _twice(examiner, entry, address, suite, place, components)


def _twice(
    examiner: DebExaminer, entry: SourceEntry, address: str, suite: str, first: Place,
    components: Sequence[str],
) -> Draft:  # fmt: skip
    source = next(
        s
        for s in examiner.state.configuration.sources
        if s.on and (s.address, s.release) == (address, suite)
    )
    shown = f"{address} {suite} {' '.join(components)}".strip()
    what = findings.ListedTwice(what=shown, place=entry.place, first=first)
    make: Make
    if any(components):
        make = partial(_without_at, source, frozenset(components), entry)
    else:
        make = partial(_entry_dropped, source, entry)
    return Draft(
        findings.ListedTwice,
        what,
        entry.place,
        source.handle,
        f"{shown} {entry.place.file}",
        [Mend("", make)],
    )


def _same_entry(state: DebState, entry: SourceEntry) -> SourceEntry:
    """An entry where it stands now: what was mended above it may have moved it."""
    alike = [
        other
        for other in state.configuration.source_files.entries
        if other._replace(line=entry.line, end=entry.end) == entry
    ]
    if not alike:
        raise FetchError(f"{entry.place} is not as it was")
    return min(alike, key=lambda other: abs(other.line - entry.line))


def _without_at(
    source: DebSource, components: frozenset[str], entry: SourceEntry, ports: Ports
) -> Plan:
    state = state_of(ports)
    return _without_in(state, source, components, [_same_entry(state, entry)])


def _entry_dropped(source: DebSource, entry: SourceEntry, ports: Ports) -> Plan:
    """A flat source's second entry taken away."""
    state = state_of(ports)
    here = state.configuration.by_handle[source.handle]
    plan = Plan("", f"{source.handle}: listed once")
    alone = edit.without_entry(state, here, _same_entry(state, entry))
    plan.propose(state.tree, {f: d if d and d.strip() else None for f, d in alone.items()})
    return plan
