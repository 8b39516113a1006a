"""Hosts of kind rpm-zypp: sources in `etc/zypp/repos.d`, settings in `etc/zypp`."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.tree import Tree

if TYPE_CHECKING:
    from velpin.kinds.rpm_zypp.host import ZyppHost
    from velpin.store.shelf import Shelf

KIND = "rpm-zypp"
SENTENCES = "velpin.kinds.rpm.sentences"


def recognises(tree: Tree) -> bool:
    """Whether a root is that of an rpm-zypp host, also where files of the other layout lie."""
    if tree.exists("etc/zypp/repos.d"):
        return True
    return tree.exists("etc/zypp") and not tree.exists("etc/yum.repos.d")


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    from velpin.kinds.rpm.database import has_packages

    return has_packages(tree)


def open_host(tree: Tree, shelf: Shelf, *, as_is: bool) -> ZyppHost:
    """The rpm-zypp host at a root."""
    from velpin.kinds.rpm_zypp.host import ZyppHost

    return ZyppHost(tree, shelf, as_is=as_is)
