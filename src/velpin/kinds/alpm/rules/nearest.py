"""Wishes that this kind of host cannot express, and the nearest that works: tried."""

from __future__ import annotations

from collections.abc import Callable, Iterator

from velpin.errors import Refusal
from velpin.kinds.alpm.rules.settled import ALL, names_meant, version_is
from velpin.kinds.alpm.rules.written import standing
from velpin.kinds.alpm.state import AlpmState
from velpin.wish import Wish, command_of

Trial = Callable[[Wish, bool], AlpmState | None]
"""The host as a wish would make it, or one that stands taken back; None where that cannot be."""


def check(host: AlpmState, wish: Wish, trial: Trial) -> None:
    """Refusal, with the nearest, where this kind of host cannot express a wish."""
    told = _TOLD[wish.kind](host, wish) if wish.kind in _TOLD else None
    if told is None:
        return
    ordered = [one.wish for one in standing(host) if one.wish.kind == "prefer"]
    lifted = [(one, True) for one in ordered if wish.kind in ("pin", "bar")]
    made = [(one, False) for one in _NEAREST[wish.kind](host, wish)]
    order = sorted(made + lifted, key=lambda one: one[0].kind != "prefer")
    for nearest, lift in order:
        after = trial(nearest, lift)
        if after is not None and _serves(after, wish, nearest):
            what = command_of(nearest, lift=lift)
            raise Refusal(told, f"the nearest that works, tried: {what}")
    raise Refusal(told, "velpin offers NAME tells what there is; NAME%SOURCE asks for one once")


def _confine(host: AlpmState, wish: Wish) -> str:
    return (
        f"the host cannot let {wish.source} give only some packages: a section gives all it has"
        " or nothing"
    )


def _pin(host: AlpmState, wish: Wish) -> str:
    name = wish.names[0]
    if wish.version:
        return (
            f"the host cannot hold {name} at a version ({wish.version}): it takes what the first"
            " source shows, or leaves as it is what is ignored"
        )
    return f"the host cannot take single names like {name} from one source: sections have an order"


def _bar(host: AlpmState, wish: Wish) -> str | None:
    if wish.names in ((), (ALL,)) and not (wish.version or wish.pre_releases):
        return None
    if wish.pre_releases or wish.version:
        return "the host cannot keep single versions out: it knows names and sections only"
    return (
        f"the host cannot keep {wish.names[0]} of {wish.source} out: what it ignores, it ignores"
        " from every source"
    )


def _keep(host: AlpmState, wish: Wish) -> str | None:
    colons = [name for name in wish.names if ":" in name and not names_meant(host, name)]
    return f"what is ignored is named without architecture: {colons[0]}" if colons else None


def _nearest_confine(host: AlpmState, wish: Wish) -> Iterator[Wish]:
    others = tuple(one.handle for one in host.sources if one.on and one.handle != wish.source)
    if others:
        yield Wish("prefer", (), wish.source, under=others)


def _nearest_pin(host: AlpmState, wish: Wish) -> Iterator[Wish]:
    here = [host.pool.installed(name) for name in wish.names]
    if wish.version and all(one and version_is(wish, one.version) for one in here):
        yield Wish("keep", wish.names)
    for source in host.sources:
        if not source.on or wish.source not in ("", source.handle):
            continue
        shown = [
            one
            for name in wish.names
            for one in host.pool.offered(name)
            if one.origin.handle == source.handle and version_is(wish, one.version)
        ]
        others = _before(host, source.handle, wish.names)
        if len(shown) == len(wish.names) and others:
            yield Wish("prefer", (), source.handle, over=others)
        elif shown and wish.source:
            yield Wish("prefer", (), source.handle, over_all=True)


def _before(host: AlpmState, handle: str, names: tuple[str, ...]) -> tuple[str, ...]:
    """Sources that stand before one and have some of the names."""
    rank = host.source(handle).rank
    return tuple(
        dict.fromkeys(
            one.origin.handle
            for name in names
            for one in host.pool.offered(name)
            if one.origin.rank < rank
        )
    )


def _nearest_bar(host: AlpmState, wish: Wish) -> Iterator[Wish]:
    names = [one for text in wish.names for one in names_meant(host, text, wish.source)]
    offered = [one for name in names for one in host.pool.offered(name)]
    barred = {
        one.origin.handle
        for one in offered
        if wish.source in ("", one.origin.handle)
        and (not wish.version or version_is(wish, one.version))
    }
    others = {one.origin.handle for one in offered} - barred
    for source in host.sources:
        if source.handle in others and barred:
            over = tuple(one.handle for one in host.sources if one.handle in barred)
            yield Wish("prefer", (), source.handle, over=over)
    if names and all(host.pool.installed(name) for name in names):
        yield Wish("keep", wish.names)
    if wish.source:
        yield Wish("bar", (ALL,), wish.source)


def _nearest_keep(host: AlpmState, wish: Wish) -> Iterator[Wish]:
    yield Wish("keep", tuple(name.partition(":")[0] for name in wish.names))


def _serves(after: AlpmState, wish: Wish, nearest: Wish) -> bool:
    """Whether the nearest does for the names what was wished."""
    if wish.kind == "pin" and nearest.kind == "prefer":
        chosen = [after.choice_of(name) for name in wish.names]
        return all(
            one is not None
            and version_is(wish, one.version)
            and wish.source in ("", one.origin.handle)
            for one in chosen
        )
    if wish.kind == "bar" and nearest.kind == "prefer":
        texts = wish.names or (ALL,)
        names = [one for text in texts for one in names_meant(after, text, wish.source)]
        return not any(_still(after, wish, name) for name in names)
    return True


def _still(after: AlpmState, wish: Wish, name: str) -> bool:
    """Whether what was to be barred comes all the same."""
    found = after.choice_of(name)
    if found is None or wish.source not in ("", found.origin.handle):
        return False
    return not wish.version or version_is(wish, found.version)


_TOLD: dict[str, Callable[[AlpmState, Wish], str | None]] = {
    "confine": _confine, "pin": _pin, "bar": _bar, "keep": _keep,
}  # fmt: skip
_NEAREST: dict[str, Callable[[AlpmState, Wish], Iterator[Wish]]] = {
    "confine": _nearest_confine, "pin": _nearest_pin, "bar": _nearest_bar, "keep": _nearest_keep,
}  # fmt: skip
