"""The format of a host file (docs/host-file.md), read strictly.

velpin-host = 1

[[source]]
name = "gullwatch"
catalog = "gullwatch"

[[rule]]
says = "prefer mooring --over gullwatch"

[[expect]]
package = "gullwatch"
source = "gullwatch"
"""

from __future__ import annotations

import re
from collections.abc import Collection
from pathlib import Path

from velpin.errors import HostFileError
from velpin.files.given import read_given, why_writable
from velpin.files.toml import TomlTable, read_toml
from velpin.model.hostfile import (
    Condition,
    Expectation,
    HostFile,
    Keyring,
    SourceDescription,
    WantedKey,
    WantedRule,
    WantedSource,
)
from velpin.model.reason import Place
from velpin.model.rule import read_rule
from velpin.ports.kind import KIND_NAMES

VERSION = 1
ARMOUR = "-----BEGIN PGP PUBLIC KEY BLOCK-----"
_HANDLE = re.compile(r"[A-Za-z0-9][A-Za-z0-9.:@+_-]*\Z")
_FINGERPRINT = re.compile(r"[0-9A-Fa-f]{40}([0-9A-Fa-f]{24})?\Z")
_SETTING = re.compile(r"[A-Za-z][\w+-]*\s*=.*\Z")
_DAYS = re.compile(r"(\d{1,4}) days?\Z")
_LARGEST_KEY = 1 << 20
_LARGEST = 8 << 20
_MOST = 2000


def read_host_file(data: bytes, file: str, kinds: Collection[str]) -> HostFile:
    """A host file; HostFileError, with the line and what would help, where it is not understood.

    Keys in files of their own lie beside it. `kinds` are the kinds of host that it may speak of."""
    top = read_toml(data, file)
    version = top.number("velpin-host")
    if version != VERSION:
        raise top.wrong(
            "velpin-host" if "velpin-host" in top else "",
            "is no host file of this version" if version is not None else "says no version",
            f"velpin-host = {VERSION}",
        )
    top.text("about", lines=True)
    sources = tuple(_source(table, kinds) for table in top.tables("source", _MOST))
    keys = tuple(_common_key(table, kinds) for table in top.tables("key", _MOST))
    rules = tuple(_rule(table, kinds) for table in top.tables("rule", _MOST))
    expected = tuple(_expectation(table, kinds) for table in top.tables("expect", _MOST))
    top.done()
    _check_once(sources)
    return HostFile(file, sources, keys, rules, expected)


def _check_once(sources: Collection[WantedSource]) -> None:
    """HostFileError where one name is described twice for the same hosts."""
    seen: dict[tuple[str, Condition], WantedSource] = {}
    for source in sources:
        first = seen.setdefault((source.name, source.when), source)
        if first is not source:
            raise HostFileError(
                source.place.file, source.place.line,
                f"{source.name} is described at line {first.place.line} already",
                "one of them goes, or each says which hosts it is for: when = { ... }",
            )  # fmt: skip


def _when(table: TomlTable, kinds: Collection[str]) -> Condition:
    given = table.table("when")
    if given is None:
        return Condition()
    found = Condition(
        given.texts("kind"), given.texts("host"), given.texts("release"), given.texts("arch")
    )
    for kind in found.kinds:
        if kind not in kinds:
            raise given.wrong(
                "kind",
                f"no kind of host is called {kind!r}",
                f"there are {', '.join(sorted(kinds))}",
            )
    given.done()
    return found


def _source(table: TomlTable, kinds: Collection[str]) -> WantedSource:
    name = table.text("name", needed=True)
    if not _HANDLE.match(name):
        raise table.wrong("name", f"{name!r} cannot be the name of a source")
    catalog, address = table.text("catalog"), table.text("address")
    described = None
    settings = table.texts("settings")
    for setting in settings:
        if not _SETTING.match(setting):
            raise table.wrong(
                "settings", f"{setting!r} is no setting", 'settings = ["KEY = VALUE"]'
            )
    suite, components, archs = (
        table.text("suite"), table.texts("components"), table.texts("architectures"),
    )  # fmt: skip
    if bool(catalog) == bool(address or settings):
        raise table.wrong(
            "catalog" if catalog else "",
            f"{name} is in a catalog and described here" if catalog else f"where is {name}?",
            'either catalog = "NAME", or address = "..."',
        )
    if catalog and (suite or components or archs):
        raise table.wrong(
            "suite" if suite else "components", "the catalog says that itself", "leave it away"
        )
    if not catalog:
        if suite.endswith("/") and components:
            raise table.wrong("components", f"{suite!r} is a folder and takes no components")
        described = SourceDescription(name, address, suite, components, archs, settings)
    channel, mirror = table.text("channel"), table.text("mirror")
    if (channel or mirror) and not catalog:
        raise table.wrong("channel" if channel else "mirror", "that is for sources of a catalog")
    found = WantedSource(
        name, _when(table, kinds), Place(table.file, table.line), catalog, channel, mirror,
        described, _key(table), _keyring(table), _fingerprints(table),
        table.one_of("state", ("on", "off"), "on") == "on", table.texts("only"),
    )  # fmt: skip
    if (found.key or found.keyring) and catalog:
        raise table.wrong("key", "the catalog says the key itself", "leave it away")
    table.done()
    return found


def _fingerprints(table: TomlTable) -> tuple[str, ...]:
    found = tuple(re.sub(r"[\s:]", "", text).upper() for text in table.texts("fingerprints"))
    for text in found:
        if not _FINGERPRINT.match(text):
            raise table.wrong("fingerprints", f"{text!r} is no fingerprint", "all 40 characters")
    return found


def _key(table: TomlTable) -> bytes:
    """An armoured key, or a file beside the host file."""
    text, file = table.text("key", lines=True), table.text("key_file")
    if text and file:
        raise table.wrong("key_file", "the key is given twice", "key or key_file, not both")
    if text and not text.startswith(ARMOUR):
        raise table.wrong("key", "is no armoured key", 'key_file = "FILE" names a file beside this')
    if not file:
        return f"{text}\n".encode() if text else b""
    if file.startswith("/") or ".." in Path(file).parts:
        raise table.wrong("key_file", f"{file} is not beside this file", "a path below its folder")
    path = Path(table.file).parent / file
    doubt = why_writable(path)
    if doubt:
        raise table.wrong("key_file", f"{path}: {doubt}", "chmod go-w")
    try:
        return read_given(path, _LARGEST_KEY)
    except HostFileError as problem:
        raise table.wrong("key_file", problem.message) from problem


def _keyring(table: TomlTable) -> Keyring | None:
    """A key file that a package brings."""
    given = table.table("keyring")
    if given is None:
        return None
    package, file = given.text("package", needed=True), given.text("file", needed=True)
    if not file.startswith("/") or ".." in Path(file).parts:
        raise given.wrong("file", f"{file} is no whole path", "as the package brings it: /usr/...")
    if "key" in table or "key_file" in table:
        raise table.wrong("keyring", "the key is given twice", "keyring, key or key_file")
    if "fingerprints" not in table:
        raise table.wrong("keyring", "which of its keys?", 'fingerprints = ["..."]')
    given.done()
    return Keyring(package, file.lstrip("/"))


def _common_key(table: TomlTable, kinds: Collection[str]) -> WantedKey:
    name = table.text("name", needed=True)
    if not _HANDLE.match(name):
        raise table.wrong("name", f"{name!r} cannot be the name of a key")
    key, keyring = _key(table), _keyring(table)
    if not key and not keyring:
        raise table.wrong("", f"which key is {name}?", "key, key_file or keyring")
    place = Place(table.file, table.line)
    found = WantedKey(name, _when(table, kinds), place, key, keyring, _fingerprints(table))
    table.done()
    return found


def _rule(table: TomlTable, kinds: Collection[str]) -> WantedRule:
    says = table.text("says", needed=True)
    rule = read_rule(f"velpin {says}")
    if rule is None:
        raise table.wrong(
            "says", f"{says!r} is no rule", "as typed: prefer A --over B, confine A 'GLOB', ..."
        )
    found = WantedRule(rule, _when(table, kinds), Place(table.file, table.line))
    table.done()
    return found


def _expectation(table: TomlTable, kinds: Collection[str]) -> Expectation:
    package, source = table.text("package"), table.text("source")
    version, at_most = table.text("version"), table.text("at_most")
    absent, only = table.flag("absent"), table.texts("only")
    no_removals, days = table.flag("no_removals"), _days(table)
    whole = [bool(package), bool(source and not package), no_removals, bool(days)]
    if sum(whole) != 1:
        raise table.wrong(
            "", "expects nothing, or several things at once",
            "one of package, source with only, no_removals = true, indexes_within = \"7 days\"",
        )  # fmt: skip
    if (version or at_most or absent) and not package:
        raise table.wrong("", "of which package?", 'package = "NAME"')
    if package and not (source or version or at_most or absent):
        raise table.wrong("package", f"what of {package}?", "source, version, at_most or absent")
    if absent and (source or version or at_most):
        raise table.wrong("absent", f"{package} is absent and comes from somewhere")
    if only and (package or not source):
        raise table.wrong("only", "only goes with source, without package")
    if source and not package and not only:
        raise table.wrong("source", f"what of {source}?", 'only = ["GLOB"]')
    found = Expectation(
        _when(table, kinds), Place(table.file, table.line), package, source, version, absent,
        at_most, only, no_removals, days,
    )  # fmt: skip
    table.done()
    return found


def _days(table: TomlTable) -> int:
    text = table.text("indexes_within")
    found = _DAYS.match(text)
    if text and (found is None or found.group(1) == "0"):
        raise table.wrong("indexes_within", f"{text!r} is no time", 'indexes_within = "7 days"')
    return int(found.group(1)) if found else 0


def load_host_file(path: Path) -> HostFile:
    """Read a host file; HostFileError where it cannot be read or is not understood."""
    doubt = why_writable(path)
    if doubt:
        raise HostFileError(
            str(path), 0, f"{doubt}, and a host is made as it says", "chmod go-w, once you read it"
        )
    return read_host_file(read_given(path, _LARGEST), str(path), list(KIND_NAMES))
