"""What a wish says on one host, and what this kind of host can express of it."""

from __future__ import annotations

from collections.abc import Iterator

from velpin.errors import Refusal
from velpin.kinds.alpm.ignored import takes
from velpin.kinds.alpm.pool import Package
from velpin.kinds.alpm.relation import fits
from velpin.kinds.alpm.state import AlpmState
from velpin.model import Reason
from velpin.orders import check_says_something, order_of
from velpin.wish import Wish

ALL = "*"


def settled(host: AlpmState, wish: Wish) -> Wish:
    """A wish with its sources looked up; Refusal where it means nothing here."""
    for handle in (wish.source, *wish.over, *wish.under):
        if handle:
            host.source(handle)
    if wish.sections:
        raise Refusal(
            f"sources of a host of kind {host.kind} have no sections of their own",
            f"velpin bar '*' --from {wish.source}",
        )
    if wish.kind == "prefer":
        check_says_something(order_of(host.sources, wish))
        off = [one for one in (wish.source, *wish.over, *wish.under) if not _is_on(host, one)]
        if off:
            raise Refusal(
                f"{off[0]} is switched off, and has no place in the order then",
                f"velpin on {off[0]}",
            )
    if wish.kind == "keep":
        for name in wish.names:
            if not any(one.installed for one in packages_meant(host, name)):
                raise Refusal(
                    f"{name} is not installed: there is nothing to keep",
                    "what comes is decided by the order of sources: velpin prefer",
                )
    return wish


def _is_on(host: AlpmState, handle: str) -> bool:
    return not handle or host.source(handle).on


def names_meant(host: AlpmState, text: str, handle: str = "") -> list[str]:
    """Names that a name or glob means, of one source or of all."""
    if handle:
        index = host.index(host.source(handle))
        names = set(index.names()) if index else set()
    else:
        names = {one for _, index in host.indexes for one in index.names()}
        names.update(host.installed_names())
    return sorted(one for one in names if takes(text, one))


def packages_meant(host: AlpmState, text: str, handle: str = "") -> Iterator[Package]:
    """Packages that a name or glob means."""
    for name in names_meant(host, text, handle):
        for one in host.pool.all_named(name):
            if not handle or one.origin.handle == handle:
                yield one


def version_is(wish: Wish, version: str) -> bool:
    """Whether a version is what a wish names; any where it names none."""
    if not wish.version:
        return True
    for operator in (">=", "<=", "==", ">", "<"):
        if wish.version.startswith(operator):
            return fits(version, operator, wish.version.removeprefix(operator).strip())
    return takes(wish.version, version) or fits(version, "=", wish.version)


def findings(host: AlpmState, wish: Wish) -> list[Reason]:
    """What speaks against a wish: it names what is not there."""
    of = wish.source if wish.kind == "bar" else ""
    return [
        Reason("no-name-there" if of else "no-such-name", {"name": name, "source": of})
        for name in wish.names
        if not names_meant(host, name, of)
    ]
