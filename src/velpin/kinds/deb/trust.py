"""Which keys a deb host's configuration names for a source, and where they stand.

`Signed-By` names key files (absolute paths), fingerprints of keys in the common folder (an
exclamation mark behind one means exactly that key), or holds a whole key. A source that
names nothing is vouched for by every key of the common folder.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

from velpin.errors import BadKey
from velpin.files.text import encode
from velpin.files.tree import Tree
from velpin.kinds.deb.conf import is_yes
from velpin.kinds.deb.files import read_and_skipped
from velpin.kinds.deb.key_files import KeyFileReader
from velpin.kinds.deb.source_reasons import (
    CheckOffDate,
    CheckOffDowngrade,
    CheckOffExpiry,
    CheckOffInsecure,
    CheckOffTrusted,
    CheckOffWeak,
)
from velpin.kinds.deb.sources import DebSource
from velpin.model.source_reasons import CheckOff
from velpin.trust.named import NamedKeys
from velpin.trust.openpgp import Key, SignedHead, bare, read_keys

COMMON_FILE = "etc/apt/trusted.gpg"
COMMON_FOLDER = "etc/apt/trusted.gpg.d"
OWN_FOLDER = "etc/apt/keyrings"
"""Where Velpin puts the key of one source."""

_FINGERPRINT = re.compile(r"[0-9A-Fa-f]{16,64}!?\Z")
_BEGIN = "-----BEGIN PGP PUBLIC KEY BLOCK-----"


def named_keys(
    tree: Tree, source: DebSource, *, common_file: bool = True, reader: KeyFileReader | None = None
) -> NamedKeys:
    """The keys a source's configuration names; files that cannot be used are told.

    `common_file`: whether the one old file of keys for all sources is read.
    """
    reader = reader or KeyFileReader(tree)
    text = source.signed_by.strip()
    if not text:
        found = NamedKeys(how="none" if source.trusted else "common")
        found.files, found.keys = _common(tree, reader, found.problems, common_file)
        return found
    if _BEGIN in text:
        return _embedded(text, source)
    found = NamedKeys(how="file")
    spoilt = False
    for word in re.split(r"[\s,]+", text):
        if word.startswith("/"):
            file = word.lstrip("/")
            found.files.append(file)
            held = reader.read(file, found.problems)
            found.problems += [held.problem] if held.problem else []
            found.keys += held.keys
            spoilt = spoilt or held.spoils
        elif _FINGERPRINT.match(word):
            found.how = "fingerprint"
            found.keys += _by_fingerprint(tree, reader, word, found.problems, common_file)
        elif word:
            found.problems.append(f"{word!r} is neither an absolute path nor a fingerprint")
    if spoilt:
        if found.keys:
            found.problems.append("so the host's installer cannot use the files beside it either")
        found.keys = []
    return found


WEAKENING: Mapping[str, tuple[bool, type[CheckOff]]] = {
    "trusted": (True, CheckOffTrusted),
    "allow-insecure": (True, CheckOffInsecure),
    "allow-weak": (True, CheckOffWeak),
    "allow-downgrade-to-insecure": (True, CheckOffDowngrade),
    "check-valid-until": (False, CheckOffExpiry),
    "check-date": (False, CheckOffDate),
}
"""Options that switch a check off: with which value, and what is told of it."""


def weakens(option: str, value: str) -> bool:
    """Whether an option of a source switches a check off."""
    if option not in WEAKENING:
        return False
    bad, _ = WEAKENING[option]
    return is_yes(value, not bad) == bad


def written_out(text: str) -> bytes:
    """A key as it stands in a `Signed-By` field, as a key file: a lone `.` is an empty line."""
    lines = ["" if line.strip() == "." else line.strip() for line in text.split("\n")]
    return encode("\n".join(lines) + "\n")


def _embedded(text: str, source: DebSource) -> NamedKeys:
    found = NamedKeys(how="embedded")
    place = str(source.places[0])
    try:
        found.keys = read_keys(written_out(text), place, found.problems)
    except BadKey as problem:
        found.problems.append(problem.message)
    return found


def _by_fingerprint(
    tree: Tree, reader: KeyFileReader, word: str, problems: list[str], common_file: bool
) -> list[Key]:
    """The key a fingerprint means, with all its parts; with just the one part where that is a
    subkey's, or where an exclamation mark says so."""
    wanted, exactly = bare(word.rstrip("!")), word.endswith("!")
    _, keys = _common(tree, reader, problems, common_file)
    fitting = []
    for key in keys:
        part = next((part for part in key.parts if part.endswith(wanted)), "")
        if part:
            whole = part == key.fingerprint and not exactly
            fitting.append(key if whole else key.narrowed(part))
    if not fitting:
        problems.append(f"no key {wanted} in /{COMMON_FOLDER}")
    return fitting


def _common(
    tree: Tree, reader: KeyFileReader, problems: list[str], common_file: bool
) -> tuple[list[str], list[Key]]:
    read, _ = read_and_skipped(tree, COMMON_FOLDER, ("gpg", "asc"), bare=False)
    places = [COMMON_FILE, *read] if common_file else read
    files = [file for file in places if tree.exists(file)]
    keys: list[Key] = []
    spoilt = ""
    for file in files:
        held = reader.read(file, problems, is_common=True)
        keys += held.keys
        if held.problem and (tree.read(file) or b"").strip():
            problems.append(held.problem)
        spoilt = spoilt or (file if held.spoils else "")
    if spoilt:
        problems.append(f"because of /{spoilt} the host's installer can use no common key")
    return files, [] if spoilt else keys


def common_keys(
    tree: Tree, problems: list[str], *, common_file: bool = True,
    reader: KeyFileReader | None = None,
) -> list[Key]:  # fmt: skip
    """Keys that sign for every source that names none; files that cannot be used are told."""
    return _common(tree, reader or KeyFileReader(tree), problems, common_file)[1]


def installer_head(tree: Tree, release_file: str) -> SignedHead | None:
    """The release file that the host's installer keeps of a source, with its signature; None where
    there is none, or none that is signed. Nothing of it has been verified."""
    data = tree.read(release_file) if release_file else None
    if not data:
        return None
    if not release_file.endswith("Release") or release_file.endswith("InRelease"):
        return SignedHead(data)
    signature = tree.read(f"{release_file}.gpg")
    return SignedHead(data, signature) if signature else None
