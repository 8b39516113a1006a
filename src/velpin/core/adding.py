"""Adding a source: composed by the host's kind, fetched with its key, looked at, read back.

The considered source is read by the ordinary reader through the overlay and fetched with exactly
the key that it would be given, and only then shown.
"""

from __future__ import annotations

import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import TYPE_CHECKING

from velpin.change.given_keys import given_keys
from velpin.change.plan import KeyShown, NewSource, Plan, shown_key
from velpin.change.readback import check_add
from velpin.change.snippets import check_texts
from velpin.core.host_keys import check_not_revoked, uses_of
from velpin.core.rule_plans import considering, plan_rules
from velpin.core.source_plans import added_sources, checks_that_are_off
from velpin.errors import (
    BadKey,
    BadSignature,
    MissingKey,
    NotThere,
    Refusal,
    VelpinError,
)
from velpin.model.publisher import domain_of
from velpin.model.reason import Reason
from velpin.model.rule import Confine, Prefer
from velpin.model.safe_text import grouped
from velpin.model.shell import shell_word
from velpin.model.source import Source
from velpin.model.source_reasons import (
    AddedOff,
    CheckedNothing,
    CheckedPackages,
    GivesNothing,
    KeyToImport,
    SomeAddedOff,
    SourceWarning,
)
from velpin.ports.configuration import find_source
from velpin.trust.openpgp import Key

if TYPE_CHECKING:
    from velpin.core.access import Access
    from velpin.fetch.download import Transport
    from velpin.model.host import RefreshResult
    from velpin.ports.bundle import Ports
    from velpin.ports.composer import Addition


def plan_add(
    ports: Ports, access: Access, new: NewSource, only: Sequence[str] = (), over: Sequence[str] = ()
) -> Plan:
    """What adding a source would write, and the rules that go with it."""
    with access.holding(ports):
        plan = plan_source(ports, new, access.transport(ports))
    if plan.edits and not plan.unchanged:
        after = ports.with_edits(plan.edits)
        there = after.configuration.by_handle
        added = [find_source(there, handle) for handle in plan.handles]
        check_add(ports.editor, after.editor, [after.editor.key_of(source) for source in added])
        plan.notes[:0] = checks_that_are_off(after, added)
    for rules in (
        [Confine(handle, tuple(only)) for handle in plan.handles if only],
        [Prefer(handle, tuple(over)) for handle in plan.handles if over],
    ):
        if rules and not plan.error:
            plan = plan.then(plan_rules(considering(ports, plan), rules))
    return plan


def plan_source(ports: Ports, new: NewSource, transport: Transport) -> Plan:
    """What adding a source alone would write, and what there is to know before saying yes.

    Raises UsageError for a source that says too little, Refusal where it or its name is taken,
    TrustError where the key is not what it must be.
    """
    problem = ports.configuration.config_error()
    if problem is not None:
        raise problem
    check_texts(new)
    known = ports.configuration.by_handle.get(new.handle)
    if known and not new.address and not new.snippet:
        return _plan_key(ports, known, new, transport)
    addition = ports.composer.compose(new, transport)
    addition = addition._replace(notes=[*new.notes, *addition.notes])
    plan = _planned(ports, addition)
    same = list(in_same_place(ports, addition))
    if plan.unchanged and same:
        plan.handles = [source.handle for source, _ in same]
        return plan
    _refuse_taken(ports, addition, same)
    results = _examine(ports, plan, addition.keys, new, transport)
    if not addition.keys:
        with_known = _with_known_keys(ports, plan, new, results, transport)
        if with_known is not None:
            return with_known
    better = None
    if isinstance(plan.error, BadSignature):
        better = addition.index_unsigned
    elif not plan.error and results and all(each.checked == "index" for each in results):
        better = addition.index_signed
    if better is not None:
        plan = _planned(ports, better)
        _examine(ports, plan, better.keys, new, transport)
    return plan


def _with_known_keys(
    ports: Ports,
    plan: Plan,
    new: NewSource,
    results: Sequence[RefreshResult],
    transport: Transport,
) -> Plan | None:
    """The plan with the key files that another source of the host names, if they hold the key
    that signs this one; None if there are none.

    A key that may not sign for this source yet is taken only from a source at the same domain:
    else whoever has one of the host's keys could answer in the place of the server that was meant.
    """
    if plan.error is not None and not isinstance(plan.error, MissingKey):
        return None
    there = ports.with_edits(plan.edits)
    added = [find_source(there.configuration.by_handle, handle) for handle in plan.handles]
    if any(there.signers.keys_of(source).own for source in added):
        return None
    seen = {key for result in results for key in (*result.signed_by, *result.packages_signed_by)}
    domains = {domain_of(source.address) for source in added}
    tried = set()
    others = sorted(
        ports.configuration.sources, key=lambda source: domain_of(source.address) not in domains
    )
    for other in others:
        named = ports.signers.keys_of(other)
        files = tuple(named.files)
        if not other.on or not named.own or named.how not in ("file", "packages") or files in tried:
            continue
        if not (named.own & seen or (not seen and domain_of(other.address) in domains)):
            continue
        tried.add(files)
        addition = ports.composer.compose(new._replace(key_files=files), transport)
        found = _planned(ports, addition._replace(notes=[*new.notes, *addition.notes]))
        again = _examine(ports, found, (), new, transport)
        signed = {key for each in again for key in (*each.signed_by, *each.packages_signed_by)}
        if not found.error and signed & named.own:
            return found
    return None


def _planned(ports: Ports, addition: Addition) -> Plan:
    plan = Plan(
        f"velpin add {shell_word(addition.handles[0])}",
        f"add source {', '.join(addition.handles)}",
        notes=list(addition.notes),
    )
    plan.propose(ports.tree, addition.edits, private=addition.private)
    after = ports.with_edits(addition.edits)
    plan.handles = [source.handle for source in added_sources(ports, after)]
    return plan


def in_same_place(ports: Ports, addition: Addition) -> Iterator[tuple[Source, str]]:
    """Sources of the host that are fetched from where the new one would be, and from where."""
    for source in ports.configuration.sources:
        for address in addition.addresses:
            if address in ports.composer.addresses_of(source):
                yield source, address
                break


def _refuse_taken(ports: Ports, addition: Addition, same: Iterable[tuple[Source, str]]) -> None:
    for source, address in same:
        raise Refusal(
            f"{address} is on this host already, as {source.handle} ({source.places[0]})"
            f"{'' if source.on else ', switched off'}",
            f"velpin on {shell_word(source.handle)}" if not source.on
            else f"velpin drop {shell_word(source.handle)} first, if you want it written anew",
        )  # fmt: skip
    for source in ports.configuration.sources:
        if source.handle in addition.handles:
            raise Refusal(
                f"{source.handle} is the name of another source ({source.places[0]})",
                "its name is that of its index, so it cannot get another:"
                f" velpin drop {shell_word(source.handle)} first, if this one is meant"
                if ports.composer.names_indexes
                else "give this one another name",
            )


# -- a key for a source that is there ------------------------------------------------------


def _plan_key(ports: Ports, source: Source, new: NewSource, transport: Transport) -> Plan:
    """Name a key for a source that is there.

    Raises Refusal where none is given, BadKey where nothing given is one, TrustError where none
    has the fingerprint.
    """
    if not new.key:
        raise Refusal(
            f"{source.handle} is on this host already ({source.places[0]})",
            "give --key FILE-or-URL to name the key it is to be signed with",
        )
    keys = given_keys(new)
    if not keys:
        raise BadKey(f"{new.key_name}: holds no key")
    plan = Plan(f"velpin add {shell_word(source.handle)} --key", f"name a key for {source.handle}")
    plan.propose(ports.tree, ports.composer.compose_key(source, keys))
    after = ports.with_edits(plan.edits)
    key = ports.editor.key_of(source)
    plan.handles = [
        same.handle for same in after.configuration.sources if after.editor.key_of(same) == key
    ]
    if not plan.unchanged:
        _examine(ports, plan, keys, new, transport)
    return plan


# -- looking before writing ----------------------------------------------------------------


def _examine(
    ports: Ports,
    plan: Plan,
    keys: Sequence[Key],
    new: NewSource,
    transport: Transport,
) -> list[RefreshResult]:
    """Fetch the considered source as it would be fetched, and look at what came."""
    after = ports.with_edits(plan.edits)
    problem = after.configuration.config_error()
    if problem is not None:
        raise problem
    transport = transport.with_access(after.fetcher.logins(), after.fetcher.certificates())
    there = after.configuration.by_handle
    added = [source for handle in plan.handles if (source := find_source(there, handle)).on]
    results = []
    for source in added:
        result = after.fetcher.fetch(source, transport, ())
        results.append(result)
        _take_result(plan, result, is_expected=bool(keys))
        if isinstance(result.error, NotThere):
            plan.findings.append(after.composer.nothing_there(source, result, transport))
    signers = {signer for result in results for signer in result.signed_by}
    shown = keys or [key for source in added for key in after.composer.keys_here(source, signers)]
    plan.keys = list(_shown(shown, results, new, uses_of(ports, plan.handles)))
    try:
        check_not_revoked(ports, keys)
    except BadKey as problem_of_key:
        plan.error = problem_of_key
    if plan.error is None:
        _look_inside(ports.with_edits(plan.edits), plan, results, shown, transport)
    return results


def _take_result(plan: Plan, result: RefreshResult, *, is_expected: bool) -> None:
    """Take into a plan what fetching one source told; `is_expected`: a key was given for it."""
    for warning in result.warnings:
        plan.notes.append(SourceWarning(source=result.handle, what=warning))
    plan.notes += _what_was_checked(result, is_expected=is_expected)
    if result.error is not None and not isinstance(result.error, NotThere):
        plan.error = _as_asked(result.error)
    elif result.error is None and result.doubt is not None and is_expected:
        plan.error = _as_asked(result.doubt)


def _shown(
    keys: Sequence[Key], results: Sequence[RefreshResult], new: NewSource,
    uses: Mapping[str, tuple[str, ...]],
) -> Iterator[KeyShown]:  # fmt: skip
    """Keys as they are shown, each with what it was seen to sign. A key is said not to sign only
    where another one does."""
    signers = {signer for result in results for signer in result.signed_by}
    by_package = {signer for result in results for signer in result.packages_signed_by}
    is_seen = any(
        result.checked or result.signed_by or isinstance(result.error or result.doubt, MissingKey)
        for result in results
    )
    now = time.time()
    for key in keys:
        yield shown_key(
            key, signs=key.fingerprint in signers | by_package if is_seen else None,
            what="index" if key.fingerprint in signers else "packages",
            agrees=True if new.fingerprint else None, used_by=uses.get(key.fingerprint, ()),
            now=now,
        )  # fmt: skip


def _look_inside(
    ports: Ports, plan: Plan, results: Sequence[RefreshResult], keys: Sequence[Key],
    transport: Transport,
) -> None:  # fmt: skip
    """Look at what the fetched sources have: whether it is for this host, and anything at all."""
    on = tuple(result.handle for result in results)
    off = tuple(handle for handle in plan.handles if handle not in on)
    if off and not on:
        plan.findings.append(AddedOff(source=off[0]))
    elif off:
        plan.notes.append(SomeAddedOff(on=on, off=off, count=len(off)))
    for result in results:
        if result.error is not None:
            continue
        here = find_source(ports.configuration.by_handle, result.handle)
        examined = ports.composer.examine(here, keys, transport)
        plan.findings += examined.findings
        plan.notes += examined.notes
        if not examined.findings and not _has_packages(ports, here):
            what = "; ".join(result.warnings) or "it has no package"
            plan.findings.append(GivesNothing(source=result.handle, what=what))


def _has_packages(ports: Ports, source: Source) -> bool:
    """Whether a source that was fetched has any package for this host."""
    return any(index.count for index in ports.indexes.of(source))


def _what_was_checked(result: RefreshResult, *, is_expected: bool) -> Iterator[Reason]:
    """Says what a signature was checked of, unless that is the index, as it should be."""
    for key in result.offered_keys:
        shown = grouped(key.fingerprint)
        yield KeyToImport(key=shown, owner=key.owner, address=key.address)
    if result.error or result.doubt or result.checked == "index":
        return
    if result.checked == "packages":
        yield CheckedPackages(source=result.handle)
    elif is_expected:
        yield CheckedNothing(source=result.handle)


def _as_asked(problem: VelpinError) -> VelpinError:
    """An error of a fetch as it is told to somebody who is adding the source."""
    if not isinstance(problem, MissingKey):
        return problem
    hint = "get that key from the vendor, and give it: --key FILE-or-URL"
    return MissingKey(problem.message, problem.key_ids, hint)
