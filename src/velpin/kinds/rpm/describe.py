"""Sources of an rpm host as a file describes them, and back."""

from __future__ import annotations

from collections.abc import Mapping

from velpin.change.plan import NewSource
from velpin.change.snippets import check_settings
from velpin.kinds.rpm.edit import ADDED
from velpin.kinds.rpm.rules.store import recorded_rules
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.model.hostfile import SourceDescription
from velpin.model.safe_text import without_logins
from velpin.model.source import Source
from velpin.ports.describer import Describer

_SAID_APART = ("baseurl", "enabled", "name")
_PASSWORDS = ("password", "proxy_password")
_KEY = "gpgkey"


class RpmDescriber(Describer):
    """Sources of an rpm host in a file."""

    def __init__(self, state: RpmState) -> None:
        self._state = state

    def describe(self, source: Source) -> SourceDescription:
        """A source as its section says; what rules of Velpin's say in it is left to these, and so
        are keys in files of the host."""
        source = self._state.configuration.by_handle[source.handle]
        of_rules = set(self._state.rule_files.keys) if _has_rule(self._state, source) else set()
        settings = []
        for value in source.section.values:
            counts = source.section.find(value.key) is value
            if not counts or value.key in _SAID_APART or value.key in of_rules:
                continue
            if value.key in _PASSWORDS:
                continue  # a file that is shown and kept in version control is no place for them
            text = " ".join(value.text.split())
            if value.key == _KEY:
                text = " ".join(
                    word for word in text.split() if not word.startswith(("file:", "/"))
                )
            if text:
                settings.append(f"{value.key} = {without_logins(text)}")
        address = " ".join(source.section.get("baseurl").split())
        return SourceDescription(source.handle, address, settings=tuple(settings))

    def from_description(self, told: SourceDescription) -> NewSource:
        """The source as a section; UsageError for a setting that is said in words of its own."""
        check_settings(told.settings, None, _SAID_APART)
        lines = [f"[{told.handle}]", f"name={told.handle}"]
        if told.address:
            lines.append(f"baseurl={told.address}")
        lines.append("enabled=1")
        for setting in told.settings:
            key, _, value = (part.strip() for part in setting.partition("="))
            lines.append(f"{key}={value}")
        return NewSource(
            handle=told.handle, snippet="\n".join(lines) + "\n", snippet_name="the description"
        )

    def is_own(self, source: Source) -> bool:
        """Whether its file is one of Velpin's own."""
        source = self._state.configuration.by_handle[source.handle]
        return (self._state.tree.read(source.file) or b"").startswith(ADDED.encode())

    def is_described_so(self, source: Source, told: SourceDescription) -> bool:
        """Whether a section says the same; where its key comes from is another question."""
        mine, theirs = map(without_key_address, (self.describe(source), told))
        return mine.essence._replace(handle="") == theirs.essence._replace(handle="")

    def catalog_fields(self, source: Source) -> Mapping[str, object]:
        """Whether its index is signed."""
        return (
            {"signed_index": True}
            if self._state.configuration.by_handle[source.handle].signed_index
            else {}
        )


def without_key_address(told: SourceDescription) -> SourceDescription:
    """A description without the addresses of keys: a key that was fetched from one is in a file."""
    kept = tuple(each for each in told.settings if each.partition("=")[0].strip() != _KEY)
    return told._replace(settings=kept)


def _has_rule(state: RpmState, source: RpmSource) -> bool:
    first, last = source.section.line, max(source.section.last, source.section.line)
    return any(
        recorded.place.file == source.file and first <= recorded.place.line <= last
        for recorded in recorded_rules(state)
    )
