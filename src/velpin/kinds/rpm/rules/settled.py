"""What a wish says on one host: its sources by handle, and what it names that is not there."""

from __future__ import annotations

from collections.abc import Iterator

from velpin.errors import Refusal
from velpin.kinds.rpm.asked import bound_fits, version_fits
from velpin.kinds.rpm.pattern import compiled, is_glob
from velpin.kinds.rpm.pool import Build
from velpin.kinds.rpm.state import RpmState
from velpin.model import Reason
from velpin.orders import check_says_something, order_of
from velpin.wish import Wish

_BOUNDS = (">=", "<=", "==", ">", "<")


def settled(host: RpmState, wish: Wish) -> Wish:
    """A wish with its sources looked up; Refusal where it means nothing here."""
    for handle in (wish.source, *wish.over, *wish.under):
        if handle:
            host.source(handle)
    if wish.sections:
        raise Refusal(
            f"sources of a host of kind {host.kind} have no sections",
            f"velpin bar NAME... --from {wish.source}",
        )
    if wish.kind == "prefer":
        check_says_something(order_of(host.sources, wish))
    if wish.kind == "keep":
        for name in wish.names:
            if not any(one.installed for one in builds_meant(host, name)):
                raise Refusal(
                    f"{name} is not installed: there is nothing to keep",
                    f"for a version that is wanted later: velpin pin {name}@VERSION",
                )
    host.check_wish(wish)
    return wish


def split_name(text: str) -> tuple[str, str]:
    """A name or glob and the architecture behind its colon."""
    name, _, arch = text.rpartition(":")
    return (name, arch) if name else (text, "")


def names_meant(host: RpmState, text: str, handle: str = "") -> list[str]:
    """Names that a name or glob means, of one source or of all."""
    name, _ = split_name(text)
    if handle:
        index = host.index(host.source(handle))
        names = set(index.names()) if index else set()
    else:
        names = {one for origin in host.pool.origins for one in origin.index.names()}
    if not is_glob(name):
        return [name] if name in names else []
    return sorted(one for one in names if compiled(name).match(one))


def builds_meant(host: RpmState, text: str, handle: str = "") -> Iterator[Build]:
    """Builds that a name or glob means, hidden ones too."""
    _, arch = split_name(text)
    for name in names_meant(host, text, handle):
        for build in host.pool.all_named(name):
            if handle and build.origin.handle != handle:
                continue
            if not arch or build.arch == arch:
                yield build


def version_is(wish: Wish, version: str) -> bool:
    """Whether a version is what a wish names; any where it names none."""
    if not wish.version:
        return True
    for operator in _BOUNDS:
        if wish.version.startswith(operator):
            return bound_fits(operator, wish.version.removeprefix(operator), version)
    return version_fits(wish.version, version, any_epoch=True)


def findings(host: RpmState, wish: Wish) -> list[Reason]:
    """What speaks against a wish: it names what is not there."""
    found = []
    of = wish.source if wish.kind != "prefer" else ""
    for name in wish.names:
        builds = list(builds_meant(host, name, of))
        if not builds and not (of and not host.source(of).on and names_meant(host, name, of)):
            code = "no-name-there" if of else "no-such-name"
            found.append(Reason(code, {"name": name, "source": of}))
        elif wish.version and not any(version_is(wish, one.version) for one in builds):
            facts = {"name": name, "version": wish.version, "source": wish.source}
            found.append(Reason("no-such-version", dict(facts)))
    return found
