"""Every error Velpin raises on purpose, in one tree; this module imports nothing of Velpin.

    VelpinError
    |- UsageError            2  the words given make no sense
    |  `- NoSourceInside     2  a package that brings no source
    |- Refusal               1  a clear "no": cannot be met, nothing was changed
    |  |- ChangedSince       1  files differ from what a change was planned on, or left
    |  |- PlanRefused        1  a plan would not do what it is for, or something speaks against it
    |  `- NoConsent          1  nobody was there to say yes
    |- HostError             3  the host's files cannot be read or are not understood
    |  |- NotAHost           3  no kind of host recognises the root
    |  |- HostFileError      3  one file, with its line
    |  |- CannotWrite        3  no right, no room
    |  |- CannotRead         3  no right to read what is Velpin's own
    |  |- Busy               3  another Velpin holds the lock
    |  `- StoreError         3  Velpin's own files are damaged
    |     `- DamagedIndex    3  a parsed index, which was removed and can be rebuilt
    |- TrustError            4  a signature, key, checksum or date
    |  |- MissingKey         4  signed by a key that is not named for the source
    |  |- BadSignature       4  the signature does not fit
    |  |  `- NotSigned       4  there is none where there must be one
    |  |- BadKey             4  the key itself cannot be used
    |  |- ChecksumMismatch   4  bytes differ from what the release file promises
    |  `- ReleaseRefused     4  expired, not yet valid, or changed identity
    |- FetchError            5  a source cannot be reached
    |  `- NotThere           5  it answered: there is no such file
    `- Unforeseen           70  a fault of Velpin's own

The number is the process's exit code.
"""

from __future__ import annotations

import os
from collections.abc import Sequence
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from velpin.model.forecast import Remedy
    from velpin.model.reason import Place, Reason

_LONGEST = 400
"""So much of what is wrong in a file is told, in characters."""


class VelpinError(Exception):
    """Root of the tree: `message` says what was found, `hint` the next step."""

    exit_code = 1

    def __init__(self, message: str, hint: str = "") -> None:
        super().__init__(message)
        self.message = message
        self.hint = hint

    def __reduce__(self) -> tuple[object, ...]:
        """Errors travel whole between processes, whatever their fields."""
        return (_made_again, (type(self), self.args, self.__dict__))


def _made_again(
    kind: type[VelpinError], args: tuple[object, ...], fields: dict[str, object]
) -> VelpinError:
    made = kind.__new__(kind)
    made.args = args
    made.__dict__.update(fields)
    return made


class UsageError(VelpinError):
    """The command's words make no sense."""

    exit_code = 2


class NoSourceInside(UsageError):
    """A package that brings no source."""


class Refusal(VelpinError):
    """A clear "no"; nothing was changed."""


class ChangedSince(Refusal):
    """Files differ from what the journal entry left behind."""


class PlanRefused(Refusal):
    """A plan would not do what it is for, or something speaks against it.

    `reason` is the cause as data, `place` where a rule stands that wins, `remedies` what was
    tried and would help; `may_overrule` whether the plan may be made all the same.
    """

    def __init__(
        self, reason: Reason, *, place: Place | None = None, remedies: Sequence[Remedy] = (),
        may_overrule: bool = False,
    ) -> None:  # fmt: skip
        super().__init__(f"not written: {reason.code}")
        self.reason, self.place, self.remedies = reason, place, tuple(remedies)
        self.may_overrule = may_overrule


class NoConsent(Refusal):
    """A change needs a yes and nobody could give it."""


class HostError(VelpinError):
    """The host's files cannot be read or are not understood."""

    exit_code = 3


class NotAHost(HostError):
    """No kind of host recognises the root."""


class HostFileError(HostError):
    """One file of the host, with the line (1-based, 0 where unknown)."""

    def __init__(self, file: str, line: int, what: str, hint: str = "") -> None:
        if len(what) > _LONGEST:
            what = f"{what[:_LONGEST]}..."
        super().__init__(f"{file}:{line}: {what}" if line else f"{file}: {what}", hint)
        self.file = file
        self.line = line
        self.what = what


class CannotWrite(HostError):
    """A file could not be written; what was there before is still there."""


class CannotRead(HostError):
    """A file of Velpin's own may not be read by the user who runs."""


class Busy(HostError):
    """Another Velpin holds the lock of this host."""


class StoreError(HostError):
    """A file of Velpin's own is damaged and could not be rebuilt."""


class DamagedIndex(StoreError):
    """A parsed index was not as it was written; it was removed, and the command can be run anew."""


class TrustError(VelpinError):
    """A signature, key, checksum or date is not as it must be."""

    exit_code = 4


class MissingKey(TrustError):
    """A signature that names keys which are not named for the source.

    `key_ids` is what the signature claims: nothing of it was verified. `refused` is the data that
    it is said to sign and the detached signature (None for a clear-signed file), so that a key that
    turns up later can be held against both.
    """

    def __init__(
        self, message: str, key_ids: tuple[str, ...], hint: str = "",
        refused: tuple[bytes, bytes | None] | None = None,
    ) -> None:  # fmt: skip
        super().__init__(message, hint)
        self.key_ids = key_ids
        self.refused = refused


class BadSignature(TrustError):
    """The signature does not fit what it is said to sign."""


class NotSigned(BadSignature):
    """There is no signature where there must be one."""


class BadKey(TrustError):
    """A key file that holds no usable OpenPGP certificate; `is_cut` for one that ends too early."""

    def __init__(self, message: str, hint: str = "", *, is_cut: bool = False) -> None:
        super().__init__(message, hint)
        self.is_cut = is_cut


class ChecksumMismatch(TrustError):
    """Bytes differ in size or digest from what was promised."""


class ReleaseRefused(TrustError):
    """A release file that the host would not accept now."""


class FetchError(VelpinError):
    """A source cannot be reached."""

    exit_code = 5


class NotThere(FetchError):
    """The source answered that there is no such file."""


class Unforeseen(VelpinError):
    """Something that no part of Velpin foresaw; what it was doing is told, and how to report it."""

    exit_code = 70


def did_you_mean(near: Sequence[str], otherwise: str = "") -> str:
    """Return a hint that asks for names that may have been meant, another one if there are none."""
    return f"did you mean {' or '.join(near)}?" if near else otherwise


def ending_in_near(near: Sequence[str]) -> str:
    """Return names that may have been meant, as the end of a sentence; empty if there are none."""
    return f"; {did_you_mean(near)}" if near else ""


def no_realign(kind: str) -> UsageError:
    """What a kind of host says whose installer has no upgrade across vendors."""
    return UsageError(
        f"--realign is for hosts of kind rpm-zypp; this one is of kind {kind}",
        "velpin forecast --upgrade",
    )


def no_upgrade_from(kind: str) -> UsageError:
    """What a kind of host says whose installer has no upgrade to one source."""
    return UsageError(
        f"an upgrade to one source is for hosts of kind rpm-zypp; this one is of kind {kind}",
        "velpin forecast --upgrade",
    )


def no_generations(kind: str) -> UsageError:
    """What a kind of host says for which all generations of the installer decide alike."""
    return UsageError(
        f"on hosts of kind {kind} all generations of the installer decide alike",
        "velpin forecast REQUEST..., velpin forecast --upgrade",
    )


def no_upgrade_along(kind: str) -> UsageError:
    """What a kind of host says for which requests and the full upgrade are two transactions."""
    return UsageError(
        f"on a host of kind {kind} requests and the full upgrade are two transactions",
        "velpin forecast --upgrade, velpin forecast REQUEST...",
    )


def no_common_keys(kind: str) -> Refusal:
    """What a kind of host says that keeps keys for all sources in its record of packages."""
    return Refusal(
        f"hosts of kind {kind} keep keys for all sources in their record of packages",
        "give the key with the source that it signs",
    )


def unforeseen(problem: BaseException, doing: str) -> Unforeseen:
    """What is told of an error that no part of Velpin foresaw."""
    what = f"{type(problem).__name__}: {problem}"[:500]
    place = ""
    trace = problem.__traceback__
    while trace is not None:
        code = trace.tb_frame.f_code
        place = f" ({os.path.basename(code.co_filename)}:{trace.tb_lineno})"
        trace = trace.tb_next
    return Unforeseen(
        f"a fault of velpin's own while {doing}: {what}{place}",
        "run it again with --debug and report what it says; velpin journal tells what was changed",
    )
