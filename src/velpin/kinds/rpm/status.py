"""How the sources of an rpm host stand: their priorities, signed by whom, how old."""

from __future__ import annotations

from velpin.core.source_status import StatusParts
from velpin.kinds.rpm.copies import RpmCopy
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.trust import key_addresses, named_keys
from velpin.model.host import SourcePriority
from velpin.model.rule import shell_word
from velpin.model.safe_text import bare_address
from velpin.trust.named import NamedKeys
from velpin.trust.openpgp import grouped


def status_parts(host: RpmState, source: RpmSource) -> StatusParts:
    """How one source stands."""
    copy = host.copies[source.handle]
    named = named_keys(host, source)
    fetched = copy.fetched
    problems = list(named.problems)
    key_problem = ""
    if source.on and (source.signed_index or source.signed_packages) and problems:
        key_problem = (
            "; ".join(problems) + "\nget its key from the vendor, then:"
            f" velpin add {shell_word(source.handle)} --key FILE-or-URL"
        )
    return StatusParts(
        priorities=(SourcePriority(source.priority, ()),),
        channel=_channel(source, copy),
        signed=named.how,
        keys=named.keys,
        signed_by=fetched.signed_by if fetched else (),
        packages_signed_by=fetched.packages_signed_by if fetched else (),
        to_import=_to_import(source, copy, named),
        dated=copy.repomd.date,
        copy_problem=str(copy.problem) if copy.problem else "",
        key_problem=key_problem,
    )


def _to_import(source: RpmSource, copy: RpmCopy, named: NamedKeys) -> list[str]:
    """Keys that the installer will fetch and ask about, with fingerprints that Velpin has seen."""
    if named.how == "none" or not source.on:
        return []
    if copy.fetched and copy.fetched.offered_keys:
        return [f"{owner} {grouped(key)} ({where})" for where, key, owner in
                copy.fetched.offered_keys]  # fmt: skip
    return [] if copy.fetched or named.keys else [bare_address(a) for a in key_addresses(source)]


def _channel(source: RpmSource, copy: RpmCopy) -> tuple[str, ...]:
    told = list(copy.repomd.tags[:2])
    if source.cost != 1000:
        told.append(f"cost {source.cost}")
    if source.includes:
        told.append("only some packages")
    if source.excludes:
        told.append("some packages barred")
    return tuple(told)
