"""Hosts of kind rpm-zypp: sources in `etc/zypp/repos.d`, settings in `etc/zypp`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from velpin.files.tree import Tree

if TYPE_CHECKING:
    from velpin.kinds.rpm_zypp.adapter import ZyppAdapter
    from velpin.store.cache import IndexCache

KIND = "rpm-zypp"


def recognises(tree: Tree) -> bool:
    """Whether a root is that of an rpm-zypp host, also where files of the other layout lie."""
    if tree.exists("etc/zypp/repos.d"):
        return True
    return tree.exists("etc/zypp") and not tree.exists("etc/yum.repos.d")


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    from velpin.kinds.rpm.record.place import has_packages

    return has_packages(tree)


def open_adapter(tree: Tree, cache: IndexCache, *, as_is: bool) -> ZyppAdapter:
    """The host at a root."""
    from velpin.kinds.rpm_zypp.adapter import ZyppAdapter

    return ZyppAdapter(tree, cache, as_is=as_is)


def own_sentences() -> Mapping[str, str]:
    """What the reasons say that only this kind gives, by their codes."""
    from velpin.kinds.rpm.sentences import SENTENCES

    return SENTENCES
