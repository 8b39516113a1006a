"""A vendor's instructions: read for one host, and planned as what they come to."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from contextlib import suppress
from stat import S_ISREG
from typing import TYPE_CHECKING, NamedTuple

from velpin.change.plan import NewSource, Plan
from velpin.core.adding import plan_add
from velpin.core.named_keys import LARGEST_KEY, by_fingerprint
from velpin.core.new_source import new_source_from
from velpin.core.rule_plans import considering, plan_rules
from velpin.core.source_plans import plan_switch
from velpin.errors import (
    FetchError,
    HostFileError,
    NoSourceInside,
    TrustError,
    UsageError,
    VelpinError,
)
from velpin.fetch.package import open_archive
from velpin.files.tree import read_release_fields
from velpin.instructions.addresses import parts_of
from velpin.instructions.reading import readings
from velpin.instructions.words import UNKNOWN
from velpin.model.instruction_reasons import (
    HttpsAnswers,
    InstallsOnly,
    KeyNotForIt,
    NotAllFollowed,
)
from velpin.model.instructions import KeyRead, PagePreference, Reading, SourceRead
from velpin.model.rule import Confine, Pin, Prefer, Rule
from velpin.model.safe_text import grouped
from velpin.model.shell import as_typed, shell_word
from velpin.trust.openpgp import Key, armoured, read_keys

if TYPE_CHECKING:
    from velpin.core.access import Access
    from velpin.fetch.download import Transport
    from velpin.files.tree import Tree
    from velpin.ports.bundle import Ports

_PLAIN_ADDRESS = re.compile(r"http://[^\s'\"]+")
_LARGEST_SCRIPT = 1 << 20
_MOST_FETCHED = 24
"""Addresses that the text itself may have looked at."""


_MAY_BE_READ = re.compile(
    r"(?:etc|usr/lib)/(?:[\w.-]+-)?(?:release|version)\Z|etc/[a-z]+_version\Z"
)
"""Files of the host whose text a page may ask for: its release. What else it asks for could go out
with the address of the next thing that it has fetched."""


class _Facts:
    """One host, as instructions ask about it."""

    def __init__(self, ports: Ports) -> None:
        self.kind, self.arch = ports.kind, ports.configuration.native
        self.generation: str = ports.configuration.installer.generation
        self.release = read_release_fields(ports.tree)
        self._tree: Tree = ports.tree
        self.compare = ports.packages.compare

    def read(self, file: str) -> bytes | None:
        """A file below the root, of which most are not known; None where there is none."""
        if not file:
            return None
        if _MAY_BE_READ.match(file):
            return self._tree.read(file)  # links are followed no further than the root
        found = self._tree.stat(file) if "\0" not in file else None
        return UNKNOWN.encode() if found is not None and S_ISREG(found.st_mode) else None

    def has(self, file: str) -> bool:
        """Whether there is a file or a folder of the system."""
        is_system = file.startswith(("etc", "usr", "bin", "sbin", "lib")) and "\0" not in file
        return is_system and self._tree.exists(file)

    def opened(self, packed: bytes, where: str) -> Mapping[str, bytes]:
        """The files of a package, by name; none of what is no package."""
        try:
            return open_archive(packed, where)
        except HostFileError:
            return {}


class _Fetched:
    """What stands at the addresses that a text names; each is fetched once."""

    def __init__(self, transport: Transport) -> None:
        self._transport, self._found = transport, dict[str, bytes | FetchError | TrustError]()

    def __call__(self, address: str) -> bytes:
        if address not in self._found:
            if len(self._found) >= _MOST_FETCHED:
                raise UsageError(f"the instructions fetch from more than {_MOST_FETCHED} addresses")
            try:
                self._found[address] = self._transport.read(address, most=_LARGEST_SCRIPT)
            except (FetchError, TrustError) as problem:  # no address is asked for twice
                self._found[address] = problem
        found = self._found[address]
        if not isinstance(found, bytes):
            raise found
        return found


def read_instructions(
    ports: Ports, access: Access, text: str, name: str, *, files: Mapping[str, bytes],
    arguments: Sequence[str],
) -> list[Reading]:  # fmt: skip
    """Every way through a text that leads to something of its own; nothing of it is run.

    Raises HostFileError (text and line) for what has no end, FetchError where a script that it
    hands to a shell cannot be fetched.
    """
    with access.holding(ports):
        fetched = _Fetched(access.transport(ports))
        return readings(text, name, _Facts(ports), fetched, files=files, arguments=arguments)


def plan_instructions(
    ports: Ports, access: Access, reading: Reading, *, name: str = "", only: Sequence[str] = (),
    over: Sequence[str] = (), suite: str = "", key: bytes = b"", fingerprint: str = "",
) -> Plan:  # fmt: skip
    """What the change would write that instructions come to.

    Raises UsageError where they bring this host nothing, and what adding each source raises.
    """
    if reading.is_empty:
        raise _nothing(ports, reading)
    whole = Plan("", "")
    with access.holding(ports):
        transport = access.transport(ports)
    sources = _Sources(ports, access, transport, name, suite, key, fingerprint)
    met: set[PagePreference] = set()
    for given in sources.of(reading):
        here = considering(ports, whole)
        plan = _planned(here, access, given, only, over)
        rules = [] if only or plan.error else list(_preferred(here, plan, reading, met))
        if rules:
            plan = plan.then(plan_rules(considering(here, plan), rules))
        whole = whole.then(plan)
    for preference in reading.preferences:
        if preference not in met and not only:
            of = preference.machine or preference.publisher
            where = f"line {preference.line}" if preference.line else "a file of a script"
            said = NotAllFollowed(where=where, what=f"priorities of {of}, which has no source here")
            whole.findings.append(said)
    notes = [InstallsOnly(address=address) for address in sources.without]
    if notes and not (whole.handles or reading.switches or reading.rules):
        raise UsageError(notes[0].text)
    whole.notes += notes
    brought = {handle: on for handle, on in reading.switches if handle not in whole.handles}
    for handle, on in brought.items():
        whole = whole.then(plan_switch(considering(ports, whole), handle, on))
    if reading.rules and not whole.error:
        whole = whole.then(plan_rules(considering(ports, whole), reading.rules))
    for line in reading.unfollowed:
        what = line.says.facts.get("what", line.says.text)
        where = f"line {line.first}{f' of {line.script}' if line.script else ''}"
        whole.findings.append(NotAllFollowed(where=where, what=str(what)))
    return whole


def _planned(
    ports: Ports, access: Access, given: _Given, only: Sequence[str], over: Sequence[str]
) -> Plan:
    """What adding one source would write, with those of the page's common keys that sign it."""
    keys = [*given.own, *given.common]
    new = given.new._replace(key=armoured(keys)) if keys else given.new
    plan, new = _by_https(ports, access, new, only, over)
    signing = {shown.fingerprint for shown in plan.keys if shown.signs}
    kept = [key for key in given.common if key.fingerprint in signing]
    if not signing or len(kept) == len(given.common):
        return plan
    new = new._replace(key=armoured([*given.own, *kept]))
    plan = plan_add(ports, access, new, only, over)
    for key in given.common:
        if key not in kept:
            plan.notes.append(KeyNotForIt(key=grouped(key.fingerprint), owner=key.owner))
    return plan


def _by_https(
    ports: Ports, access: Access, new: NewSource, only: Sequence[str], over: Sequence[str]
) -> tuple[Plan, NewSource]:
    """What adding a source would write, at https where that answers just as well."""
    addresses = tuple(dict.fromkeys(_PLAIN_ADDRESS.findall(new.snippet)))
    if addresses:
        snippet = new.snippet.replace("http://", "https://")
        notes = (*new.notes, *(HttpsAnswers(address=each) for each in addresses))
        better = new._replace(snippet=snippet, notes=notes)
        with suppress(VelpinError):
            plan = plan_add(ports, access.hasty(), better, only, over)
            if plan.error is None and not plan.findings:
                return plan, better
    return plan_add(ports, access, new, only, over), new


class _Given(NamedTuple):
    """A source of a page, and the keys that the page has for it."""

    new: NewSource
    own: Sequence[Key] = ()
    common: Sequence[Key] = ()
    """Those that the page takes for every source."""


class _Sources:
    """The sources that instructions come to."""

    def __init__(
        self, ports: Ports, access: Access, transport: Transport, name: str, suite: str,
        key: bytes, fingerprint: str,
    ) -> None:  # fmt: skip
        self._ports, self._access, self._transport = ports, access, transport
        self._name, self._suite = name, suite
        self._key, self._fingerprint = key, fingerprint
        self.without: list[str] = []
        """Addresses of packages that bring no source."""

    def of(self, reading: Reading) -> Iterator[_Given]:
        """Those of one reading; its packages without a source are kept in `without`."""
        for address in reading.packages:
            yield from self._of_package(address)
        for source in reading.sources:
            yield self._of_text(source, is_only=len(reading.sources) == 1)

    def _of_package(self, address: str) -> Iterator[_Given]:
        try:
            new = new_source_from(self._ports, self._access, address, fingerprint=self._fingerprint)
        except NoSourceInside:
            self.without.append(address)
            return
        if not new.arguments:
            yield _Given(new)
            return
        inner = read_instructions(
            self._ports, self._access, new.snippet, new.snippet_name, files=new.files,
            arguments=new.arguments,
        )  # fmt: skip
        if len(inner) > 1 or inner[0].packages:
            raise UsageError(
                f"the script of {address} leads to different sources",
                f"see them: velpin add {shell_word(address)}",
            )
        yield from self.of(inner[0])

    def _of_text(self, source: SourceRead, *, is_only: bool) -> _Given:
        asked = ",".join(each.fingerprint for each in source.keys if each.fingerprint)
        new = NewSource(
            handle=self._name if is_only else "", release=self._suite, snippet=source.snippet,
            snippet_name="the instructions", key=self._key, key_name="the key given",
            fingerprint=self._fingerprint or ("" if self._key else asked),
        )  # fmt: skip
        if self._key or not source.keys:
            return _Given(new)
        named = ", ".join(dict.fromkeys(each.address or "the page" for each in source.keys))
        own, common = dict[str, Key](), dict[str, Key]()
        for each in source.keys:
            into = common if each.for_all and len(source.keys) > 1 else own
            into.update({key.fingerprint: key for key in self._keys(each)})
        return _Given(new._replace(key_name=named), list(own.values()), list(common.values()))

    def _keys(self, key: KeyRead) -> list[Key]:
        """The keys at the place where a text says that they are."""
        data = key.text
        if not data and key.fingerprint:
            data = by_fingerprint(self._ports.tree, self._transport, key.fingerprint, key.address)
        elif not data and key.address:
            data = self._read(key.address)
        return read_keys(data, key.address or "the page")

    def _read(self, address: str) -> bytes:
        """A key's file, by https where that answers as well."""
        if address.startswith("http://"):
            with suppress(FetchError, TrustError):
                better = address.replace("http://", "https://", 1)
                data = self._transport.hasty().read(better, most=LARGEST_KEY)
                read_keys(data, better)
                return data
        return self._transport.read(address, most=LARGEST_KEY)


def _preferred(
    ports: Ports, plan: Plan, reading: Reading, met: set[PagePreference]
) -> Iterator[Rule]:
    """The rules that a text's priorities come to for the sources of a plan; `met` gets those that
    are for one of them."""
    after = considering(ports, plan)
    others = tuple(source.handle for source in ports.configuration.sources if source.on)
    for handle in plan.handles:
        source = after.configuration.by_handle[handle]
        machine = parts_of(source.address).hostname or ""
        for each in reading.preferences:
            if each.machine != machine and (
                not each.publisher or after.provenance.publisher_of(source) != each.publisher
            ):
                continue
            met.add(each)
            if each.how == "only":
                yield Confine(handle, each.names)
            elif each.how == "names":
                yield Pin(each.names, source=handle)
            elif each.how == "over":
                yield Prefer(handle, over_all=True)
            elif others:
                yield Prefer(handle, under=others)


def _nothing(ports: Ports, reading: Reading) -> UsageError:
    told = "; ".join(
        f"line {line.first}: {line.says.text}" for line in reading.lines[:6] if line.first
    )
    return UsageError(
        f"these instructions bring no source for this host (kind {ports.kind})"
        + (f": {told}" if told else ""),
        f"what they install: {as_typed(['velpin', 'forecast', *reading.requests])}"
        if reading.requests
        else "give the part of the page that is for this kind of host, or the vendor's file itself",
    )
