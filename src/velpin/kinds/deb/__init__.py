"""Hosts of kind deb: one module for each format and each decision, `host.py` joins them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from velpin.files.tree import Tree

if TYPE_CHECKING:
    from velpin.kinds.deb.adapter import DebAdapter
    from velpin.store.cache import IndexCache

KIND = "deb"


def recognises(tree: Tree) -> bool:
    """Whether a root is that of a deb host."""
    return tree.exists("etc/apt") or tree.exists("var/lib/dpkg/status")


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    record = tree.stat("var/lib/dpkg/status")
    return record is not None and record.st_size > 0


def open_adapter(tree: Tree, cache: IndexCache, *, as_is: bool) -> DebAdapter:
    """The host at a root."""
    from velpin.kinds.deb.adapter import DebAdapter

    return DebAdapter(tree, cache, as_is=as_is)


def own_sentences() -> Mapping[str, str]:
    """What the reasons say that only this kind gives, by their codes."""
    from velpin.kinds.deb.sentences import SENTENCES

    return SENTENCES
