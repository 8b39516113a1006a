"""Hosts of kind alpm: sources are the ordered sections of `etc/pacman.conf` and its includes."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.tree import Tree

if TYPE_CHECKING:
    from velpin.kinds.alpm.host import AlpmHost
    from velpin.store.shelf import Shelf

KIND = "alpm"
SENTENCES = "velpin.kinds.alpm.sentences"


def recognises(tree: Tree) -> bool:
    """Whether a root is that of an alpm host."""
    return tree.exists("etc/pacman.conf")


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    return bool(tree.folders("var/lib/pacman/local"))


def open_host(tree: Tree, shelf: Shelf, *, as_is: bool) -> AlpmHost:
    """The alpm host at a root."""
    from velpin.kinds.alpm.host import AlpmHost

    return AlpmHost(tree, shelf, as_is=as_is)
