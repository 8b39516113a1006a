"""What the reasons that only alpm hosts give say, by their codes (see `front/words.py`)."""

from __future__ import annotations

SENTENCES = {
    "login-for-all": "the login in the address can be read by everybody who may read {file}",
    "check-off-never": "signatures of {source} are not checked ({setting})",
    "check-off-optional": "lists or packages of {source} may be unsigned ({setting})",
    "check-off-any-key": "any key of the host's ring may sign for {source} ({setting})",
    "list-of-other": "its list is the very one of {other}: signatures cannot tell them apart, so"
    " look whether the address is the right one",
    # why it wins
    "stands-first": "{source} stands before {others}, and the first that has it wins whatever the"
    " version",
    "first-within": "{asked} was asked for, and {source} is the first that has such a version",
    "goes-down": "the host's installer takes it though {installed} is installed, which is newer",
    "again": "{version} is installed already; asked for by name it is installed again",
    "section-asked": "{version} is what {source} has",
    "in-group": "{package} is in the group {name}",
    "provider-installed": "{package} is installed, so it goes before others that provide {name}",
    "needed-otherwise": "another package that was asked for needs {name} {version} from {source};"
    " by itself it would be {asked}",
    "dropped-for": "{package} comes, conflicts with it and provides it: the host's installer leaves"
    " {name} out without a word",
    # why an offer was passed over
    "stands-later": "{source} stands before it",
    "newer-stands-later": "newer, but {source} stands before it and has {version}",
    "not-its-usage": "the Usage of {source} leaves out installing",
    "provider-not-installed": "{package} is installed and goes before",
    "later-name": "{package} goes before by its name",
    "is-ignored": "{name} is ignored at {place}",
    "is-ignored-group": "{name} is in {group}, which is ignored at {place}",
    "taken-already": "{name} {version} is taken already, and no choice is taken back",
    # why a request is refused
    "no-source-called": "no source is called {source}{near}",
    "asked-twice": "{name} is asked for from {source} and from {other}; the host's installer takes"
    " one of a name",
    "wrong-arch-asked": "{name} {version} from {source} is for {arch}, this host takes {archs}; no"
    " other source is tried",
    "no-source-on": "no source is on, and without one the host's installer refuses",
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
    "would-break": "the installed {name} {version} needs {relation}, and {other} {then} would not"
    " do",
    "would-lose": "the installed {name} {version} needs {relation}, and {other} would go",
    # ways out
    "ask-first": "asks for {name} first: choices are made in that order and never taken back",
    # rules that do not hold
    "still-stands-later": "{other} would still stand before {source}",
    "comes-unasked": "{name} would still come from {source} unasked",
    # what a rule says
    "says-ignore": "keep {names}: ignored in upgrades and as dependencies",
    "says-ignore-group": "keep the packages of {names}: ignored in upgrades and as dependencies",
    "says-usage": "{sources} is used only to {uses}",
    # why a rule decides nothing
    "rule-names-nobody": "no source is called {source} any more",
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
    "no-list-there": "{source} has nothing for this host: {what}; the name of a source is that of"
    " its list, so ask the vendor for it",
    "list-not-signed": "the list of {source} is not signed; its packages must be, by this key",
    "ring-must-know": "{source} has its signatures checked against the host's ring of keys: the"
    " installer refuses what no trusted key of it signed; --key FILE-or-URL brings one in",
    "key-for-section": "the key goes into the host's ring without being trusted there; only"
    " {source} takes it, and with it any other key of the ring",
}
