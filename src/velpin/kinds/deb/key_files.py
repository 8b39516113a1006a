"""Key files of deb hosts, read as the host's installer reads them: by the ending of their name, as
the user that it checks signatures as, and with what one bad file does to those beside it.

Observed rules: docs/how-hosts-choose/signatures.md, "Key files of deb hosts".
"""

from __future__ import annotations

import os
import re
import stat
from functools import cached_property
from typing import Literal, NamedTuple

from velpin.errors import BadKey, HostFileError
from velpin.files.tree import Tree
from velpin.trust.openpgp import Key, read_keys

_ARMOR = re.compile(rb"^-----BEGIN PGP PUBLIC KEY BLOCK-----[ \t]*\n", re.MULTILINE)
_BEGIN, _END = b"-----BEGIN PGP PUBLIC KEY BLOCK-----", b"-----END PGP PUBLIC KEY BLOCK-----"
_MARK = b"\xef\xbb\xbf"
"""The mark of a text's encoding, which some editors write."""
_USER = "_apt"
_PACKET = 0x80
"""Every packet of OpenPGP begins with this bit set, no text does."""


_Form = Literal["armored", "odd", "marked", "cut", "binary", "text"]
"""`odd`: armored, with line ends of another system or something before the dashes; `marked`: behind
a mark of its encoding; `cut`: without an end; `text`: no key."""


class KeyFile(NamedTuple):
    """What the host's installer makes of one key file."""

    keys: tuple[Key, ...] = ()
    problem: str = ""
    """Why it cannot be used; empty where it can."""
    mistake: str = ""
    """What is wrong with it, where that can be mended: `ending`, `line`, `rights`."""
    spoils: bool = False
    """Whether the files that are named beside it cannot be used either."""


class KeyFileReader:
    """Reads the key files of one host; `user` is the one that signatures are checked as, `root`
    where the settings say so; `by_content`: a file that a source names is told by what it holds."""

    def __init__(self, tree: Tree, user: str = "", *, by_content: bool = False) -> None:
        self._tree = tree
        self._user = user or _USER
        self._by_content = by_content

    def read(
        self, file: str, passed_over: list[str] | None = None, *, is_common: bool = False
    ) -> KeyFile:
        """One key file, named by a source or (`is_common`) in the folder for all sources; what is
        passed over in one that can be used is told."""
        try:
            data = self._tree.read(file)
        except HostFileError as problem:
            return KeyFile(problem=problem.message, spoils=not is_common)
        if data is None:
            return KeyFile(problem=f"/{file} is not there", spoils=not is_common)
        barred = self.why_barred(file)
        if barred:
            return KeyFile(problem=barred, mistake="rights", spoils=not is_common)
        if not data.strip():
            spoils = not (is_common or self._by_content or file.endswith(".gpg"))
            return KeyFile(problem=f"/{file} is empty", spoils=spoils)
        form = _form_of(data)
        wrong = self._why_wrong(file, form, is_common)
        if wrong is not None:
            return wrong
        try:
            return KeyFile(tuple(read_keys(data, file, passed_over)))
        except BadKey as problem:
            spoils = self._spoils(file, form, is_common, is_cut=problem.is_cut)
            return KeyFile(problem=problem.message, spoils=spoils)

    def _why_wrong(self, file: str, form: _Form, is_common: bool) -> KeyFile | None:
        """What is wrong with the form of a key file; None where nothing is."""
        by_ending = is_common or not self._by_content
        if by_ending and form == "binary" and file.endswith(".asc"):
            what = "holds a binary key, which the host's installer reads from a .gpg file"
            return KeyFile(problem=f"/{file} {what}", mistake="ending")
        if by_ending and form in ("armored", "odd") and file.endswith(".gpg"):
            what = "holds an armored key, which the host's installer reads from a .asc file"
            return KeyFile(problem=f"/{file} {what}", mistake="ending", spoils=not is_common)
        if form == "marked" or (form == "odd" and not self._by_content):
            what = (
                "has its first line written in a way that the host's installer does not read: line"
                " ends of another system, or something before the dashes"
            )
            return KeyFile(problem=f"/{file} {what}", mistake="line", spoils=self._by_content)
        return None

    def _spoils(self, file: str, form: _Form, is_common: bool, *, is_cut: bool) -> bool:
        """Whether a file without a usable key keeps those beside it from being used."""
        if form == "binary":
            return is_cut
        if is_cut:
            return not (is_common and self._by_content)
        return form == "text" and not is_common and (self._by_content or file.endswith(".gpg"))

    # -- who may read it -------------------------------------------------------------------

    def why_barred(self, file: str) -> str:
        """Why the user that checks signatures may not read a file; empty where it may."""
        barred = self.why_barred_by_folder(file)
        if barred or self._identity is None:
            return barred
        rights, status = self._tree.mode(file), self._tree.stat(file)
        uid, gid = (status.st_uid, status.st_gid) if status else (0, 0)
        if rights is None or _may(self._identity, rights, uid, gid, stat.S_IROTH):
            return ""
        return f"/{file}: the installer's user {self._user} may not read it ({rights:04o})"

    def why_barred_by_folder(self, file: str) -> str:
        """Why that user cannot get to a file; empty where it can."""
        if self._identity is None:
            return ""
        steps = file.split("/")[:-1]
        for length in range(1, len(steps) + 1):
            place = "/".join(steps[:length])
            try:
                found = os.stat(self._tree.path(place))
            except OSError:
                continue  # made together with the file, open to all
            if not _may(self._identity, found.st_mode, found.st_uid, found.st_gid, stat.S_IXOTH):
                return (
                    f"/{file}: the installer's user {self._user} may not read it: the folder"
                    f" /{place} is not open to it ({found.st_mode & 0o7777:04o})"
                )
        return ""

    @cached_property
    def _identity(self) -> tuple[int, frozenset[int]] | None:
        """Number and groups of that user; None on a host without it, where root checks them."""
        if self._user == "root":
            return None
        for fields in _lines_of(self._tree, "etc/passwd"):
            if fields[0] == self._user and len(fields) > 3 and fields[2].isdigit():
                groups = {int(fields[3])} if fields[3].isdigit() else set()
                for group in _lines_of(self._tree, "etc/group"):
                    members = group[3].split(",") if len(group) > 3 else []
                    if self._user in members and group[2].isdigit():
                        groups.add(int(group[2]))
                return int(fields[2]), frozenset(groups)
        return None


def _lines_of(tree: Tree, file: str) -> list[list[str]]:
    data = tree.read(file) or b""
    return [line.split(":") for line in data.decode("utf-8", "replace").splitlines()]


def _may(who: tuple[int, frozenset[int]], mode: int, uid: int, gid: int, bit: int) -> bool:
    """Whether a user has a right on a file, by the first class that it is of."""
    user, groups = who
    if user == uid:
        return bool(mode & bit << 6)
    return bool(mode & (bit << 3 if gid in groups else bit))


def _form_of(data: bytes) -> _Form:
    """How a key file is written, by its contents."""
    if data.startswith(_MARK) and _BEGIN in data:
        return "marked"
    if data[0] & _PACKET:
        return "binary"
    if _BEGIN not in data:
        return "text"
    if _END not in data:
        return "cut"
    return "armored" if _ARMOR.search(data) else "odd"
