"""A host written into a file: its sources, their keys, the rules that Velpin wrote, what is off.

People read that file and keep it under version control, so a keyring that a package of the
distribution brings is named, and other keys may lie in files beside it.
"""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING, Any

from velpin.core.hostfile.format import VERSION
from velpin.core.hostfile.writing import table_text
from velpin.core.publishers import home_of, publishers
from velpin.model.hostfile import ExportedHost, KeysIn
from velpin.model.rule import short_of
from velpin.trust.openpgp import armoured

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence

    from velpin.model.source import Source
    from velpin.ports.bundle import Ports
    from velpin.trust.openpgp import Key

_KEY_FOLDER = "keys"
"""The folder beside a host file that its keys lie in."""


def export(ports: Ports, keys: KeysIn = "named") -> ExportedHost:
    """Return the host as a file; what it cannot hold is told in comments at its head."""
    work = _Export(ports, keys)
    tables = [
        ("key", {"name": name, "when": work.when, **work.key_fields(name, found)})
        for name, found in ports.describer.common_keys()
    ]
    tables += [("source", work.source(source)) for source in ports.configuration.sources]
    rules = dict.fromkeys(rule.rule for rule in ports.rules.in_force() if rule.rule)
    tables += [("rule", {"says": short_of(rule), "when": work.when}) for rule in rules]
    head = "".join(f"# {line}\n" for line in _left_out(ports)) + f"velpin-host = {VERSION}\n"
    text = head + "".join(table_text(name, fields) for name, fields in tables)
    return ExportedHost(text, work.key_files)


class _Export:
    """A host that is being written, and the key files so far."""

    def __init__(self, ports: Ports, keys: KeysIn) -> None:
        self._ports, self._keys = ports, keys
        self.key_files: dict[str, bytes] = {}
        self.when: dict[str, Any] = {"kind": ports.kind}
        if ports.configuration.release.get("ID"):  # its words are this kind's own
            self.when["host"] = ports.configuration.release["ID"]

    def source(self, source: Source) -> dict[str, Any]:
        """A source as it is described, with its keys."""
        told = self._ports.describer.describe(source)
        found: dict[str, Any] = {"name": told.handle, "when": self.when}
        if told.address:
            found["address"] = told.address
        for name, value in (
            ("suite", told.suite), ("components", list(told.components)),
            ("architectures", list(told.archs)), ("settings", list(told.settings)),
        ):  # fmt: skip
            if value:
                found[name] = value
        if not source.on:
            found["state"] = "off"
        named = self._ports.signers.keys_of(source)
        keys = [key for key in named.keys if key.fingerprint in named.own]
        if keys:
            signed = self._ports.signers.index_signers(source)
            found.update(self.key_fields(told.handle, keys, signed))
        return found

    def key_fields(
        self, name: str, keys: Sequence[Key], signed: Collection[str] = ()
    ) -> dict[str, Any]:
        """The fields of a table that tell some keys; `signed` are those that were seen to sign."""
        prints = [key.fingerprint for key in keys]
        files = list(dict.fromkeys(key.where.lstrip("/") for key in keys))
        if self._keys != "inside" and len(files) == 1:
            package = self._brought_by(files[0])
            if package:
                seen = [each for each in prints if each in signed]
                keyring = {"package": package, "file": f"/{files[0]}"}
                return {"keyring": keyring, "fingerprints": seen or prints}
        if self._keys != "beside":
            return {"fingerprints": prints, "key": armoured(keys).decode()}
        return {"fingerprints": prints, "key_file": self._beside(name, armoured(keys))}

    def _beside(self, name: str, data: bytes) -> str:
        """The file that has some keys, each set once."""
        for file, known in self.key_files.items():
            if known == data:
                return file
        file = f"{_KEY_FOLDER}/{name.replace(':', '-')}.asc"
        if file in self.key_files:
            file = f"{_KEY_FOLDER}/{name.replace(':', '-')}-{len(self.key_files)}.asc"
        self.key_files[file] = data
        return file

    def _brought_by(self, file: str) -> str:
        """The package of the distribution that brings a file; empty if none does. One of a vendor
        would come from the very source that the file is needed for."""
        package, native = self._ports.packages.owner_of(file), self._ports.configuration.native
        there = self._ports.offers.versions_of(package, native) if package else ()
        return package if any(source in self._home for _, source, _ in there) else ""

    @cached_property
    def _home(self) -> set[str]:
        """The sources of the publisher that most installed packages come from."""
        known = publishers(self._ports)
        home = home_of(known, self._ports.packages.installed())
        return {handle for handle, publisher in known.items() if publisher == home}


def _left_out(ports: Ports) -> Sequence[str]:
    """Passwords; and rules of others: they are not said in Velpin's words; those in the entry of a
    source are among its settings."""
    entries = {place.file for source in ports.configuration.sources for place in source.places}
    found = [
        f"not written down: the rule at {rule.place}, which velpin did not write"
        for rule in ports.rules.in_force()
        if rule.rule is None and rule.dead is None
        and rule.place.file.startswith("etc/") and rule.place.file not in entries
    ]  # fmt: skip
    logins = sorted(set(ports.examiner.login_files()))
    found += [f"not written down: the passwords in {file}" for file in logins]
    return list(dict.fromkeys(found))
