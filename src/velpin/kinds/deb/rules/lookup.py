"""What the words of a rule mean on one host: sources by handle, packages by name or glob."""

from __future__ import annotations

import fnmatch
import re
from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import lru_cache

from velpin.errors import Refusal
from velpin.files.text import beginning_with, plain_start
from velpin.kinds.deb.choice import DebPackage, DebVersion
from velpin.kinds.deb.preferences import (
    expression,
    expression_matches,
    is_pattern,
    version_matches,
)
from velpin.kinds.deb.sources import DebSource
from velpin.kinds.deb.state import DebState
from velpin.model.rule import Keep, Rule
from velpin.ports.configuration import find_source

PRE_RELEASE = (
    "/(^|[^a-z])(alpha|beta|rc|pre|preview|dev|snapshot|nightly|canary)([^a-z]|$)/"
)  # fmt: skip
"""Versions that are not final, as a version in a record selects them."""
_FAST = re.compile(
    r"(^|[^a-z])(alpha|beta|rc|pre|preview|dev|devel|snapshots?|nightly|canary|edge|unstable|"
    r"testing|experimental|candidate|fast)([^a-z]|$)"
)
"""Names of components whose versions are not final."""


def sources_meant(state: DebState, text: str) -> list[DebSource]:
    """The sources a handle, a repository's name or a glob means.

    Raises Refusal where there is none, with names like it.
    """
    found = [s for s in state.configuration.sources if text in (s.handle, s.repository)]
    if is_pattern(text):
        found = [s for s in state.configuration.sources if fnmatch.fnmatchcase(s.handle, text)]
    exact = [source for source in found if source.handle == text]
    return exact or found or [find_source(state.configuration.by_handle, text)]


def handles_meant(state: DebState, texts: Iterable[str]) -> list[str]:
    """The handles that some texts mean together."""
    return list(dict.fromkeys(s.handle for text in texts for s in sources_meant(state, text)))


def is_there(state: DebState, *texts: str) -> bool:
    """Whether every source that some texts mean is on this host."""
    try:
        handles_meant(state, [text for text in texts if text])
    except Refusal:
        return False
    return True


def split_name(text: str) -> tuple[str, str]:
    """A name or glob of a rule, and its architecture, empty for all."""
    name, _, arch = text.rpartition(":")
    return (name, arch) if name else (arch, "")


def in_records(text: str) -> str:
    """A name or glob as a record has it: without an architecture it means all of them."""
    return text if split_name(text)[1] or text == "*" else f"{text}:any"


def names_meant(state: DebState, texts: Sequence[str], *, of: str = "") -> list[str]:
    """Names that some names or globs mean: offered or installed; with `of`, offered by that
    source (a handle)."""
    wanted = dict.fromkeys(split_name(text)[0] for text in texts)
    patterns = [text for text in wanted if is_pattern(text)]
    exact = [text for text in wanted if not is_pattern(text)]
    if of:
        names = names_of(state, of) if exact else frozenset()
        found = {text for text in exact if text in names}
    else:
        found = {text for text in exact if state.packages.named(text)}
    for pattern in patterns:
        if not of:
            found.update(_matching(state.recorded.installed_names(), pattern))
        for origin, index in state.indexes.opened:
            if not of:
                near = _matching(index.names(), pattern)
                found.update(
                    name for name in near if state.configuration.takes(origin.source, name)
                )
            elif origin.source == of:
                found.update(_matching(index.names(), pattern))
    return sorted(found)


def _matching(names: Sequence[str], pattern: str) -> Iterator[str]:
    """Those of some names, in byte order and of small letters, that a pattern means."""
    fits = expression(pattern)
    if pattern.startswith("/"):  # perhaps a regular expression
        return filter(fits, names)
    return filter(fits, beginning_with(names, plain_start(pattern).lower()))


def is_meant(texts: Iterable[str], name: str) -> bool:
    """Whether a name is one of some names or globs."""
    return meant_by(tuple(texts))(name)


@lru_cache(maxsize=64)
def meant_by(texts: tuple[str, ...]) -> Callable[[str], bool]:
    """What tells of many names whether each is one of some names or globs."""
    wanted = [split_name(text)[0] for text in texts]
    exact = frozenset(text for text in wanted if not is_pattern(text))
    globs = [expression(text) for text in wanted if is_pattern(text)]
    if not globs:
        return exact.__contains__
    if not exact and len(globs) == 1:
        return globs[0]
    return lambda name: name in exact or any(fits(name) for fits in globs)


def names_of(state: DebState, handle: str) -> frozenset[str]:
    """Every name that one source that is on offers."""
    found = state.indexes.names_by_source.get(handle)
    if found is None:
        lists = [index.names() for origin, index in state.indexes.opened if origin.source == handle]
        found = state.indexes.names_by_source[handle] = frozenset().union(*lists)
    return found


def packages_meant(state: DebState, rule: Rule) -> Iterator[DebPackage]:
    """The packages that a rule mentions."""
    archs = {name: arch for name, arch in map(split_name, rule.names) if arch}
    if isinstance(rule, Keep):
        names = sorted(filter(meant_by(rule.names), state.recorded.installed_names()))
    else:
        names = names_meant(state, rule.names)
    for name in names:
        for package in state.packages.named(name).values():
            if archs.get(name, package.arch) == package.arch:
                yield package


def is_of(version: DebVersion, handle: str) -> bool:
    """Whether a source has a version."""
    return any(held.origin.source == handle for held in version.holders)


def fits(rule: Rule, version: DebVersion) -> bool:
    """Whether a version is one that a pin asks for."""
    if rule.version and not version_matches(rule.version, version.text):
        return False
    return not rule.source or is_of(version, rule.source)


def is_pre_release(version: str) -> bool:
    """Whether a version says that it is not final."""
    return expression_matches(PRE_RELEASE, version)


def unfinished_names(state: DebState, handle: str) -> set[str]:
    """Names of which a source has a version that says that it is not final."""
    return {
        name.decode()
        for origin, index in state.indexes.opened
        if origin.source == handle
        for name, _, _, _, version, _ in index.columns(0)
        if is_pre_release(version.decode())
    }


def fast_components(state: DebState, source: DebSource) -> list[str]:
    """Components of a source that hold what is not final, beside others that do not."""
    components = dict.fromkeys(origin.component for origin, _ in state.indexes.origins_of(source))
    fast = [component for component in components if _FAST.search(component)]
    return fast if len(fast) < len(components) else []
