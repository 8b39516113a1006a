"""Small faults in Python code: one swapped comparison, one dropped condition, one order reversed."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from typing import NamedTuple

_COMPARE: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq, ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_CALLS = {"any": "all", "all": "any", "min": "max", "max": "min"}
_UNWRAPPED = ("reversed", "sorted")


class Mutant(NamedTuple):
    """One fault: the line it is on, what was done, and the whole new text."""

    line: int
    what: str
    text: str


def mutants(text: str) -> Iterator[Mutant]:
    """Every fault of these kinds in a module's text, in the order of the code."""
    for at, node in enumerate(ast.walk(ast.parse(text))):
        for variant in _variants(node):
            tree = ast.parse(text)
            target = next(one for place, one in enumerate(ast.walk(tree)) if place == at)
            what = _VARIANTS[variant](target)
            yield Mutant(getattr(node, "lineno", 0), what, ast.unparse(tree))


def _variants(node: ast.AST) -> Iterator[str]:
    if isinstance(node, ast.Compare) and type(node.ops[0]) in _COMPARE:
        yield "compare"
    elif isinstance(node, ast.BoolOp):
        yield "boolean"
        yield "dropped"
    elif isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        yield "not"
    elif isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
        if node.func.id in _CALLS:
            yield "call"
        elif node.func.id in _UNWRAPPED and node.args:
            yield "unwrapped"
    elif isinstance(node, ast.keyword) and node.arg == "reverse":
        yield "reverse"
    elif isinstance(node, ast.Constant) and isinstance(node.value, bool):
        yield "constant"
    elif isinstance(node, ast.If) and not node.orelse:
        yield "condition"


def _compare(node: ast.Compare) -> str:
    old = type(node.ops[0])
    node.ops[0] = _COMPARE[old]()
    return f"{old.__name__} became {_COMPARE[old].__name__}"


def _boolean(node: ast.BoolOp) -> str:
    was_and = isinstance(node.op, ast.And)
    node.op = ast.Or() if was_and else ast.And()
    return "and became or" if was_and else "or became and"


def _dropped(node: ast.BoolOp) -> str:
    gone = node.values.pop()
    return f"without {ast.unparse(gone)[:50]}"


def _not(node: ast.UnaryOp) -> str:
    node.operand = ast.Call(ast.Name("bool", ast.Load()), [node.operand], [])
    node.operand = ast.UnaryOp(ast.Not(), ast.UnaryOp(ast.Not(), node.operand))
    node.op = ast.Not()
    node.operand = node.operand.operand
    return "not dropped"


def _call(node: ast.Call) -> str:
    assert isinstance(node.func, ast.Name)
    old = node.func.id
    node.func.id = _CALLS[old]
    return f"{old} became {_CALLS[old]}"


def _unwrapped(node: ast.Call) -> str:
    assert isinstance(node.func, ast.Name)
    old, node.func.id, node.keywords = node.func.id, "list", []
    return f"without {old}"


def _reverse(node: ast.keyword) -> str:
    node.value = ast.UnaryOp(ast.Not(), node.value)
    return "the other way round"


def _constant(node: ast.Constant) -> str:
    node.value = not node.value
    return f"{not node.value} became {node.value}"


def _condition(node: ast.If) -> str:
    old = ast.unparse(node.test)
    node.test = ast.Constant(False)
    return f"never: if {old[:50]}"


_VARIANTS = {
    "compare": _compare, "boolean": _boolean, "dropped": _dropped, "not": _not, "call": _call,
    "unwrapped": _unwrapped, "reverse": _reverse, "constant": _constant, "condition": _condition,
}  # fmt: skip
