"""What a host's installer asks before it carries a transaction out, in words."""

from __future__ import annotations

from velpin.model.reason import Reason


class Proceed(Reason):
    says = "confirm the transaction"


class TakesOlder(Reason):
    says = "go back to an older version of {names}"
    names: tuple[str, ...]


class ChangesHeld(Reason):
    says = "change {names}, which you put on hold"
    names: tuple[str, ...]


class RemovesEssential(Reason):
    says = "remove {names}, which the system cannot do without"
    names: tuple[str, ...]


class TakesUnverified(Reason):
    says = "install {names} from {sources} although no signature was verified"
    names: tuple[str, ...]
    sources: tuple[str, ...]


class ImportKey(Reason):
    says = (
        "import the key {key} of {owner} for the {signed} of {source} from {place}, fingerprint"
        " {fingerprint}"
    )
    key: str
    """The identifier as the installer prints it."""
    fingerprint: str
    """As the installer prints it."""
    owner: str
    signed: str
    """What is signed with it: `index` or `packages`."""
    source: str
    place: str
    """The file or address the key is in; empty if the source names none."""


class ImportKeyAt(Reason):
    says = "import the keys at {place} for the {signed} of {source}, unless the host has them"
    signed: str
    """What is signed with them: `index` or `packages`."""
    source: str
    place: str


class AgreeToLicense(Reason):
    says = "agree to the license of {name}"
    name: str


class TakesUnsignedIndex(Reason):
    says = "use the index of {source} although it is not signed"
    source: str
