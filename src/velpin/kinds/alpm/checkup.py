"""What a checkup asks of an alpm host, and the checks that only this kind has.

Observed rules: docs/how-hosts-choose/alpm.md, docs/how-hosts-choose/signatures.md.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import partial
from itertools import islice

from velpin.change.plan import Plan
from velpin.errors import HostFileError, StoreError, TrustError
from velpin.kinds.alpm.edit import Text
from velpin.kinds.alpm.keyring import AlpmSigners
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.trust import ring
from velpin.model import findings
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
    nothing_for,
    removing,
)
from velpin.ports.configuration import find_source
from velpin.ports.examiner import Examiner

_LEFT = (".pacnew", ".pacsave", ".pacorig")
_SAMPLE = 4000


class AlpmExaminer(Examiner):
    """One alpm host as a checkup asks it."""

    def __init__(self, state: AlpmState) -> None:
        self.state, self.signers = state, AlpmSigners(state)

    def own_checks(self) -> Sequence[Check]:
        """The keyring, sections that stand twice, architectures, what updates left."""
        return check_ring, check_twice, check_archs, check_gone, check_left

    # -- trust -------------------------------------------------------------------------------

    def is_checked(self, source: Source) -> bool:
        """Its packages, or a list that must be signed."""
        level = self.state.configuration.by_handle[source.handle].level
        return level.of_packages != "never" or level.of_index == "required"

    def check_mends(self, source: Source, reason: Unchecked) -> Sequence[Mend]:
        """To take the section's own level away, where the host's is stricter and has keys."""
        if isinstance(reason, PlainWay | PlainIndex):
            return []
        return [Mend("", partial(_level_removed, source.handle), is_choice=True)]

    def place_of_check(self, source: Source, reason: Unchecked) -> Place:
        """The line with the section's level, else the host's."""
        sections = [s for s in self.state.configuration.config.sections if s.name == source.handle]
        for section in (*sections, self.state.configuration.config.options):
            for directive in section.of("SigLevel"):
                return directive.place
        return source.places[0]

    def login_files(self) -> Sequence[str]:
        """Files with a login in a server's address."""
        return [
            directive.place.file
            for section in self.state.configuration.config.sections
            for directive in section.of("Server")
            if has_login(directive.text or "")
        ]

    def own_files(self) -> Sequence[str]:
        """The configuration and what it includes."""
        return list(dict.fromkeys(self.state.configuration.config.files))

    # -- sources -----------------------------------------------------------------------------

    # -- packages ----------------------------------------------------------------------------


def _examiner(look: Look) -> AlpmExaminer:
    assert isinstance(look.examiner, AlpmExaminer)
    return look.examiner


def _state(ports: Ports) -> AlpmState:
    examiner = ports.examiner
    assert isinstance(examiner, AlpmExaminer)
    return examiner.state


def check_ring(look: Look) -> Iterator[Draft]:
    """A host whose sources must be signed, and that has no key to check them with."""
    state = _examiner(look).state
    found = ring(state)
    asking = [
        source.handle
        for source in state.configuration.sources
        if source.on and "required" in (source.level.of_index, source.level.of_packages)
    ]
    if asking and not found.keys:
        what = findings.KeyMissing(source=", ".join(asking), what="; ".join(found.problems))
        yield Draft(findings.KeyMissing, what, Place(found.file, 0), "", "",
                    advice=findings.FillTheRing())  # fmt: skip


def _level_removed(handle: str, ports: Ports) -> Plan:
    state = _state(ports)
    plan = Plan("", f"check {handle} as the host's SigLevel says")
    section = next(
        section for section in state.configuration.config.sections if section.name == handle
    )
    edits: dict[str, bytes | None] = {}
    for directive in reversed(list(section.of("SigLevel"))):
        file = directive.place.file
        text = Text(state.tree.with_edits(edits), file)
        del text.lines[directive.place.line - 1]
        edits[file] = text.data
    plan.propose(state.tree, edits)
    after = state.with_edits(edits)
    source = find_source(after.configuration.by_handle, handle)
    if not ring(after).keys:
        raise TrustError("the ring holds no key")
    if source.level.of_index == "required" and not AlpmSigners(state).index_signers(source):
        raise TrustError(f"nothing shows that the list of {handle} is signed")
    return plan


def check_twice(look: Look) -> Iterator[Draft]:
    """Sections of one name: all but the first count for nothing."""
    for note in _examiner(look).state.configuration.notes():
        if note.code != "listed-twice":
            continue
        name = note.text[1:].partition("]")[0]
        first = note.text.rpartition("(")[2].removesuffix(")")
        what = findings.ListedTwice(what=f"[{name}]", place=note.place, first=first)
        mend = Mend("", partial(_section_removed, note.place, name))
        handle = name if name in _examiner(look).state.configuration.by_handle else ""
        yield Draft(findings.ListedTwice, what, note.place, handle, note.place.file, [mend])


def _section_removed(place: Place, name: str, ports: Ports) -> Plan:
    state = _state(ports)
    text = Text(state.tree, place.file)
    blocks = [block for block in text.blocks() if block.name == name and not block.off]
    text.cut(min(blocks, key=lambda block: abs(block.head + 1 - place.line)))
    plan = Plan("", f"take the second [{name}] out of /{place.file}")
    plan.propose(state.tree, {place.file: text.data})
    return plan


def check_archs(look: Look) -> Iterator[Draft]:
    """Sources that have nothing for this host's architecture."""
    state = _examiner(look).state
    for source in state.configuration.sources:
        if not source.on:
            continue
        try:
            index = state.indexes.index(source)
        except (HostFileError, StoreError):
            continue
        archs = {row.arch for row in islice(index.all_rows(), _SAMPLE)} if index else set()
        if archs and not any(state.configuration.takes(arch) for arch in archs):
            yield nothing_for(source, " ".join(state.configuration.archs), " ".join(sorted(archs)))


def check_gone(look: Look) -> Iterator[Draft]:
    """Sources whose servers say that there is no such list."""
    for source in look.sources_on:
        failure = look.failure(source)
        if failure is not None and failure.kind == "NotThere":
            what = findings.SuiteGone(source=source.handle, asked=source.url, what=failure.message)
            yield Draft(findings.SuiteGone, what, source.places[0], source.handle, "",
                        advice=findings.AskTheVendor(source=source.handle))  # fmt: skip


def check_left(look: Look) -> Iterator[Draft]:
    """Files that an update of the configuration left beside it, and a lock."""
    state = _examiner(look).state
    for file in dict.fromkeys(state.configuration.config.files):
        for ending in _LEFT:
            left = file + ending
            if state.tree.mode(left) is not None:
                mend = Mend("", removing(left), is_choice=True)
                yield Draft(
                    findings.Leftover,
                    findings.Leftover(file=f"/{left}"),
                    Place(left, 0),
                    "",
                    left,
                    [mend],
                )
    lock = f"{state.configuration.database}/db.lck"
    if state.tree.mode(lock) is not None:
        yield Draft(
            findings.Interrupted,
            findings.InstallerLocked(file=f"/{lock}"),
            Place(lock, 0),
            "",
            lock,
            advice=findings.RemoveLock(file=f"/{lock}"),
        )
