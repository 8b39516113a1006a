"""One kind of host: what a package of `velpin.kinds` has."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from velpin.files.tree import Tree
    from velpin.ports.bundle import Ports
    from velpin.ports.view import View

KIND_NAMES = ("rpm-zypp", "rpm-dnf", "alpm", "deb")
"""The kinds, in the order in which they are asked whether a host is theirs."""


class Kind(Protocol):
    """One kind of host: a package of `velpin.kinds`."""

    def recognises(self, tree: Tree) -> bool:
        """Return whether there is anything of a host of this kind at a root."""

    def has_packages(self, tree: Tree) -> bool:
        """Return whether the record of installed packages of this kind holds any."""

    def ports(self, view: View) -> Ports:
        """Return the ports of a host."""
