"""What the reasons that only deb hosts give say, by their codes (see `front/words.py`)."""

from __future__ import annotations

SENTENCES = {
    "solver-unknown": "the settings ask for the solver {solver} ({place}), and there is none called"
    " so: the installer refuses every request",
    "copy-differs": "the installer's copy of the index of {source} does not match its release file"
    " and may be incomplete; run the installer's own refresh",
    "record-emptied": "/{file} lists no packages but /{saved} does: it may have been truncated",
    "login-apart": "the login from the address goes into {file}, which only root can read",
    "check-off-trusted": "{source} is accepted without any signature ({setting})",
    "check-off-insecure": "{source} is accepted even if it is not signed ({setting})",
    "check-off-weak": "weak signatures and checksums of {source} are accepted ({setting})",
    "check-off-downgrade": "{source} may stop being signed without an error ({setting})",
    "check-off-expiry": "an expired index of {source} is accepted ({setting})",
    "check-off-date": "the date of {source}'s index is not checked ({setting})",
    # why a version has its priority
    "priority-default": "{version} from {source} has priority 500, the default",
    "priority-not-automatic": "{version} from {source} has priority 1: its source asks not to be"
    " used unless named",
    "priority-upgrades-only": "{version} from {source} has priority 100: its source asks to"
    " upgrade only what was installed from it",
    "priority-phased": "{version} from {source} has priority 1: it is not released to this host"
    " yet",
    "priority-target": "{version} from {source} has priority 990: its source is the target release",
    "priority-record": "{version} has priority {priority}, set at {place} for {names} ({pin})",
    "priority-never": "{version} is never installed, says {place} ({pin})",
    "priority-own": "{version} has priority 100: it is installed, and no enabled source has it",
    "priority-recorded": "{version} was removed; only its configuration files are left",
    # why it wins
    "highest-priority": "the highest priority wins, whatever the version; the next is {next}",
    "newest": "{version} is the newest with priority {priority}",
    "first-of-same": "{version} is listed several times; the first one is taken",
    "downgrades": "priority {priority} is 1000 or more, so it replaces even a newer installed"
    " version",
    "hold-overruled": "it is on hold, which asking for it by name overrules",
    "only-provider": "{name} is a virtual package; only {package} provides it",
    "first-listed": "{source} and {others} have exactly the same version; it is downloaded from"
    " the one listed first",
    # why an offer was passed over
    "barred": "priority {priority} means never{where}",
    "lower-priority": "priority {priority} is below {chosen}{where}",
    "older": "older, with the same priority {priority}",
    "older-than-installed": "older than the installed version, and priority {priority} is below"
    " 1000",
    "same-listed-later": "the same version, built differently and listed later",
    "listed-later": "exactly the same version, listed after {first}",
    # why a request is refused
    "unknown-source": "no source, suite or codename is called {source}{near}",
    "no-arch": "this host has no architecture {arch}",
    "several-providers": "{name} is provided by several packages; choose one: {providers}",
    "no-provider": "{name} is only provided by versions that would not be installed: {providers}",
    "essential-goes": "{names}: essential; the host's installer asks for a typed sentence before it"
    " removes that",
    "entry-incomplete": "the entry of {name} {version} in {source} has no {field}: the host's"
    " installer refuses to fetch it",
    "several-archs": "{name} is meant for several architectures, {archs}: name one",
    "no-candidate": "no version of {name} may be installed",
    "never-a-source": "{name}: no source has the version with the highest priority",
    "only-recorded": "{version} of {name} was installed once; no source has it any more",
    "target-unknown": "no source has the target release {target} ({place}), so the host's"
    " installer refuses every request",
    "host-unmet": "dependencies of installed packages are not met ({packages}); the host's"
    " installer refuses every request that does not fix them",
    # the chain of causes
    "stays-asked": "which you also asked for",
    "stays-held": "which is on hold",
    "stays-essential": "which is essential",
    "stays-needed": "which other packages need",
    "nothing-fits": "what provides {name} does not fit{off}",
    "takes": "the host takes {name} {version}{from}",
    "takes-nothing": "the host takes no version of {name}",
    "held-at": "{name} is on hold at {version}",
    "no-way-either": "{name} {version} cannot be installed either",
    "given-up": "{name} {version} was given up along the way",
    "only-as-it-is": "only {name} {version} meets that, as it is now",
    "is-held": "it is on hold",
    "is-phased": "its source has released it to {share} % of hosts so far, and not to this one",
    # ways out
    "ask-for-held": "asks for {name} by name, which overrules its hold",
    # rules that do not hold
    "still-below": "{other} would still win over {source}; it has priority {priority}",
    "not-confined": "{source} would still provide everything, at priority {priority}",
    "never-comes": "not even {name} would come from {source}, which has priority {priority}",
    "never-taken": "{name} {version} would not be installed: it has priority {priority}",
    "other-wins": "the host would install {name} {chosen}, not {version}, because of priority"
    " {priority}",
    "would-go-back": "{name} {installed} is installed and {version} is older, which has to be"
    " allowed",
    "same-elsewhere": "{first} has exactly the same {name} {version} and is listed before"
    " {source}: the host downloads it from there, whatever the rules",
    "nothing-unfinished": "{source} has no such version or component today",
    "same-from-first": "{source} is listed before {other}, which has exactly the same versions:"
    " the host would still download these from there: {names}",
    "barred-too": "pre-releases of {names} from {source} are barred as well: the host cannot limit"
    " a version pattern to one source",
    "rule-left": "{rule} would no longer decide anything; to take it back as well: {lift}",
    "left-without": "{name} could no longer be installed: it needs {lacking} from the same source;"
    " to allow that: {command}",
    "with-older": "allows the downgrade",
    "foremost-wins": "writes the rule at the head of {file}, where it wins",
    # what a rule says
    "says-source": "{sources} has priority {priority}: {meaning}",
    "says-source-never": "nothing comes from {sources}",
    "says-installed": "installed versions have priority {priority}: {meaning}",
    "says-pin": "pin {names} to {version}{older}",
    "says-pin-source": "pin {names} to {sources} with priority {priority}{older}",
    "says-keep": "keep {names} as installed, with priority {priority}",
    "says-bar-version": "bar {names} in version {version}",
    "says-target": "prefer the release {target} ({sources})",
    "says-hold": "keep {names}: on hold",
    "says-nothing": "{what}",
    # why a rule decides nothing
    "rule-overruled": "always overruled by {by}",
    "rule-no-source": "no source has {pin}",
    "rule-no-version": "no source has {names} in version {version}",
    "rule-odd": "the host's installer ignores it",
    # notes
    "taken-as-pattern": "no package is called {text}; the host's installer reads it as a pattern,"
    " which matches {count}",
    "no-suite": "{source} has no suite {asked}; it has {has}; try --suite {better}",
    "wrong-release": "{source} is made for {asked}, this host is {here}, and the source also has"
    " {better}; add --suite {better}",
}
