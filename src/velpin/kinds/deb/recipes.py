"""Recipes of deb hosts: `.dsc` files, and the `Sources` lists that hold many of them.

A stanza names what is built (`Binary`), its version, and what building needs
(`Build-Depends` and its kin). Restrictions to architectures are held against the host's own;
of restrictions to build profiles only what holds without any profile counts (the
distribution's policy manual, component "Relationships between source and binary packages").
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence

from velpin.errors import HostFileError
from velpin.files.text import decode
from velpin.kinds.deb import choice
from velpin.kinds.deb.control import parse_stanza
from velpin.kinds.deb.engine.world import Target
from velpin.kinds.deb.relations import satisfies
from velpin.kinds.deb.state import DebState
from velpin.ports.recipes import Recipes
from velpin.recipes.recipe import Recipe, RecipeNeed, Satisfier

_NEEDS = ("build-depends", "build-depends-indep", "build-depends-arch")
_LISTS = re.compile(r"Sources(\.(gz|xz|bz2|zst|lz4))?\Z|.*_Sources(\.\w+)?\Z")
_ALTERNATIVE = re.compile(
    r"\s*([^\s:(\[<|,]+)(?::[a-z0-9-]+)?\s*(?:\(\s*(<<|<=|>=|>>|=|<|>)\s*([^)\s]+)\s*\))?"
    r"\s*(?:\[([^\]]*)\])?\s*((?:<[^>]*>\s*)*)$"
)
_STRICT = {"<": "<<", ">": ">>"}
_TARGET = re.compile(
    r"\s*([^\s:(\[<>=|,]+)(?::[a-z0-9-]+)?\s*\(?\s*(?:(<<|<=|>=|>>|=|<|>)\s*([^)\s]+))?\s*\)?\s*$"
)


class SourceControl:
    """The format of recipes of deb hosts, as one architecture reads it."""

    described = ".dsc files and Sources lists"

    def __init__(self, arch: str) -> None:
        self._arch = arch

    def is_recipe(self, file: str) -> bool:
        """Whether a file is one of recipes, by its name."""
        return file.endswith(".dsc") or _LISTS.match(file) is not None

    def head_of(self, file: str) -> int | None:
        """How many bytes at the start of a file tell all: the whole."""
        return None

    def read(self, data: bytes, file: str) -> Sequence[Recipe]:
        """The recipes of a file; HostFileError where it is none."""
        return list(self._read(data, file))

    def _read(self, data: bytes, file: str) -> Iterator[Recipe]:
        for raw in re.split(rb"\n\s*\n", _unsigned(data.replace(b"\r", b""))):
            fields = parse_stanza(raw)
            if not raw.strip() or "binary" not in fields:
                continue
            if not fields.get("version"):
                raise HostFileError(file, 0, f"{fields['binary']}: no version")
            yield from self._recipes(fields, file)

    def _recipes(self, fields: dict[str, str], file: str) -> Iterator[Recipe]:
        archs = dict(_listed(fields.get("package-list", "")))
        base = fields.get("package") or fields.get("source") or ""
        common = tuple(fields.get("architecture", "any").split())
        needs = [
            RecipeNeed("builds", text)
            for name in _NEEDS
            for part in fields.get(name, "").split(",")
            if (text := self._kept(part))
        ]
        for name in re.split(r"[,\s]+", fields["binary"]):
            if name:
                yield Recipe(
                    name, fields["version"], archs.get(name, common), base,
                    needs=tuple(dict.fromkeys(needs)), file=file,
                )  # fmt: skip

    def _kept(self, relation: str) -> str:
        """A relation without the alternatives that do not count here."""
        found = []
        for part in relation.split("|"):
            match = _ALTERNATIVE.match(" ".join(part.split()))
            if match and self._counts(match.group(4) or "", match.group(5) or ""):
                name, operator, version = match.group(1, 2, 3)
                found.append(f"{name} ({operator} {version})" if operator else name)
        return " | ".join(found)

    def _counts(self, archs: str, profiles: str) -> bool:
        words = archs.split()
        if words:
            here = [word for word in words if _arch_fits(word.removeprefix("!"), self._arch)]
            if any(word.startswith("!") for word in words) == bool(here):
                return False
        formulas = re.findall(r"<([^>]*)>", profiles)
        return not formulas or any(
            all(word.startswith("!") for word in formula.split()) for formula in formulas
        )

    def bound(self, name: str, operator: str, version: str) -> str:
        """The relation that a name within a bound is; strict ones are written twice."""
        return f"{name} ({_STRICT.get(operator, operator)} {version})"

    def names(self, relation: str) -> Sequence[str]:
        """Names that may meet a relation."""
        return [target.name for target in targets(relation)]

    def meets(self, recipe: Recipe, relation: str) -> bool:
        """Whether what a recipe builds meets a relation."""
        return any(
            target.name == recipe.name and satisfies(recipe.version, target)
            for target in targets(relation)
        )

    def fits(self, recipe: Recipe, arch: str) -> bool:
        """Whether a recipe can be built for an architecture."""
        return any(word == "all" or _arch_fits(word, arch) for word in recipe.archs)


def targets(relation: str) -> list[Target]:
    """The alternatives of a relation, its bounds with or without brackets."""
    found = []
    for part in relation.split("|"):
        match = _TARGET.match(part)
        if match:
            name, operator, version = match.group(1, 2, 3)
            found.append(Target(name.lower(), "", operator or "", version or ""))
    return found


class DebRecipes(Recipes):
    """Build recipes for a deb host."""

    def __init__(self, state: DebState) -> None:
        self._state = state

    @property
    def format(self) -> SourceControl:
        """How recipes are written for this kind of host."""
        return SourceControl(self._state.configuration.native)

    def satisfier(self, relation: str) -> Satisfier | None:
        """What meets a relation here: what is installed before what could be, of alternatives the
        first; a package of the name before one that provides it."""
        wanted = targets(relation)
        for installed in (True, False):
            for target in wanted:
                for name in (target.name, *self._state.packages.provider_names(target.name)):
                    for package in self._state.packages.named(name).values():
                        version = package.installed if installed else choice.candidate(package)
                        if version is not None and _meets(self._state, name, version, target):
                            source = "" if version.installed else version.source
                            return Satisfier(name, version.text, source)
        return None


def _meets(state: DebState, name: str, version: choice.DebVersion, target: Target) -> bool:
    if name == target.name:
        return satisfies(version.text, target)
    provided = state.packages.provides(
        version, state.configuration.native, state.configuration.native
    )
    if target.name not in provided:
        return False
    at = provided[target.name]
    return not target.operator or (bool(at) and satisfies(at, target))


def _unsigned(data: bytes) -> bytes:
    """A stanza without the signature around it."""
    text = decode(data)
    if text.startswith("-----BEGIN PGP SIGNED MESSAGE-----"):
        _, _, text = text.partition("\n\n")
        text = text.partition("-----BEGIN PGP SIGNATURE-----")[0]
    return text.encode("utf-8", "surrogateescape")


def _listed(text: str) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Names of a Package-List with the architectures each is built for."""
    for line in text.split("\n"):
        words = line.split()
        for word in words[4:]:
            if word.startswith("arch="):
                yield words[0], tuple(word.removeprefix("arch=").split(","))


def _arch_fits(word: str, arch: str) -> bool:
    """Whether an architecture is one that a word means; wildcards name a part of it."""
    return word in (arch, "any", f"any-{arch}", "linux-any", f"linux-{arch}")
