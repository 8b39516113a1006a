"""Words for people: every reason's sentence, ages, sizes, days.

Each code of `velpin.model.Reason` has its sentence here and nowhere else; a test holds the
two against each other.
"""

from __future__ import annotations

import time
from collections.abc import Sequence

from velpin.model import Change, Reason

SENTENCES = {
    # why a version has its number
    "number-default": "{version} from {source} has number 500: nothing in the host's files speaks"
    " of it",
    "number-not-automatic": "{version} from {source} has number 1: its source says of itself that"
    " nothing is to be taken from it unasked",
    "number-upgrades-only": "{version} from {source} has number 100: its source asks to upgrade"
    " only what came from it",
    "number-target": "{version} from {source} has number 990: its source is the target release",
    "number-record": "{version} has number {number}: {place} says so for {names} ({pin})",
    "number-never": "{version} has no number: {place} says never ({pin})",
    "number-own": "{version} has number 100: it is installed, and no source that is on has it",
    "number-recorded": "{version} was removed; only its settings are left",
    # why it wins
    "highest-number": "the highest number wins whatever the version; the next below is {next}",
    "newest": "{version} is the newest of those with number {number}",
    "first-of-same": "{version} is in several forms of equal number; the one listed first is taken",
    "downgrades": "number {number} is 1000 or more, so it replaces even a newer installed version",
    "is-installed": "{version} is installed already",
    "held": "{version} is installed and on hold",
    "hold-overruled": "it is on hold; asking for it by name overrules that",
    "asked-version": "version {version} was asked for; numbers play no part then",
    "asked-source": "{version} is the newest that {source} has; numbers play no part then",
    "only-provider": "{name} is no package itself; {package} is the only one that provides it",
    "first-listed": "{source} and {others} have the very same version; it comes from the one"
    " listed first",
    "lowest-number": "{source} has number {number}, and the lowest wins whatever the version; the"
    " next is {next}",
    "own-architecture": "{arch} is this host's own architecture, or fits every one",
    "newest-there": "{version} is the newest that sources of number {number} have",
    "lower-cost": "the very same version costs less from {source} than from {others}",
    "read-first": "{source} and {others} have the very same version; it comes from the one read"
    " first",
    "stands-first": "{source} stands before {others}, and the first that has it wins whatever the"
    " version",
    "goes-down": "the host's installer takes it though {installed} is installed, which is newer",
    "again": "{version} is installed already; asked for by name it is installed again",
    "section-asked": "{version} is what {source} has",
    "in-group": "{package} is in the group {name}",
    "provider-installed": "{package} is installed, so it goes before others that provide {name}",
    "needed-otherwise": "another package that was asked for needs {name} {version} from {source};"
    " by itself it would be {asked}",
    "dropped-for": "{package} comes, conflicts with it and provides it: the host's installer leaves"
    " {name} out without a word",
    "obsoletes-asked": "{package} says that it replaces {name}",
    "provides-asked": "{package} provides {name}",
    # why an offer was passed over
    "barred": "number {number} means never{where}",
    "lower-number": "number {number} is below {chosen}{where}",
    "older": "older, with the same number {number}",
    "older-than-installed": "older than what is installed, and number {number} is below 1000",
    "same-listed-later": "the same version in another form, listed later",
    "listed-later": "the very same version, listed after {first}",
    "not-asked-version": "{asked} was asked for",
    "not-asked-source": "{asked} was asked for",
    "stands-later": "{source} stands before it",
    "newer-stands-later": "newer, but {source} stands before it and has {version}",
    "not-its-usage": "the Usage of {source} leaves out installing",
    "provider-not-installed": "{package} is installed and goes before",
    "later-name": "{package} goes before by its name",
    "is-ignored": "{name} is ignored at {place}",
    "is-ignored-group": "{name} is in {group}, which is ignored at {place}",
    "taken-already": "{name} {version} is taken already, and no choice is taken back",
    "to-be-built": "to be built: nothing is chosen over a built package",
    "is-excluded": "kept out by {pattern} at {place}",
    "not-included": "not among what is let in: {patterns}",
    "module-off": "module {module} has no active stream",
    "module-other": "it belongs to stream {stream} of module {module}; {active} is active",
    "module-plain": "stream {active} of module {module} is active and has that name",
    "is-locked": "locked at {place}",
    "higher-number": "number {number}; {source} has {chosen}, and the lower number wins",
    "best-impossible": "cannot be installed as things are",
    "not-possible": "not to be had",
    "lesser-architecture": "{arch} gives way to this host's own architecture",
    "older-there": "older, with the same number {number}",
    "higher-cost": "the same version at the higher cost {cost}",
    "read-later": "the very same version, read after {source}",
    "not-newer": "not newer than what is installed",
    "stays-installed": "the host stays with what is installed when it is asked for by name",
    "is-obsoleted": "{package} replaces it",
    "another-name": "{package} is taken instead",
    "is-replaced": "is replaced by {version}",
    # why a request is refused
    "unknown": "no source that is on has a package called {name}",
    "hidden": "all that {name} could mean is kept out by the host's own settings",
    "left-out": "{name} cannot be had; the host's settings leave it out and go on (strict=0)",
    "locked": "{name} {version} is locked at {place}",
    "source-unreachable": "{source} could not be reached and is not marked as one that may be"
    " missing, so the host's installer refuses every request: {what}",
    "gave-up": "no answer after very many tries; nothing is known of this request",
    "no-arch": "this host does not know the architecture {arch}",
    "not-for-arch": "{name} is not there for {arch}",
    "several-providers": "{name} is provided by several packages; say which: {providers}",
    "no-provider": "{name} is provided only by versions that would not be installed: {providers}",
    "no-candidate": "no version of {name} may be installed",
    "never-a-source": "{name}: the version with the highest number is in no source",
    "only-recorded": "{version} of {name} was installed once; no source has it any more",
    "no-version": "{name} is not there in version {version}",
    "no-version-in-source": "{name} is not there in version {version} from {source}",
    "not-in-source": "{source} has no {name}",
    "unknown-source": "no source, suite or codename is called {source}{near}",
    "source-is-off": "{source} is switched off; velpin on {source} switches it on",
    "source-not-fetched": "{source} has no index here yet; velpin refresh {source} fetches it",
    "target-unknown": "the target release {target} ({place}) is none that a source has; the host's"
    " installer refuses every request",
    "files-refused": "{what}; the host's installer refuses every request because of it",
    "only-to-be-built": "{name} would have to be built, which the host's installer does not do",
    "cannot-build": "building needs what is nowhere to be had: {relations}",
    "needs-refused": "the host's installer would refuse what building needs: {packages}",
    "no-recipe": "no recipe for {name}{from} fits this host",
    "asked-twice": "{name} is asked for from {source} and from {other}; the host's installer takes"
    " one of a name",
    "wrong-arch-asked": "{name} {version} from {source} is for {arch}, this host takes {archs}; no"
    " other source is tried",
    "never-refreshed": "no list here yet of {sources}: with a source that was never refreshed the"
    " host's installer refuses whatever would change anything; velpin refresh",
    "not-for-requests": "{sources} has {name}, but its Usage leaves out installing; {name}%SOURCE"
    " takes it all the same",
    "path-in": "the host's installer takes no paths; {name} is in {packages}",
    "path-unknown": "the host's installer takes no paths, and no list of files that is here has"
    " {name}; velpin refresh --files fetches such lists",
    "conflicts-together": "what would come does not go together",
    "conflicts-there": "it does not go with what is installed",
    "breaks-there": "what is installed would not work any more",
    "conflict-coming": "{name} {version} and {other} {other_version} both come and cannot stand"
    " beside each other ({relation})",
    "conflict-installed": "{name} {version} and the installed {other} {other_version} cannot stand"
    " beside each other ({relation}); the installer will ask whether to remove {other}, its"
    " default is no",
    "would-break": "the installed {name} {version} needs {relation}, and {other}{then} would not"
    " do",
    "unmet": "not all that it needs can be had together",
    "host-unmet": "the host as it is has relations that do not hold, of {packages}; its installer"
    " refuses every request that does not mend them",
    # the chain of causes
    "needs": "{package} {version} needs {relation}",
    "excludes": "{package} {version} cannot be beside {other} {other_version}",
    "conflicts-with": "{package} {version} cannot be beside {relation}",
    "obsoletes-it": "{package} {version} replaces {relation}, which stays",
    "locked-at": "{name} {version} is locked at {place}",
    "nowhere-the-same": "{package} {version} is installed; sources have other versions of it",
    "is-protected": "{package} is protected and would go",
    "replaces-along": "whatever else replaces {other} would come along with {package} {version}",
    "lesser-alone": "{package} {version} for {arch} comes only together with this host's own",
    "held-by-others": "other packages hold it back",
    "stays-asked": "which is asked for as well",
    "stays-held": "which is on hold",
    "stays-essential": "which no host may be without",
    "stays-needed": "which others need",
    "nothing-called": "nothing is called {name} in any source that is on{off}",
    "nothing-fits": "what provides {name} does not fit{off}",
    "none-fits": "of {name} there is only {versions}{off}",
    "takes": "of {name} the host takes {version}{from}",
    "takes-nothing": "of {name} the host takes no version",
    "held-at": "{name} is on hold at {version}",
    "would-do": "{version}{from} would do, but",
    "no-way-either": "{name} {version} cannot be had either",
    "given-up": "{name} {version} was given up on the way",
    "only-as-it-is": "that is met by {name} {version} only, as it is now",
    "is-held": "it is on hold",
    "is-phased": "its source gives it to {share} % of all hosts so far, not to this one",
    # ways out
    "ask-for-version": "asks for {name} {version} from {source} as well",
    "ask-for-held": "asks for {name} by name, which overrules its hold",
    "ask-first": "asks for {name} first: choices are made in that order and never taken back",
    "ask-instead": "asks for {name} {version} from {source} instead",
    "source-on": "{source} has {name}",
    "rule-in-the-way": "takes the rule at {place} away: without it nothing is refused",
    # wishes that do not hold
    "still-below": "{other} would still win over {source}: number {number}",
    "not-confined": "{source} would still give everything: number {number}",
    "comes-all-the-same": "{name} would still come from {source}: number {number}",
    "still-not-over": "{source} would still not win over {other}, which has number {number}",
    "still-stands-later": "{other} would still stand before {source}",
    "comes-unasked": "{name} would still come from {source} unasked",
    "kept-out": "{name} would not come from {source}",
    "other-comes": "{name} would still come in {chosen}, not {version}",
    "never-there": "{name} could not be had any more: there is nothing like {version}",
    "never-goes-back": "{name} is installed in {installed}, and no rule of this kind of host takes"
    " it back to {version}; asking for that version by name does",
    "stays-as-it-is": "{name} would stay as it is, not come to {version}",
    "still-changes": "the next upgrade would still bring {name} {version}{from}",
    "never-comes": "not even {name} would come from {source}: number {number}",
    "never-taken": "{name} {version} would not be taken: number {number}",
    "other-wins": "of {name} the host would take {chosen}, not {version}: number {number}",
    "would-go-back": "{name} is installed in {installed}, and {version} is older: an older version"
    " is only taken where that is allowed",
    "same-elsewhere": "{name} {version} is the very same in {first}, which is listed before"
    " {source}: the host downloads it from there, whatever rule there is",
    "no-name-there": "{source} has nothing called {name}",
    "no-such-name": "no source has a package called {name}, and none is installed",
    "no-such-version": "no source has {name} in version {version}{from}",
    "nothing-unfinished": "{source} has no such version or section today",
    "same-from-first": "{source} is listed before {other}, which has the very same versions: the"
    " host would still download from there: {names}",
    "barred-too": "such versions of {names} from {source} are barred as well: the host cannot name"
    " a version and a source in one rule",
    "wish-left": "{wish} would decide nothing any more; to take it back as well: {lift}",
    "left-without": "{name} could not be had then: it needs {lacking} from there as well; to let"
    " that come: {command}",
    "with-older": "goes back to the older version",
    "foremost-wins": "writes it at the head of {file}, where it wins",
    "rule-gone": "takes the rule at {place} away; then it holds",
    "upgrade-refused": "the host's installer would refuse the next full upgrade: {what}",
    # what a rule says
    "says-wish": "{wish}",
    "says-source": "{sources} counts {number}: {meaning}",
    "says-source-never": "nothing comes from {sources}",
    "says-installed": "what is installed counts {number}: {meaning}",
    "says-number": "{sources} has number {number}; the lowest wins",
    "says-only": "{sources} gives only {names}",
    "says-lock": "lock {names}{bound}{from}: neither comes nor goes",
    "says-pin": "pin {names} to {version}{older}",
    "says-pin-source": "pin {names} to {sources} at {number}{older}",
    "says-keep": "keep {names} as it is, at {number}",
    "says-bar": "bar {names} from {sources}",
    "says-only-version": "of that name only {names}",
    "says-ignore": "keep {names}: ignored in upgrades and as dependencies",
    "says-ignore-group": "keep the packages of {names}: ignored in upgrades and as dependencies",
    "says-usage": "{sources} is used only to {uses}",
    "says-never": "never {names}",
    "says-bar-version": "bar {names} in version {version}",
    "says-target": "prefer the release {target} ({sources})",
    "says-hold": "keep {names}: on hold",
    "says-nothing": "{what}",
    # why a rule decides nothing
    "rule-overruled": "always overruled by {by}",
    "rule-idle": "nothing would be otherwise without it",
    "rule-source-off": "{sources} is switched off",
    "rule-no-source": "no source has {pin}",
    "rule-no-version": "no source has {names} in version {version}",
    "rule-not-there": "the sources it names do not have {names}",
    "rule-no-package": "no package is called {names}",
    "rule-odd": "the host's installer passes it over",
    # questions of the host's installer
    "will-ask-provider": "the installer will ask which is to provide {name}: {providers}; its"
    " default is the first, {package}",
    "will-ask-ignored": "the installer will ask whether to install {name} though it is ignored"
    " ({place}); its default is yes",
    "will-ask-replace": "the installer will ask whether to replace {name} by {package} from"
    " {source}; its default is yes",
    "will-ask-members": "the installer will ask which of the {count} packages of {name} to install;"
    " its default is all",
    # notes
    "taken-as-pattern": "{text} is no package; the host's installer takes the text as a pattern,"
    " and it fits {count}",
    "installer-must-refresh": "newer indexes than the host's installer has count here, fetched by"
    " velpin: {sources}; the installer must refresh its own first",
    "not-fetched": "no index yet of {sources}: what they have plays no part",
    "damaged": "the index of {source} cannot be read and plays no part: {what}",
    "source-warning": "{source} {what}",
    "no-arch-in-source": "{source} {what}",
    "wrong-arch": "{source} has nothing for {arch}; it has {has}",
    "no-suite": "{source} has no suite {asked}; it has {has}; try --suite {better}",
    "no-key-named": "{source} checks its packages' signatures and names no key that is here: the"
    " host's installer will ask for one, or refuse; --key FILE-or-URL names it",
    "recipes-found": "{source} has {count} recipes; nothing of them is ever chosen over a built"
    " package, and nothing is built",
    "no-recipes-there": "{source} has no recipe: looked for {what}",
    "list-not-signed": "the list of {source} is not signed; its packages must be, by this key",
    "ring-must-know": "{source} has its signatures checked against the host's ring of keys: the"
    " installer refuses what no trusted key of it signed; --key FILE-or-URL brings one in",
    "key-for-section": "the key goes into the host's ring without being trusted there; only"
    " {source} takes it, and with it any other key of the ring",
    "nothing-checked": "nothing of {source} is checked: neither its index nor its packages",
    "nothing-there": "{source} has nothing for this host: {what}",
    "wrong-release": "{source} is made for {asked}, this host is {here}, and the source has"
    " {better} too; add --suite {better}",
}

CAUSES = {
    "number-upgrades-only": "its source is only for upgrades of what came from it",
    "number-not-automatic": "its source is not automatic",
    "number-own": "no source that is on has it",
    "number-recorded": "only its settings are left",
}
"""Why an offer's number is low, for the end of a sentence."""

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
"""What the number of a whole source means, by the least number for it."""

DECIDED = {
    "only offer": "the only offer",
    "installed": "nothing else may replace it",
    "version": "the newest",
    "rule": "a rule",
    "target release": "the target release",
    "source number": "its source's number",
    "architecture": "the host's own architecture",
    "cost": "the lower cost",
    "reading order": "the order of reading",
    "order of sources": "the order of sources",
    "group": "its group",
    "installed provider": "what is installed",
    "conflict": "a conflict",
    "request": "as asked",
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
    if reason.code == "would-break":
        facts["then"] = f" {facts['then']}" if facts.get("then") else " would go, the rest"
    number = int(facts.get("number") or 0)
    facts["older"] = ", even where that means going back" if number >= _GOES_BACK else ""
    facts["meaning"] = next(told for least, told in MEANINGS if number >= least)
    if reason.code in ("same-from-first", "barred-too"):
        facts["names"] = shortened(str(facts["names"]).split(", "))
    cause = facts.get("place") or CAUSES.get(str(facts.get("cause", "")))
    facts["where"] = f" ({cause})" if cause else ""
    if reason.code == "files-refused" and facts.get("file"):
        line = f":{facts['line']}" if facts.get("line") else ""
        return f"{facts['file']}{line}: " + SENTENCES[reason.code].format(**facts)
    return SENTENCES[reason.code].format(**facts)


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


def day(seconds: float | None) -> str:
    """A day, in UTC."""
    return time.strftime("%Y-%m-%d", time.gmtime(seconds)) if seconds is not None else ""


def moment(seconds: float) -> str:
    """A day and time, in UTC."""
    return time.strftime("%Y-%m-%d %H:%M UTC", time.gmtime(seconds))


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


def stood(stand: tuple[str, str] | None, absent: str) -> str:
    """A version and its source, or the word for a package that is not there."""
    if stand is None:
        return absent
    version, source = stand
    return f"{version} from {source}" if source else f"{version}, in no source"
