"""The text that selects some sources in a preference record, and no others.

A record can only say what release files say (origin, label, codename, suite, version), or the
host that the address names. The shortest such text that means just the wanted indexes is taken,
steady properties before those that change with a release.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import combinations

from velpin.errors import Refusal
from velpin.kinds.deb.preferences import OWN_RECORD, Pin, Site, release_pin
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.state import DebState
from velpin.model.shell import shell_word

_KEYS: dict[str, Callable[[Site], str | None]] = {
    "o": lambda site: site.origin,
    "l": lambda site: site.label,
    "n": lambda site: site.codename,
    "a": lambda site: site.archive,
    "v": lambda site: site.version,
}
_MEANT = {"o": "Origin", "l": "Label", "n": "Codename", "a": "Suite", "v": "Version"}
_SETS = [
    keys for count in (1, 2, 3) for keys in combinations("olna", count)
] + [("v",), ("o", "v"), ("l", "v")]  # fmt: skip


def sites_of(state: DebState, source: DebSource) -> list[Site]:
    """What records can match of the indexes of one source."""
    return [origin.site for origin, _ in state.indexes.origins_of(source)]


def pin_of(state: DebState, sources: Sequence[DebSource], component: str = "") -> Pin:
    """The pin that selects some sources (one component of them) and no other.

    Raises Refusal where one has no index here, or where it cannot be told from others.
    """
    for source in sources:
        if not state.indexes.copies[source.handle].files:
            raise Refusal(
                f"{source.handle} has no index here, so what its release file says is not known",
                f"fetch it: velpin refresh {shell_word(source.handle)}",
            )
    inside = [site for source in sources for site in sites_of(state, source)]
    if component:
        inside = [site for site in inside if site.component == component]
    wanted = {source.handle for source in sources}
    outside = {
        source.handle: sites_of(state, source)
        for source in state.configuration.sources
        if source.handle not in wanted
    }
    for pin in _pins(inside, component):
        others = (site for sites in outside.values() for site in sites)
        if all(map(pin.selects_site, inside)) and not any(map(pin.selects_site, others)):
            return pin
    raise _cannot_tell(inside, outside, sorted(wanted))


def _pins(inside: Sequence[Site], component: str) -> Iterator[Pin]:
    for keys in _SETS:
        values = [{_KEYS[key](site) or "" for site in inside} for key in keys]
        if all(len(each) == 1 and all(each) for each in values):
            parts = [f"{key}={_as_value(*each)}" for key, each in zip(keys, values, strict=True)]
            parts += [f"c={_as_value(component)}"] if component else []
            pin = release_pin(",".join(parts))
            if not pin.selects_site(OWN_RECORD):
                yield pin
    names = {site.site for site in inside}
    if len(names) == 1 and all(names) and not component:
        yield Pin("origin", names.pop())


def _as_value(text: str) -> str:
    """A value so written that it means only itself: what has a meaning becomes `?`."""
    plain = "".join("?" if char in ',*[]"\\' else char for char in text)
    if len(plain) > 1 and plain[0] == plain[-1] == "/":
        plain = "?" + plain[1:]
    return plain


def text_of(pin: Pin) -> str:
    """A pin as a record has it."""
    return f'origin "{pin.text}"' if pin.kind == "origin" else f"{pin.kind} {pin.text}"


def _cannot_tell(
    inside: Sequence[Site], outside: dict[str, list[Site]], handles: Sequence[str]
) -> Refusal:
    told = " and ".join(handles)
    said_inside = set(map(_told, inside))
    alike = [h for h, sites in outside.items() if said_inside & set(map(_told, sites))]
    if not alike:
        return Refusal(
            f"no one record can select {told}: their release files have nothing in common",
            "say the rule for each of them",
        )
    said = ", ".join(f"{_MEANT[key]} {value}" for key, value in _said(inside[0])) or "nothing"
    return Refusal(
        f"the host cannot tell {told} from {' and '.join(alike)}: their release files say the"
        f" same ({said})",
        "an Origin or Label of its own would tell it apart; its vendor can set one",
    )


def _told(site: Site) -> tuple[str | None, ...]:
    return (*(read(site) for read in _KEYS.values()), site.site)


def _said(site: Site) -> Iterable[tuple[str, str]]:
    return ((key, value) for key, read in _KEYS.items() if (value := read(site)))
