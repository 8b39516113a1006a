"""What the installer of a deb host asks before it carries requests out: hosts and answers."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from tests.harbours import DEB, DebHarbour, Item
from velpin.demo.signer import Signer

Installed = Item | dict[str, str]
ESSENTIAL, HELD, OLDER = (
    "--allow-remove-essential", "--allow-change-held-packages", "--allow-downgrades",
)  # fmt: skip
UNVERIFIED = "--allow-unauthenticated"


class Row(NamedTuple):
    """A host, a request, whether the installer asks about it, and what it wants options for."""

    title: str
    request: str
    asks: bool
    wants: tuple[str, ...] = ()
    """Options without which it stops when it runs unattended."""
    installed: tuple[Installed, ...] = ()
    options: str = ""
    """Of the source; one that is trusted unsigned if empty."""
    signed: bool = False
    settings: str = ""

    def harbour(self, folder: Path, signer: Signer) -> DebHarbour:
        """The host, its indexes not fetched yet."""
        harbour = DebHarbour(folder)
        offers = [item.on(DEB) for item in OFFERED]
        if self.signed:
            harbour.put("etc/apt/trusted.gpg.d/one.asc", signer.public)
        options = dict(pair.split("=") for pair in self.options.split())
        harbour.source_at(
            "one", harbour.repository("one", *offers, signer=signer if self.signed else None),
            **(options or {"arch": "amd64"} if self.signed else options),
        )  # fmt: skip
        harbour.put("etc/apt/apt.conf.d/90asked", self.settings)
        installed = (*self.installed, marked("base"))
        harbour.installed(*(i.on(DEB) if isinstance(i, Item) else i for i in installed))
        return harbour


def marked(name: str, status: str = "install ok installed", **fields: str) -> dict[str, str]:
    """An installed package in version 1-1 with some fields."""
    return {"Package": name, "Version": "1-1", "Architecture": "amd64", "Status": status, **fields}


GULL, LAMP, TERN, OIL = (Item(name, "1") for name in ("gull", "lamp", "tern", "oil"))
OFFERED = (
    GULL, LAMP, TERN, OIL, Item("auk", "1", needs="oil"), Item("auks", "1"),
    Item("knot", "1", against="lamp"), Item("skua", "1", gives="bird"),
    Item("pier", "1", recommends="oil"), Item("lamp", "3"),
)  # fmt: skip
HOLD = marked("lamp", "hold ok installed")
ROWS = (
    Row("one named package comes alone", "gull", False),
    Row("two named packages come alone", "gull tern", False),
    Row("a provider comes alone for what it provides", "bird", False),
    Row("the packages of a pattern come alone", "^auks", False),
    Row("an upgrade of what was named", "lamp", False, installed=(LAMP,)),
    Row("something else comes along", "auk", True),
    Row("a recommended package comes along", "pier", True),
    Row("what comes along was named too", "auk oil", False),
    Row("of two, one brings something", "auk gull", True),
    Row("named twice is named once", "auk auk", True),
    Row("as many as were named, though one of them stays", "auk gull", False, installed=(GULL,)),
    Row("fewer than were named", "tern gull", True, installed=(GULL,)),
    Row("something goes", "knot", True, installed=(LAMP,)),
    Row("something is asked to go", "gull lamp-", True, installed=(LAMP,)),
    Row("what is asked to go is not there", "gull tern-", False),
    Row("an older version", "lamp=1-1", True, (OLDER,), (Item("lamp", "2"),)),
    Row("the same version", "lamp=1-1", False, (), (LAMP,)),
    Row("a held package changes", "lamp", True, (HELD,), (HOLD,)),
    Row("a held package goes", "lamp-", True, (HELD,), (HOLD,)),
    Row("a held package stays", "gull", False, (), (HOLD,)),
    Row("an essential package goes", "wick-", True, (ESSENTIAL,), (marked("wick", Essential="yes"),)),
    Row("a protected one goes", "wick-", True, (ESSENTIAL,), (marked("wick", Protected="yes"),)),
    Row("an important one goes", "wick-", True, (ESSENTIAL,), (marked("wick", Important="yes"),)),
    Row("one of a high priority goes", "wick-", True, (), (marked("wick", Priority="required"),)),
    Row("an essential one stays", "gull", False, (), (marked("wick", Essential="yes"),)),
    Row("all of them", "wick- gull=1-1 lamp", True, (ESSENTIAL, OLDER, HELD),
        (marked("wick", Essential="yes"), Item("gull", "2"), HOLD)),
    Row("an index nobody signed", "gull", True, (UNVERIFIED,), options="allow_insecure=yes"),
    Row("an index nobody signed, and more comes", "auk", True, (UNVERIFIED,),
        options="allow_insecure=yes"),
    Row("a signed index", "gull", False, (), signed=True),
    Row("a signed index that is not to be trusted", "gull", True, (UNVERIFIED,), signed=True,
        options="trusted=no"),
    Row("settings that say yes", "auk", False, settings='APT::Get::Assume-Yes "true";\n'),
    Row("settings that allow it", "lamp=1-1", True, (), (Item("lamp", "2"),),
        settings='APT::Get::allow-downgrades "true";\n'),
)  # fmt: skip
