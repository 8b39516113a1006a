"""Requests that want an installed package to go: what comes of each on every kind of host."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from tests.harbours import DEB, AlpmHarbour, DebHarbour, Item, RpmHarbour, harbour_of


class Row(NamedTuple):
    """A host, and what `gull` without `lamp` gives there; None if it is refused."""

    title: str
    offered: tuple[Item, ...]
    installed: tuple[Item, ...]
    gives: dict[str, str] | None
    on_alpm: dict[str, str] | str | None = "alike"
    """There the package goes first, in a transaction of its own."""
    on_deb: dict[str, str] | str | None = "alike"
    """There what needs the package goes with it."""
    on_newer_deb: dict[str, str] | str | None = "alike"

    def wanted(self, kind: str, *, newer: bool = False) -> dict[str, str] | None:
        """What a kind of host makes of it."""
        own = {"alpm": self.on_alpm, DEB: self.on_deb}.get(kind, "alike")
        if newer and kind == DEB and not isinstance(self.on_newer_deb, str):
            own = self.on_newer_deb
        return self.gives if isinstance(own, str) else own

    def harbour(self, kind: str, folder: Path) -> DebHarbour | RpmHarbour | AlpmHarbour:
        """The host, its indexes fetched."""
        harbour = harbour_of(kind, folder)
        harbour.source("one", *(item.on(kind) for item in self.offered))
        harbour.installed(*(item.on(kind) for item in self.installed))
        return harbour.refresh()


LAMP = Item("lamp", "1")
LIT = Item("lamp", "1", gives="light")
RIVAL = Item("gull", "1", against="lamp")
DONE = {"gull": "1", "lamp": ""}
ROWS = (
    Row("what is in the way goes", (RIVAL,), (LAMP,), DONE),
    Row("what is not in the way goes too", (Item("gull", "1"),), (LAMP,), DONE),
    Row("what needs it stands in the way", (RIVAL,), (LAMP, Item("dep", "1", needs="lamp")), None,
        on_deb={**DONE, "dep": ""}),
    Row("what needs it is met by what comes", (RIVAL._replace(gives="light"),),
        (LIT, Item("dep", "1", needs="light")), DONE, on_alpm=None),
    Row("what needs it is met by something else installed", (RIVAL,),
        (LIT, Item("wick", "1", gives="light"), Item("dep", "1", needs="light")), DONE),
    Row("what needs it has a newer version that does not", (RIVAL, Item("dep", "2")),
        (LAMP, Item("dep", "1", needs="lamp")), {**DONE, "dep": "2"}, on_alpm=None),
    Row("another provider comes", (RIVAL, Item("lantern", "1", gives="light")),
        (LIT, Item("dep", "1", needs="light")), {**DONE, "lantern": "1"}, on_alpm=None,
        on_deb={**DONE, "dep": ""}, on_newer_deb={**DONE, "lantern": "1"}),
    Row("a newer version of it does not come", (Item("gull", "1"), Item("lamp", "2")), (LAMP,), DONE),
    Row("what comes needs it", (Item("gull", "1", needs="lamp"), LAMP), (LAMP,), None),
    Row("it is not installed", (Item("gull", "1"), LAMP), (), {"gull": "1"}),
    Row("what it needed stays", (RIVAL,), (LAMP._replace(needs="oil"), Item("oil", "1")), DONE),
    Row("what comes recommends it", (Item("gull", "1", recommends="lamp"), LAMP), (LAMP,), DONE),
)  # fmt: skip
