"""What the reasons that only alpm hosts give say, by their codes (see `front/words.py`)."""

from __future__ import annotations

SENTENCES = {
    "login-for-all": "everybody who can read {file} can read the login in the address",
    "check-off-never": "signatures of {source} are not checked ({setting})",
    "check-off-optional": "indexes or packages of {source} may be unsigned ({setting})",
    "check-off-any-key": "any key in the host's keyring may sign for {source} ({setting})",
    "list-of-other": "its index is identical to that of {other}: signatures cannot tell them"
    " apart, so make sure that the address is the right one",
    # why it wins
    "stands-first": "{source} comes before {others}, and the first source that has it wins,"
    " whatever the version",
    "first-within": "you asked for {asked}, and {source} is the first source that has such a"
    " version",
    "goes-down": "the host's installer takes it although the installed {installed} is newer",
    "again": "{version} is installed already; asked for by name, it is installed again",
    "section-asked": "{version} is what {source} has",
    "in-group": "{package} is in the group {name}",
    "provider-installed": "{package} is installed, so it is preferred over others that provide"
    " {name}",
    "needed-otherwise": "another package that you asked for needs {name} {version} from {source};"
    " by itself it would be {asked}",
    "dropped-for": "{package} would be installed, conflicts with it and provides it: the host's"
    " installer silently leaves {name} out",
    # why an offer was passed over
    "stands-later": "{source} comes before it",
    "newer-stands-later": "newer, but {source} comes before it and has {version}",
    "not-its-usage": "the Usage of {source} excludes installing",
    "provider-not-installed": "{package} is installed and is preferred",
    "later-name": "{package} is preferred by its name",
    "is-ignored": "{name} is ignored at {place}",
    "is-ignored-group": "{name} is in {group}, which is ignored at {place}",
    "taken-already": "{name} {version} has been chosen already, and choices are not reconsidered",
    # why a request is refused
    "no-source-called": "no source is called {source}{near}",
    "asked-twice": "you asked for {name} from {source} and from {other}; the host's installer"
    " takes one package of a name",
    "wrong-arch-asked": "{name} {version} from {source} is for {arch}, and this host takes"
    " {archs}; no other source is tried",
    "no-source-on": "no source is enabled, so the host's installer refuses",
    "never-refreshed": "no index of {sources} here yet: while a source was never refreshed, the"
    " host's installer refuses every change; run velpin refresh",
    "not-for-requests": "{sources} has {name}, but its Usage excludes installing; {name}%SOURCE"
    " takes it anyway",
    "path-in": "the host's installer takes no file paths; {name} is in {packages}",
    "path-unknown": "the host's installer takes no file paths, and no file list here has {name};"
    " velpin refresh --files fetches file lists",
    "conflicts-together": "some of the packages conflict with each other",
    "conflicts-there": "it conflicts with an installed package",
    "breaks-there": "installed packages would break",
    "conflict-coming": "{name} {version} and {other} {other_version} would both be installed and"
    " conflict ({relation})",
    "conflict-installed": "{name} {version} conflicts with the installed {other} {other_version}"
    " ({relation}); the installer will ask whether to remove {other}, and the default is no",
    "would-break": "the installed {name} {version} needs {relation}, which {other} {then} does not"
    " meet",
    "would-lose": "the installed {name} {version} needs {relation}, and {other} would be removed",
    # ways out
    "ask-first": "asks for {name} first: choices are made in order and not reconsidered",
    # rules that do not hold
    "still-stands-later": "{other} would still come before {source}",
    "comes-unasked": "{name} would still come from {source} without being asked for",
    # what a rule says
    "says-ignore": "keep {names}: ignored in upgrades and as dependencies",
    "says-ignore-group": "keep the packages of {names}: ignored in upgrades and as dependencies",
    "says-usage": "{sources} is only used to {uses}",
    # why a rule decides nothing
    "rule-names-nobody": "no source is called {source} any more",
    # questions of the host's installer
    "will-ask-provider": "the installer will ask which package should provide {name}: {providers};"
    " the default is the first, {package}",
    "will-ask-ignored": "the installer will ask whether to install {name} although it is ignored"
    " ({place}); the default is yes",
    "will-ask-replace": "the installer will ask whether to replace {name} with {package} from"
    " {source}; the default is yes",
    "will-ask-members": "the installer will ask which of the {count} packages of {name} to"
    " install; the default is all",
    # notes
    "no-list-there": "{source} has nothing for this host: {what}; a source's name must be that of"
    " its index, so ask the vendor for it",
    "list-not-signed": "the index of {source} is not signed; its packages must be, with this key",
    "ring-must-know": "signatures of {source} are checked against the host's keyring: the"
    " installer refuses what no trusted key in it signed; add one with --key FILE-or-URL",
    "key-for-section": "the key is added to the host's keyring but not trusted there; only"
    " {source} accepts it, along with any other key in the keyring",
}
