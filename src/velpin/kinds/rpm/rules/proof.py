"""Whether a host, with or without an overlay, does what a wish says."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice

from velpin.kinds.rpm.pool import Build
from velpin.kinds.rpm.rules.settled import (
    builds_meant,
    names_meant,
    split_name,
    version_is,
)
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.version import compare
from velpin.model import Reason
from velpin.orders import order_of
from velpin.wish import Verdict, Wish

_MOST = 4000
"""Names of one source that are looked at."""
_MOST_COMMON = 400
"""Names of two sources of which the choice is worked out."""


def verdict(host: RpmState, wish: Wish) -> Verdict:
    """Whether a wish holds, and why not."""
    told = next(_PROOFS[wish.kind](host, wish), None)
    return Verdict(told is None, told)


def _prefer(host: RpmState, wish: Wish) -> Iterator[Reason]:
    for above, below in order_of(host.sources, wish).pairs():
        one, other = host.source(above), host.source(below)
        if one.number >= other.number:
            yield Reason(
                "still-not-over", {"source": above, "other": below, "number": other.number}
            )
        if not (one.on and other.on):
            continue
        common = sorted(set(names_meant(host, "*", above)) & set(names_meant(host, "*", below)))
        for name in islice(common, _MOST_COMMON):
            if host.pool.installed(name) or host.is_widened(name):
                continue
            chosen = host.choice_of(name)
            visible = any(b.origin.handle == above for b in host.pool.named(name))
            if chosen and visible and chosen.origin.handle == below:
                yield Reason(
                    "comes-all-the-same",
                    {"name": name, "source": below, "number": chosen.origin.number},
                )


def _confine(host: RpmState, wish: Wish) -> Iterator[Reason]:
    if not host.source(wish.source).on:
        return
    allowed = {name for text in wish.names for name in names_meant(host, text, wish.source)}
    for name in islice(names_meant(host, "*", wish.source), _MOST):
        builds = [b for b in host.pool.named(name) if b.origin.handle == wish.source]
        if builds and name not in allowed:
            yield Reason(
                "comes-all-the-same",
                {"name": name, "source": wish.source, "number": builds[0].origin.number},
            )
        if not builds and name in allowed:
            yield _kept_out(host, name, wish.source)


def _kept_out(host: RpmState, name: str, source: str) -> Reason:
    for build in host.pool.all_named(name):
        hidden = host.why_hidden(build) if build.origin.handle == source else None
        if hidden is not None:
            return Reason("kept-out", {"name": name, "source": source}, (hidden,))
    return Reason("kept-out", {"name": name, "source": source})


def _bar(host: RpmState, wish: Wish) -> Iterator[Reason]:
    for name in wish.names or ("*",):
        for build in islice(builds_meant(host, name, wish.source), _MOST):
            if build.installed or not host.pool.visible(build):
                continue
            if wish.pre_releases and "~" not in build.version:
                continue
            if version_is(wish, build.version):
                yield Reason(
                    "comes-all-the-same",
                    {"name": build.name, "source": build.origin.handle,
                     "number": build.origin.number},
                )  # fmt: skip


def _pin(host: RpmState, wish: Wish) -> Iterator[Reason]:
    for text in wish.names:
        _, arch = split_name(text)
        for name in names_meant(host, text):
            offered = [
                one for one in host.pool.named(name)
                if not one.installed and (not arch or one.arch == arch)
            ]  # fmt: skip
            wanted = [one for one in offered if _is_pinned(wish, one)]
            others = [one for one in offered if one not in wanted]
            if others:
                facts = {"name": name, "chosen": others[0].version, "version": _what(wish)}
                yield Reason("other-comes", dict(facts))
            elif not wanted:
                yield Reason("never-there", {"name": name, "version": _what(wish)})
            else:
                yield from _pinned_installed(host, wish, name, wanted)


def _is_pinned(wish: Wish, build: Build) -> bool:
    return version_is(wish, build.version) and wish.source in ("", build.origin.handle)


def _what(wish: Wish) -> str:
    parts = [wish.version, f"from {wish.source}" if wish.source else ""]
    return " ".join(part for part in parts if part)


def _pinned_installed(
    host: RpmState, wish: Wish, name: str, wanted: list[Build]
) -> Iterator[Reason]:
    """An installed package must come to the wanted version with the next upgrade."""
    for old in host.pool.installed(name):
        if version_is(wish, old.version):
            continue
        lower = all(compare(one.version, old.version) < 0 for one in wanted)
        if lower:
            facts = {"name": name, "installed": old.version, "version": wanted[0].version}
            yield Reason("never-goes-back", dict(facts))
        elif not any(one in wanted for one in host.targets(old)):
            locked = host.why_locked(old)
            facts = {"name": name, "version": wish.version}
            yield Reason("stays-as-it-is", dict(facts), (locked,) if locked else ())


def _keep(host: RpmState, wish: Wish) -> Iterator[Reason]:
    for text in wish.names:
        for build in builds_meant(host, text):
            found = host.targets(build) if build.installed else []
            if found:
                facts = {"name": found[0].name, "source": found[0].origin.handle}
                yield Reason("still-changes", {**facts, "version": found[0].version})


_PROOFS = {"prefer": _prefer, "confine": _confine, "bar": _bar, "pin": _pin, "keep": _keep}
