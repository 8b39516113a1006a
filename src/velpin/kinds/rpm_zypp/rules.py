"""Rules as an rpm-zypp host writes them: locks, one block for each."""

from __future__ import annotations

from collections.abc import Iterator

from velpin.change.plan import Plan
from velpin.errors import Refusal
from velpin.files.tree import Edits
from velpin.kinds.rpm.pattern import is_glob
from velpin.kinds.rpm.rules.resolve import split_name
from velpin.kinds.rpm.rules.store import RuleLine, Slot
from velpin.kinds.rpm.rules.writer import RpmRuleWriter
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm_zypp.locks import FILE
from velpin.kinds.rpm_zypp.state import ZyppState
from velpin.kinds.rpm_zypp.vendors import as_one_vendor, staying_with_vendors, without_group
from velpin.model.reason import Place, Reason
from velpin.model.rule import Bar, Confine, Pin, Prefer, Rule, command_of
from velpin.ports.rule_writer import Uncovering

_BOUNDS = (">=", "<=", "==", ">", "<")


class ZyppRuleWriter(RpmRuleWriter):
    """Writes rules of an rpm-zypp host."""

    _state: ZyppState

    def check(self, rule: Rule) -> None:
        """Refusal, with the nearest, where this kind of host cannot express a rule."""
        _check(self._state, rule)

    def edits_without(self, place: Place) -> Edits | None:
        """The edits that take away someone else's lock or value, or a group of vendors."""
        return super().edits_without(place) or without_group(self._state, place)

    def uncovering(self, name: str) -> Iterator[Uncovering]:
        """Changes with which another vendor's offers may come."""
        yield from as_one_vendor(self._state, name)

    def notes(self, plan: Plan) -> Iterator[Reason]:
        """What a preferred source has of packages that stay with their vendor all the same."""
        for rule in plan.rules if plan.edits else ():
            if isinstance(rule, Prefer):
                yield from staying_with_vendors(self._state, rule.source)

    def pieces(self, rule: Rule) -> list[RuleLine]:
        """What a rule puts where, one about the order of sources aside."""
        return _pieces(self._state, rule)


def _check(state: RpmState, rule: Rule) -> None:
    """Refusal, with the nearest, where this kind of host cannot express a rule."""
    if isinstance(rule, Confine):
        others = tuple(
            source.handle
            for source in state.configuration.sources
            if source.on and source.handle != rule.source
        )
        nearest = Prefer(rule.source, under=others)
        raise Refusal(
            f"this kind of host cannot confine {rule.source}: its locks keep packages out, and"
            " nothing lets single ones in again",
            f"the nearest, it then only provides what no other source has: {command_of(nearest)}",
        )
    if isinstance(rule, Bar) and rule.pre_releases:
        raise Refusal(
            "this kind of host cannot bar pre-releases: its locks only know bounds",
            f"the nearest: velpin bar NAME@VERSION --from {rule.source}",
        )
    if is_glob(rule.version):
        bare = rule.version.rstrip("*").rstrip(".-") or "VERSION"
        raise Refusal(
            f"this kind of host cannot match versions by a glob ({rule.version}): its locks only"
            " know bounds",
            f"the nearest: velpin {rule.kind} {rule.names[0]}@{bare}",
        )
    for name in rule.names:
        if split_name(name)[1]:
            raise Refusal(
                f"locks of this kind of host have no architecture: {name}",
                f"the nearest: velpin {rule.kind} {split_name(name)[0]}",
            )


def _pieces(state: RpmState, rule: Rule) -> list[RuleLine]:
    """What a rule puts where."""
    found: list[str] = []
    for name in rule.names or ("*",):
        if isinstance(rule, Pin):
            found += _pin(state, rule, name)
        else:
            sources = (rule.source,) if rule.source else ()
            found.append(_block(name, _bound(rule.version), sources))
    file = next(iter(state.rule_files.blocks), FILE)
    return [RuleLine(Slot(file), tuple(found))]


def _pin(state: RpmState, rule: Pin, name: str) -> list[str]:
    """Other versions and other sources are locked, each by its source, so that what is
    installed may still come to the wanted version."""
    others = tuple(
        source.handle for source in state.configuration.sources if source.handle != rule.source
    )
    every = tuple(source.handle for source in state.configuration.sources)
    found = [_block(name, "", others)] if rule.source and others else []
    if rule.version.startswith(_BOUNDS):
        found += [_block(name, bound, every) for bound in _outside(rule.version)]
    elif rule.version:
        found += [_block(name, f"{sign} {rule.version}", every) for sign in ("<", ">")]
    return found


def _outside(bound: str) -> list[str]:
    """What lies outside a bound."""
    opposite = {">=": "<", "<=": ">", ">": "<=", "<": ">="}
    for sign, other in opposite.items():
        if bound.startswith(sign):
            return [f"{other} {bound.removeprefix(sign).strip()}"]
    return [f"{sign} {bound.removeprefix('==').strip()}" for sign in ("<", ">")]


def _bound(version: str) -> str:
    for sign in _BOUNDS:
        if version.startswith(sign):
            return f"{sign} {version.removeprefix(sign).strip()}"
    return f"== {version}" if version else ""


def _block(name: str, version: str, sources: tuple[str, ...]) -> str:
    lines = ["type: package", "match_type: glob", "case_sensitive: on", f"solvable_name: {name}"]
    lines += [f"version: {version}"] if version else []
    lines += [f"repo: {source}" for source in sources]
    return "\n".join(lines)
