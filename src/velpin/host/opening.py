"""Opening a host."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.core.access import Access, Progress
from velpin.files.tree import Tree
from velpin.host.host import Host
from velpin.kinds import open_ports
from velpin.ports.view import View
from velpin.store.cache import IndexCache, open_cache

if TYPE_CHECKING:
    from velpin.ports.bundle import Ports

_RECIPES = "etc/velpin/recipes"


def open_host(
    root: Path | str = "/",
    *,
    as_is: bool = False,
    store: Path | str | None = None,
    ready_only: bool = False,
    on_wait: Callable[[], None] | None = None,
    progress: Progress | None = None,
) -> Host:
    """The host at a root folder. Nothing is changed by opening it.

    `store` is the folder for fetched and parsed indexes where that is not to be below the root.
    `as_is` uses only the indexes that the host's installer has now, not newer ones of Velpin's;
    `ready_only` only those that are parsed already: the rest counts as unreadable.
    `on_wait` is called once where another Velpin has to be waited for, `progress` while files
    are fetched. Raises NotAHost where no kind of host recognises the root.
    """
    tree = Tree(Path(root))
    if store is None:
        cache = open_cache(tree, ready_only=ready_only)
    else:
        cache = IndexCache([Path(store)], ready_only=ready_only)
    ports = open_ports(View(tree, cache, as_is))
    made = _host_class(ports)
    return made(ports, Access(on_wait, progress))


def _host_class(ports: Ports) -> type[Host]:
    """Sources of build recipes are looked after only on a host that has any."""
    if not ports.tree.exists(_RECIPES):
        return Host
    from velpin.recipes.config import has_recipes
    from velpin.recipes.host import RecipeHost

    return RecipeHost if has_recipes(ports.tree) else Host
