"""Sources of an alpm host as a file describes them, and back."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from velpin.change.plan import NewSource
from velpin.change.snippets import check_settings
from velpin.files.text import bare
from velpin.files.tree import Edits
from velpin.kinds.alpm.add import with_keys
from velpin.kinds.alpm.config import OF_SOURCES
from velpin.kinds.alpm.edit import ADDED, Text
from velpin.kinds.alpm.state import AlpmState
from velpin.kinds.alpm.trust import ring
from velpin.model.hostfile import SourceDescription
from velpin.model.safe_text import without_passwords
from velpin.model.source import Source
from velpin.ports.describer import Describer
from velpin.trust.openpgp import Key

_RING = "ring"
_KNOWN = frozenset(key.lower() for key in OF_SOURCES if key != "Include")


class AlpmDescriber(Describer):
    """Sources of an alpm host in a file."""

    def __init__(self, state: AlpmState) -> None:
        self._state = state

    def describe(self, source: Source) -> SourceDescription:
        """A source as its section says, included lines too, each where it stands."""
        source = self._state.configuration.by_handle[source.handle]
        sections = (
            self._state.configuration.config.sections
            if source.on
            else self._state.configuration.config.off
        )
        settings = [
            f"{directive.key} = {without_passwords(directive.text or '')}"
            for section in sections
            if section.name == source.handle
            for directive in section.directives
            if directive.key != "Include"
        ]
        return SourceDescription(source.handle, "", settings=tuple(settings))

    def from_description(self, told: SourceDescription) -> NewSource:
        """The source as a section; UsageError for a setting that no section of a source has."""
        check_settings(told.settings, _KNOWN)
        servers = [f"Server = {told.address}"] if told.address else []
        lines = [f"[{told.handle}]", *servers, *told.settings]
        return NewSource(
            handle=told.handle, snippet="\n".join(lines) + "\n", snippet_name="the description"
        )

    def is_own(self, source: Source) -> bool:
        """Whether the comment of Velpin's stands above its section."""
        source = self._state.configuration.by_handle[source.handle]
        text = Text(self._state.tree, source.file)
        line = source.places[0].line - 2
        return 0 <= line < len(text.lines) and bare(text.lines[line]).strip() == ADDED

    def common_keys(self) -> list[tuple[str, list[Key]]]:
        """The ring's, where sources are checked."""
        checked = any(
            source.on and (source.level.of_index, source.level.of_packages) != ("never", "never")
            for source in self._state.configuration.sources
        )
        keys = ring(self._state).keys
        return [(_RING, keys)] if checked and keys else []

    def all_common_keys(self) -> list[Key]:
        """All of the ring."""
        return ring(self._state).keys

    def with_common_keys(self, name: str, keys: Sequence[Key]) -> Edits:
        """Keys taken into the ring."""
        return dict(with_keys(self._state, keys))

    def catalog_fields(self, source: Source) -> Mapping[str, object]:
        """What its index is called."""
        return {"index": source.handle}
