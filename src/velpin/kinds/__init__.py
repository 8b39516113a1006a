"""The kinds of host Velpin knows: each a package as `velpin.ports.kind.Kind` says.

This is the one place that names them; a package is loaded when it is asked.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING

from velpin.errors import NotAHost

if TYPE_CHECKING:
    from velpin.ports.bundle import Ports
    from velpin.ports.kind import Kind
    from velpin.ports.view import View


def _rpm_zypp() -> Kind:
    from velpin.kinds import rpm_zypp

    return rpm_zypp


def _rpm_dnf() -> Kind:
    from velpin.kinds import rpm_dnf

    return rpm_dnf


def _alpm() -> Kind:
    from velpin.kinds import alpm

    return alpm


def _deb() -> Kind:
    from velpin.kinds import deb

    return deb


KINDS: Mapping[str, Callable[[], Kind]] = {
    "rpm-zypp": _rpm_zypp, "rpm-dnf": _rpm_dnf, "alpm": _alpm, "deb": _deb,
}  # fmt: skip
"""The kinds by their names, in the order in which they are asked."""


def open_ports(view: View) -> Ports:
    """The ports of the host at a root; NotAHost where no kind recognises it.

    Installers of other kinds leave settings of their own on a host: where several kinds
    recognise it, it is of the first of which packages are installed.
    """
    kinds = (load() for load in KINDS.values())
    found = [kind for kind in kinds if kind.recognises(view.tree)]
    if len(found) > 1:
        found = [kind for kind in found if kind.has_packages(view.tree)] or found
    if not found:
        raise NotAHost(
            f"{view.tree.root} is not the root of a host that Velpin knows",
            f"give the host's root with --root DIR; known kinds: {', '.join(KINDS)}",
        )
    return found[0].ports(view)
