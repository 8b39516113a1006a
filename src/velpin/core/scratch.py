"""A host with a store of its own for one question: what is fetched for it is kept nowhere."""

from __future__ import annotations

import tempfile
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING

from velpin.store.cache import IndexCache

if TYPE_CHECKING:
    from collections.abc import Iterator

    from velpin.ports.bundle import Ports


@contextmanager
def with_scratch_store(ports: Ports) -> Iterator[Ports]:
    """The same host, where what Velpin writes to its store goes when the question is answered.

    A host that is looked at as it is has none of Velpin's own indexes in that store either.
    """
    view = ports.view
    with tempfile.TemporaryDirectory(prefix="velpin-") as folder:
        cache = IndexCache([Path(folder), *([] if view.as_is else view.cache.folders)])
        yield ports.seen(view.with_store(cache))
