"""How the sources of an rpm host stand: their priorities, signed by whom, how old."""

from __future__ import annotations

from velpin.core.source_status import StatusParts
from velpin.kinds.rpm.copies import RpmCopy
from velpin.kinds.rpm.source import RpmSource
from velpin.kinds.rpm.state import RpmState
from velpin.kinds.rpm.trust import named_keys
from velpin.model.host import SourcePriority


def status_parts(host: RpmState, source: RpmSource) -> StatusParts:
    """How one source stands."""
    copy = host.copies[source.handle]
    named = named_keys(host, source)
    signed_by = copy.fetched.signed_by if copy.fetched else []
    may_sign = () if named.how in ("common", "none") else None
    key_problem = ""
    if source.on and (source.signed_index or source.signed_packages) and named.problems:
        key_problem = (
            "; ".join(named.problems) + "\nget its key from the vendor, then:"
            f" velpin add {source.handle} --key FILE-or-URL"
        )
    return StatusParts(
        priorities=(SourcePriority(source.priority, ()),),
        channel=_channel(source, copy),
        signed=named.how,
        keys=named.keys,
        signed_by=signed_by or may_sign,
        dated=copy.repomd.date,
        copy_problem=str(copy.problem) if copy.problem else "",
        key_problem=key_problem,
    )


def _channel(source: RpmSource, copy: RpmCopy) -> tuple[str, ...]:
    told = list(copy.repomd.tags[:2])
    if source.cost != 1000:
        told.append(f"cost {source.cost}")
    if source.includes:
        told.append("only some packages")
    if source.excludes:
        told.append("some packages barred")
    return tuple(told)
