"""Words for people: every reason's sentence, ages, sizes, days.

Each code of `velpin.model.Reason` has one sentence: here where several kinds of host give it,
else in the folder of the kind, as data. A test holds codes and sentences against each other.
"""

from __future__ import annotations

import time
from collections.abc import Iterator, Mapping, Sequence
from functools import cache
from itertools import chain
from typing import TYPE_CHECKING

from velpin.model.forecast import Change
from velpin.model.reason import Fact, Place, Reason

if TYPE_CHECKING:
    from velpin.model.shift import Selection

SENTENCES = {
    # why it wins
    "is-installed": "{version} is installed already",
    "held": "{version} is installed and on hold",
    "asked-version": "you asked for version {version}; priorities do not matter then",
    "asked-source": "{version} is the newest in {source}, which you asked for; priorities do not"
    " matter then",
    "provides-asked": "{package} provides {name}",
    # why an offer was passed over
    "not-asked-version": "you asked for {asked}",
    "not-asked-source": "you asked for {asked}",
    "best-impossible": "cannot be installed as things are",
    "not-possible": "cannot be installed",
    "is-replaced": "replaced by {version}",
    # why a request is refused
    "unknown": "no enabled source has a package called {name}",
    "not-for-arch": "{name} is not available for {arch}",
    "no-version": "{name} is not available in version {version}",
    "no-version-in-source": "{name} is not available in version {version} from {source}",
    "not-in-source": "{source} has no {name}",
    "source-is-off": "{source} is switched off; switch it on with velpin on {source:word}",
    "source-not-fetched": "{source} has no index here yet; fetch it with velpin refresh"
    " {source:word}",
    "files-refused": "{what}; because of it the host's installer refuses every request",
    "unmet": "its dependencies cannot all be met",
    "gave-up": "no answer was found within the limits; what this request would give is not known",
    # the chain of causes
    "needs": "{package} {version} needs {relation}",
    "excludes": "{package} {version} cannot be installed beside {other} {other_version}",
    "nothing-called": "no enabled source has anything called {name}{off}",
    "none-fits": "{name} is only available in version {versions}{off}",
    "would-do": "{version}{from} would do, but",
    # ways out
    "ask-for-version": "also asks for {name} {version} from {source}",
    "ask-instead": "asks for {name} {version} from {source} instead",
    "source-on": "{source} has {name}",
    "rule-in-the-way": "removes the rule at {place}; without it nothing is refused",
    # rules that do not hold
    "comes-all-the-same": "{name} would still come from {source}, which has priority {priority}",
    "still-changes": "the next upgrade would still install {name} {version}{from}",
    "no-name-there": "{source} has no package called {name}",
    "no-such-name": "no source has a package called {name}, and none is installed",
    "no-such-version": "no source has {name} in version {version}{from}",
    "rule-gone": "removes the rule at {place}; then yours holds",
    "upgrade-refused": "the host's installer would refuse the next full upgrade: {what}",
    # what a rule says
    "says-rule": "{rule}",
    "says-bar": "bar {names} from {sources}",
    # why a rule decides nothing
    "rule-idle": "nothing would change without it",
    "rule-source-off": "{sources} is switched off",
    "rule-not-there": "the sources it names do not have {names}",
    "rule-no-package": "no package is called {names}",
    # notes
    "installer-must-refresh": "uses indexes that velpin fetched and the installer does not have"
    " yet: {sources}; refresh the installer's before you install",
    "not-fetched": "no index of {sources} yet, so its packages are not considered",
    "damaged": "the index of {source} cannot be read and is ignored: {what}",
    "no-record": "the host has no record of installed packages: nothing is known as installed",
    "record-odd": "{count} entries of the host's package record cannot be read and are ignored,"
    " the first: {what}",
    "source-warning": "{source} {what}",
    "wrong-arch": "{source} has nothing for {arch}; it has {has}",
    "gives-nothing": "{source} would give this host nothing: {what}",
    "added-off": "{source} is switched off in what you gave, so it would give this host nothing;"
    " add it all the same, then velpin on {source:word}",
    "some-added-off": "of these sources {on} would be on, and {count} off: {off}",
    "no-own-suite": "{source} has no suite called {here}; {asked} may be made for another release"
    " (it has {has})",
    "nothing-checked": "no signature of {source} is checked, neither of its index nor of its"
    " packages",
    "plain-way": "{source} comes over an unencrypted connection and its index is not signed:"
    " anyone on the path can change it",
    "index-check-asked": "its index is signed by that key, and the host's installer will check that"
    " as well (repo_gpgcheck=1 in {source})",
    "checked-packages": "the index of {source} is not signed; the signatures of a few of its"
    " packages were checked instead",
    "checked-nothing": "no signature of {source} could be checked: its index has none, and no"
    " package of it could be looked at",
    "key-to-import": "the host's installer will ask about the key {key} ({owner}) from {address}"
    " when it first needs it",
    "plain-index": "{source} comes over an unencrypted connection and its index is not signed, its"
    " packages are: anyone on the path can hide new versions",
    "checks-kept": "left out, because you gave a key to check with: {settings}",
    # catalogs
    "catalog-other-kind": "it is for hosts of kind {has}, this one is {here}",
    "catalog-other-channel": "it has channels {has}, not {here}",
    "catalog-other-host": "it is for {has}, this host is {here}",
    "catalog-other-release": "it is for the releases {has}, this host is {here}",
    "catalog-other-arch": "it is for {has}, this host is {here}",
    "catalog-no-serial": "the catalog {name} has no serial number: of two versions of one day"
    " nobody can tell which is newer",
    "catalog-suggests": "the catalog suggests to let it give only {names}: {options}",
    "mirror-chosen": "taken from {address}; there are {mirrors}",
    "nothing-there": "{source} has nothing for this host: {what}",
}

_MOST_NAMED = 6
"""How many names one sentence lists."""

CAUSES = {
    "priority-upgrades-only": "its source only upgrades what was installed from it",
    "priority-not-automatic": "its source is not automatic",
    "priority-own": "no enabled source has it",
    "priority-phased": "it is not released to this host yet",
    "priority-recorded": "only its configuration files are left",
}
"""Why an offer's priority is low, for the end of a sentence."""

_GOES_BACK = 1000
MEANINGS = (
    (_GOES_BACK, "it wins even with an older version"),
    (501, "it wins over ordinary sources"),
    (500, "as an ordinary source"),
    (101, "it gives way to ordinary sources"),
    (100, "it only upgrades what was installed from it"),
    (1, "only for packages that no other source has"),
    (-40000, "never"),
)
"""What the priority of a whole source means, by the least priority for it."""

DECIDED = {
    "only offer": "the only offer",
    "installed": "what is installed: nothing else may replace it",
    "version": "the newest",
    "rule": "a rule",
    "target release": "the target release",
    "source priority": "its source's priority",
    "architecture": "the host's own architecture",
    "cost": "the lower cost",
    "reading order": "the order in which sources are read",
    "order of sources": "the order of sources",
    "group": "its group",
    "installed provider": "what is installed",
    "conflict": "a conflict",
    "request": "what was asked for",
}


ROLES = {
    "asked": "",
    "requires": "{by} needs it",
    "recommends": "{by} recommends it",
    "suggests": "{by} suggests it",
    "source": "built together with {by}",
    "upgrade": "",
    "essential": "it is essential",
    "state": "its installation was interrupted",
    "replaced": "{by} replaces it",
    "replaces": "it replaces {by}",
    "supplements": "it supplements what is installed",
    "removed": "it is in the way and no source has it",
    "breaks": "{by} breaks the old version",
    "conflicts": "{by} conflicts with it",
    "broken": "it needs {relation}",
    "unneeded": "nothing needs it any more",
    "follows": "the old version needs {relation}",
}
"""Why a package changes."""


def role(change: Change) -> str:
    """Why a package changes, in words."""
    code = change.role
    if code == "breaks" and change.new is None:
        code = "conflicts"
    return ROLES[code].format(by=change.by, relation=change.relation)


class _Words(str):
    """A fact in a sentence; as `{fact:word}` it is one word of a command, quoted for the shell."""

    def __format__(self, spec: str) -> str:
        if spec != "word":
            return super().__format__(spec)
        from velpin.model.rule import shell_word

        return shell_word(self)


def sentence(reason: Reason) -> str:
    """A reason in words."""
    facts: dict[str, object] = {
        name: _Words(told) if isinstance(told := _said(fact), str) else told
        for name, fact in reason.facts.items()
    }
    facts["from"] = f" from {facts['source']}" if facts.get("source") else ""
    if reason.code in ("nothing-called", "nothing-fits", "none-fits"):
        facts["off"] = f"; {facts['off']}, switched off, has it" if facts.get("off") else ""
    facts["bound"] = f" {facts['version']}" if facts.get("version") else ""
    if reason.code == "says-lock" and facts.get("sources"):
        facts["from"] = f" from {facts['sources']}"
    priority = reason.facts.get("priority", 0)
    if isinstance(priority, int):
        facts["older"] = ", even if that is a downgrade" if priority >= _GOES_BACK else ""
        facts["meaning"] = next(told for least, told in MEANINGS if priority >= least)
    if reason.code in ("same-from-first", "barred-too"):
        facts["names"] = shortened(reason.texts("names"))
    cause = facts.get("place") or CAUSES.get(str(facts.get("cause", "")))
    facts.setdefault("where", f" ({cause})" if cause else "")
    if reason.code == "files-refused" and facts.get("file"):
        line = f":{facts['line']}" if facts.get("line") else ""
        return f"{facts['file']}{line}: " + _template(reason.code).format(**facts)
    return _template(reason.code).format(**facts)


def _said(fact: Fact) -> str | int:
    """A fact as it stands in a sentence."""
    if isinstance(fact, str | int):
        return fact
    return str(fact) if isinstance(fact, Place) else _listed(fact)


def _listed(names: Sequence[str]) -> str:
    """Names in a sentence: those that matter, which stand first, and how many more there are."""
    if len(names) <= _MOST_NAMED + 1:
        return ", ".join(names)
    return f"{', '.join(names[:_MOST_NAMED])} and {len(names) - _MOST_NAMED} more"


_AT_HAND: list[Mapping[str, str]] = []


def have_at_hand(sentences: Mapping[str, str]) -> None:
    """Look sentences up here before those of other kinds of host are loaded."""
    _AT_HAND.append(sentences)


@cache
def _template(code: str) -> str:
    """The sentence of a code."""
    for near in (SENTENCES, *_AT_HAND):
        if code in near:
            return near[code]
    from velpin.kinds import sentences

    return next(known[code] for known in chain(sentences(), _of_rarer_things()) if code in known)


def _of_rarer_things() -> Iterator[Mapping[str, str]]:
    """Sentences that most commands never need: loaded when nobody else has one."""
    from velpin.recipes.sentences import SENTENCES as OF_RECIPES

    yield OF_RECIPES
    from velpin.front.finding_words import SENTENCES as OF_FINDINGS

    yield OF_FINDINGS


def age(seconds: float | None, now: float | None = None) -> str:
    """How long ago something was, in one unit."""
    if seconds is None:
        return ""
    past = (now if now is not None else time.time()) - seconds
    for size, unit in ((86400 * 365, "year"), (86400, "day"), (3600, "hour"), (60, "minute")):
        if past >= size:
            count = int(past // size)
            return f"{count} {unit}{'s' if count != 1 else ''}"
    return "just now"


def size(count: int) -> str:
    """A number of bytes as people read it, in units of 1000."""
    value, unit = float(abs(count)), "B"
    for unit in ("B", "kB", "MB", "GB", "TB"):
        if value < 999.5 or unit == "TB":
            break
        value /= 1000
    digits = 0 if unit == "B" or value >= 10 else 1
    return f"{'-' if count < 0 else ''}{value:.{digits}f} {unit}"


def counted(count: int) -> str:
    """A count as people read it, its thousands apart."""
    return f"{count:,}".replace(",", " ")


def several(count: int, one: str, many: str = "") -> str:
    """A count with its noun."""
    return f"{counted(count)} {one if count == 1 else many or one + 's'}"


def shortened(names: Sequence[str], most: int = 6) -> str:
    """The first few of a list of names, and how many more there are."""
    shown = ", ".join(names[:most])
    return f"{shown} and {counted(len(names) - most)} more" if len(names) > most else shown


def selected(selection: Selection | None, absent: str) -> str:
    """A version and its source, or the word for a package that is not there."""
    if selection is None:
        return absent
    version, source = selection
    return f"{version} from {source}" if source else f"{version}, in no source"
