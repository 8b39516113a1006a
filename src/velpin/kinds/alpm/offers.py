"""Offers of a name on an alpm host, with what the choice makes of each."""

from __future__ import annotations

from velpin.kinds.alpm.pool import AlpmPackage
from velpin.kinds.alpm.state import AlpmState
from velpin.model.forecast import Offer, OfferState


def live_offers(host: AlpmState, name: str) -> list[Offer]:
    """Every offer of a name, and what is installed where no source has that."""
    chosen = host.choice_of(name)
    here = host.pool.installed(name)
    shown = host.pool.offered(name)
    if here is not None and host.offered_as(here) is None:
        shown.append(here)
    return [_offer(host, package, chosen) for package in shown]


def _offer(host: AlpmState, package: AlpmPackage, chosen: AlpmPackage | None) -> Offer:
    state: OfferState = "passed over"
    if package is chosen:
        state = "chosen"
    elif chosen is not None and (package.name, package.version) == (chosen.name, chosen.version):
        state = "candidate"
    source = package.origin.source
    here = host.pool.installed(package.name)
    return Offer(
        package.name, package.arch, package.version, package.origin.handle, "",
        host.base_of(source) if source else "", package.row.summary, package.origin.rank, state,
        here is not None and here.version == package.version,
    )  # fmt: skip
