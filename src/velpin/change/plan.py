"""A change that is being considered: new file contents, and all a person should see first."""

from __future__ import annotations

import os
import time
from collections.abc import Collection, Mapping
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
    arguments: tuple[str, ...] = ()
    """The words that the snippet is called with, if it is a release package's script."""
    key: bytes = b""
    key_name: str = ""
    key_files: tuple[str, ...] = ()
    """Files of the host that hold its keys already, to be named as they are; with `key` empty."""
    fingerprint: str = ""
    """The one that the vendor publishes, or several parted by commas; TrustError where no key
    given has any of them."""
    keep_options: bool = False
    """Whether options that switch checks off stay although a key was given: what is described is
    a source as it once was."""
    signed_index: bool = False
    """Whether its index itself is signed, where hosts ask for that apart."""
    notes: tuple[Reason, ...] = ()
    """What there is to say of how it was found."""


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
    used_by: tuple[str, ...] = ()
    """The other sources of the host that it is named for, or was verified to have signed."""


def shown_key(
    key: Key, *, signs: bool | None, what: Literal["index", "packages", "catalog"] = "index",
    agrees: bool | None = None, used_by: tuple[str, ...] = (), now: float | None = None,
) -> KeyShown:  # fmt: skip
    """A key as it is shown before it is trusted; `now` is in seconds since 1970."""
    expired = key.is_expired(time.time() if now is None else now)
    return KeyShown(
        key.owner, key.fingerprint, key.created, key.expires, key.algorithm,
        "revoked" if key.revoked else "expired" if expired else "good", signs, agrees,
        what, used_by,
    )  # fmt: skip


class FileEdit(NamedTuple):
    """What a plan does to one file."""

    file: str
    """Its name below the root."""
    before: bytes | None
    """What it held when the plan was made; None if it was not there."""
    after: bytes | None
    """What it is to hold; None to remove it."""
    mode: int | None = None
    """New permission bits, also of a file that keeps its contents; None for the usual ones of a new
    file, and those it has of any other."""
    is_private: bool = False
    """Whether it is new and only root may read it: a password is in it."""
    was: str = ""
    """The name it had, if it only gets another one; its rights stay, and a link stays a link."""
    place: str = ""
    """Where it really is below the root, if it is a link or lies behind one."""

    @property
    def changes(self) -> bool:
        """Whether anything of it is to be different."""
        return self.before != self.after or self.mode is not None


@dataclass(slots=True)
class Plan:
    """One considered change."""

    command: str
    summary: str
    files: list[FileEdit] = field(default_factory=list)
    """In the order of writing."""
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

    def propose(self, tree: Tree, edits: Edits, *, private: Collection[str] = ()) -> None:
        """Take the edits, and keep what the files hold now: the plan is made on that. `private`
        are new files that only root may read."""
        self.files = [
            FileEdit(
                file, tree.read(file), data, is_private=file in private, place=_place(tree, file)
            )
            for file, data in edits.items()
        ]

    def propose_modes(self, tree: Tree, modes: Modes) -> None:
        """Take new permission bits of files that are there; their contents stay."""
        self.files = [edit._replace(mode=modes.get(edit.file)) for edit in self.files]
        known = {edit.file for edit in self.files}
        for file, mode in modes.items():
            if file not in known:
                data = tree.read(file)
                self.files.append(FileEdit(file, data, data, mode, place=_place(tree, file)))

    def propose_renaming(self, tree: Tree, old: str, new: str) -> None:
        """Give a file another name; its rights and its owner stay, and a link stays a link."""
        self.propose(tree, {new: tree.read(old), old: None})
        self.files[0] = self.files[0]._replace(was=old, place=_place(tree, old))

    @property
    def edits(self) -> dict[str, bytes | None]:
        """The new contents of its files, None for one that goes."""
        return {edit.file: edit.after for edit in self.files}

    @property
    def modes(self) -> Modes:
        """The permission bits that files would have which do not get the usual ones."""
        private = {edit.file: FOR_OWNER for edit in self.files if edit.is_private}
        return private | {edit.file: edit.mode for edit in self.files if edit.mode is not None}

    def then(self, other: Plan) -> Plan:
        """This change and a further one that was planned on its outcome, as one.

        The files of the further one are written first: a rule before the source that it is about.
        """
        if not (self.command or self.files):
            return other
        mine = {edit.file: edit for edit in self.files}
        further = [
            _one_after_another(mine.pop(edit.file), edit) if edit.file in mine else edit
            for edit in other.files
        ]
        return Plan(
            f"{self.command} && {other.command}", f"{self.summary}; {other.summary}",
            files=[*further, *mine.values()],
            keys=[*self.keys, *other.keys], handles=[*self.handles, *other.handles],
            findings=[*self.findings, *other.findings], notes=[*self.notes, *other.notes],
            error=self.error or other.error, rules=[*self.rules, *other.rules],
            unmet=self.unmet or other.unmet, remedies=[*self.remedies, *other.remedies],
        )  # fmt: skip

    @property
    def unchanged(self) -> bool:
        """Whether everything already is as it would be."""
        return not self.error and not any(edit.changes for edit in self.files)

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


def _place(tree: Tree, file: str) -> str:
    """Where a file really is, if that is not what it is called."""
    place = tree.resolved(file)
    return place if place != file.strip("/") else ""


def _one_after_another(first: FileEdit, second: FileEdit) -> FileEdit:
    """Two edits of one file as one."""
    return second._replace(
        before=first.before,
        mode=first.mode if second.mode is None else second.mode,
        is_private=first.is_private or second.is_private,
        was=second.was or first.was,
    )


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
    modes = {
        edit.file: edit.before.mode
        for edit in entry.edits
        if edit.before.data is not None and edit.before.mode != edit.after.mode
    }
    plan.files = [edit._replace(mode=modes.get(edit.file)) for edit in plan.files]
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
