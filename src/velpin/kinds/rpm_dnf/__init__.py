"""Hosts of kind rpm-dnf: sources in `etc/yum.repos.d`, settings in `etc/dnf`."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from velpin.files.tree import Tree

if TYPE_CHECKING:
    from velpin.kinds.rpm_dnf.adapter import DnfAdapter
    from velpin.store.cache import IndexCache

KIND = "rpm-dnf"


_MARKS = ("etc/dnf", "etc/yum.repos.d", "etc/yum.conf", "usr/share/dnf5")


def recognises(tree: Tree) -> bool:
    """Whether a root is that of an rpm-dnf host."""
    return any(tree.exists(name) for name in _MARKS)


def has_packages(tree: Tree) -> bool:
    """Whether packages of this kind are installed."""
    from velpin.kinds.rpm.record.place import has_packages

    return has_packages(tree)


def open_adapter(tree: Tree, cache: IndexCache, *, as_is: bool) -> DnfAdapter:
    """The host at a root."""
    from velpin.kinds.rpm_dnf.adapter import DnfAdapter

    return DnfAdapter(tree, cache, as_is=as_is)


def own_sentences() -> Mapping[str, str]:
    """What the reasons say that only this kind gives, by their codes."""
    from velpin.kinds.rpm.sentences import SENTENCES

    return SENTENCES
