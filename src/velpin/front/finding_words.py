"""What each finding of a checkup says of its case, what ties a key to others, and what helps where
no command of Velpin's does: sentences by code, beside those of `words`."""

from __future__ import annotations

SENTENCES = {
    # trust
    "key-missing": "the key of {source} cannot be used: {what}",
    "key-revoked": "the key of {source} was revoked by its owner: {owner}, {key}",
    "key-expired": "the key of {source} expired on {day}: {owner}, {key}",
    "key-expiring": "the key of {source} expires on {day}: {owner}, {key}",
    "key-weak": "the key of {source} is too weak ({algorithm}): {owner}, {key}",
    "other-key": "the signature of {source} names the key {keys}, which is not named for it"
    " (named: {named})",
    "key-unnamed": "{source} names no key of its own",
    "key-for-all": "the key of {owner} in {file} counts for every source that names none"
    " ({others}); it signs {signs}",
    "key-old-place": "{file} holds keys for all sources that name none ({keys}); they sign {signs}",
    "key-writable": "{file} may be written by others than its owner ({mode})",
    "key-form": "{what}",
    "login-readable": "{file} holds a password and may be read by others ({mode})",
    "key-renewed": "the same key, renewed, is in {where}: {owner}, {key}",
    "key-certified": "that key is in {where}: {owner}, {key}; the key named until now ({old}) has"
    " certified it",
    "key-stranger": "that key is in {where}: {owner}, {key}; no key named until now vouches for it,"
    " so it may be anybody's: compare it with what the vendor of {source} publishes",
    "key-did-not-sign": "a key with that fingerprint is in {where} ({owner}, {key}), but it did not"
    " make this signature: the index was altered, or somebody claims to be that vendor",
    "key-revoked-elsewhere": "that key is in {where}: {owner}, {key}; its owner has revoked it, as"
    " {revoked} shows",
    "key-replaces": "replaces the key that {source} names now: {owner}, {key}",
    # fit
    "other-release": "{source} is made for {asked}, and this host is {here}",
    "other-arch": "{source} has packages for {has}, and this host takes {arch}",
    "suite-gone": "{source} has no {asked} any more: {what}",
    "unknown-variable": "{source} has the variable ${name} in its address, which nothing here sets",
    "install-medium": "{source} is an installation medium ({address})",
    "moving-name": "{source} follows the name {asked}, which means {codename} today",
    "component-gone": "{source} has no {names}; it has {has}",
    "other-kind": "{file} is written for another kind of host",
    "catalog-differs": "{source} is at {mine}, and the catalog says {theirs} ({catalog})",
    "catalog-other-key": "{source} names the key {mine}, and the catalog says {theirs} ({catalog})",
    "catalog-doubted": "the catalog {file} is passed over: {what}",
    # freshness
    "never-fetched": "never fetched: {sources}",
    "refresh-failed": "the last refresh of {source} failed: {what}",
    "index-expired": "the index of {source} expired on {day}",
    "index-old": "nobody has looked at {source} for {days} days; it usually changes every"
    " {usual} days",
    "index-damaged": "the index of {source} cannot be read: {what}",
    "installer-behind": "velpin has newer indexes than the installer: {sources}",
    "mirror-behind": "{source} is {days} days behind {other}, which has the same release",
    # order
    "listed-twice": "{what} is listed at {first} already",
    "same-content": "{source} ({address}) has the same packages as {other}",
    "overlap": "{source} and {other} have different versions of the same packages, and nothing says"
    " which wins: {names}",
    "early-wins": "{source} is a channel of unfinished versions ({word}) and wins over {other}:"
    " {names}",
    "would-take-over": "{source} would take over {names} with the next upgrade",
    "taken-over": "{source} has taken over {names} (installed from its publisher in all: {total})",
    "rules-contradict": "the rule `{rule}` is not kept",
    "rule-dead": "the rule at {place} decides nothing",
    # host
    "in-no-source": "installed, and in no source any more: {names}",
    "dropped-source-had": "installed from {source}, which change {number} dropped on {day}:"
    " {names}",
    "newer-than-sources": "installed, and newer than any source has: {names}",
    "waits-held": "on hold, though there are newer versions: {names}",
    "waits-kept": "the rule at {place} keeps packages of which there are newer versions: {names}",
    "installer-refuses": "the installer refuses every request",
    "upgrade-fails": "the installer would refuse the next full upgrade",
    "half-installed": "not installed to the end: {names}",
    "mixed-set": "the parts of {name} come from different sources: {names}",
    "kept-back": "the next upgrade keeps back {names}, of which {source} has newer versions",
    # files
    "malformed": "{what}",
    "odd-entry": "{what}",
    "skipped-file": "{file} is passed over: {why}",
    "file-writable": "{file} may be written by others than its owner ({mode})",
    "leftover": "{file} is left over from an update, an editor or an interrupted change",
    "interrupted": "a change of Velpin's was interrupted and is not put right yet",
    "installer-locked": "{file} is there: the installer refuses to run beside another one",
    "not-for-next": "{what}",
    # what helps where no command of Velpin's does
    "name-key": "get the key from the vendor, then: velpin add {source:word} --key FILE-or-URL"
    " --fingerprint FINGERPRINT",
    "renew-key": "get the vendor's renewed key, then: velpin add {source:word} --key FILE-or-URL"
    " --fingerprint FINGERPRINT",
    "check-again": "get the vendor's key, then: velpin add {source:word} --key FILE-or-URL; after"
    " that the check can be switched on",
    "ask-for-signatures": "ask the vendor for a key and signed packages; until then confine it:"
    " velpin confine {source:word} 'GLOB'",
    "edit-by-hand": "edit {file} by hand",
    "forecast-tells": "velpin forecast --upgrade tells what led to that",
    "rename-or-remove": "rename {file} or remove it",
    "run-as-root": "run any velpin command as root: it puts that right first",
    "refresh-again": "velpin refresh {source:word}; {hint}",
    "take-from-catalog": "velpin catalog {name:word} shows it; velpin drop {source:word}, then"
    " velpin add {name:word}, takes it from there",
    "installer-refresh": "refresh the installer's own indexes before you install",
    "use-other": "velpin refresh {source:word}; if it stays behind, use the address of {other}",
    "say-so-or-go-back": "if that is meant, say so: velpin pin {name:word} --from {source:word}, or"
    " silence it; velpin want {name:word} --from SOURCE finds the way back",
    "undo-the-drop": "velpin undo {number} brings the source back, velpin offers NAME shows what"
    " other sources have",
    "remove-or-find": "velpin find NAME looks in the sources that are off as well; what nobody"
    " needs can go",
    "ask-by-version": "velpin offers NAME shows what sources have; asking for a version by name"
    " goes back to it",
    "take-hold-back": "the host's own tools take a hold back; velpin forecast NAME shows what would"
    " come",
    "finish-installing": "let the host's installer finish or repair them",
    "pin-set": "let them come from one source: {command}",
    "upgrade-tells": "velpin forecast --upgrade tells what holds each of them back",
    "ask-the-vendor": "ask the vendor where it is now; velpin off {source:word} until then",
    "fill-the-ring": "the host's own tools fill its keyring; velpin add NAME --key FILE-or-URL adds"
    " one key",
    "remove-lock": "if no installer runs, remove {file}",
}  # fmt: skip
