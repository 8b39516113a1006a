"""Every finding by its code: how bad it is, and why it matters.

What it says of a case is in `front/finding_words.py`, what mends it in docs/findings.md.
"""

from __future__ import annotations

from typing import NamedTuple

from velpin.model.finding import Severity


class Code(NamedTuple):
    """What is always so of one finding."""

    subject: str
    severity: Severity
    why: str


CODES = {
    # trust
    "key-missing": Code("trust", "error",
        "without that key the installer refuses the source's index or packages"),
    "key-revoked": Code("trust", "error",
        "its owner has withdrawn it: what it signs is refused, or was signed by someone else"),
    "key-expired": Code("trust", "error",
        "what it signs is refused from that day on"),
    "key-expiring": Code("trust", "hint",
        "from that day on what it signs is refused"),
    "key-weak": Code("trust", "warning",
        "a key this weak can be forged; newer installers refuse it"),
    "other-key": Code("trust", "error",
        "the installer refuses the source until that key is named, or it is not the vendor's"),
    "key-unnamed": Code("trust", "warning",
        "any key of the host can sign it, those of other vendors too"),
    "key-for-all": Code("trust", "warning",
        "whoever has it can sign packages of every source that names no key"),
    "key-old-place": Code("trust", "hint",
        "newer installers no longer read that file"),
    "checks-off": Code("trust", "warning",
        "whoever can change what the server sends can put anything on this host"),
    "plain-http": Code("trust", "error",
        "anyone on the way can put anything on this host"),
    "unsigned": Code("trust", "warning",
        "nothing tells the vendor's packages from anybody else's"),
    "plain-index": Code("trust", "hint",
        "its packages are checked, but anyone on the way can hide new versions or offer old ones"),
    "key-form": Code("trust", "error",
        "the installer passes the file over, so the keys in it count for nothing"),
    "key-writable": Code("trust", "error",
        "others can put a key of their own in it"),
    "login-readable": Code("trust", "warning",
        "every user of this host can read that password"),
    # fit
    "other-release": Code("fit", "warning",
        "its packages are built against other libraries than this host has"),
    "other-arch": Code("fit", "warning",
        "nothing in it can be installed here"),
    "suite-gone": Code("fit", "error",
        "it brings no updates any more, and its refresh fails"),
    "unknown-variable": Code("fit", "error",
        "the installer asks for an address with the variable's own name in it"),
    "install-medium": Code("fit", "hint",
        "without the medium the installer cannot refresh it, and may ask for it"),
    "moving-name": Code("fit", "hint",
        "when the next release takes that name, the next upgrade moves the whole host to it"),
    "component-gone": Code("fit", "warning",
        "the installer complains at every refresh and gets nothing from it"),
    "other-kind": Code("fit", "hint",
        "this host's installer does not read it"),
    "catalog-differs": Code("fit", "warning",
        "the vendor has moved or has another key, or the catalog is not to be believed"),
    "catalog-unread": Code("fit", "hint",
        "nothing in it is offered"),
    # freshness
    "never-fetched": Code("freshness", "warning",
        "its packages are not considered until its index is here"),
    "refresh-failed": Code("freshness", "warning",
        "what it has had since is not seen"),
    "index-expired": Code("freshness", "warning",
        "the installer refuses it: updates may be missing, or kept from you"),
    "index-old": Code("freshness", "hint",
        "updates since then are not seen"),
    "index-damaged": Code("freshness", "error",
        "its packages are not considered"),
    "installer-behind": Code("freshness", "hint",
        "the installer will not see what the forecast shows"),
    "mirror-behind": Code("freshness", "warning",
        "updates reach this host late"),
    # order
    "listed-twice": Code("order", "warning",
        "whoever switches one off or changes its key overlooks the other"),
    "same-content": Code("order", "hint",
        "it is fetched twice, and which one counts depends on the order of files"),
    "overlap": Code("order", "warning",
        "the newer version wins, whoever made it, and that can change with each refresh"),
    "early-wins": Code("order", "warning",
        "unfinished versions come with ordinary upgrades"),
    "would-take-over": Code("order", "warning",
        "the next upgrade hands these packages to another vendor, and nobody said so"),
    "taken-over": Code("order", "hint",
        "their security updates come from that vendor alone"),
    "rules-contradict": Code("order", "error",
        "a rule that is not kept is worse than none: it is relied on"),
    "rule-overruled": Code("order", "hint",
        "it reads as if it decided something"),
    "rule-dead": Code("order", "hint",
        "it reads as if it decided something"),
    "target-missing": Code("order", "error",
        "the installer refuses every request"),
    # host
    "in-no-source": Code("host", "hint",
        "they get no updates any more"),
    "newer-than-sources": Code("host", "hint",
        "no upgrade touches them until a source has caught up"),
    "waits-held": Code("host", "hint",
        "updates are waiting, security updates maybe among them"),
    "half-installed": Code("host", "error",
        "they may not work, and other requests may be refused until they are done"),
    "mixed-set": Code("host", "warning",
        "parts of one program in different versions are not made to work together"),
    "kept-back": Code("host", "warning",
        "the upgrade passes these packages over again and again"),
    "upgrade-refused": Code("host", "error",
        "no update comes, security updates included, until that is put right"),
    "installer-refuses": Code("host", "error",
        "nothing can be installed or upgraded until that is put right"),
    # files
    "malformed": Code("files", "error",
        "the installer refuses every request, or reads something else than it says"),
    "odd-entry": Code("files", "hint",
        "the installer ignores it: it does not do what it says"),
    "skipped-file": Code("files", "hint",
        "the installer does not read it: what it says is not done"),
    "file-writable": Code("files", "error",
        "whoever may write it decides what is installed here"),
    "leftover": Code("files", "hint",
        "it is read by nobody, or one day by somebody"),
    "interrupted": Code("files", "error",
        "files may be half changed"),
}  # fmt: skip
"""In the order in which findings of one severity are told."""

FINDING_CODES = tuple(CODES)
"""The codes of all findings, the gravest kinds first."""

CHECK_WHY = {
    "check-off-expiry": "somebody can go on offering an old index, with known security faults",
    "check-off-date": "an index with a date yet to come is taken",
    "check-off-weak": "a digest that can be forged is taken for proof",
    "check-off-downgrade": "the source can lose its signature, and nothing says so",
    "check-off-server": "any server can pose as this source: what is not signed can be changed",
}
"""Why it matters that one check alone is switched off, where the rest still holds."""
ONE_OF_TWO = {
    "check-off-packages": "only the signed index vouches for its packages",
    "check-off-index": "packages are checked, but somebody can hide new versions or offer old ones",
}
"""The same where a source's index or its packages are still checked."""
