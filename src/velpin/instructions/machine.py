"""Goes through the statements of a shell text, one after another, on an imagined host.

Statements are told apart by a parser of the shell's grammar; no process is started. A condition
that cannot be decided is answered by the `Ways` that are being tried, so that each run is one way
through the text.
"""

from __future__ import annotations

import posixpath
import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cache
from typing import TYPE_CHECKING, NamedTuple

from velpin.errors import FetchError, HostFileError, TrustError, VelpinError
from velpin.instructions import words
from velpin.instructions.arithmetic import NotKnown, worked_out
from velpin.instructions.conditions import decided
from velpin.instructions.data import (
    NOT_KNOWN,
    NOTHING,
    Data,
    Effect,
    Fetch,
    Overlay,
    Spot,
    joined,
)
from velpin.instructions.words import UNKNOWN, is_known

if TYPE_CHECKING:
    from tree_sitter import Node

MOST_STEPS = 20_000
"""Commands of one way through a text."""
MOST_ROUNDS = 2_000
"""Of one loop."""
MOST_DEPTH = 40
"""Functions, scripts and substitutions inside each other."""
MOST_SCRIPT = 1 << 20
MOST_WORK = 64 << 20
"""Characters that the commands of one way read."""
MOST_EFFECTS = 1_000
"""Lines with an effect, and files that are written."""


class Result(NamedTuple):
    """How a command ended and what it printed."""

    status: int | None = 0
    """None where that cannot be known."""
    out: Data = NOTHING


class Call(NamedTuple):
    """A command with its words."""

    words: Sequence[str]
    stdin: Data
    spot: Spot

    @property
    def name(self) -> str:
        """The command's own name."""
        return posixpath.basename(self.words[0])

    @property
    def args(self) -> Sequence[str]:
        """Its words behind the name."""
        return self.words[1:]


Command = Callable[["Machine", Call], Result]


class _Leave(Exception):
    def __init__(self, status: int | None = 0, out: Data = NOTHING) -> None:
        self.status, self.out = status, out


class _Exit(_Leave):
    pass


class _Return(_Leave):
    pass


class _Break(_Leave):
    pass


class _Continue(_Leave):
    pass


@dataclass(slots=True)
class Ways:
    """The answers to what cannot be decided, for one run."""

    answers: list[bool] = field(default_factory=list)
    asked: list[tuple[Spot, str]] = field(default_factory=list)

    def ask(self, spot: Spot, what: str) -> bool:
        """The answer of this run; yes, for what was not asked before."""
        at = len(self.asked)
        self.asked.append((spot, what))
        if at == len(self.answers):
            self.answers.append(True)
        return self.answers[at]


@dataclass(slots=True)
class _Frame:
    """Where a text stands: its script, and the lines that its own lines have."""

    script: str
    lines: Sequence[int] = ()
    line: int = 0
    """The line of all of it, for a text inside a line."""

    def spot(self, row: int) -> Spot:
        if self.line:
            return Spot(self.line, self.script)
        return Spot(self.lines[row] if row < len(self.lines) else row + 1, self.script)


class Machine:
    """One run through a text."""

    def __init__(
        self, overlay: Overlay, fetch: Fetch, ways: Ways, commands: Mapping[str, Command], name: str
    ) -> None:
        self.overlay, self.ways = overlay, ways
        self.effects: list[Effect] = []
        self._folder = "/root"
        self.ended: int | None = None
        """The status with which the text ended itself, if it did."""
        self._fetch, self._commands, self._name = fetch, commands, name
        self._at = Spot(0)
        """The line of the statement that is gone through."""
        self._elements: dict[str, dict[str, str]] = {}
        self._outer: list[dict[str, list[str] | None]] = []
        """For each function that is gone through, what its own variables were before."""
        self._variables: dict[str, list[str]] = {
            "HOME": ["/root"], "USER": ["root"], "LOGNAME": ["root"], "EUID": ["0"], "UID": ["0"],
            "PATH": ["/usr/sbin:/usr/bin:/sbin:/bin"], "SHELL": ["/bin/bash"], "PWD": ["/root"],
            "OSTYPE": ["linux-gnu"], "IFS": [" \t\n"], "BASH_VERSION": ["5.2.0"], "?": ["0"],
        }  # fmt: skip
        self._functions: dict[str, tuple[Node, bytes, _Frame]] = {}
        self.arguments: list[str] = []
        self._frame = _Frame("")
        self._callers: list[Spot] = []
        self.steps = self._depth = self._temporary = self._work = 0

    # -- texts -----------------------------------------------------------------------------

    def run_text(self, text: str, lines: Sequence[int], arguments: Sequence[str] = ()) -> None:
        """Go through a whole text; its lines have those numbers."""
        self.arguments = list(arguments)
        self._frame = _Frame("", lines)
        try:
            self._run(text)
        except _Exit as left:
            self.ended = left.status
        except _Leave:
            pass
        except RecursionError:
            raise self._too_much(Spot(0), "stands inside itself too deeply") from None

    def inner(self, text: str, spot: Spot, stdin: Data = NOTHING) -> Result:
        """Go through a text that is handed to the same shell, by `eval` or a substitution."""
        return self._within(_Frame(spot.script, line=spot.line), text, spot, stdin)

    def script(
        self, text: str, spot: Spot, *, address: str, arguments: Sequence[str],
        stdin: Data = NOTHING, called: str = "",
    ) -> Result:  # fmt: skip
        """Go through a text that is handed to a shell of its own, which is `called` so."""
        frame = _Frame(address) if address else _Frame(spot.script, line=spot.line)
        before = self.arguments, self._variables, self._functions
        self.arguments = list(arguments)
        self._variables, self._functions = dict(self._variables), dict(self._functions)
        if called:
            self._variables["0"] = [called]
        try:
            return self._within(frame, text, spot, stdin)
        except _Exit as left:
            return Result(left.status, left.out)
        finally:
            self.arguments, self._variables, self._functions = before

    def _within(self, frame: _Frame, text: str, spot: Spot, stdin: Data) -> Result:
        if len(text) > MOST_SCRIPT:
            raise self._too_much(spot, "runs a script of more than 1 MB")
        with _Deeper(self, spot):
            before, self._frame = self._frame, frame
            try:
                return self._run(text, stdin)
            finally:
                self._frame = before

    def _run(self, text: str, stdin: Data = NOTHING) -> Result:
        try:
            source = text.encode("utf-8", "surrogateescape")
        except UnicodeEncodeError:
            source = text.encode("utf-8", "replace")
        tree, source = parsed(source)
        return self._all(tree.children, source, stdin)

    # -- statements ------------------------------------------------------------------------

    def _all(self, nodes: Sequence[Node], source: bytes, stdin: Data) -> Result:
        result, out = Result(), []
        try:
            for node in nodes:
                if node.is_named and node.type != "comment":
                    result = self._statement(node, source, stdin)
                    out.append(result.out)
        except _Leave as left:
            left.out = joined((*out, left.out))
            raise
        return Result(result.status, joined(out))

    def _statement(self, node: Node, source: bytes, stdin: Data) -> Result:
        handler = _STATEMENTS.get(node.type)
        spot = self._at = self._frame.spot(node.start_point.row)
        if handler is None or node.is_missing:
            self._not_followed(spot, _shown(_raw(node, source)))
            return Result(None)
        self.steps += 1
        if self.steps > MOST_STEPS:
            raise self._too_much(spot, f"takes more than {MOST_STEPS} steps to read")
        result = handler(self, node, source, stdin)
        self._variables["?"] = [UNKNOWN if result.status is None else str(result.status)]
        return result

    def _group(self, node: Node, source: bytes, stdin: Data) -> Result:
        if source.startswith(b"((", node.start_byte):
            return self._arithmetic(node, source)
        return self._all(node.named_children, source, stdin)

    def _arithmetic(self, node: Node, source: bytes) -> Result:
        """`(( ))` holds if its value is not 0."""
        raw = _raw(node, source).removeprefix("((").removesuffix("))")
        try:
            value = self._number(raw)
        except NotKnown:
            return Result(None)
        return Result(int(value == 0))

    def _subshell(self, node: Node, source: bytes, stdin: Data) -> Result:
        before, folder = self._variables, self._folder
        self._variables = dict(before)
        try:
            return self._all(node.named_children, source, stdin)
        except _Exit as left:
            return Result(left.status, left.out)
        finally:
            self._variables, self._folder = before, folder

    def _list(
        self, node: Node, source: bytes, stdin: Data,
        last: Callable[[Node, Data], Result] | None = None,
    ) -> Result:  # fmt: skip
        """Commands joined by `&&` and `||`; the last one is done by `last` if that is given."""
        left, operator, right = node.children[0], node.children[1], node.children[-1]
        before = len(self.effects)
        first = self._statement(left, source, stdin)
        # What is not followed is told; that it ends well is what the page expects.
        is_told = any(effect.kind == "not-followed" for effect in self.effects[before:])
        holds = is_told if first.status is None and is_told else self._holds(first, left, source)
        if holds != (operator.type == "&&"):
            return Result(0 if is_told and first.status is None else first.status, first.out)
        second = last(right, stdin) if last else self._statement(right, source, stdin)
        return Result(second.status, first.out.and_then(second.out))

    def _pipeline(self, node: Node, source: bytes, stdin: Data) -> Result:
        result = Result(0, stdin)
        for child in node.named_children:
            if child.type != "comment":
                result = self._statement(child, source, result.out)
        return result

    def _negated(self, node: Node, source: bytes, stdin: Data) -> Result:
        result = self._statement(node.named_children[0], source, stdin)
        status = None if result.status is None else int(result.status == 0)
        return Result(status, result.out)

    def _holds(self, result: Result, node: Node, source: bytes) -> bool:
        """Whether something ended well; as the way says, where that is not known."""
        if result.status is not None:
            return result.status == 0
        spot = self._frame.spot(node.start_point.row)
        return self.ways.ask(spot, _shown(_raw(node, source)))

    def _if(self, node: Node, source: bytes, stdin: Data) -> Result:
        conditions: list[Node] = []
        body: list[Node] = []
        clauses: list[Node] = []
        part = conditions
        for child in node.children:
            if child.type == "then":
                part = body
            elif child.type in ("elif_clause", "else_clause"):
                clauses.append(child)
            elif child.is_named and child.type != "comment":
                part.append(child)
        tested = self._all(conditions, source, stdin)
        if conditions and self._holds(tested, conditions[-1], source):
            done = self._all(body, source, stdin)
            return Result(done.status, tested.out.and_then(done.out))
        for clause in clauses:
            if clause.type == "else_clause":
                return self._all(clause.named_children, source, stdin)
            found = self._elif(clause, source, stdin)
            if found is not None:
                return found
        return Result(0, tested.out)

    def _elif(self, clause: Node, source: bytes, stdin: Data) -> Result | None:
        at = next(i for i, child in enumerate(clause.children) if child.type == "then")
        conditions = [child for child in clause.children[:at] if child.is_named]
        tested = self._all(conditions, source, stdin)
        if not self._holds(tested, conditions[-1], source):
            return None
        return self._all([c for c in clause.children[at:] if c.is_named], source, stdin)

    def _case(self, node: Node, source: bytes, stdin: Data) -> Result:
        subject = node.child_by_field_name("value")
        text = words.text_of(_raw(subject, source), self) if subject else ""
        items = [child for child in node.named_children if child.type == "case_item"]
        spot = self._frame.spot(node.start_point.row)
        for item in items:
            patterns = item.children_by_field_name("value")
            raws = [_raw(pattern, source) for pattern in patterns]
            fits = any(words.pattern_of(raw, self).match(text) for raw in raws)
            if not is_known(text):
                others = "*" not in raws
                fits = (
                    self.ways.ask(spot, f"{_shown(_raw(subject, source))} is {raws[0]}")
                    if (others and subject)
                    else True
                )
            if fits:
                ids = {pattern.id for pattern in patterns}
                body = [c for c in item.named_children if c.id not in ids]
                return self._all(body, source, stdin)
        return Result(0)

    def _for(self, node: Node, source: bytes, stdin: Data) -> Result:
        variable = node.child_by_field_name("variable")
        body = node.child_by_field_name("body")
        if variable is None or body is None:
            return Result(None)
        raws = [_raw(value, source) for value in node.children_by_field_name("value")]
        values = [each for raw in raws for each in words.fields(raw, self)]
        if not raws:
            values = list(self.arguments)
        return self._rounds(values, _raw(variable, source), body, source, stdin)

    def _rounds(
        self, values: Sequence[str], name: str, body: Node, source: bytes, stdin: Data
    ) -> Result:
        out: list[Data] = []
        spot = self._frame.spot(body.start_point.row)
        if len(values) > MOST_ROUNDS:
            raise self._too_much(spot, "goes round without end")
        for value in values:
            self._variables[name] = [value]
            if not self._round(body, source, stdin, out):
                break
        return Result(0, joined(out))

    def _round(self, body: Node, source: bytes, stdin: Data, out: list[Data]) -> bool:
        """Go through a loop's body once; whether the loop goes on."""
        try:
            out.append(self._statement(body, source, stdin).out)
        except _Break as left:
            out.append(left.out)
            return False
        except _Continue as left:
            out.append(left.out)
        return True

    def _while(self, node: Node, source: bytes, stdin: Data) -> Result:
        body = node.child_by_field_name("body")
        conditions = [c for c in node.children_by_field_name("condition") if c.is_named]
        if body is None or not conditions:
            return Result(None)
        spot = self._frame.spot(node.start_point.row)
        wanted = node.children[0].type != "until"
        out: list[Data] = []
        for _ in range(MOST_ROUNDS):
            tested = self._all(conditions, source, stdin)
            if tested.status is None:
                what = f"goes round as long as {_shown(_raw(conditions[0], source))}"
                self._not_followed(spot, what)
                return Result(None, joined(out))
            if (tested.status == 0) != wanted or not self._round(body, source, stdin, out):
                return Result(0, joined(out))
        raise self._too_much(spot, "goes round without end")

    def _counted(self, node: Node, source: bytes, stdin: Data) -> Result:
        """`for (( ; ; ))`: an expression before, one for each round, one behind it."""
        body = node.child_by_field_name("body")
        spot = self._frame.spot(node.start_point.row)
        head = re.match(r"for\s*\(\((.*?)\)\)", _raw(node, source), re.DOTALL)
        parts = head.group(1).split(";") if head else []
        if body is None or len(parts) != 3:
            return Result(None)
        out: list[Data] = []
        try:
            self._number(parts[0])
            for _ in range(MOST_ROUNDS):
                goes_on = not parts[1].strip() or self._number(parts[1])
                if not goes_on or not self._round(body, source, stdin, out):
                    return Result(0, joined(out))
                self._number(parts[2])
        except NotKnown:
            self._not_followed(spot, f"goes round by {_shown(parts[1])}")
            return Result(None, joined(out))
        raise self._too_much(spot, "goes round without end")

    def _number(self, raw: str) -> int:
        """The value of an arithmetic expression; NotKnown if it cannot be worked out."""
        return worked_out(words.text_of(f'"{raw}"', self), self.value, self.assign)

    def _function(self, node: Node, source: bytes, stdin: Data) -> Result:
        name, body = node.child_by_field_name("name"), node.child_by_field_name("body")
        if name is not None and body is not None:
            self._functions[_raw(name, source)] = (body, source, self._frame)
        return Result()

    def _assignment(self, node: Node, source: bytes, stdin: Data) -> Result:
        name, value = node.child_by_field_name("name"), node.child_by_field_name("value")
        if name is None:
            return Result(None)
        if value is not None and value.type == "array":
            raws = [_raw(child, source) for child in value.named_children]
            keyed = [_KEYED.match(raw) for raw in raws]
            if raws and all(keyed):
                for found in filter(None, keyed):
                    self._set_element(_raw(name, source), found.group(1), found.group(2))
                return Result()
            values = [each for raw in raws for each in words.fields(raw, self)]
        else:
            values = [words.text_of(_raw(value, source), self) if value else ""]
        key = _raw(name, source)
        if any(child.type == "+=" for child in node.children):
            old = self._variables.get(key, [])
            is_list = value is not None and value.type == "array"
            values = [*old, *values] if is_list else ["".join(old[:1]) + values[0]]
        if name.type == "subscript":
            whole, index = name.child_by_field_name("name"), name.child_by_field_name("index")
            self._set_element(_raw(whole, source), _raw(index, source), _raw(value, source))
            return Result()
        self._bounded(values, self._frame.spot(node.start_point.row))
        self._elements.pop(key, None)
        self._variables[key] = values
        return Result()

    def _set_element(self, name: str, key: str, raw: str) -> None:
        """Set one value of a list, by its number or its key."""
        elements = self._elements.setdefault(name, {})
        elements[words.text_of(key, self)] = words.text_of(raw, self)
        if len(elements) > MOST_ROUNDS:
            raise self._too_much(Spot(0), f"sets more than {MOST_ROUNDS} values of {name}")
        self._variables[name] = list(elements.values())

    def _assignments(self, node: Node, source: bytes, stdin: Data) -> Result:
        for child in node.named_children:
            self._assignment(child, source, stdin)
        return Result()

    def _declaration(self, node: Node, source: bytes, stdin: Data) -> Result:
        is_local = _raw(node.children[0], source) in ("local", "declare", "typeset")
        for child in node.named_children:
            name = child.child_by_field_name("name") or child
            if is_local and self._outer and name.type == "variable_name":
                key = _raw(name, source)
                self._outer[-1].setdefault(key, self._variables.get(key))
            if child.type == "variable_assignment":
                self._assignment(child, source, stdin)
            elif is_local and self._outer and child.type == "variable_name":
                self._variables.pop(_raw(child, source), None)
        return Result()

    def _unset(self, node: Node, source: bytes, stdin: Data) -> Result:
        for child in node.named_children:
            self._variables.pop(_raw(child, source), None)
        return Result()

    def _test(self, node: Node, source: bytes, stdin: Data) -> Result:
        raw = _raw(node, source)
        is_double = raw.startswith("[[")
        inner = raw[2:-2] if is_double else raw.removeprefix("[").removesuffix("]")
        return Result(decided(inner, self, self.exists, patterns=is_double))

    def exists(self, file: str, test: str) -> bool:
        """Whether a file is there, as a test asks: `-f`, `-d`, `-s` and the others."""
        place = self.path(file)
        if test == "-s":
            data = self.overlay.read(place)
            return data is not None and not data.is_empty
        if test in ("-f", "-r", "-w", "-L", "-h"):
            return self.overlay.read(place) is not None
        if test == "-d":
            return self.overlay.has(place) and self.overlay.read(place) is None
        if test == "-x" and posixpath.basename(place) in self._commands:
            return self.has_command(posixpath.basename(place))
        return self.overlay.has(place)

    # -- commands --------------------------------------------------------------------------

    def _redirected(self, node: Node, source: bytes, stdin: Data) -> Result:
        body = node.child_by_field_name("body")
        spot = self._frame.spot(node.start_point.row)
        targets: list[tuple[str, bool]] = []
        pipes: list[Node] = []
        for redirect in node.children_by_field_name("redirect"):
            given = self._given(redirect, source, spot)
            stdin = stdin if given is None else given
            inner = redirect.named_children if redirect.type == "heredoc_redirect" else [redirect]
            for each in inner:
                if each.type == "file_redirect":
                    targets += self._targets(each, source)
            pipes += [each for each in inner if each.type in _STATEMENTS]

        def into(body: Node | None, stdin: Data) -> Result:
            result = self._statement(body, source, stdin) if body is not None else Result(0, stdin)
            for file, behind in targets:
                self.write(file, result.out, spot, behind=behind)
                result = Result(result.status, NOTHING)
            for pipe in pipes:  # what stands behind the name of a here-document on its line
                result = self._statement(pipe, source, result.out)
            return result

        if body is not None and body.type == "list":  # it is for the last command alone
            return self._list(body, source, stdin, into)
        return into(body, stdin)

    def _given(self, redirect: Node, source: bytes, spot: Spot) -> Data | None:
        """What a redirection gives a command to read; None for one of what it prints."""
        if redirect.type == "heredoc_redirect":
            last = self._frame.spot(redirect.end_point.row)
            return Data(self._document(redirect, source), spots=(spot, last))
        if redirect.type == "herestring_redirect":
            raw = _raw(redirect, source).removeprefix("<<<").strip()
            return Data(words.text_of(raw, self) + "\n", spots=(spot,))
        if any(child.type == "<" for child in redirect.children):
            place = redirect.child_by_field_name("destination")
            return (
                (self.file(words.text_of(_raw(place, source), self)) or NOTHING) if place else None
            )
        return None

    def _targets(self, redirect: Node, source: bytes) -> list[tuple[str, bool]]:
        """Files that standard output goes to, and whether behind what is there."""
        if _raw(redirect, source).replace(" ", "") in (">&2", "1>&2"):
            return [("/dev/stderr", False)]
        kinds = {child.type for child in redirect.children if not child.is_named}
        descriptor = redirect.child_by_field_name("descriptor")
        if descriptor is not None and _raw(descriptor, source) != "1":
            return []
        if not kinds & {">", ">>", "&>", "&>>", ">|"}:
            return []
        places = redirect.children_by_field_name("destination")
        if not places:
            return []
        names = words.fields(_raw(places[0], source), self) or [""]
        return [(names[0], bool(kinds & {">>", "&>>"}))]

    def _document(self, redirect: Node, source: bytes) -> str:
        kinds = {child.type for child in redirect.children}
        start = next(c for c in redirect.children if c.type == "heredoc_start")
        body = next((c for c in redirect.children if c.type == "heredoc_body"), None)
        end = next((c for c in redirect.children if c.type == "heredoc_end"), None)
        if body is None:
            return ""
        first = source.rfind(b"\n", 0, body.start_byte) + 1
        last = source.rfind(b"\n", 0, end.start_byte) + 1 if end else body.end_byte
        text = source[first:last].decode("utf-8", "surrogateescape")
        if "<<-" in kinds:
            text = "".join(line.lstrip("\t") for line in text.splitlines(keepends=True))
        name = _raw(start, source)
        return text if name[:1] in "\"'\\" else words.document(text, self)

    def _command(self, node: Node, source: bytes, stdin: Data) -> Result:
        spot = self._frame.spot(node.start_point.row)
        found: list[str] = []
        assigned: dict[str, str] = {}
        for child in node.named_children:
            if child.type == "variable_assignment" and not found:
                name, value = child.child_by_field_name("name"), child.child_by_field_name("value")
                text = words.text_of(_raw(value, source), self) if value is not None else ""
                if name is not None:
                    assigned[_raw(name, source)] = text
            elif child.type == "herestring_redirect":
                stdin = self._given(child, source, spot) or NOTHING
            elif child.type != "file_redirect":
                found += words.fields(_raw(child, source), self)
        self._bounded(found, spot)
        if not found:
            return Result()
        if self._callers and _HANDED_ON.match(_raw(node, source)):
            spot = self._callers[-1]
        with self.given(assigned):
            return self.call(found, stdin, spot)

    @contextmanager
    def given(self, values: Mapping[str, str]) -> Iterator[None]:
        """Meanwhile some variables have these values."""
        before = {name: self._variables.get(name) for name in values}
        self._variables.update({name: [value] for name, value in values.items()})
        try:
            yield
        finally:
            self._put_back(before)

    def _put_back(self, before: Mapping[str, list[str] | None]) -> None:
        for name, old in before.items():
            if old is None:
                self._variables.pop(name, None)
            else:
                self._variables[name] = old

    def call(self, found: Sequence[str], stdin: Data, spot: Spot) -> Result:
        """Do what a command does, by its words."""
        call = Call(found, stdin, spot)
        function = self._functions.get(found[0])
        if function is not None:
            return self._call_function(function, call)
        command = self._commands.get(call.name) if is_known(found[0]) else None
        if call.name in _BUILT_IN:
            return _BUILT_IN[call.name](self, call)
        if command is not None:
            return command(self, call)
        written = self.overlay.files.get(self.path(found[0])) if "/" in found[0] else None
        if written is not None and not written.removed:
            return self._commands["sh"](self, Call(["sh", *found], stdin, spot))
        address = next((part.address for part in stdin.parts if part.address), "")
        told = f", with what stands at {address}" if address else ""
        self._not_followed(spot, _shown(" ".join(found)) + told)
        return Result(None, NOT_KNOWN.by(spot))

    def _call_function(self, function: tuple[Node, bytes, _Frame], call: Call) -> Result:
        body, source, frame = function
        before = self.arguments, self._frame
        self.arguments = list(call.args)
        self._frame = frame
        self._callers.append(call.spot)
        self._outer.append({})
        try:
            with _Deeper(self, call.spot):
                return self._statement(body, source, call.stdin)
        except _Return as left:
            return Result(left.status, left.out)
        finally:
            self.arguments, self._frame = before
            self._callers.pop()
            self._put_back(self._outer.pop())

    def has_command(self, name: str) -> bool:
        """Whether the host has a command: its own installer's, and all that any host has."""
        if name in self._functions or name in _BUILT_IN:
            return True
        kinds = INSTALLERS.get(name)
        if _OF_GENERATION.get(name, self.overlay.facts.generation) != self.overlay.facts.generation:
            return False
        if kinds is not None:
            return self.overlay.facts.kind in kinds
        return name in self._commands or self.overlay.has(f"/usr/bin/{name}")

    # -- what commands ask of it -------------------------------------------------------------

    def path(self, name: str) -> str:
        """A file's whole name."""
        return posixpath.normpath(posixpath.join(self._folder, name)) if name else ""

    def file(self, name: str) -> Data | None:
        """What a file holds; None where there is none."""
        return self.overlay.read(self.path(name)) if is_known(name) else NOT_KNOWN

    def write(self, name: str, data: Data, spot: Spot, *, behind: bool = False) -> None:
        """Put something into a file."""
        if name in ("/dev/null", "/dev/stderr", "/dev/stdout", "/dev/tty"):
            return
        if not is_known(name):
            self._not_followed(spot, f"writes to a file whose name is not known: {_shown(name)}")
            return
        self.overlay.write(self.path(name), data.by(spot), behind=behind)
        if len(self.overlay.files) > MOST_EFFECTS:
            raise self._too_much(spot, f"writes more than {MOST_EFFECTS} files")

    def temporary(self) -> str:
        """The name of a new file."""
        self._temporary += 1
        return f"/tmp/made-{self._temporary}"

    def text(self, data: Data, spot: Spot) -> str:
        """What stands in some data; what is not there yet is fetched. UNKNOWN where that fails."""
        text = "".join(self._text(part, spot) for part in data.parts)
        self._work += len(text)
        if self._work > MOST_WORK:
            raise self._too_much(spot, "goes through more than 64 MB of text")
        return text

    def _text(self, part: Data, spot: Spot) -> str:
        if part.text is not None:
            return part.text
        if part.fingerprints:
            return UNKNOWN
        try:
            text = self._fetch(part.address).decode("utf-8", "surrogateescape")
        except (FetchError, TrustError):
            return UNKNOWN
        return text.replace(UNKNOWN, "")

    def packed(self, address: str) -> bytes | None:
        """What stands at an address, byte for byte; None if it is not known or cannot be had."""
        if not is_known(address):
            return None
        try:
            return self._fetch(address)
        except (FetchError, TrustError):
            return None

    def tell(self, effect: Effect) -> None:
        """Keep what a line does."""
        if effect not in self.effects:
            self.effects.append(effect)
        if len(self.effects) > MOST_EFFECTS:
            raise self._too_much(effect.spot, f"does more than {MOST_EFFECTS} things")

    def _not_followed(self, spot: Spot, what: str) -> None:
        self.tell(Effect("not-followed", spot, what, may_change=True))

    def _too_much(self, spot: Spot, what: str) -> VelpinError:
        return HostFileError(spot.script or self._name, spot.line, what)

    def _bounded(self, texts: Sequence[str], spot: Spot) -> None:
        if sum(map(len, texts)) > words.MOST_EXPANDED or len(texts) > 10_000:
            raise self._too_much(spot, "becomes longer than 256 kB")

    # -- what names stand for, for `words` ---------------------------------------------------

    def value(self, name: str, key: str | None = None) -> str | None:
        """A variable's text, or that of a list's element; None where it is not set."""
        if key is not None:
            return self._element(name, key)
        if name.isdigit():
            at = int(name)
            if at == 0:
                return self._variables.get("0", [self._name])[0]
            return self.arguments[at - 1] if at <= len(self.arguments) else None
        if name == "#":
            return str(len(self.arguments))
        if name in ("$", "!", "RANDOM", "SECONDS", "HOSTNAME", "LINENO"):
            return UNKNOWN
        if name == "-":
            return ""
        found = self._variables.get(name)
        return found[0] if found else None if found is None else ""

    def _element(self, name: str, key: str) -> str | None:
        if not is_known(key):
            return UNKNOWN
        if name in self._elements:
            return self._elements[name].get(key)
        values = self._variables.get(name, [])
        if not re.fullmatch(r"-?\d{1,9}", key):
            return UNKNOWN
        return values[int(key)] if -len(values) <= int(key) < len(values) else None

    def values(self, name: str) -> Sequence[str]:
        """All values of a list, or all arguments."""
        return self.arguments if name in "@*" else self._variables.get(name, [])

    def assign(self, name: str, value: str) -> None:
        """Set a variable."""
        self._variables[name] = [value]

    def output(self, command: str) -> str:
        """What a command prints that stands inside a word."""
        spot = self._at
        return self.text(self.inner(command, spot).out, spot)

    def as_file(self, command: str) -> str:
        """A file with what a command prints."""
        result = self.inner(command, self._at)
        name = self.temporary()
        self.overlay.write(name, result.out)
        return name


class _Deeper:
    def __init__(self, machine: Machine, spot: Spot) -> None:
        self._machine, self._at = machine, spot

    def __enter__(self) -> None:
        self._machine._depth += 1
        if self._machine._depth > MOST_DEPTH:
            raise self._machine._too_much(self._at, "stands inside itself too deeply")

    def __exit__(self, *_: object) -> None:
        self._machine._depth -= 1


# -- what belongs to the shell itself --------------------------------------------------------


def _exit(machine: Machine, call: Call) -> Result:
    raise _Exit(_status(call))


def _return(machine: Machine, call: Call) -> Result:
    before = machine.value("?") or ""
    raise _Return(_status(call) if call.args else int(before) if before.isdigit() else None)


def _status(call: Call) -> int | None:
    if not call.args:
        return 0
    return int(call.args[0]) if call.args[0].isdigit() else None


def _break(machine: Machine, call: Call) -> Result:
    raise _Break


def _continue(machine: Machine, call: Call) -> Result:
    raise _Continue


def _shift(machine: Machine, call: Call) -> Result:
    count = int(call.args[0]) if call.args and call.args[0].isdigit() else 1
    if count > len(machine.arguments):
        return Result(1)
    machine.arguments = machine.arguments[count:]
    return Result()


def _set(machine: Machine, call: Call) -> Result:
    if "--" in call.args:
        machine.arguments = list(call.args[list(call.args).index("--") + 1 :])
    return Result()


def _eval(machine: Machine, call: Call) -> Result:
    return machine.inner(" ".join(call.args), call.spot, call.stdin)


def _nothing(machine: Machine, call: Call) -> Result:
    return Result()


def _false(machine: Machine, call: Call) -> Result:
    return Result(1)


def _cd(machine: Machine, call: Call) -> Result:
    if call.args and is_known(call.args[-1]):
        machine._folder = machine.path(call.args[-1])
    return Result()


def _hash(machine: Machine, call: Call) -> Result:
    names = [arg for arg in call.args if not arg.startswith("-")]
    return Result(int(not all(map(machine.has_command, names))))


def _tested(machine: Machine, call: Call) -> Result:
    inner = " ".join(words_quoted(word) for word in call.args)
    return Result(decided(inner, machine, machine.exists, patterns=False))


def words_quoted(word: str) -> str:
    """A word that stands for itself."""
    if re.fullmatch(r"[-\w./=!<>]+", word):
        return word
    return "'" + word.replace("'", "'\\''") + "'"


def _read(machine: Machine, call: Call) -> Result:
    for name in call.args:
        if name.isidentifier():
            machine.assign(name, UNKNOWN)
    return Result(None)


_LETTER = " letter of getopts"
"""The variable, called as none of a shell's can be, that holds where in which word it goes on."""


def _getopts(machine: Machine, call: Call) -> Result:
    """The next option of the arguments."""
    if len(call.args) < 2 or not all(map(is_known, call.args)):
        return Result(None)
    allowed, name, *given = call.args
    arguments = list(given or machine.arguments)
    word = machine.value("OPTIND") or "1"
    at = int(word) if word.isdigit() else 1
    last, _, letter = (machine.value(_LETTER) or "").partition(":")
    place = int(letter) if last == word else 1
    option = arguments[at - 1] if 0 < at <= len(arguments) else ""
    if not is_known(option):
        return Result(None)
    if not option.startswith("-") or option in ("-", "--"):
        machine.assign("OPTIND", str(at + (option == "--")))
        machine.assign(name, "?")
        return Result(1)
    found = option[place]
    is_last = place + 1 >= len(option)
    takes_value = f"{found}:" in allowed.lstrip(":")
    if takes_value:
        behind = arguments[at] if is_last and at < len(arguments) else ""
        machine.assign("OPTARG", option[place + 1 :] or behind)
        at += 1 + is_last
    else:
        at += is_last
    machine.assign("OPTIND", str(at))
    machine.assign(_LETTER, f"{at}:{1 if takes_value or is_last else place + 1}")
    machine.assign(name, found if found in allowed.replace(":", "") else "?")
    return Result(0)


_BUILT_IN: Mapping[str, Command] = {
    "exit": _exit, "return": _return, "break": _break, "continue": _continue, "shift": _shift,
    "set": _set, "eval": _eval, ":": _nothing, "true": _nothing, "false": _false, "cd": _cd,
    "trap": _nothing, "umask": _nothing, "shopt": _nothing, "test": _tested, "read": _read,
    "wait": _nothing, "ulimit": _nothing, "hash": _hash, "local": _nothing, "popd": _nothing,
    "pushd": _cd, "getopts": _getopts,
}  # fmt: skip

INSTALLERS: Mapping[str, tuple[str, ...]] = {
    **dict.fromkeys(
        ("apt", "apt-get", "apt-key", "apt-mark", "apt-cache", "dpkg", "aptitude",
         "add-apt-repository", "apt-add-repository", "debconf-set-selections"), ("deb",),
    ),
    **dict.fromkeys(
        ("dnf", "dnf5", "dnf4", "dnf-3", "yum", "microdnf", "yum-config-manager"), ("rpm-dnf",)
    ),
    **dict.fromkeys(("rpm", "rpmkeys"), ("rpm-dnf", "rpm-zypp")),
    "zypper": ("rpm-zypp",),
    "pacman": ("alpm",),
    "pacman-key": ("alpm",),
}  # fmt: skip
"""Commands that only hosts of some kinds have."""

_OF_GENERATION = {"dnf5": "newer", "dnf4": "older", "dnf-3": "older"}
"""Commands that only one generation of an installer has."""

_STATEMENTS: Mapping[str, Callable[[Machine, Node, bytes, Data], Result]] = {
    "program": Machine._group, "compound_statement": Machine._group, "do_group": Machine._group,
    "subshell": Machine._subshell, "list": Machine._list, "pipeline": Machine._pipeline,
    "negated_command": Machine._negated, "if_statement": Machine._if,
    "case_statement": Machine._case,
    "for_statement": Machine._for, "c_style_for_statement": Machine._counted,
    "while_statement": Machine._while,
    "function_definition": Machine._function, "variable_assignment": Machine._assignment,
    "variable_assignments": Machine._assignments, "declaration_command": Machine._declaration,
    "unset_command": Machine._unset, "test_command": Machine._test, "command": Machine._command,
    "redirected_statement": Machine._redirected,
}  # fmt: skip


# -- the grammar -----------------------------------------------------------------------------


@cache
def _parser() -> object:
    import tree_sitter_bash
    from tree_sitter import Language, Parser

    return Parser(Language(tree_sitter_bash.language()))


_MOST_MENDED = 20
"""How often a text is parsed again, for names that the grammar takes for the end of a word."""


def parsed(source: bytes) -> tuple[Node, bytes]:
    """The statements of a shell text, and the text that they stand in.

    The grammar ends a word at the `$` of a name that has a letter or slash behind it, where another
    substitution comes before it in the word (`a/$B/$C/d`); such a name gets its braces.
    """
    for _ in range(_MOST_MENDED):
        root: Node = _parser().parse(source).root_node  # type: ignore[attr-defined]
        cut = _cut_names(root, source)
        if not cut:
            return root, source
        parts, last = [], 0
        for name in cut:
            parts += [source[last : name.start()], b"{", name.group(), b"}"]
            last = name.end()
        source = b"".join([*parts, source[last:]])
    return root, source


_NAME = re.compile(rb"[A-Za-z_][A-Za-z0-9_]*")


def _cut_names(root: Node, source: bytes) -> list[re.Match[bytes]]:
    """The names that stand behind a `$` with which a word ends, in their order."""
    found: dict[int, re.Match[bytes]] = {}
    waiting = [root]
    while waiting:
        node = waiting.pop()
        end = node.end_byte
        if node.type == "concatenation" and source[end - 1 : end] == b"$":
            name = _NAME.match(source, end)
            if name:
                found[end] = name
        waiting += node.named_children
    return [name for _, name in sorted(found.items())]


_KEYED = re.compile(r"\[([^]]*)\]=(.*)\Z", re.DOTALL)
_HANDED_ON = re.compile(
    r'(?:(?:eval|sudo|doas|command|env|exec|(?:ba)?sh\s+-c)\s+)*"?\$(?:\{?[@*1]\}?)"?'
)
"""A command of a function that is what the function was called with: it counts as the caller's."""


def _raw(node: Node | None, source: bytes) -> str:
    return (
        source[node.start_byte : node.end_byte].decode("utf-8", "surrogateescape") if node else ""
    )


def _shown(text: str) -> str:
    """The beginning of a text, for a message."""
    plain = " ".join(text.replace(UNKNOWN, "?").split())
    return plain if len(plain) <= 80 else plain[:79] + "…"
