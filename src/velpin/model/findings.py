"""Every finding of a checkup: how bad it is, what it says of a case, why it matters.

The text of each class is its section in docs/findings.md, which tools/findings_page.py writes.
Findings of one severity are told in the order in which they stand here.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import ClassVar

from velpin.model.finding import Severity
from velpin.model.reason import Place, Reason

_KINDS: dict[str, type[FindingKind]] = {}


class FindingKind(Reason):
    """One finding. Its facts are those of its sentence; one without a sentence is always told by
    the reason of its cause."""

    subject: ClassVar[str]
    """What it is about."""
    severity: ClassVar[Severity]
    kinds: ClassVar[str] = ""
    """The kinds of host that can have it; empty for all."""
    why: ClassVar[str]
    """Why it matters."""

    def __init_subclass__(cls) -> None:
        super().__init_subclass__()
        if hasattr(cls, "severity"):
            _KINDS[cls.code] = cls


class TrustFinding(FindingKind):
    """Whether what comes is what its vendor made."""

    subject = "trust"


class FitFinding(FindingKind):
    """Whether sources are for this host."""

    subject = "fit"


class FreshnessFinding(FindingKind):
    """Whether indexes are up to date."""

    subject = "freshness"


class OrderFinding(FindingKind):
    """Which of several sources wins."""

    subject = "order"


class InstalledFinding(FindingKind):
    """The packages that are installed."""

    subject = "host"


class FilesFinding(FindingKind):
    """The host's files."""

    subject = "files"


class TooOpen(FindingKind):
    """Others may do too much with a file."""

    file: str
    mode: str
    """Its permission bits, in octal."""


FINDINGS: Mapping[str, type[FindingKind]] = _KINDS
"""All of them by their codes, in the order in which those of one severity are told."""


# -- trust ---------------------------------------------------------------------------------------


class KeyMissing(TrustFinding):
    """A key file that a source names is not there, cannot be read, or holds no usable key; on alpm
    hosts, a keyring without keys although sources must be signed. A hint where another named
    key still signs the source.

    Mend: the file written again in the form that its ending asks for, or made readable (deb);
    `velpin add SOURCE --key FILE` with the key that signs the source, where it is elsewhere on
    the host.
    """

    severity = "error"
    why = "without that key the installer refuses the source's index or packages"
    says = "the key of {source} cannot be used: {what}"
    source: str
    what: str


class KeyRevoked(TrustFinding):
    """The key that signs the source, or the only one named for it, was revoked. Of several keys
    that sign one index, one good one is enough.

    Mend: none. A revocation stays for ever: a copy of the key without it is not taken, wherever
    it comes from. Get the key that replaces it from the vendor.
    """

    severity = "error"
    why = "its owner has withdrawn it: what it signs is refused, or was signed by someone else"
    says = "the key of {source} was revoked by its owner: {owner}, {key}"
    source: str
    owner: str
    key: str


class KeyExpired(TrustFinding):
    """As above: its time is over.

    Mend: The same key renewed, where a file of the host or an address in the source's own files
    has it.
    """

    severity = "error"
    why = "what it signs is refused from that day on"
    says = "the key of {source} expired on {day}: {owner}, {key}"
    source: str
    day: str
    owner: str
    key: str


class KeyExpiring(TrustFinding):
    """As above: its time is over within 30 days.

    Mend: As above.
    """

    severity = "hint"
    why = "from that day on what it signs is refused"
    says = "the key of {source} expires on {day}: {owner}, {key}"
    source: str
    day: str
    owner: str
    key: str


class KeyWeak(TrustFinding):
    """Every key that signs the source is DSA, or RSA of less than 2048 bits.

    Mend: As above.
    """

    severity = "warning"
    why = "a key this weak can be forged; newer installers refuse it"
    says = "the key of {source} is too weak ({algorithm}): {owner}, {key}"
    source: str
    algorithm: str
    owner: str
    key: str


class OtherKey(TrustFinding):
    """The signature of the index here, or of the one that the last refresh met, names a key that
    is not named for the source. That is a claim: the key is looked for on the host, at the
    addresses in `gpgkey`, and at addresses of key files in comments of the source's file, and
    the signature is verified with it. What is told of a key: it is the same one, renewed;
    another that a named key has certified (the certification is verified); one that nothing
    here vouches for; one that was revoked; or one that did not make this signature at all.

    Mend: `velpin add SOURCE --key PLACE --fingerprint FINGERPRINT`, for a key that did make it;
    always a choice, unless it is the same key renewed. That a key lies on this host makes it
    nobody's for this source.
    """

    severity = "error"
    why = "the installer refuses the source until that key is named, or it is not the vendor's"
    says = (
        "the signature of {source} names the key {keys}, which is not named for it (named: {named})"
    )
    source: str
    keys: str
    named: str


class KeyUnnamed(TrustFinding):
    """A source names no key: any common key (deb) or any key of the ring (rpm) will do. A hint for
    the distribution's own sources, and on rpm hosts with a ring.

    Mend: Names the keys that signed the index, of those that count for it already; a choice
    where one of them signs for another publisher too.
    """

    severity = "warning"
    kinds = "deb, rpm"
    why = "any key of the host can sign it, those of other vendors too"
    says = "{source} names no key of its own"
    source: str


class KeyForAll(TrustFinding):
    """A key in `etc/apt/trusted.gpg.d` counts for sources it does not sign, as these name none.

    Mend: Names the key for what it signs and removes it from the common folder; a choice.
    """

    severity = "warning"
    kinds = "deb"
    why = "whoever has it can sign packages of every source that names no key"
    says = (
        "the key of {owner} in {file} counts for every source that names none ({others}); it"
        " signs {signs}"
    )
    owner: str
    file: str
    others: tuple[str, ...]
    signs: str


class KeyOldPlace(TrustFinding):
    """`etc/apt/trusted.gpg` holds keys. An error where a newer installer would need one of them.

    Mend: As above, with that file.
    """

    severity = "hint"
    kinds = "deb"
    why = "newer installers no longer read that file"
    says = "{file} holds keys for all sources that name none ({keys}); they sign {signs}"
    file: str
    keys: str
    signs: str


class ChecksOff(TrustFinding):
    """An option of the source switches a check off: `trusted`, `allow-insecure`, `allow-weak`,
    `check-valid-until=no`, ...; `gpgcheck=0`, `repo_gpgcheck=0`, `sslverify=0`; a `SigLevel`
    below `Required`.

    Mend: Takes the option out, where the source passes the check then.
    """

    severity = "warning"
    why = "whoever can change what the server sends can put anything on this host"


class PlainHttp(TrustFinding):
    """Nothing of the source's index is checked and it comes over an unencrypted connection.

    Mend: As above.
    """

    severity = "error"
    why = "anyone on the way can put anything on this host"


class Unsigned(TrustFinding):
    """Nothing of the source is signed, neither its index nor its packages, and no option says that
    this is meant.

    Mend: None: the vendor has to sign.
    """

    severity = "warning"
    why = "nothing tells the vendor's packages from anybody else's"


class PlainIndex(TrustFinding):
    """The source comes over an unencrypted connection and its index is not signed, or not checked;
    its packages are signed and checked.

    Mend: Has the index checked too, where it is signed by the source's key; else use an `https`
    address.
    """

    severity = "hint"
    why = "its packages are checked, but anyone on the way can hide new versions or offer old ones"


class KeyForm(TrustFinding):
    """A file in the folder of common keys has its keys in another form than its ending says, or
    may not be read by the user that the installer checks signatures as. Files that a source
    names are told under `key-missing`.

    Mend: The same keys, written in the form that the ending asks for; the file made readable.
    """

    severity = "error"
    kinds = "deb"
    why = "the installer passes the file over, so the keys in it count for nothing"
    says = "{what}"
    what: str


class KeyWritable(TooOpen):
    """Others than its owner may write a key file.

    Mend: Takes that right away.
    """

    subject = "trust"
    severity = "error"
    why = "others can put a key of their own in it"
    says = "{file} may be written by others than its owner ({mode})"


class LoginReadable(TooOpen):
    """A file with a password may be read by others.

    Mend: Makes it its owner's alone.
    """

    subject = "trust"
    severity = "warning"
    why = "every user of this host can read that password"
    says = "{file} holds a password and may be read by others ({mode})"


# -- fit -----------------------------------------------------------------------------------------


class OtherRelease(FitFinding):
    """Of the distribution: a suite whose codename is another than the host's. Of a vendor: one
    that also has a suite for this release (its server is asked). On rpm hosts: packages whose
    versions end for another release than those of the distribution (`.ls9` and `.ls10`).

    Mend: The suite or address for this release, fetched with the source's own keys before it is
    named.
    """

    severity = "warning"
    kinds = "deb, rpm"
    why = "its packages are built against other libraries than this host has"
    says = "{source} is made for {asked}, and this host is {here}"
    source: str
    asked: str
    here: str


class OtherArch(FitFinding):
    """No package in it is for an architecture of this host.

    Mend: `velpin off SOURCE`
    """

    severity = "warning"
    why = "nothing in it can be installed here"
    says = "{source} has packages for {has}, and this host takes {arch}"
    source: str
    has: str
    arch: str


class SuiteGone(FitFinding):
    """At the last refresh the server said that there is no such thing.

    Mend: Another suite of the same source, this release's number in the address, or the archive
    of its domain, where that was fetched with the source's own keys.
    """

    severity = "error"
    why = "it brings no updates any more, and its refresh fails"
    says = "{source} has no {asked} any more: {what}"
    source: str
    asked: str
    what: str


class UnknownVariable(FitFinding):
    """The address has a variable that neither the host's variables nor the installer's own set, so
    it stays as it is written: `$relesever`.

    Mend: The variable of the nearest name in its place; a choice.
    """

    severity = "error"
    kinds = "rpm"
    why = "the installer asks for an address with the variable's own name in it"
    says = "{source} has the variable ${name} in its address, which nothing here sets"
    source: str
    name: str


class InstallMedium(FitFinding):
    """A `cdrom:` entry that installing the host left among its sources.

    Mend: `velpin off SOURCE`; a choice.
    """

    severity = "hint"
    kinds = "deb"
    why = "without the medium the installer cannot refresh it, and may ask for it"
    says = "{source} is an installation medium ({address})"
    source: str
    address: str


class MovingName(FitFinding):
    """A suite of the distribution that is named by its role and not by its codename.

    Mend: The codename in its place.
    """

    severity = "hint"
    kinds = "deb"
    why = "when the next release takes that name, the next upgrade moves the whole host to it"
    says = "{source} follows the name {asked}, which means {codename} today"
    source: str
    asked: str
    codename: str


class ComponentGone(FitFinding):
    """A component that the release file does not name.

    Mend: Takes it out.
    """

    severity = "warning"
    kinds = "deb"
    why = "the installer complains at every refresh and gets nothing from it"
    says = "{source} has no {names}; it has {has}"
    source: str
    names: tuple[str, ...]
    has: str


class OtherKind(FitFinding):
    """A file of another kind of host in the folder of sources; a source of a type that is not
    read.

    Mend: Removes the file; `velpin off SOURCE`.
    """

    severity = "hint"
    kinds = "deb, rpm"
    why = "this host's installer does not read it"
    says = "{file} is written for another kind of host"
    file: str


class CatalogDiffers(FitFinding):
    """A catalog of this host says another address, suite or key of a source than the host has. A
    new version of a catalog never changes the host.

    Mend: Names the key of the catalog; an address is for `velpin drop` and `velpin add`.
    """

    severity = "warning"
    why = "the vendor has moved or has another key, or the catalog is not to be believed"
    says = "{source} is at {mine}, and the catalog says {theirs} ({catalog})"
    source: str
    mine: str
    theirs: str
    catalog: str


class CatalogUnread(FitFinding):
    """A catalog that others may write, that belongs to somebody else, or that is not understood.

    Mend: None.
    """

    severity = "hint"
    why = "nothing in it is offered"


# -- freshness -----------------------------------------------------------------------------------


class NeverFetched(FreshnessFinding):
    """A source that is on and has no index here.

    Mend: `velpin refresh SOURCE...`
    """

    severity = "warning"
    why = "its packages are not considered until its index is here"
    says = "never fetched: {sources}"
    sources: tuple[str, ...]


class RefreshFailed(FreshnessFinding):
    """The last refresh failed for another reason than those above.

    Mend: None; the reason is told.
    """

    severity = "warning"
    why = "what it has had since is not seen"
    says = "the last refresh of {source} failed: {what}"
    source: str
    what: str


class IndexExpired(FreshnessFinding):
    """The time until which the release file holds is over.

    Mend: `velpin refresh SOURCE`
    """

    severity = "warning"
    kinds = "deb"
    why = "the installer refuses it: updates may be missing, or kept from you"
    says = "the index of {source} expired on {day}"
    source: str
    day: str


class SupportEnds(FreshnessFinding):
    """The release of this host is no longer supported, or for less than 90 days more, as its
    os-release says (`SUPPORT_END`). It is a warning once it has ended.

    Mend: None; `velpin checkup --next RELEASE` shows what another release makes of this host.
    """

    severity = "hint"
    why = "nobody makes security updates for it afterwards"
    says = "support for {release} {ends} on {day}"
    release: str
    day: str
    days: int
    """Whole days that are left; below 0 once it has ended."""

    @property
    def ends(self) -> str:
        """Whether it has ended, as a verb."""
        return "ended" if self.days < 0 else "ends"


class IndexOld(FreshnessFinding):
    """Nobody, neither Velpin nor the installer, has looked at the source for longer than it
    usually goes between two changes (the median of those that were seen, else as long as the
    release file holds, else 30 days), and for a week at least.

    Mend: `velpin refresh SOURCE`
    """

    severity = "hint"
    why = "updates since then are not seen"
    says = "nobody has looked at {source} for {days} days; it usually changes every {usual} days"
    source: str
    days: int
    usual: int


class IndexDamaged(FreshnessFinding):
    """The index cannot be read.

    Mend: `velpin refresh SOURCE`
    """

    severity = "error"
    why = "its packages are not considered"
    says = "the index of {source} cannot be read: {what}"
    source: str
    what: str


class InstallerBehind(FreshnessFinding):
    """Velpin has a newer index than the installer.

    Mend: None: the installer refreshes its own.
    """

    severity = "hint"
    why = "the installer will not see what the forecast shows"
    says = "velpin has newer indexes than the installer: {sources}"
    sources: tuple[str, ...]


class MirrorBehind(FreshnessFinding):
    """Two sources say they are the same release, and one is more than a day older.

    Mend: None; the other address is named.
    """

    severity = "warning"
    kinds = "deb"
    why = "updates reach this host late"
    says = "{source} is {days} days behind {other}, which has the same release"
    source: str
    days: int
    other: str


# -- order ---------------------------------------------------------------------------------------


class ListedTwice(OrderFinding):
    """A component of a suite, or a section of a name, that stands twice, in whatever files and
    forms.

    Mend: Takes the second out; the one with a handle of its own stays.
    """

    severity = "warning"
    why = "whoever switches one off or changes its key overlooks the other"
    says = "{what} is listed at {first} already"
    what: str
    first: Place | str
    place: Place


class SameContent(OrderFinding):
    """Two sources with the same packages in the same versions (240 names are compared).

    Mend: `velpin off SOURCE`
    """

    severity = "hint"
    why = "it is fetched twice, and which one counts depends on the order of files"
    says = "{source} ({address}) has the same packages as {other}"
    source: str
    address: str
    other: str
    count: int


class Overlap(OrderFinding):
    """Sources of different publishers in one tier have different versions of packages of one name,
    and no rule speaks of these. Whose sources are whose is told by the release file (deb), by
    the vendor of the packages (rpm), else by the domain.

    Mend: `velpin prefer A --over B`
    """

    severity = "warning"
    kinds = "deb, rpm"
    why = "the newer version wins, whoever made it, and that can change with each refresh"
    says = (
        "{source} and {other} have different versions of the same packages, and nothing says"
        " which wins: {names}"
    )
    source: str
    other: str
    names: tuple[str, ...]


class EarlyWins(OrderFinding):
    """A source that calls itself testing, nightly, beta, ... wins over an ordinary one of the same
    publisher.

    Mend: `velpin prefer ORDINARY --over EARLY`, or `velpin off EARLY`
    """

    severity = "warning"
    why = "unfinished versions come with ordinary upgrades"
    says = "{source} is a channel of unfinished versions ({word}) and wins over {other}: {names}"
    source: str
    word: str
    other: str
    names: tuple[str, ...]
    count: int


class WouldTakeOver(OrderFinding):
    """The next upgrade would take a package of the distribution from a vendor, and no rule names
    it. The distribution is whoever most installed packages come from.

    Mend: `velpin confine`, `velpin bar` or `velpin prefer`: the first after which it does not.
    """

    severity = "warning"
    why = "the next upgrade hands these packages to another vendor, and nobody said so"
    says = "{source} would take over {names} with the next upgrade"
    source: str
    names: tuple[str, ...]
    count: int


class WouldLeave(OrderFinding):
    """The next upgrade would replace packages of a vendor by those of another publisher, the
    distribution or another vendor, and no rule names them.

    Mend: `velpin pin NAME --from VENDOR`, `velpin keep` or `velpin prefer`: the first after which
    it does not.
    """

    severity = "warning"
    why = "the next upgrade takes them from somebody else than they were installed from"
    says = "{source} would lose {names} to {other} with the next upgrade"
    source: str
    other: str
    names: tuple[str, ...]
    count: int


class TakenOver(OrderFinding):
    """That has happened.

    Mend: None: `velpin pin` says that it is meant, `velpin want` finds the way back.
    """

    severity = "hint"
    why = "their security updates come from that vendor alone"
    says = "{source} has taken over {names} (installed from its publisher in all: {total})"
    source: str
    names: tuple[str, ...]
    total: int
    count: int


class RulesContradict(OrderFinding):
    """A rule of Velpin's that does not hold, because of another or of the host's own files.

    Mend: Takes it back (`--lift`).
    """

    severity = "error"
    why = "a rule that is not kept is worse than none: it is relied on"
    says = "the rule `{rule}` is not kept"
    rule: str


class RuleOverruled(OrderFinding):
    """A rule that is always overruled by another.

    Mend: `velpin rules drop PLACE`
    """

    severity = "hint"
    kinds = "deb"
    why = "it reads as if it decided something"


class RuleDead(OrderFinding):
    """A rule that decides nothing today; the reason is told.

    Mend: `velpin rules drop PLACE`, or `--lift`
    """

    severity = "hint"
    why = "it reads as if it decided something"
    says = "the rule at {place} decides nothing"
    place: Place


class TargetMissing(OrderFinding):
    """No source has the target release that the settings name.

    Mend: `velpin rules drop PLACE`
    """

    severity = "error"
    kinds = "deb"
    why = "the installer refuses every request"


# -- what is installed ---------------------------------------------------------------------------


class InNoSource(InstalledFinding):
    """Installed packages that no source has any more; where Velpin's journal knows the source that
    had them, one finding for each such source.

    Mend: None; `velpin undo NUMBER` brings a dropped source back.
    """

    severity = "hint"
    why = "they get no updates any more"
    says = "installed, and in no source any more: {names}"
    names: tuple[str, ...]
    count: int


class NewerThanSources(InstalledFinding):
    """Installed packages that are newer than any source has.

    Mend: None.
    """

    severity = "hint"
    why = "no upgrade touches them until a source has caught up"
    says = "installed, and newer than any source has: {names}"
    names: tuple[str, ...]
    count: int


class WaitsHeld(InstalledFinding):
    """Packages on hold, locked or kept by a rule, of which a source has newer versions.

    Mend: Takes the rule back; a hold is for the host's own tools.
    """

    severity = "hint"
    why = "updates are waiting, security updates maybe among them"
    says = "on hold, though there are newer versions: {names}"
    names: tuple[str, ...]
    count: int


class HalfInstalled(InstalledFinding):
    """Packages that the record says are not installed to the end; on rpm hosts two versions of one
    package that may not stand beside each other.

    Mend: None: for the host's installer.
    """

    severity = "error"
    kinds = "deb, rpm"
    why = "they may not work, and other requests may be refused until they are done"
    says = "not installed to the end: {names}"
    names: tuple[str, ...]
    count: int


class MixedSet(InstalledFinding):
    """Packages built from one source package, installed in different versions from different
    publishers.

    Mend: None; the pins that would join them are named.
    """

    severity = "warning"
    why = "parts of one program in different versions are not made to work together"
    says = "the parts of {name} come from different sources: {names}"
    name: str
    names: tuple[str, ...]


class KeptBack(InstalledFinding):
    """Packages that the next upgrade keeps back, by the source that has the newer version. Those
    that are only being released step by step are not told.

    Mend: None; the reason is told.
    """

    severity = "warning"
    why = "the upgrade passes these packages over again and again"
    says = "the next upgrade keeps back {names}, of which {source} has newer versions"
    names: tuple[str, ...]
    source: str
    count: int


class UpgradeRefused(InstalledFinding):
    """The installer would refuse the next full upgrade.

    Mend: None; the reason is told.
    """

    severity = "error"
    why = "no update comes, security updates included, until that is put right"


class InstallerRefuses(InstalledFinding):
    """The installer refuses every request; the reason is told.

    Mend: None.
    """

    severity = "error"
    why = "nothing can be installed or upgraded until that is put right"
    says = "the installer refuses every request"


# -- files ---------------------------------------------------------------------------------------


class Malformed(FilesFinding):
    """A line that the installer cannot read: it refuses every request because of it.

    Mend: Puts a comment mark before it, where the file can be read then.
    """

    severity = "error"
    why = "the installer refuses every request, or reads something else than it says"
    says = "{what}"
    what: str
    place: Place


class OddEntry(FilesFinding):
    """A line that the installer ignores: an unknown option, a value that is none.

    Mend: Puts a comment mark before it.
    """

    severity = "hint"
    why = "the installer ignores it: it does not do what it says"
    says = "{what}"
    what: str
    place: Place


class SkippedFile(FilesFinding):
    """A file in the installer's own folders that it does not read because of its name. Names with
    `disabled` in them are taken as meant.

    Mend: Renames it.
    """

    severity = "hint"
    kinds = "deb, rpm"
    why = "the installer does not read it: what it says is not done"
    says = "{file} is passed over: {what}"
    file: str
    what: str


class FileWritable(TooOpen):
    """Others than its owner may write a file of the configuration.

    Mend: Takes that right away.
    """

    subject = "files"
    severity = "error"
    why = "whoever may write it decides what is installed here"
    says = "{file} may be written by others than its owner ({mode})"


class Leftover(FilesFinding):
    """A file that an update, an editor or an interrupted change has left beside the configuration.

    Mend: Removes it.
    """

    severity = "hint"
    why = "it is read by nobody, or one day by somebody"
    says = "{file} is left over from an update, an editor or an interrupted change"
    file: str


class Interrupted(FilesFinding):
    """A change of Velpin's that was interrupted and could not be put right for want of the right
    to write; on alpm hosts, the lock of the installer.

    Mend: None: the next command of root puts it right.
    """

    severity = "error"
    why = "files may be half changed"
    says = "a change of Velpin's was interrupted and is not put right yet"


FINDING_CODES = tuple(FINDINGS)
"""The codes of all findings, the gravest kinds first."""


# -- what a case is told by ------------------------------------------------------------------


class KeyElsewhere(Reason):
    """A key that was found outside of what a source names."""

    where: str
    owner: str
    key: str
    source: str


class KeyRenewed(KeyElsewhere):
    says = "the same key, renewed, is in {where}: {owner}, {key}"


class KeyCertified(KeyElsewhere):
    says = (
        "that key is in {where}: {owner}, {key}; the key named until now ({old}) has certified it"
    )
    old: str


class KeyStranger(KeyElsewhere):
    says = (
        "that key is in {where}: {owner}, {key}; no key named until now vouches for it, so it may"
        " be anybody's: compare it with what the vendor of {source} publishes"
    )


class KeyDidNotSign(KeyElsewhere):
    says = (
        "a key with that fingerprint is in {where} ({owner}, {key}), but it did not make this"
        " signature: the index was altered, or somebody claims to be that vendor"
    )


class KeyRevokedElsewhere(KeyElsewhere):
    says = "that key is in {where}: {owner}, {key}; its owner has revoked it, as {revoked} shows"
    revoked: str


class KeyReplaces(Reason):
    says = "replaces the key that {source} names now: {owner}, {key}"
    source: str
    owner: str
    key: str


class CatalogOtherKey(Reason):
    says = "{source} names the key {mine}, and the catalog says {theirs} ({catalog})"
    source: str
    mine: str
    theirs: str
    catalog: str


class CatalogDoubted(Reason):
    says = "the catalog {file} is passed over: {what}"
    file: str
    what: str


class DroppedSourceHad(Reason):
    says = "installed from {source}, which change {number} dropped on {day}: {names}"
    source: str
    number: int
    day: str
    names: tuple[str, ...]
    count: int


class WaitsKept(Reason):
    says = "the rule at {place} keeps packages of which there are newer versions: {names}"
    place: Place
    names: tuple[str, ...]


class UpgradeFails(Reason):
    says = "the installer would refuse the next full upgrade"


class InstallerLocked(Reason):
    says = "{file} is there: the installer refuses to run beside another one"
    file: str


class NotForNext(Reason):
    says = "{what}"
    what: str
    source: str


# -- what helps where no command of Velpin's can mend it ------------------------------------


class NameKey(Reason):
    says = (
        "get the key from the vendor, then: velpin add {source:word} --key FILE-or-URL"
        " --fingerprint FINGERPRINT"
    )
    source: str


class RenewKey(Reason):
    says = (
        "get the vendor's renewed key, then: velpin add {source:word} --key FILE-or-URL"
        " --fingerprint FINGERPRINT"
    )
    source: str


class CheckAgain(Reason):
    says = (
        "get the vendor's key, then: velpin add {source:word} --key FILE-or-URL; after that the"
        " check can be switched on"
    )
    source: str


class AskForSignatures(Reason):
    says = (
        "ask the vendor for a key and signed packages; until then confine it: velpin confine"
        " {source:word} 'GLOB'"
    )
    source: str


class EditByHand(Reason):
    says = "edit {file} by hand"
    file: str


class ForecastTells(Reason):
    says = "velpin forecast --upgrade tells what led to that"


class RenameOrRemove(Reason):
    says = "rename {file} or remove it"
    file: str


class RunAsRoot(Reason):
    says = "run any velpin command as root: it puts that right first"


class RehearseNext(Reason):
    says = "velpin checkup --next RELEASE shows what the move to another release makes of this host"


class RefreshAgain(Reason):
    says = "velpin refresh {source:word}; {hint}"
    source: str
    hint: str


class TakeFromCatalog(Reason):
    says = (
        "velpin catalog {name:word} shows it; velpin drop {source:word}, then velpin add"
        " {name:word}, takes it from there"
    )
    name: str
    source: str


class InstallerRefresh(Reason):
    says = "refresh the installer's own indexes before you install"


class UseOther(Reason):
    says = "velpin refresh {source:word}; if it stays behind, use the address of {other}"
    source: str
    other: str


class MayMove(Reason):
    says = "nothing, if they may move; velpin offers {name:word} shows what each source has"
    name: str


class SaySoOrGoBack(Reason):
    says = (
        "if that is meant, say so: velpin pin {name:word} --from {source:word}, or silence it;"
        " velpin want {name:word} --from SOURCE finds the way back"
    )
    name: str
    source: str


class UndoTheDrop(Reason):
    says = (
        "velpin undo {number} brings the source back, velpin offers NAME shows what other sources"
        " have"
    )
    number: int


class RemoveOrFind(Reason):
    says = "velpin find NAME looks in the sources that are off as well; what nobody needs can go"


class AskByVersion(Reason):
    says = (
        "velpin offers NAME shows what sources have; asking for a version by name goes back to it"
    )


class TakeHoldBack(Reason):
    says = "the host's own tools take a hold back; velpin forecast NAME shows what would come"


class FinishInstalling(Reason):
    says = "let the host's installer finish or repair them"


class PinSet(Reason):
    says = "let them come from one source: {command}"
    command: str


class UpgradeTells(Reason):
    says = "velpin forecast --upgrade tells what holds each of them back"


class AskTheVendor(Reason):
    says = "ask the vendor where it is now; velpin off {source:word} until then"
    source: str


class FillTheRing(Reason):
    says = "the host's own tools fill its keyring; velpin add NAME --key FILE-or-URL adds one key"


class RemoveLock(Reason):
    says = "if no installer runs, remove {file}"
    file: str
