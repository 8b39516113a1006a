"""A change that is being considered: new file contents, and all a person should see first."""

from __future__ import annotations

import os
import time
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType
from typing import TYPE_CHECKING, Literal, NamedTuple

from velpin.errors import CannotWrite, PlanRefused, VelpinError
from velpin.files.tree import Edits, Modes, Tree
from velpin.model.forecast import Remedy
from velpin.model.reason import Reason
from velpin.model.rule import Rule, Verdict

if TYPE_CHECKING:
    from velpin.change.journal import JournalEntry
    from velpin.trust.openpgp import Key


FOR_OWNER = 0o600
"""The permission bits of what nobody but its owner may read."""


class NewSource(NamedTuple):
    """A source to be added, by its address or as a vendor's snippet; all texts as given."""

    handle: str = ""
    address: str = ""
    release: str = ""
    components: tuple[str, ...] = ()
    archs: tuple[str, ...] = ()
    snippet: str = ""
    snippet_name: str = ""
    """Where the snippet came from, for messages and to tell its format by the extension."""
    files: Mapping[str, bytes] = MappingProxyType({})
    """Files that came with the snippet, by name below the root: a release package's."""
    key: bytes = b""
    key_name: str = ""
    fingerprint: str = ""
    """The one that the vendor publishes, or several parted by commas; TrustError where no key
    given has any of them."""
    keep_options: bool = False
    """Whether options that switch checks off stay although a key was given: what is described is
    a source as it once was."""
    signed_index: bool = False
    """Whether its index itself is signed, where hosts ask for that apart."""


class KeyShown(NamedTuple):
    """A key as it is shown before it is trusted; times in seconds since 1970."""

    owner: str
    fingerprint: str
    created: float
    expires: float | None
    algorithm: str
    state: Literal["good", "expired", "revoked"]
    signs: bool | None
    """Whether it really signs the source; None where that could not be seen."""
    agrees: bool | None
    """Whether it is the one that was announced; None where nothing was."""
    what: Literal["index", "packages", "catalog"] = "index"
    """What it was seen to sign."""


def shown_key(
    key: Key, *, signs: bool | None, what: Literal["index", "packages", "catalog"] = "index",
    agrees: bool | None = None, now: float | None = None,
) -> KeyShown:  # fmt: skip
    """A key as it is shown before it is trusted; `now` is in seconds since 1970."""
    expired = key.is_expired(time.time() if now is None else now)
    return KeyShown(
        key.owner, key.fingerprint, key.created, key.expires, key.algorithm,
        "revoked" if key.revoked else "expired" if expired else "good", signs, agrees,
        what,
    )  # fmt: skip


@dataclass(slots=True)
class Plan:
    """One considered change."""

    command: str
    summary: str
    edits: dict[str, bytes | None] = field(default_factory=dict)
    planned_on: Edits = field(default_factory=dict)
    private: set[str] = field(default_factory=set)
    """New files that only root may read: a password is in them."""
    modes: dict[str, int] = field(default_factory=dict)
    """New permission bits of files, also of such as keep their contents."""
    moved: dict[str, str] = field(default_factory=dict)
    """New names of files that keep all but their name, with the old ones; a link stays one."""
    led: dict[str, str] = field(default_factory=dict)
    """Files that are links or lie behind some, with where they really are below the root."""
    keys: list[KeyShown] = field(default_factory=list)
    handles: list[str] = field(default_factory=list)
    findings: list[Reason] = field(default_factory=list)
    """What speaks against it; any of them stops it unless that is overruled."""
    notes: list[Reason] = field(default_factory=list)
    error: VelpinError | None = None
    """What makes it impossible."""
    rules: list[Rule] = field(default_factory=list)
    unmet: Verdict | None = None
    """Set where a rule would not hold although it was written; nothing overrules that."""
    remedies: list[Remedy] = field(default_factory=list)
    """Small changes with which it would hold; each was tried."""
    undoes: int = 0
    """The number of the journal's entry that it takes back; 0 for none."""

    def propose(self, tree: Tree, edits: Edits) -> None:
        """Take the edits, and keep what the files hold now: the plan is made on that."""
        self.edits = dict(edits)
        self.planned_on = {file: tree.read(file) for file in edits}
        self._follow(tree, edits)

    def propose_modes(self, tree: Tree, modes: Modes) -> None:
        """Take new permission bits of files that are there; their contents stay."""
        self.modes = dict(modes)
        contents = {file: tree.read(file) for file in modes if file not in self.edits}
        self.edits.update(contents)
        self.planned_on = {**self.planned_on, **contents}
        self._follow(tree, modes)

    def propose_renaming(self, tree: Tree, old: str, new: str) -> None:
        """Give a file another name; its rights and its owner stay, and a link stays a link."""
        self.propose(tree, {new: tree.read(old), old: None})
        self.moved = {new: old}

    def _follow(self, tree: Tree, files: Iterable[str]) -> None:
        for file in files:
            place = tree.resolved(file)
            if place != file.strip("/"):
                self.led[file] = place

    @property
    def considered_modes(self) -> Modes:
        """The permission bits that files would have which do not get the usual ones."""
        return {**dict.fromkeys(self.private, FOR_OWNER), **self.modes}

    def then(self, tree: Tree, other: Plan) -> Plan:
        """This change and a further one that was planned on its outcome, as one.

        The files of the further one are written first: a rule before the source that it is about.
        """
        if not (self.command or self.edits):
            return other
        whole = Plan(
            f"{self.command} && {other.command}", f"{self.summary}; {other.summary}",
            keys=[*self.keys, *other.keys], handles=[*self.handles, *other.handles],
            findings=[*self.findings, *other.findings], notes=[*self.notes, *other.notes],
            error=self.error or other.error, rules=[*self.rules, *other.rules],
            unmet=self.unmet or other.unmet, remedies=[*self.remedies, *other.remedies],
        )  # fmt: skip
        rest = {file: data for file, data in self.edits.items() if file not in other.edits}
        whole.propose(tree, {**other.edits, **rest})
        whole.moved = {**self.moved, **other.moved}
        whole.private = self.private | other.private
        whole.modes = {**self.modes, **other.modes}
        return whole

    @property
    def unchanged(self) -> bool:
        """Whether everything already is as it would be."""
        return (
            not self.error
            and not self.modes
            and all(self.planned_on.get(file) == data for file, data in self.edits.items())
        )

    def why_not(self, *, anyway: bool = False) -> VelpinError | None:
        """What stops it: that it is impossible, that it would not do what it is for, or, unless
        `anyway`, what speaks against it. None where it may be written."""
        if self.error:
            return self.error
        if self.unmet and self.unmet.why:
            return PlanRefused(self.unmet.why, place=self.unmet.rival, remedies=self.remedies)
        if self.findings and not anyway:
            return PlanRefused(self.findings[0], may_overrule=True)
        return None


def plan_undo(tree: Tree, entry: JournalEntry) -> Plan:
    """What taking back a change would write."""
    plan = Plan(f"velpin undo {entry.number}", f"undo {entry.number}: {entry.summary}")
    plan.propose(
        tree,
        {
            edit.file: _behind(tree, edit.file, edit.before.link) or edit.before.data
            for edit in entry.edits
        },
    )
    plan.modes = {
        edit.file: edit.before.mode
        for edit in entry.edits
        if edit.before.data is not None and edit.before.mode != edit.after.mode
    }
    plan.undoes = entry.number
    return plan


def _behind(tree: Tree, file: str, link: str) -> bytes | None:
    """What a link in the place of a file would lead to; None without one."""
    if not link:
        return None
    return tree.read(link if link.startswith("/") else f"{file.rpartition('/')[0]}/{link}")


def check_writable(tree: Tree) -> None:
    """CannotWrite where this user may not write the host's configuration."""
    place = tree.path("etc")
    if place.exists() and not os.access(place, os.W_OK):
        raise CannotWrite(f"no right to write {place}", "run it as root; --preview only looks")
