"""What the reasons that only rpm hosts give say, by their codes (see `front/words.py`)."""

from __future__ import annotations

SENTENCES = {
    "login-in-file": "a login is in {file}, so only root may read it",
    "check-off-packages": "packages of {source} are installed without a signature ({setting})",
    "check-off-index": "the index of {source} is accepted without a signature ({setting})",
    "check-off-server": "any server can pass itself off as that of {source} ({setting})",
    # why it wins
    "lowest-priority": "{source} has priority {priority}, and the lowest wins whatever the version;"
    " the next is {next}",
    "own-architecture": "{arch} is this host's own architecture, or fits every one",
    "newest-there": "{version} is the newest that sources of priority {priority} have",
    "lower-cost": "the very same version costs less from {source} than from {others}",
    "read-first": "{source} and {others} have the very same version; it comes from the one read"
    " first",
    "obsoletes-asked": "{package} says that it replaces {name}",
    # why an offer was passed over
    "is-excluded": "kept out by {pattern} at {place}",
    "not-included": "not among what is let in: {patterns}",
    "module-off": "module {module} has no active stream",
    "module-other": "it belongs to stream {stream} of module {module}; {active} is active",
    "module-plain": "stream {active} of module {module} is active and has that name",
    "is-locked": "locked at {place}",
    "higher-priority": "priority {priority}; {source} has {chosen}, and the lower priority wins",
    "lesser-architecture": "{arch} gives way to this host's own architecture",
    "older-there": "older, with the same priority {priority}",
    "higher-cost": "the same version at the higher cost {cost}",
    "read-later": "the very same version, read after {source}",
    "not-newer": "not newer than what is installed",
    "stays-installed": "the host stays with what is installed when it is asked for by name",
    "is-obsoleted": "{package} replaces it",
    "another-name": "{package} is taken instead",
    # why a request is refused
    "hidden": "all that {name} could mean is kept out by the host's own settings",
    "left-out": "{name} cannot be had; the host's settings leave it out and go on (strict=0)",
    "locked": "{name} {version} is locked at {place}",
    "source-unreachable": "{source} could not be reached and is not marked as one that may be"
    " missing, so the host's installer refuses every request: {what}",
    "gave-up": "no answer after very many tries; nothing is known of this request",
    # the chain of causes
    "conflicts-with": "{package} {version} cannot be beside {relation}",
    "obsoletes-it": "{package} {version} replaces {relation}, which stays",
    "locked-at": "{name} {version} is locked at {place}",
    "nowhere-the-same": "{package} {version} is installed; sources have other versions of it",
    "is-protected": "{package} is protected and would go",
    "replaces-along": "whatever else replaces {other} would come along with {package} {version}",
    "lesser-alone": "{package} {version} for {arch} comes only together with this host's own",
    "held-by-others": "other packages hold it back",
    # rules that do not hold
    "still-not-over": "{source} would still not win over {other}, which has priority {priority}",
    "kept-out": "{name} would not come from {source}",
    "other-comes": "{name} would still come in {chosen}, not {version}",
    "never-there": "{name} could not be had any more: there is nothing like {version}",
    "never-goes-back": "{name} is installed in {installed}, and no rule of this kind of host takes"
    " it back to {version}; asking for that version by name does",
    "stays-as-it-is": "{name} would stay as it is, not come to {version}",
    # what a rule says
    "says-priority": "{sources} has priority {priority}; the lowest wins",
    "says-only": "{sources} gives only {names}",
    "says-lock": "lock {names}{bound}{from}: neither comes nor goes",
    "says-only-version": "of that name only {names}",
    "says-never": "never {names}",
    # notes
    "no-key-named": "{source} checks its packages' signatures and names no key that is here: the"
    " host's installer will ask for one, or refuse; --key FILE-or-URL names it",
}
