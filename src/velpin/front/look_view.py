"""How a look at a repository is shown that is no source of the host."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.front.screen import Piece, Screen, signed
from velpin.front.views import show_offers
from velpin.front.words import several
from velpin.model.dates import day
from velpin.model.safe_text import grouped
from velpin.model.shell import as_typed

if TYPE_CHECKING:
    from collections.abc import Sequence

    from velpin.model.looks import IndexSignature, Look


def show_look(screen: Screen, look: Look, glob: str) -> None:
    """What is there, who signs it, and the offers that fit a glob."""
    screen.line((look.address, "answer"))
    for name, pieces in _facts(look):
        screen.line(f"{name:16}", *pieces)
    screen.gap()
    if look.offers:
        show_offers(screen, look.offers, names=True)
    elif look.packages:
        screen.line(f"nothing in it is called {glob}")
    screen.gap()
    is_default = look.is_for_host or len(look.releases) < 2
    suite = [] if is_default else ["--suite", look.release]
    add = as_typed(["velpin", "add", look.address, *suite])
    screen.line(("nothing was kept; to add it: ", "quiet"), (add, "command"))


def _facts(look: Look) -> list[tuple[str, list[Piece]]]:
    found: list[tuple[str, list[Piece]]] = []
    if look.release:
        own = {True: ", this host's own", False: ", not this host's own", None: ""}
        also = _also([each for each in look.releases if each != look.release])
        found.append(("release", [f"{look.release}{own[look.is_for_host]}{also}"]))
    if look.all_components or look.components:
        also = _also([each for each in look.all_components if each not in look.components])
        found.append(("components", [f"{', '.join(look.components)}{also}"]))
    if look.architectures:
        found.append(("architectures", [", ".join(look.architectures)]))
    packages: Piece = f"{several(look.packages, 'package')} for this host"
    if not look.packages:
        packages = signed("none for this host", "warn")
    found.append(("packages", [packages]))
    if look.made is not None:
        found.append(("index made", [day(look.made)]))
    if look.oldest is not None and look.newest is not None:
        found.append(("packages built", [f"from {day(look.oldest)} to {day(look.newest)}"]))
    found.append(("signed by", [_signature(look.signature)]))
    return found


def _also(others: Sequence[str]) -> str:
    return f"; it also has {', '.join(others)}" if others else ""


def _signature(signature: IndexSignature) -> Piece:
    if signature.state == "known":
        keys = zip(signature.keys, signature.owners, strict=True)
        told = "; ".join(f"{owner or 'a key of this host'} ({grouped(key)})" for key, owner in keys)
        return signed(told, "good")
    if signature.state == "unknown":
        return signed(f"{', '.join(signature.keys)} (unverified; no key of this host)", "warn")
    if signature.state == "bad":
        return signed("a signature that does not hold", "bad")
    return signed("nobody: the index has no signature", "warn")
