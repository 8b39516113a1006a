"""How the code is divided, in figures: python -m tests.house prints them, guards hold them.

Members are counted as a reader meets them: with those that a class inherits. What is only there for
annotations ties no two modules when they run, but it is counted apart.
"""

from __future__ import annotations

import ast
from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from pathlib import Path
from typing import NamedTuple

SOURCE = Path(__file__).parents[1] / "src" / "velpin"
MODULES = {
    str(p.relative_to(SOURCE.parent).with_suffix("")).replace("/", ".").removesuffix(".__init__"): p
    for p in sorted(SOURCE.rglob("*.py"))
}
PORTS = "velpin.ports."
MOST_PUBLIC, MOST_OF_A_PORT, MOST_OF_A_GROUP = 25, 10, 15


class Class(NamedTuple):
    """A class: its module, its own members, those without which it is abstract, its bases."""

    module: str
    own: frozenset[str]
    abstract: frozenset[str]
    bases: tuple[str, ...]
    is_port: bool


@cache
def parsed(path: Path) -> ast.Module:
    return ast.parse(path.read_text())


@cache
def imports(module: str, *, types: bool) -> frozenset[str]:
    """Modules that a module imports, wherever the import stands; with `types` also those that are
    only there for annotations."""
    found: set[str] = set()
    for node in parsed(MODULES[module]).body:
        if not types and isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING":
            continue
        for inner in ast.walk(node):
            if isinstance(inner, ast.Import):
                found |= {alias.name for alias in inner.names}
            elif isinstance(inner, ast.ImportFrom) and inner.module:
                for alias in inner.names:
                    whole = f"{inner.module}.{alias.name}"
                    found.add(whole if whole in MODULES else inner.module)
    return frozenset(found & MODULES.keys() - {module})


def circles(*, types: bool) -> list[list[str]]:
    """Modules that import each other, each set of them sorted."""
    reach = {module: _reached(module, types=types) for module in MODULES}
    found = {
        tuple(sorted(other for other in reach[module] if module in reach[other]))
        for module in MODULES
        if module in reach[module]
    }
    return sorted(map(list, found))


def _reached(module: str, *, types: bool) -> set[str]:
    found: set[str] = set()
    waiting = list(imports(module, types=types))
    while waiting:
        here = waiting.pop()
        if here not in found:
            found.add(here)
            waiting += imports(here, types=types)
    return found


def imports_inside() -> dict[str, int]:
    """Modules with imports of Velpin inside functions, and how many functions have one."""
    found: dict[str, int] = {}
    for module, path in MODULES.items():
        count = sum(
            any(
                isinstance(inner, ast.ImportFrom) and (inner.module or "").startswith("velpin")
                for inner in ast.walk(node)
            )
            for node in ast.walk(parsed(path))
            if isinstance(node, ast.FunctionDef)
        )
        if count:
            found[module] = count
    return found


# -- classes -------------------------------------------------------------------------------


@cache
def classes() -> Mapping[str, Class]:
    """Every class by its name."""
    return {
        node.name: _class(module, node)
        for module, path in MODULES.items()
        for node in ast.walk(parsed(path))
        if isinstance(node, ast.ClassDef)
    }


def _class(module: str, node: ast.ClassDef) -> Class:
    own, abstract = set(), set()
    for each in node.body:
        own |= set(_named(each))
        if isinstance(each, ast.FunctionDef):
            marks = {ast.unparse(mark) for mark in each.decorator_list}
            is_bare = len(each.body) == 1 and isinstance(each.body[0], ast.Expr)
            if "abstractmethod" in marks or (is_bare and module.startswith(PORTS)):
                abstract.add(each.name)
            if each.name == "__init__":
                own |= set(_set_on_self(each))
    bases = tuple(ast.unparse(base).split("[")[0].rpartition(".")[2] for base in node.bases)
    is_port = module.startswith(PORTS) and "Protocol" in bases and node.name not in ("Kind", "Look")
    return Class(module, frozenset(own), frozenset(abstract), bases, is_port)


def _named(node: ast.stmt) -> Iterator[str]:
    if isinstance(node, ast.FunctionDef):
        yield node.name
    elif isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name):
        yield node.target.id
    elif isinstance(node, ast.Assign):
        yield from (target.id for target in node.targets if isinstance(target, ast.Name))


def _set_on_self(node: ast.FunctionDef) -> Iterator[str]:
    for inner in ast.walk(node):
        is_set = isinstance(inner, ast.Attribute) and isinstance(inner.ctx, ast.Store)
        if is_set and ast.unparse(inner).startswith("self."):
            yield inner.attr


def members(name: str) -> set[str]:
    """All public members of a class, inherited ones too."""
    if name not in classes():
        return set()
    found = {member for member in classes()[name].own if not member.startswith("_")}
    return found.union(*(members(base) for base in classes()[name].bases))


def ports() -> dict[str, set[str]]:
    """The ports, each with its members."""
    return {name: members(name) for name, each in classes().items() if each.is_port}


def needed_of_a_kind() -> int:
    """Members that a kind has to implement for all ports together: the others have a default."""
    return sum(len(each.abstract) for each in classes().values() if each.is_port)


def larger_than(most: int) -> dict[str, int]:
    """Classes with more public members."""
    return {name: len(members(name)) for name in classes() if len(members(name)) > most}


def lines(paths: Iterable[Path]) -> int:
    return sum(len(path.read_text().splitlines()) for path in paths)


def main() -> None:
    """Print all figures."""
    print(f"{lines(MODULES.values())} lines in {len(MODULES)} modules")
    print(f"circles of imports at run time: {circles(types=False) or 'none'}")
    print(f"circles with annotations: {circles(types=True) or 'none'}")
    print(f"modules with imports inside functions: {len(imports_inside())}")
    print(f"ports: {len(ports())}, the largest of {max(map(len, ports().values()))} members")
    print(f"members that a kind must implement: {needed_of_a_kind()}")
    print(f"classes over {MOST_PUBLIC} public members: {larger_than(MOST_PUBLIC) or 'none'}")


if __name__ == "__main__":
    main()
