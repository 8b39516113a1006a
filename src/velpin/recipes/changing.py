"""What adding, switching and dropping a source of recipes would write: one small file."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from velpin.change.plan import Plan
from velpin.errors import Refusal, UsageError, VelpinError
from velpin.files.tree import Tree
from velpin.model.shell import shell_word
from velpin.recipes.config import RecipeSource, file_of, read_sources, text_of
from velpin.recipes.fetching import refresh_recipes
from velpin.recipes.reasons import NoRecipesThere, RecipesFound
from velpin.recipes.stored import index_of, path_of

if TYPE_CHECKING:
    from collections.abc import Iterable

    from velpin.fetch.download import Transport
    from velpin.model.source import Source
    from velpin.ports.bundle import Ports

_NAME = re.compile(r"[A-Za-z0-9][A-Za-z0-9._+-]*\Z")


def plan_add(
    ports: Ports, sources: Iterable[Source], handle: str, address: str, transport: Transport
) -> Plan:
    """What adding a source of recipes would write; it is read before anything is written.

    Raises UsageError for a name or address that is none, Refusal where the name is taken.
    """
    form = ports.recipes.format
    if not _NAME.match(handle):
        raise UsageError(f"{handle!r} cannot be a name", "velpin add NAME --recipes ADDRESS")
    if urlsplit(address).scheme in ("", "file"):
        address = str(Path(urlsplit(address).path).absolute())
    plan = Plan(f"velpin add {shell_word(handle)} --recipes", f"add source of recipes {handle}")
    plan.handles = [handle]
    plan.propose(ports.tree, {file_of(handle): text_of(address)})
    if plan.unchanged:
        return plan
    for source in sources:
        if source.handle == handle:
            raise Refusal(
                f"{handle} is the name of another source ({source.places[0]})",
                "give this one another name",
            )
    added = next(
        source
        for source in read_sources(ports.tree.with_edits(plan.edits))[0]
        if source.handle == handle
    )
    result = refresh_recipes(ports.view.cache, added, form, transport)
    if result.error:
        plan.error = result.error
        return plan
    try:
        path = path_of(ports.view.cache, added)
        count = index_of(ports.view.cache, path, form).count if path else 0
    except VelpinError as problem:
        plan.error = problem
        return plan
    if not count:
        plan.findings.append(NoRecipesThere(source=handle, what=form.described))
    else:
        plan.notes.append(RecipesFound(source=handle, count=count))
    return plan


def plan_switch(tree: Tree, source: RecipeSource, on: bool) -> Plan:
    """What switching a source of recipes on or off would write."""
    word = "on" if on else "off"
    plan = Plan(f"velpin {word} {source.handle}", f"switch {source.handle} {word}")
    plan.handles = [source.handle]
    edits = {source.file: text_of(source.address, on=on)} if source.on != on else {}
    plan.propose(tree, edits)
    return plan


def plan_drop(tree: Tree, source: RecipeSource) -> Plan:
    """What taking a source of recipes away would write."""
    plan = Plan(
        f"velpin drop {shell_word(source.handle)}", f"drop source of recipes {source.handle}"
    )
    plan.handles = [source.handle]
    plan.propose(tree, {source.file: None})
    return plan
