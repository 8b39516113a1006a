"""Small faults in Python code: one swapped comparison, one dropped condition, one order reversed."""

from __future__ import annotations

import ast
from collections.abc import Callable, Iterator
from typing import NamedTuple

_COMPARE: dict[type[ast.cmpop], type[ast.cmpop]] = {
    ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq,
    ast.NotEq: ast.Eq, ast.In: ast.NotIn, ast.NotIn: ast.In, ast.Is: ast.IsNot, ast.IsNot: ast.Is,
}  # fmt: skip
_CALLS = {"any": "all", "all": "any", "min": "max", "max": "min"}
_UNWRAPPED = ("reversed", "sorted")
_SIGNS: dict[type[ast.operator], type[ast.operator]] = {ast.Add: ast.Sub, ast.Sub: ast.Add}
_LOOPS = (ast.Break, ast.Continue)


class Fault(NamedTuple):
    """One fault, not yet made: the `at`-th node of the module in walking order."""

    at: int
    variant: str
    line: int
    lines: frozenset[int]
    """The lines of its statement, or of its function where that is told by them alone: a test that
    comes by one of them may notice it."""
    function: str
    """The innermost function around it, "" where it is done when the module is read."""
    behind: frozenset[int] = frozenset()
    """The first lines of what its condition decides about."""


class Mutant(NamedTuple):
    """A fault that was made."""

    what: str
    text: str


def faults(text: str) -> Iterator[Fault]:
    """Every fault of these kinds in a module's text, in the order of the code."""
    tree = ast.parse(text)
    around, statements, passed_over = _functions(tree), _statements(tree), _passed_over(tree)
    by_function, behind = _said_by_the_function(tree), _behind(tree)
    for at, node in enumerate(ast.walk(tree)):
        for variant in _variants(node) if node not in passed_over else ():
            line = node.target.lineno if isinstance(node, ast.comprehension) else _line(node)
            lines = by_function.get(node) or statements[line]
            yield Fault(
                at, variant, line, lines, around.get(line, ""), behind.get(line, frozenset())
            )


def mutant(text: str, fault: Fault) -> Mutant:
    """The module with a fault in it."""
    tree = ast.parse(text)
    node = next(one for place, one in enumerate(ast.walk(tree)) if place == fault.at)
    what = _VARIANTS[fault.variant](node)
    return Mutant(what, ast.unparse(tree))


def _line(node: ast.AST) -> int:
    line: int = getattr(node, "lineno", 0)
    return line


def _passed_over(tree: ast.Module) -> set[ast.AST]:
    """What says something to readers and tools alone: what is there for types, how a class is
    made, that two lists have the same length."""
    found: set[ast.AST] = set()
    for node in ast.walk(tree):
        if isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING":
            found.update(ast.walk(node))
        elif isinstance(node, (ast.FunctionDef, ast.ClassDef)):
            found.update(each for one in node.decorator_list for each in ast.walk(one))
        elif isinstance(node, ast.keyword) and node.arg == "strict":
            found.add(node.value)
    return found


def _said_by_the_function(tree: ast.Module) -> dict[ast.AST, frozenset[int]]:
    """The lines of the function for what is not done on lines of its own: the defaults of its
    parameters, `break` and `continue`."""
    found: dict[ast.AST, frozenset[int]] = {}
    for node in ast.walk(tree):  # from the outside in
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            lines = frozenset(range(node.body[0].lineno, (node.end_lineno or 0) + 1))
            given = [*node.args.defaults, *filter(None, node.args.kw_defaults)]
            loops = [each for each in ast.walk(node) if isinstance(each, _LOOPS)]
            found |= dict.fromkeys(
                [*(each for one in given for each in ast.walk(one)), *loops], lines
            )
    return found


def _behind(tree: ast.Module) -> dict[int, frozenset[int]]:
    """For the lines of each condition, those of the first statement that is done where it holds."""
    found: dict[int, frozenset[int]] = {}
    for node in ast.walk(tree):
        if isinstance(node, (ast.If, ast.While)):
            first = node.body[0]
            lines = frozenset(range(first.lineno, (first.end_lineno or first.lineno) + 1))
            found |= dict.fromkeys(range(node.test.lineno, (node.test.end_lineno or 0) + 1), lines)
    return found


def _functions(tree: ast.Module) -> dict[int, str]:
    """The innermost function around each line of a function's body."""
    found: dict[int, str] = {}
    for node in ast.walk(tree):
        if isinstance(node, (ast.FunctionDef, ast.AsyncFunctionDef)):
            found.update(dict.fromkeys(range(node.lineno, (node.end_lineno or 0) + 1), node.name))
    return found


def _statements(tree: ast.Module) -> dict[int, frozenset[int]]:
    """The lines of the innermost statement around each line; of one with a body, its head."""
    found: dict[int, frozenset[int]] = {}
    for node in ast.walk(tree):
        if isinstance(node, ast.stmt):
            body = getattr(node, "body", None)
            last = body[0].lineno - 1 if body else node.end_lineno or node.lineno
            lines = frozenset(range(node.lineno, max(last, node.lineno) + 1))
            found.update(dict.fromkeys(lines, lines))
    return found


def _variants(node: ast.AST) -> Iterator[str]:
    if isinstance(node, ast.Compare) and type(node.ops[0]) in _COMPARE:
        yield "compare"
    elif isinstance(node, ast.BoolOp):
        yield "boolean"
        yield "dropped"
        yield "first dropped"
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
    elif isinstance(node, ast.If):
        yield "condition"
    elif isinstance(node, ast.IfExp):
        yield "choice"
    elif isinstance(node, ast.comprehension) and node.ifs:
        yield "filter"
    elif isinstance(node, ast.Subscript) and _end(node) is not None:
        yield "end"
    elif isinstance(node, ast.BinOp) and type(node.op) in _SIGNS and _is_number(node.right):
        yield "sign"
    elif isinstance(node, ast.Expr) and isinstance(node.value, (ast.Call, ast.YieldFrom)):
        yield "statement"
    elif isinstance(node, _LOOPS):
        yield "loop"


def _is_number(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and type(node.value) is int


def _end(node: ast.Subscript) -> int | None:
    """0 or -1: which end of a list is taken; None where it is anything else."""
    if not isinstance(node.ctx, ast.Load):
        return None
    try:
        index = ast.literal_eval(node.slice)
    except (ValueError, TypeError):
        return None
    return index if type(index) is int and index in (0, -1) else None


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


def _first_dropped(node: ast.BoolOp) -> str:
    gone = node.values.pop(0)
    return f"without {ast.unparse(gone)[:50]}"


def _not(node: ast.UnaryOp) -> str:
    node.operand = ast.UnaryOp(ast.Not(), node.operand)
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


def _choice(node: ast.IfExp) -> str:
    old = ast.unparse(node.test)
    node.test = ast.Constant(False)
    return f"always the other: {old[:50]}"


def _filter(node: ast.comprehension) -> str:
    gone = node.ifs.pop()
    return f"without the filter {ast.unparse(gone)[:50]}"


def _other_end(node: ast.Subscript) -> str:
    end = _end(node)
    node.slice = ast.Constant(0) if end else ast.UnaryOp(ast.USub(), ast.Constant(1))
    return "the last became the first" if end else "the first became the last"


def _sign(node: ast.BinOp) -> str:
    old = type(node.op)
    node.op = _SIGNS[old]()
    return f"{old.__name__} became {_SIGNS[old].__name__}"


def _statement(node: ast.Expr) -> str:
    old, node.value = ast.unparse(node.value), ast.Constant(None)
    return f"not done: {old[:50]}"


def _loop(node: ast.stmt) -> str:
    other = ast.Continue if isinstance(node, ast.Break) else ast.Break
    old = type(node).__name__
    node.__class__ = other
    return f"{old} became {other.__name__}"


_VARIANTS: dict[str, Callable[..., str]] = {
    "compare": _compare, "boolean": _boolean, "dropped": _dropped, "first dropped": _first_dropped,
    "not": _not, "call": _call, "unwrapped": _unwrapped, "reverse": _reverse,
    "constant": _constant, "condition": _condition, "choice": _choice, "filter": _filter,
    "end": _other_end, "sign": _sign, "statement": _statement, "loop": _loop,
}  # fmt: skip
