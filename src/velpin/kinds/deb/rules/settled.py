"""What a wish says on one host: its sources by handle, and what it names that is not there."""

from __future__ import annotations

from velpin.errors import Refusal, UsageError
from velpin.kinds.deb.offers import find_source
from velpin.kinds.deb.requests import No, decide
from velpin.kinds.deb.rules.meaning import (
    fast_sections,
    fits,
    handles_meant,
    is_meant,
    names_meant,
    packages_meant,
    sources_meant,
    split_name,
    unfinished_names,
)
from velpin.kinds.deb.rules.numbers import order_of
from velpin.kinds.deb.state import DebState
from velpin.model import Reason
from velpin.request import parse_request
from velpin.wish import Wish, command_of

_BOUNDS = ("<", ">", "=")


def settled(host: DebState, wish: Wish) -> Wish:
    """A wish with its sources by their handles; Refusal where it means nothing here."""
    if any(mark in wish.version[:2] for mark in _BOUNDS):
        raise Refusal(
            f"the host cannot pin {wish.names[0]} by a bound ({wish.version}): a record names"
            " one version, or a glob",
            _nearest_version(host, wish),
        )
    handles_meant(host, [*wish.over, *wish.under])
    if wish.source and wish.kind == "pin":
        wish = wish._replace(source=find_source(host, wish.source).handle)
    elif wish.source:
        found = sources_meant(host, wish.source)
        wish = wish._replace(source=found[0].handle if len(found) == 1 else wish.source)
    if wish.kind == "prefer" and not (wish.over or wish.under or wish.over_all):
        raise UsageError(
            f"prefer {wish.source} over what?",
            f"velpin prefer {wish.source} --over SOURCE, --over-all, or --under SOURCE",
        )
    if wish.kind == "prefer" and not any(order_of(host, wish).pairs()):
        raise Refusal(
            f"{command_of(wish)}: that names no source but {wish.source} itself",
            "velpin sources lists those of this host",
        )
    if wish.kind == "keep":
        _refuse_not_installed(host, wish)
    return wish


def _nearest_version(host: DebState, wish: Wish) -> str:
    """The pin of the best version within a bound."""
    package = next(packages_meant(host, wish._replace(version="")), None)
    if package is None:
        return "no source has that package"
    request = parse_request(f"{package.name}@{wish.version}", host.knows, wish.source)
    try:
        chosen = decide(host, request, package).chosen
    except No:
        return "no source has such a version"
    return f"the nearest: {command_of(wish._replace(version=chosen.text))}"


def _refuse_not_installed(host: DebState, wish: Wish) -> None:
    for name in wish.names:
        one = wish._replace(names=(name,))
        if not any(package.installed for package in packages_meant(host, one)):
            raise Refusal(
                f"{name} is not installed: there is nothing to keep",
                f"for a version that is wanted later: velpin pin {split_name(name)[0]}@VERSION",
            )


def findings(host: DebState, wish: Wish) -> list[Reason]:
    """What speaks against a wish: it names what is not there."""
    found = []
    handles = handles_meant(host, [wish.source]) if wish.source else []
    for name in wish.names:
        of = handles[0] if len(handles) == 1 and wish.kind != "keep" else ""
        if not names_meant(host, [name], of=of):
            code = "no-name-there" if of else "no-such-name"
            found.append(Reason(code, {"name": name, "source": of}))
        elif wish.version and not _has_version(host, wish._replace(names=(name,))):
            facts = {"name": name, "version": wish.version, "source": wish.source}
            found.append(Reason("no-such-version", facts))
    if wish.pre_releases and not _has_unfinished(host, wish):
        found.append(Reason("nothing-unfinished", {"source": wish.source}))
    return found


def _has_version(host: DebState, wish: Wish) -> bool:
    return any(
        fits(wish, version)
        for package in packages_meant(host, wish)
        for version in package.versions
    )


def _has_unfinished(host: DebState, wish: Wish) -> bool:
    return any(
        fast_sections(host, source) or unfinished(host, wish, source.handle)
        for source in sources_meant(host, wish.source)
    )


def unfinished(host: DebState, wish: Wish, handle: str) -> list[str]:
    """Names that a wish means, of which a source has versions that are not final."""
    found = unfinished_names(host, handle)
    return sorted(name for name in found if not wish.names or is_meant(wish.names, name))
