"""What a checkup asks of an alpm host, and the checks that only this kind has.

Observed rules: docs/how-hosts-choose/alpm.md, docs/how-hosts-choose/signatures.md.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from functools import partial
from itertools import islice

from velpin.change.plan import Plan
from velpin.core.adapter import Adapter
from velpin.core.checkup.examination import Check, Draft, Examination, Mend, note_of
from velpin.core.checkup.facts import KindFacts
from velpin.core.checkup.mends import nothing_for, removing
from velpin.core.checkup.next_release import NextRelease
from velpin.errors import HostFileError, StoreError, TrustError
from velpin.fetch.download import Transport
from velpin.kinds.alpm.adapter import AlpmAdapter
from velpin.kinds.alpm.copies import LIST, SYNC
from velpin.kinds.alpm.edit import Text
from velpin.kinds.alpm.trust import KEYBOX, RING, folder_of, ring
from velpin.model.reason import Place, Reason
from velpin.model.safe_text import has_login
from velpin.model.source import Source
from velpin.ports.packages import Installed
from velpin.trust.named import NamedKeys

_LEFT = (".pacnew", ".pacsave", ".pacorig")
_SAMPLE = 4000


class AlpmCheckupFacts(KindFacts):
    """One alpm host as a checkup asks it."""

    host: AlpmAdapter
    tiers_matter = False

    def __init__(self, host: AlpmAdapter) -> None:
        self.host = host

    def own_checks(self) -> Sequence[Check]:
        """The keyring, sections that stand twice, architectures, what updates left."""
        return check_ring, check_twice, check_archs, check_gone, check_left

    # -- trust -------------------------------------------------------------------------------

    def keys_of(self, source: Source) -> NamedKeys:
        """The host's ring, for every source that is checked."""
        mine = self.host.source(source.handle)
        if (mine.level.of_index, mine.level.of_packages) == ("never", "never"):
            return NamedKeys(how="none")
        found = ring(self.host)
        return NamedKeys("ring", list(found.keys), [found.file], list(found.problems))

    def index_signers(self, source: Source) -> Sequence[str]:
        """Who signed the list that Velpin fetched."""
        fetched = self.host.copies[source.handle].fetched
        return fetched.signed_by if fetched else ()

    def is_checked(self, source: Source) -> bool:
        """Its packages, or a list that must be signed."""
        level = self.host.source(source.handle).level
        return level.of_packages != "never" or level.of_index == "required"

    def check_mends(self, source: Source, reason: Reason) -> Sequence[Mend]:
        """To take the section's own level away, where the host's is stricter and has keys."""
        if reason.code in ("plain-way", "plain-index"):
            return []
        return [Mend("", partial(_level_removed, source.handle), is_choice=True)]

    def place_of_check(self, source: Source, reason: Reason) -> Place:
        """The line with the section's level, else the host's."""
        sections = [s for s in self.host.config.sections if s.name == source.handle]
        for section in (*sections, self.host.config.options):
            for directive in section.of("SigLevel"):
                return directive.place
        return source.places[0]

    def key_files(self) -> Sequence[str]:
        """The ring's."""
        folder = folder_of(self.host)
        files = (f"{folder}/{name}" for name in (RING, KEYBOX))
        return [file for file in files if self.host.tree.stat(file) is not None]

    def login_files(self) -> Sequence[str]:
        """Files with a login in a server's address."""
        return [
            directive.place.file
            for section in self.host.config.sections
            for directive in section.of("Server")
            if has_login(directive.text or "")
        ]

    def own_files(self) -> Sequence[str]:
        """The configuration and what it includes."""
        return list(dict.fromkeys(self.host.config.files))

    # -- sources -----------------------------------------------------------------------------

    def installer_looked_at(self, source: Source) -> float | None:
        """When its copy was last written: the copy's own date is the server's."""
        path = self.host.tree.path(f"{self.host.database}/{SYNC}/{source.handle}.{LIST}")
        try:
            found = path.stat()
        except OSError:
            return None
        return max(found.st_mtime, found.st_ctime)

    def catalog_fields(self, source: Source) -> Mapping[str, object]:
        """What its index is called."""
        return {"index": source.handle}

    def moves_to(self, release: str, transport: Transport) -> NextRelease:
        """Servers' addresses with that release in the place of this one's."""
        from velpin.kinds.alpm.next_release import moves_to

        return moves_to(self.host, release)

    # -- packages ----------------------------------------------------------------------------

    def set_of(self, here: Installed) -> tuple[str, str] | None:
        """The base it was built with."""
        package = self.host.pool.installed(here.name)
        base = package.facts.base if package else ""
        return (base, here.version) if base else None


def _facts(check: Examination) -> AlpmCheckupFacts:
    assert isinstance(check.facts, AlpmCheckupFacts)
    return check.facts


def _adapter(host: Adapter[Source]) -> AlpmAdapter:
    assert isinstance(host, AlpmAdapter)
    return host


def check_ring(check: Examination) -> Iterator[Draft]:
    """A host whose sources must be signed, and that has no key to check them with."""
    host = _facts(check).host
    found = ring(host)
    asking = [
        source.handle
        for source in host.sources
        if source.on and "required" in (source.level.of_index, source.level.of_packages)
    ]
    if asking and not found.keys:
        what = note_of("key-missing", source=", ".join(asking), what="; ".join(found.problems))
        yield Draft("key-missing", what, Place(found.file, 0), "", "",
                    advice=note_of("fill-the-ring"))  # fmt: skip


def _level_removed(handle: str, given: Adapter[Source]) -> Plan:
    host = _adapter(given)
    plan = Plan("", f"check {handle} as the host's SigLevel says")
    section = next(section for section in host.config.sections if section.name == handle)
    edits: dict[str, bytes | None] = {}
    for directive in reversed(list(section.of("SigLevel"))):
        file = directive.place.file
        text = Text(host.tree.with_edits(edits), file)
        del text.lines[directive.place.line - 1]
        edits[file] = text.data
    plan.propose(host.tree, edits)
    after = host.with_edits(edits)
    source = after.source(handle)
    if not ring(after).keys:
        raise TrustError("the ring holds no key")
    if source.level.of_index == "required" and not AlpmCheckupFacts(host).index_signers(source):
        raise TrustError(f"nothing shows that the list of {handle} is signed")
    return plan


def check_twice(check: Examination) -> Iterator[Draft]:
    """Sections of one name: all but the first count for nothing."""
    for note in check.host.notes():
        if note.code != "listed-twice":
            continue
        name = note.text[1:].partition("]")[0]
        first = note.text.rpartition("(")[2].removesuffix(")")
        what = note_of("listed-twice", what=f"[{name}]", place=note.place, first=first)
        mend = Mend("", partial(_section_removed, note.place, name))
        handle = name if name in check.host.by_handle else ""
        yield Draft("listed-twice", what, note.place, handle, note.place.file, [mend])


def _section_removed(place: Place, name: str, given: Adapter[Source]) -> Plan:
    host = _adapter(given)
    text = Text(host.tree, place.file)
    blocks = [block for block in text.blocks() if block.name == name and not block.off]
    text.cut(min(blocks, key=lambda block: abs(block.head + 1 - place.line)))
    plan = Plan("", f"take the second [{name}] out of /{place.file}")
    plan.propose(host.tree, {place.file: text.data})
    return plan


def check_archs(check: Examination) -> Iterator[Draft]:
    """Sources that have nothing for this host's architecture."""
    host = _facts(check).host
    for source in host.sources:
        if not source.on:
            continue
        try:
            index = host.index(source)
        except (HostFileError, StoreError):
            continue
        archs = {row.arch for row in islice(index.all_rows(), _SAMPLE)} if index else set()
        if archs and not any(host.takes(arch) for arch in archs):
            yield nothing_for(source, " ".join(host.archs), " ".join(sorted(archs)))


def check_gone(check: Examination) -> Iterator[Draft]:
    """Sources whose servers say that there is no such list."""
    for source in check.sources_on:
        failure = check.failure(source)
        if failure is not None and failure.kind == "NotThere":
            what = note_of(
                "suite-gone", source=source.handle, asked=source.url, what=failure.message
            )
            yield Draft("suite-gone", what, source.places[0], source.handle, "",
                        advice=note_of("ask-the-vendor", source=source.handle))  # fmt: skip


def check_left(check: Examination) -> Iterator[Draft]:
    """Files that an update of the configuration left beside it, and a lock."""
    host = _facts(check).host
    for file in dict.fromkeys(host.config.files):
        for ending in _LEFT:
            left = file + ending
            if host.tree.mode(left) is not None:
                mend = Mend("", removing(left), is_choice=True)
                yield Draft("leftover", note_of("leftover", file=f"/{left}"), Place(left, 0), "",
                            left, [mend])  # fmt: skip
    lock = f"{host.database}/db.lck"
    if host.tree.mode(lock) is not None:
        yield Draft("interrupted", note_of("installer-locked", file=f"/{lock}"), Place(lock, 0), "",
                    lock, advice=note_of("remove-lock", file=f"/{lock}"))  # fmt: skip
