"""Which key of a deb host may sign for which source."""

from __future__ import annotations

from velpin.kinds.deb.state import DebState
from velpin.kinds.deb.trust import WEAKENING, weakens
from velpin.model.host import KeyUse
from velpin.model.reason import Fact, Reason
from velpin.model.source import Source
from velpin.ports.signers import Signers
from velpin.trust.named import use_of
from velpin.trust.openpgp import Key


class DebSigners(Signers):
    """Who may sign what on a deb host."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    def uses(self) -> list[KeyUse]:
        """Every named key once for each place it stands in; those that sign for all come last."""
        uses: dict[tuple[str, str], tuple[Key, list[str]]] = {}
        by_all: list[str] = []
        for source in self._state.sources:
            named = self._state.keys_for(source)
            if named.how in ("common", "none"):
                if named.how == "common":
                    by_all.append(source.handle)
                continue
            for key in named.keys:
                uses.setdefault((key.fingerprint, key.where), (key, []))[1].append(source.handle)
        found = [use_of(key, handles) for key, handles in uses.values()]
        return found + [
            use_of(key, by_all, everything=True) for key in self._state.keys_for_all([])
        ]

    def problems(self) -> list[str]:
        """Keys that are named and cannot be used, and why."""
        problems: list[str] = []
        self._state.keys_for_all(problems)
        for source in self._state.sources:
            problems += self._state.keys_for(source).problems
        return list(dict.fromkeys(problems))

    def checks_off(self, source: Source) -> list[Reason]:
        """What a source's own options keep from being checked."""
        source = self._state.source(source.handle)
        facts: dict[str, Fact] = {"source": source.handle}
        said = {name: value for entry in source.entries for name, value in entry.options.items()}
        found = [
            Reason(code, {**facts, "setting": f"{name}={said[name]}"})
            for name, (_, code) in WEAKENING.items()
            if name in said and weakens(name, said[name])
        ]
        unsigned = source.trusted or source.switch("allow-insecure", False)
        if unsigned and source.address.startswith(("http:", "ftp:")):
            found.append(Reason("plain-way", dict(facts)))
        return found
