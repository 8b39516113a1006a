"""Fetching an archive of recipes; a folder or archive on this machine is read where it is."""

from __future__ import annotations

import hashlib
import os
import time
from typing import TYPE_CHECKING

from velpin.errors import FetchError, HostFileError, VelpinError
from velpin.model.host import RefreshResult
from velpin.recipes.config import RecipeSource
from velpin.recipes.recipe import RecipeFormat
from velpin.recipes.stored import index_of
from velpin.store.cache import IndexCache

if TYPE_CHECKING:
    from velpin.fetch.download import Transport

_LARGEST = 256 << 20


def refresh_recipes(
    cache: IndexCache, source: RecipeSource, form: RecipeFormat, transport: Transport
) -> RefreshResult:
    """Fetch one source of recipes; a failure is returned, never raised, and changes nothing."""
    result = RefreshResult(source.handle, "unchanged")
    try:
        if source.local is None:
            _fetch(cache, source, form, transport, result)
        elif not os.path.exists(source.local):
            raise FetchError(f"{source.local}: no such folder or archive")
    except VelpinError as problem:
        result.outcome, result.error = "failed", problem
    return result


def _fetch(
    cache: IndexCache,
    source: RecipeSource,
    form: RecipeFormat,
    transport: Transport,
    result: RefreshResult,
) -> None:
    known = cache.fetched(source.address, source.release)
    place = cache.place(source.address, source.release)
    validators = known.remote if known and known.folder == place.folder else {}
    target = place.path("recipes.new")
    got = transport.get(
        source.address, target, label=source.handle, most=_LARGEST, validators=validators
    )
    if not got.fresh and known:
        known.fetched = time.time()
        cache.keep(known)
        return
    result.bytes += got.size
    digest = hashlib.sha256(target.read_bytes()).hexdigest()[:20]
    last = source.address.rpartition("/")[2] or "recipes"
    name = f"{digest}-{last}"
    target.replace(place.path(name))
    try:
        index_of(cache, place.path(name), form)
    except HostFileError as problem:
        place.path(name).unlink(missing_ok=True)
        raise FetchError(f"{source.address}: {problem.what}") from problem
    result.outcome = "unchanged" if known and known.release_file == name else "new"
    place.release_file, place.indexes = name, {"recipes": name}
    place.remote, place.fetched = got.validators, time.time()
    cache.keep(place)
