"""The kinds of host Velpin knows: each a module as `velpin.kinds.base.Kind` says."""

from __future__ import annotations

import sys
from collections.abc import Iterator, Mapping
from importlib import import_module
from typing import TYPE_CHECKING, cast

from velpin.errors import NotAHost
from velpin.tree import Tree

if TYPE_CHECKING:
    from velpin.kinds.base import Host, Kind
    from velpin.store.shelf import Shelf

KINDS = ("velpin.kinds.rpm_zypp", "velpin.kinds.rpm_dnf", "velpin.kinds.alpm", "velpin.kinds.deb")
"""Modules of the kinds, in the order in which they are asked."""


def open_host(tree: Tree, shelf: Shelf, *, as_is: bool = False) -> Host:
    """The host at a root; NotAHost where no kind recognises it.

    Installers of other kinds leave settings of their own on a host: where several kinds
    recognise it, it is of the first of which packages are installed.
    """
    found = [kind for kind in _kinds() if kind.recognises(tree)]
    if len(found) > 1:
        found = [kind for kind in found if kind.has_packages(tree)] or found
    if not found:
        raise NotAHost(
            f"{tree.root} is not the root of a host that Velpin knows",
            "give the host's root with --root DIR; known kinds: "
            + ", ".join(name.rpartition(".")[2] for name in KINDS),
        )
    host = found[0].open_host(tree, shelf, as_is=as_is)
    return _with_recipes(host) if tree.exists("etc/velpin/recipes") else host


def sentences() -> Iterator[Mapping[str, str]]:
    """What the reasons of each kind say, by their codes, of the kind in use first; those of a
    kind are read when it is its turn."""
    for name in sorted(KINDS, key=lambda name: f"{name}.host" not in sys.modules):
        kind = cast("Kind", import_module(name))
        yield import_module(kind.SENTENCES).SENTENCES


def _kinds() -> Iterator[Kind]:
    return (cast("Kind", import_module(name)) for name in KINDS)


def _with_recipes(host: Host) -> Host:
    """A host together with its sources of build recipes, where it has any."""
    from velpin.recipes.config import has_recipes
    from velpin.recipes.host import with_recipes

    return with_recipes(host) if has_recipes(host.tree) else host
