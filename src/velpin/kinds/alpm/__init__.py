"""Hosts of kind alpm: sources are the ordered sections of `etc/pacman.conf` and its includes."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from velpin.files.tree import Tree

if TYPE_CHECKING:
    from velpin.kinds.alpm.adapter import AlpmAdapter
    from velpin.store.cache import IndexCache

KIND = "alpm"


def recognises(tree: Tree) -> bool:
    """Whether a root is that of an alpm host."""
    return tree.exists("etc/pacman.conf")


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    return bool(tree.folders("var/lib/pacman/local"))


def open_adapter(tree: Tree, cache: IndexCache, *, as_is: bool) -> AlpmAdapter:
    """The host at a root."""
    from velpin.kinds.alpm.adapter import AlpmAdapter

    return AlpmAdapter(tree, cache, as_is=as_is)


def own_sentences() -> Mapping[str, str]:
    """What the reasons say that only this kind gives, by their codes."""
    from velpin.kinds.alpm.sentences import SENTENCES

    return SENTENCES
