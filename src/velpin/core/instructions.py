"""A vendor's instructions: read for one host, and planned as what they come to."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

from velpin.change.plan import NewSource, Plan
from velpin.core.adding import plan_add
from velpin.core.named_keys import LARGEST_KEY, by_fingerprint
from velpin.core.new_source import new_source_from
from velpin.core.rule_plans import considering, plan_rules
from velpin.core.source_plans import plan_switch
from velpin.errors import FetchError, TrustError, UsageError
from velpin.files.tree import read_release_fields
from velpin.instructions.addresses import parts_of
from velpin.instructions.reading import readings
from velpin.instructions.words import UNKNOWN
from velpin.model.instruction_reasons import NotAllFollowed
from velpin.model.instructions import KeyRead, Reading
from velpin.model.rule import Confine
from velpin.model.shell import as_typed, shell_word
from velpin.trust.openpgp import armoured, read_keys

if TYPE_CHECKING:
    from velpin.core.access import Access
    from velpin.fetch.download import Transport
    from velpin.files.tree import Tree
    from velpin.ports.bundle import Ports

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

    def read(self, file: str) -> bytes | None:
        """A file below the root, of which most are not known; None where there is none."""
        if not file:
            return None
        if _MAY_BE_READ.match(file):
            return self._tree.read(file)  # links are followed no further than the root
        return UNKNOWN.encode() if "\0" not in file and self._tree.stat(file) else None

    def has(self, file: str) -> bool:
        """Whether there is a file or a folder of the system."""
        is_system = file.startswith(("etc", "usr", "bin", "sbin", "lib")) and "\0" not in file
        return is_system and self._tree.exists(file)


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
    for new in _new_sources(
        ports, access, reading, transport, name=name, suite=suite, key=key, fingerprint=fingerprint
    ):
        here = considering(ports, whole)
        plan = plan_add(here, access, new, only, over)
        names = reading.confined.get(_machine(here, plan), ())
        if names and not only and not plan.error:
            rules = [Confine(handle, names) for handle in plan.handles]
            plan = plan.then(plan_rules(considering(here, plan), rules))
        whole = whole.then(plan)
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


def _new_sources(
    ports: Ports, access: Access, reading: Reading, transport: Transport, *, name: str, suite: str,
    key: bytes, fingerprint: str,
) -> Iterator[NewSource]:  # fmt: skip
    for address in reading.packages:
        new = new_source_from(ports, access, address, fingerprint=fingerprint)
        if not new.arguments:
            yield new
            continue
        inner = read_instructions(
            ports, access, new.snippet, new.snippet_name, files=new.files, arguments=new.arguments
        )
        if len(inner) > 1 or inner[0].packages:
            raise UsageError(
                f"the script of {address} leads to different sources",
                f"see them: velpin add {shell_word(address)}",
            )
        yield from _new_sources(
            ports, access, inner[0], transport, name=name, suite=suite, key=key,
            fingerprint=fingerprint,
        )  # fmt: skip
    for source in reading.sources:
        given, key_name = key, "the key given"
        if not given and source.keys:
            given = _key_bytes(ports.tree, source.keys, transport)
            key_name = ", ".join(dict.fromkeys(each.address or "the page" for each in source.keys))
        asked = ",".join(each.fingerprint for each in source.keys if each.fingerprint)
        yield NewSource(
            handle=name if len(reading.sources) == 1 else "", release=suite, snippet=source.snippet,
            snippet_name="the instructions", key=given, key_name=key_name,
            fingerprint=fingerprint or ("" if key else asked),
        )  # fmt: skip


def _key_bytes(tree: Tree, keys: Sequence[KeyRead], transport: Transport) -> bytes:
    """Keys from where a text says that they are, as one armoured text."""
    found = []
    for key in keys:
        data = key.text
        if key.fingerprint:
            data = by_fingerprint(tree, transport, key.fingerprint, key.address)
        elif key.address:
            data = transport.read(key.address, most=LARGEST_KEY)
        found += read_keys(data, key.address or "the page")
    return armoured(list(dict.fromkeys(found)))


def _machine(ports: Ports, plan: Plan) -> str:
    """The machine that a plan's first source is fetched from."""
    there: Mapping[str, object] = considering(ports, plan).configuration.by_handle
    source = there.get(plan.handles[0]) if plan.handles else None
    return parts_of(str(getattr(source, "address", ""))).hostname or ""


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
