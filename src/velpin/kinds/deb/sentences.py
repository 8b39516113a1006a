"""What the reasons that only deb hosts give say, by their codes (see `front/words.py`)."""

from __future__ import annotations

SENTENCES = {
    "copy-differs": "the installer's copy of the index of {source} is not what its release file"
    " promises; it may be cut off: refresh the installer's own",
    "record-emptied": "/{file} lists no package and /{saved} does: it may have been cut off",
    "login-apart": "the login in the address goes to {file}, which only root may read",
    "check-off-trusted": "{source} is accepted without any signature ({setting})",
    "check-off-insecure": "{source} is accepted even if it is not signed ({setting})",
    "check-off-weak": "weak signatures and checksums of {source} are accepted ({setting})",
    "check-off-downgrade": "{source} may stop being signed without an error ({setting})",
    "check-off-expiry": "an expired index of {source} is accepted ({setting})",
    "check-off-date": "the date of {source}'s index is not checked ({setting})",
    # why a version has its priority
    "priority-default": "{version} from {source} has priority 500, the default",
    "priority-not-automatic": "{version} from {source} has priority 1: its source asks that nothing"
    " be installed from it unless named",
    "priority-upgrades-only": "{version} from {source} has priority 100: its source asks to upgrade"
    " only what came from it",
    "priority-target": "{version} from {source} has priority 990: its source is the target release",
    "priority-record": "{version} has priority {priority}: {place} says so for {names} ({pin})",
    "priority-never": "{version} has no priority: {place} says never ({pin})",
    "priority-own": "{version} has priority 100: it is installed, and no source that is on has it",
    "priority-recorded": "{version} was removed; only its settings are left",
    # why it wins
    "highest-priority": "the highest priority wins whatever the version; the next below is {next}",
    "newest": "{version} is the newest of those with priority {priority}",
    "first-of-same": "{version} is listed several times; the first one is taken",
    "downgrades": "priority {priority} is 1000 or more: it replaces even a newer installed version",
    "hold-overruled": "it is on hold; asking for it by name overrules that",
    "only-provider": "{name} is no package itself; {package} is the only one that provides it",
    "first-listed": "{source} and {others} have the very same version; it comes from the one"
    " listed first",
    # why an offer was passed over
    "barred": "priority {priority} means never{where}",
    "lower-priority": "priority {priority} is below {chosen}{where}",
    "older": "older, with the same priority {priority}",
    "older-than-installed": "older than what is installed, and priority {priority} is below 1000",
    "same-listed-later": "the same version in another form, listed later",
    "listed-later": "the very same version, listed after {first}",
    # why a request is refused
    "unknown-source": "no source, suite or codename is called {source}{near}",
    "no-arch": "this host does not know the architecture {arch}",
    "several-providers": "{name} is provided by several packages; say which: {providers}",
    "no-provider": "{name} is provided only by versions that would not be installed: {providers}",
    "no-candidate": "no version of {name} may be installed",
    "never-a-source": "{name}: the version with the highest priority is in no source",
    "only-recorded": "{version} of {name} was installed once; no source has it any more",
    "target-unknown": "the target release {target} ({place}) is none that a source has; the host's"
    " installer refuses every request",
    "host-unmet": "the host as it is has relations that do not hold, of {packages}; its installer"
    " refuses every request that does not mend them",
    # the chain of causes
    "stays-asked": "which is asked for as well",
    "stays-held": "which is on hold",
    "stays-essential": "which no host may be without",
    "stays-needed": "which others need",
    "nothing-fits": "what provides {name} does not fit{off}",
    "takes": "of {name} the host takes {version}{from}",
    "takes-nothing": "of {name} the host takes no version",
    "held-at": "{name} is on hold at {version}",
    "no-way-either": "{name} {version} cannot be had either",
    "given-up": "{name} {version} was given up on the way",
    "only-as-it-is": "that is met by {name} {version} only, as it is now",
    "is-held": "it is on hold",
    "is-phased": "its source gives it to {share} % of all hosts so far, not to this one",
    # ways out
    "ask-for-held": "asks for {name} by name, which overrules its hold",
    # rules that do not hold
    "still-below": "{other} would still win over {source}: priority {priority}",
    "not-confined": "{source} would still give everything: priority {priority}",
    "never-comes": "not even {name} would come from {source}: priority {priority}",
    "never-taken": "{name} {version} would not be taken: priority {priority}",
    "other-wins": "of {name} the host would take {chosen}, not {version}: priority {priority}",
    "would-go-back": "{name} is installed in {installed}, and {version} is older: an older version"
    " is only taken where that is allowed",
    "same-elsewhere": "{name} {version} is the very same in {first}, which is listed before"
    " {source}: the host downloads it from there, whatever rule there is",
    "nothing-unfinished": "{source} has no such version or component today",
    "same-from-first": "{source} is listed before {other}, which has the very same versions: the"
    " host would still download from there: {names}",
    "barred-too": "such versions of {names} from {source} are barred as well: the host cannot name"
    " a version and a source in one rule",
    "rule-left": "{rule} would decide nothing any more; to take it back as well: {lift}",
    "left-without": "{name} could not be had then: it needs {lacking} from there as well; to let"
    " that come: {command}",
    "with-older": "goes back to the older version",
    "foremost-wins": "writes it at the head of {file}, where it wins",
    # what a rule says
    "says-source": "{sources} counts {priority}: {meaning}",
    "says-source-never": "nothing comes from {sources}",
    "says-installed": "what is installed counts {priority}: {meaning}",
    "says-pin": "pin {names} to {version}{older}",
    "says-pin-source": "pin {names} to {sources} at {priority}{older}",
    "says-keep": "keep {names} as it is, at {priority}",
    "says-bar-version": "bar {names} in version {version}",
    "says-target": "prefer the release {target} ({sources})",
    "says-hold": "keep {names}: on hold",
    "says-nothing": "{what}",
    # why a rule decides nothing
    "rule-overruled": "always overruled by {by}",
    "rule-no-source": "no source has {pin}",
    "rule-no-version": "no source has {names} in version {version}",
    "rule-odd": "the host's installer passes it over",
    # notes
    "taken-as-pattern": "{text} is no package; the host's installer takes the text as a pattern,"
    " and it fits {count}",
    "no-suite": "{source} has no suite {asked}; it has {has}; try --suite {better}",
    "wrong-release": "{source} is made for {asked}, this host is {here}, and the source has"
    " {better} too; add --suite {better}",
}
