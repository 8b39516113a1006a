"""Vendors that count as one on rpm-zypp hosts: what stands, and what would make more of them so.

Observed rules: docs/how-hosts-choose/rpm.md, "Vendors (*zypp*)".
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING

from velpin.files.text import has_control
from velpin.kinds.rpm.edit import ADDED, without_section
from velpin.kinds.rpm.ini import read_sections
from velpin.kinds.rpm.rules.reasons import SaysOneVendor, StayWithVendor
from velpin.kinds.rpm_zypp.config import VENDORS
from velpin.model.rule import RuleInForce
from velpin.model.shell import shell_word
from velpin.ports.configuration import find_source
from velpin.ports.rule_writer import Uncovering

if TYPE_CHECKING:
    from velpin.files.tree import Edits
    from velpin.kinds.rpm_zypp.state import ZyppState
    from velpin.model.reason import Place, Reason


def vendors_in_force(state: ZyppState) -> Iterator[RuleInForce]:
    """Every group of vendors that count as one, with the installed packages of its vendors."""
    config = state.configuration.config
    vendors = _installed_vendors(state) if config.vendors else {}
    for place, group in zip(config.vendor_places, config.vendors, strict=True):
        here = {
            name for vendor, names in vendors.items() if vendor.startswith(group) for name in names
        }
        says = SaysOneVendor(vendors=group)
        yield RuleInForce(place, says, None, 0, 0, tuple(sorted(here)))


def _installed_vendors(state: ZyppState) -> dict[str, set[str]]:
    """The vendors of installed packages, letter case aside, with the names of their packages."""
    found: dict[str, set[str]] = {}
    for package in state.packages.pool.all_installed():
        found.setdefault(package.facts.vendor.strip().lower(), set()).add(package.name)
    return found


def as_one_vendor(state: ZyppState, name: str) -> Iterator[Uncovering]:
    """Each way to let offers of a name take the place of what is installed of another vendor:
    their vendors count as one, everywhere."""
    here = state.packages.pool.installed(name)
    found: dict[str, Uncovering] = {}
    for build in state.packages.pool.all_named(name):
        if build.installed or not here or state.chooser.any_vendor:
            continue
        vendors = (here[0].facts.vendor.strip(), build.facts.vendor.strip())
        if any(state.chooser.same_vendor(old, build) for old in here):
            continue
        if not all(map(_can_be_written, vendors)) or _catches_others(state, vendors[1]):
            continue
        line = f"vendors={','.join(vendors)}"
        if line not in found:
            file = _new_file(state, build.origin.handle)
            command = f"printf '%s\\n' '[main]' {shell_word(line)} > /{file}"
            data = f"{ADDED}\n[main]\n{line}\n".encode()
            found[line] = Uncovering(command, {file: data})
    yield from found.values()


def _can_be_written(vendor: str) -> bool:
    return bool(vendor) and "," not in vendor and not has_control(vendor)


def _catches_others(state: ZyppState, vendor: str) -> bool:
    """Whether a vendor's name is the beginning of another's whose packages are installed: that one
    would count as one with them too."""
    start = vendor.lower()
    return any(name.startswith(start) and name != start for name in _installed_vendors(state))


def _new_file(state: ZyppState, handle: str) -> str:
    """A file of its own for a group, called as a source as far as that makes a file's name."""
    taken = set(state.tree.names(VENDORS))
    plain = re.sub(r"[^A-Za-z0-9_-]+", "-", handle).strip("-") or "velpin"
    names = (f"{plain}{at or ''}.conf" for at in range(len(taken) + 1))
    return f"{VENDORS}/{next(name for name in names if name not in taken)}"


def without_group(state: ZyppState, place: Place) -> Edits | None:
    """The edits that take away the file of a group; None if none is said at a place."""
    if place not in state.configuration.config.vendor_places:
        return None
    data = state.tree.read(place.file) or b""
    section = next(one for one in read_sections(data, place.file) if one.line == place.line)
    return {place.file: without_section(data, place.file, section.name)}


def staying_with_vendors(state: ZyppState, handle: str) -> Iterator[Reason]:
    """What a source has of installed packages that no upgrade takes from it for their vendor."""
    source = find_source(state.configuration.by_handle, handle)
    index = state.indexes.index(source) if source.on and not state.chooser.any_vendor else None
    names = []
    for name in state.recorded.names if index else ():
        here = state.packages.pool.installed(name)
        there = [
            build
            for build in state.packages.pool.all_named(name)
            if build.origin.handle == source.handle and state.packages.pool.visible(build)
        ]
        if there and not any(state.chooser.same_vendor(old, new) for old in here for new in there):
            names.append(name)
    if names:
        yield StayWithVendor(source=source.handle, names=tuple(names))
