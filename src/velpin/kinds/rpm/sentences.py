"""What the reasons that only rpm hosts give say, by their codes (see `front/words.py`)."""

from __future__ import annotations

SENTENCES = {
    "login-in-file": "{file} contains a login, so only root can read it",
    "check-off-packages": "packages of {source} are installed without a signature ({setting})",
    "check-off-index": "the index of {source} is accepted without a signature ({setting})",
    "check-off-server": "any server can pose as that of {source} ({setting})",
    # why it wins
    "lowest-priority": "{source} has priority {priority}, and the lowest wins, whatever the"
    " version; the next is {next}",
    "own-architecture": "{arch} is this host's own architecture, or fits any",
    "newest-there": "{version} is the newest among sources with priority {priority}",
    "lower-cost": "exactly the same version has a lower cost from {source} than from {others}",
    "read-first": "{source} and {others} have exactly the same version; it is downloaded from the"
    " one read first",
    "obsoletes-asked": "{package} obsoletes {name}",
    # why an offer was passed over
    "is-excluded": "excluded by {pattern} at {place}",
    "not-included": "not among the included packages: {patterns}",
    "module-unmet": "stream {stream} of module {module} is enabled and what it needs cannot be had:"
    " the installer refuses every request",
    "module-off": "module {module} has no active stream",
    "module-other": "it belongs to stream {stream} of module {module}; {active} is active",
    "module-plain": "hidden by the active stream {active} of module {module}, which has a package"
    " of that name",
    "is-locked": "locked at {place}",
    "is-retracted": "taken back by its source after it was published",
    "higher-priority": "priority {priority}; {source} has {chosen}, and the lower one wins",
    "lesser-architecture": "{arch}; this host's own architecture is preferred",
    "older-there": "older, with the same priority {priority}",
    "higher-cost": "the same version at a higher cost, {cost}",
    "read-later": "exactly the same version, read after {source}",
    "not-newer": "not newer than the installed version",
    "stays-installed": "asked for by name, the installed version is kept",
    "is-obsoleted": "obsoleted by {package}",
    "another-name": "{package} is installed instead",
    # why a request is refused
    "not-for-arch-but": "{name} is not available for {arch}, only for {has}",
    "not-for-this-host": "{name} is only available for {has}; this host takes {takes}",
    "hidden": "everything {name} could mean is excluded by the host's own settings",
    "left-out": "{name} is not available; the host's settings skip it and go on (strict=0)",
    "locked": "{name} {version} is locked at {place}",
    "source-unreachable": "{source} could not be reached and is not marked as optional, so the"
    " host's installer refuses every request: {what}",
    # the chain of causes
    "conflicts-with": "{package} {version} cannot be installed beside {relation}",
    "obsoletes-it": "{package} {version} obsoletes {relation}, which stays",
    "locked-at": "{name} {version} is locked at {place}",
    "nowhere-the-same": "{package} {version} is installed; the sources only have other versions of"
    " it",
    "is-protected": "{package} is protected and would be removed",
    "replaces-along": "something else that obsoletes {other} would be installed along with"
    " {package} {version}",
    "lesser-alone": "{package} {version} for {arch} can only be installed together with that of"
    " this host's own architecture",
    "held-by-others": "other packages hold it back",
    # rules that do not hold
    "still-not-over": "{source} would still not win over {other}, which has priority {priority}",
    "kept-out": "{name} would not come from {source}",
    "other-comes": "{name} would still come in version {chosen}, not {version}",
    "never-there": "{name} would no longer be available: no source has {version}",
    "never-goes-back": "{name} {installed} is installed, and no rule on this kind of host"
    " downgrades it to {version}; asking for that version by name does",
    "stays-as-it-is": "{name} would stay as it is instead of changing to {version}",
    # what a rule says
    "says-priority": "{sources} has priority {priority}; the lowest wins",
    "says-only": "{sources} provides only {names}",
    "says-lock": "lock {names}{bound}{from}: neither installed nor removed nor changed",
    "says-only-version": "only {names} of that name",
    "says-never": "never {names}",
    # notes
    "type-not-read": "{source} is of type {type}, whose lists velpin does not read: its packages"
    " are not considered",
    "older-generation": "this host's installer is of an older generation (its settings lie in"
    " {file}): what it does is forecast by the rules of the next one",
    "service-writes": "{source} belongs to the service {service}, which writes it anew when it is"
    " refreshed: whether it is on and its signature checks survive that, its priority, name and"
    " address do not",
    "others-write": "{place} says: {what}",
    "no-key-named": "{source} has its package signatures checked but no key here is named for it:"
    " the host's installer will ask for one or refuse; name one with --key FILE-or-URL",
}
