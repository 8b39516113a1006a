"""Words for people: every reason's sentence, ages, sizes, days.

Each code of `velpin.model.Reason` has one sentence: here where several kinds of host give it,
else in the folder of the kind, as data. A test holds codes and sentences against each other.
"""

from __future__ import annotations

import time
from collections.abc import Sequence
from functools import cache
from itertools import chain
from typing import TYPE_CHECKING

from velpin.model.forecast import Change
from velpin.model.reason import Reason

if TYPE_CHECKING:
    from velpin.model.shift import Selection

SENTENCES = {
    # why it wins
    "is-installed": "{version} is installed already",
    "held": "{version} is installed and on hold",
    "asked-version": "version {version} was asked for; priorities play no part then",
    "asked-source": "{version} is the newest that {source} has; priorities play no part then",
    "provides-asked": "{package} provides {name}",
    # why an offer was passed over
    "not-asked-version": "{asked} was asked for",
    "not-asked-source": "{asked} was asked for",
    "best-impossible": "cannot be installed as things are",
    "not-possible": "not to be had",
    "is-replaced": "is replaced by {version}",
    # why a request is refused
    "unknown": "no source that is on has a package called {name}",
    "not-for-arch": "{name} is not there for {arch}",
    "no-version": "{name} is not there in version {version}",
    "no-version-in-source": "{name} is not there in version {version} from {source}",
    "not-in-source": "{source} has no {name}",
    "source-is-off": "{source} is switched off; velpin on {source} switches it on",
    "source-not-fetched": "{source} has no index here yet; velpin refresh {source} fetches it",
    "files-refused": "{what}; the host's installer refuses every request because of it",
    "unmet": "not all that it needs can be had together",
    # the chain of causes
    "needs": "{package} {version} needs {relation}",
    "excludes": "{package} {version} cannot be beside {other} {other_version}",
    "nothing-called": "nothing is called {name} in any source that is on{off}",
    "none-fits": "of {name} there is only {versions}{off}",
    "would-do": "{version}{from} would do, but",
    # ways out
    "ask-for-version": "asks for {name} {version} from {source} as well",
    "ask-instead": "asks for {name} {version} from {source} instead",
    "source-on": "{source} has {name}",
    "rule-in-the-way": "takes the rule at {place} away: without it nothing is refused",
    # rules that do not hold
    "comes-all-the-same": "{name} would still come from {source}: priority {priority}",
    "still-changes": "the next upgrade would still bring {name} {version}{from}",
    "no-name-there": "{source} has nothing called {name}",
    "no-such-name": "no source has a package called {name}, and none is installed",
    "no-such-version": "no source has {name} in version {version}{from}",
    "rule-gone": "takes the rule at {place} away; then it holds",
    "upgrade-refused": "the host's installer would refuse the next full upgrade: {what}",
    # what a rule says
    "says-rule": "{rule}",
    "says-bar": "bar {names} from {sources}",
    # why a rule decides nothing
    "rule-idle": "nothing would be otherwise without it",
    "rule-source-off": "{sources} is switched off",
    "rule-not-there": "the sources it names do not have {names}",
    "rule-no-package": "no package is called {names}",
    # notes
    "installer-must-refresh": "newer indexes than the host's installer has count here, fetched by"
    " velpin: {sources}; the installer must refresh its own first",
    "not-fetched": "no index yet of {sources}: what they have plays no part",
    "damaged": "the index of {source} cannot be read and plays no part: {what}",
    "record-odd": "{count} of the entries of the host's record of packages cannot be read and play"
    " no part, first {what}",
    "source-warning": "{source} {what}",
    "wrong-arch": "{source} has nothing for {arch}; it has {has}",
    "nothing-checked": "nothing of {source} is checked: neither its index nor its packages",
    "plain-way": "{source} comes over an unencrypted connection and its index is not signed:"
    " anyone on the path can change it",
    "checks-kept": "not written, because you gave a key: {settings}",
    "nothing-there": "{source} has nothing for this host: {what}",
}

CAUSES = {
    "priority-upgrades-only": "its source is only for upgrades of what came from it",
    "priority-not-automatic": "its source is not automatic",
    "priority-own": "no source that is on has it",
    "priority-recorded": "only its settings are left",
}
"""Why an offer's priority is low, for the end of a sentence."""

_GOES_BACK = 1000
MEANINGS = (
    (_GOES_BACK, "it wins even with an older version"),
    (501, "it wins over ordinary sources"),
    (500, "as an ordinary source"),
    (101, "it gives way to ordinary sources"),
    (100, "it upgrades only what came from it"),
    (1, "only for what nobody else has"),
    (-40000, "never"),
)
"""What the priority of a whole source means, by the least priority for it."""

DECIDED = {
    "only offer": "the only offer",
    "installed": "nothing else may replace it",
    "version": "the newest",
    "rule": "a rule",
    "target release": "the target release",
    "source priority": "its source's priority",
    "architecture": "the host's own architecture",
    "cost": "the lower cost",
    "reading order": "the order of reading",
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
    "essential": "no host is to be without it",
    "state": "its installation was cut short once",
    "replaced": "{by} replaces it",
    "replaces": "it replaces {by}",
    "supplements": "it goes along with what comes",
    "removed": "it is in the way, and no source has it",
    "breaks": "{by} does not go with the old one",
    "conflicts": "{by} conflicts with it",
    "broken": "it needs {relation}",
    "follows": "the old one needs {relation}",
}
"""Why a package changes."""


def role(change: Change) -> str:
    """Why a package changes, in words."""
    code = change.role
    if code == "breaks" and change.new is None:
        code = "conflicts"
    return ROLES[code].format(by=change.by, relation=change.relation)


def sentence(reason: Reason) -> str:
    """A reason in words."""
    facts = dict(reason.facts)
    facts["from"] = f" from {facts['source']}" if facts.get("source") else ""
    if reason.code in ("nothing-called", "nothing-fits", "none-fits"):
        facts["off"] = f"; {facts['off']}, switched off, has it" if facts.get("off") else ""
    facts["bound"] = f" {facts['version']}" if facts.get("version") else ""
    if reason.code == "says-lock" and facts.get("sources"):
        facts["from"] = f" from {facts['sources']}"
    priority = int(facts.get("priority") or 0)
    facts["older"] = ", even where that means going back" if priority >= _GOES_BACK else ""
    facts["meaning"] = next(told for least, told in MEANINGS if priority >= least)
    if reason.code in ("same-from-first", "barred-too"):
        facts["names"] = shortened(str(facts["names"]).split(", "))
    cause = facts.get("place") or CAUSES.get(str(facts.get("cause", "")))
    facts["where"] = f" ({cause})" if cause else ""
    if reason.code == "files-refused" and facts.get("file"):
        line = f":{facts['line']}" if facts.get("line") else ""
        return f"{facts['file']}{line}: " + _template(reason.code).format(**facts)
    return _template(reason.code).format(**facts)


@cache
def _template(code: str) -> str:
    """The sentence of a code."""
    if code in SENTENCES:
        return SENTENCES[code]
    from velpin.kinds import sentences
    from velpin.recipes.sentences import SENTENCES as OF_RECIPES

    return next(known[code] for known in chain([OF_RECIPES], sentences()) if code in known)


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


def several(count: int, one: str, many: str = "") -> str:
    """A count with its noun."""
    return f"{count:,} {one if count == 1 else many or one + 's'}".replace(",", " ")


def shortened(names: Sequence[str], most: int = 6) -> str:
    """The first few of a list of names, and how many more there are."""
    shown = ", ".join(names[:most])
    more = f"{len(names) - most:,}".replace(",", " ")
    return f"{shown} and {more} more" if len(names) > most else shown


def selected(selection: Selection | None, absent: str) -> str:
    """A version and its source, or the word for a package that is not there."""
    if selection is None:
        return absent
    version, source = selection
    return f"{version} from {source}" if source else f"{version}, in no source"
