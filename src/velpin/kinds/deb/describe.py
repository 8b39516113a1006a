"""Sources of a deb host as a file describes them, and back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from velpin.change.plan import NewSource
from velpin.change.snippets import check_settings
from velpin.files.tree import Edits
from velpin.kinds.deb.files import read_and_skipped
from velpin.kinds.deb.keyring import DebSigners
from velpin.kinds.deb.sources import ADDED, OPTIONS
from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.trust import COMMON_FOLDER
from velpin.model.hostfile import SourceDescription
from velpin.model.safe_text import bare_address
from velpin.model.source import Source
from velpin.ports.describer import Describer
from velpin.trust.openpgp import Key, armoured, key_with, read_keys

_SAID_APART = ("signed-by", "arch", "architectures")
_KNOWN = frozenset((*OPTIONS, *OPTIONS.values()))
_FIELDS = {option: name for name, option in OPTIONS.items()}


class DebDescriber(Describer):
    """Sources of a deb host in a file."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def describe(self, source: Source) -> SourceDescription:
        """A source as its entries say; settings are options in the one-line form's words."""
        source = self._state.configuration.by_handle[source.handle]
        options: dict[str, str] = {}
        archs: dict[str, None] = {}
        for entry in source.entries:
            options.update({k: v for k, v in entry.options.items() if k not in _SAID_APART})
            archs.update(dict.fromkeys(filter(None, entry.options.get("arch", "").split(","))))
        return SourceDescription(
            source.handle, bare_address(source.address), source.release, source.components,
            tuple(archs), tuple(f"{key} = {value}" for key, value in sorted(options.items())),
        )  # fmt: skip

    def from_description(self, told: SourceDescription) -> NewSource:
        """The source as a stanza; UsageError for a setting that is none of its fields."""
        check_settings(told.settings, _KNOWN, _SAID_APART)
        lines = ["Types: deb", f"URIs: {told.address}", f"Suites: {told.suite}"]
        if told.components:
            lines.append(f"Components: {' '.join(told.components)}")
        if told.archs:
            lines.append(f"Architectures: {' '.join(told.archs)}")
        for setting in told.settings:
            key, _, value = (part.strip() for part in setting.partition("="))
            name = _FIELDS.get(key.lower(), key)
            lines.append(f"{'-'.join(word.capitalize() for word in name.split('-'))}: {value}")
        return NewSource(
            handle=told.handle, snippet="\n".join(lines) + "\n", snippet_name="the description"
        )

    def is_own(self, source: Source) -> bool:
        """Whether its file is one of Velpin's own."""
        source = self._state.configuration.by_handle[source.handle]
        data = self._state.tree.read(source.places[0].file) or b""
        return data.startswith(ADDED.encode())

    def common_keys(self) -> list[tuple[str, list[Key]]]:
        """Files of the common folder with a key that signed a source which names none."""
        named = DebSigners(self._state)
        signers = {
            signer
            for source in self._state.configuration.sources
            if self._state.keys.of(source).how == "common"
            for signer in named.index_signers(source)
        }
        found = []
        for file, keys in _common_files(self._state):
            if any(key_with(keys, signer) for signer in signers):
                found.append((file.rpartition("/")[2].rpartition(".")[0], keys))
        return found

    def all_common_keys(self) -> list[Key]:
        """Those of the common folder and the old common file."""
        return self._state.keys.for_all([])

    def with_common_keys(self, name: str, keys: Sequence[Key]) -> Edits:
        """A file of the common folder."""
        file = f"{COMMON_FOLDER}/{name}.asc"
        if self._state.tree.exists(file):
            file = f"{COMMON_FOLDER}/{name}-velpin.asc"
        return {file: armoured(keys)}

    def catalog_fields(self, source: Source) -> Mapping[str, object]:
        """Its suite and components."""
        found: dict[str, object] = {"suite": source.release}
        return {**found, "components": list(source.components)} if source.components else found


def _common_files(state: DebState) -> list[tuple[str, list[Key]]]:
    read, _ = read_and_skipped(state.tree, COMMON_FOLDER, ("gpg", "asc"), bare=False)
    return [(file, read_keys(data, file)) for file in read if (data := state.tree.read(file))]
