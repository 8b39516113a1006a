"""Hosts of kind rpm-dnf: sources in `etc/yum.repos.d`, settings in `etc/dnf`."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.tree import Tree

if TYPE_CHECKING:
    from velpin.kinds.rpm_dnf.host import DnfHost
    from velpin.store.shelf import Shelf

KIND = "rpm-dnf"
SENTENCES = "velpin.kinds.rpm.sentences"


def recognises(tree: Tree) -> bool:
    """Whether a root is that of an rpm-dnf host."""
    return any(tree.exists(name) for name in ("etc/dnf", "etc/yum.repos.d", "etc/yum.conf"))


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    from velpin.kinds.rpm.database import has_packages

    return has_packages(tree)


def open_host(tree: Tree, shelf: Shelf, *, as_is: bool) -> DnfHost:
    """The rpm-dnf host at a root."""
    from velpin.kinds.rpm_dnf.host import DnfHost

    return DnfHost(tree, shelf, as_is=as_is)
