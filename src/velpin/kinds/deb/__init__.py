"""Hosts of kind deb: one module for each format and each decision, `host.py` joins them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from velpin.tree import Tree

if TYPE_CHECKING:
    from velpin.kinds.deb.host import DebHost
    from velpin.store.shelf import Shelf

KIND = "deb"
SENTENCES = "velpin.kinds.deb.sentences"


def recognises(tree: Tree) -> bool:
    """Whether a root is that of a deb host."""
    return tree.exists("etc/apt") or tree.exists("var/lib/dpkg/status")


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    record = tree.stat("var/lib/dpkg/status")
    return record is not None and record.st_size > 0


def open_host(tree: Tree, shelf: Shelf, *, as_is: bool) -> DebHost:
    """The deb host at a root."""
    from velpin.kinds.deb.host import DebHost

    return DebHost(tree, shelf, as_is=as_is)
