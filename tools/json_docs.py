"""Write docs/json.md and docs/json-schema.json from the types that the commands print.

python tools/json_docs.py            write both
python tools/json_docs.py --check    exit 1 where a file is not what would be written
"""

from __future__ import annotations

import ast
import inspect
import json
import sys
import textwrap
import types
from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path
from typing import Annotated, Any, Literal, Union, get_args, get_origin, get_type_hints

from velpin.front import documents
from velpin.front.json_values import SCHEMA, field_names, marks
from velpin.model.catalog import CatalogEntry
from velpin.model.finding import Checkup
from velpin.model.forecast import Forecast, Offer
from velpin.model.host import HostFacts, KeyUse, SourceStatus
from velpin.model.looks import Look
from velpin.model.reason import AsText, Place, Reason
from velpin.model.report import HostReport
from velpin.model.rule import Rule, RuleInForce

DOCS = Path(__file__).parents[1] / "docs"
COMMANDS: dict[str, tuple[Any, str]] = {
    "forecast REQUEST..., forecast --upgrade": (Forecast, ""),
    "host": (HostFacts, ""),
    "sources": (SourceStatus, "sources"),
    "offers": (Offer, "offers"),
    "offers --at ADDRESS": (Look, ""),
    "find": (documents.Hits, ""),
    "keys": (KeyUse, "keys"),
    "refresh": (documents.Refreshed, "refreshed"),
    "add, off, on, drop, prefer, confine, pin, bar, keep, rules drop, checkup --mend, undo":
        (documents.Planned, ""),
    "rules": (RuleInForce, "rules"),
    "want": (documents.Options, ""),
    "shift --save FILE": (documents.SavedSnapshot, ""),
    "shift --since FILE": (documents.Drifted, ""),
    "catalog": (CatalogEntry, "entries"),
    "catalog NAME": (CatalogEntry, ""),
    "conform": (documents.Conformed, ""),
    "expect": (documents.Expected, ""),
    "checkup": (Checkup, ""),
    "checkup --next RELEASE": (documents.Rehearsed, ""),
    "report": (HostReport, ""),
    "journal": (documents.JournalRecord, "entries"),
    "any command that fails": (documents.Failure, ""),
}  # fmt: skip
"""What each command prints; of one that prints rows, under which name they stand."""

INTRO = f"""# JSON that others may rely on

<!-- written by tools/json_docs.py from the types; do not edit -->

Every command that answers takes `--json` and prints one object with `"schema": {SCHEMA}`; a command
that lists has its rows in it, under the name below. The number goes up when a key goes or changes
its meaning, and keys may be added at any time. [json-schema.json](json-schema.json) describes the
same for programs. Times are seconds since 1970, sizes are bytes, versions are full, with the epoch
if it is not 0. The same values come from the Python interface ([api.md](api.md)); `velpin.jsonable`
turns them into this form.

A **reason** is `{{"code", "text", ...facts, "because": [reason]}}`: a stable code, its
sentence, the facts in that sentence under names of their own, and the reasons behind it where there
are any. A **place** is `FILE:LINE` below the host's root. A **rule** is the command that says it.

Of a forecast: `ok` is false where the installer would refuse; `changes` is then empty and `because`
is the chain from what was asked for to the cause. Several requests are one transaction. With
`--upgrade`, `answers` is empty. `questions` are what the host's installer asks before it does
that, in its order: `default` is what Enter answers, `unattended` what its own `option` (`-y`)
answers. If `unattended` is `stops`, it goes on with `allowed_by` only; an empty `default` means
that it does not ask about that by itself. On deb hosts `url` is the address plus `dists/SUITE`, or
the flat folder.
"""

OUTRO = """
## The file of `shift --save`
A file of JSON lines. The first is `{"velpin": "picture", "format": 1, "time", "host",
"sources", "rules", "watched"}`, each further one a package: `{"name", "arch", "installed",
"next": null | [version, source], "held", "offers": [[version, source, priority]]}`.
"""


class Book:
    """The types met so far, by the names they have in the documents."""

    def __init__(self) -> None:
        self.kinds: dict[str, type] = {}

    def schema_of(self, hint: Any) -> dict[str, Any]:
        """The schema of a type."""
        if get_origin(hint) is Annotated:
            base, *said = get_args(hint)
            return {"type": "string"} if AsText in said else self.schema_of(base)
        origin, args = get_origin(hint), get_args(hint)
        if origin in (Union, types.UnionType):
            each = [self.schema_of(one) for one in args]
            known = [schema for at, schema in enumerate(each) if schema not in each[:at]]
            return {"anyOf": known} if len(known) > 1 else known[0]
        if origin is Literal:
            return {"enum": list(args)}
        if origin in (tuple, list) or (origin and issubclass(origin, Sequence)):
            if origin is tuple and not (len(args) == 2 and args[1] is Ellipsis):
                return {"type": "array", "prefixItems": [self.schema_of(one) for one in args]}
            return {"type": "array", "items": self.schema_of(args[0])}
        if origin and issubclass(origin, Mapping):
            return {"type": "object", "additionalProperties": self.schema_of(args[1])}
        plain = {str: "string", int: "integer", float: "number", bool: "boolean"}
        if hint in plain:
            return {"type": plain[hint]}
        if hint is type(None):
            return {"type": "null"}
        if hint is Place or hint in get_args(Rule):
            return {"type": "string"}
        self.kinds[hint.__name__] = hint
        return {"$ref": f"#/$defs/{hint.__name__}"}

    def fields(self, kind: type) -> Iterator[tuple[str, Any, str]]:
        """Name, type and meaning of each key; those of an inlined value among the others."""
        hints = get_type_hints(kind, include_extras=True)
        said = meanings(kind)
        for name in field_names(kind):
            inlined = marks(kind).get(name)
            if isinstance(inlined, type) and inlined is not Reason:
                yield from self.fields(inlined)
            elif inlined is Reason:
                yield "code", str, "Of the reason, whose `text` and facts stand here too."
            else:
                yield name, hints[name], said.get(name, "")

    def definition(self, kind: type) -> dict[str, Any]:
        """The schema of a value's object."""
        if kind is Reason:
            return {
                "type": "object",
                "properties": {
                    "code": {"type": "string"}, "text": {"type": "string"},
                    "because": {"type": "array", "items": {"$ref": "#/$defs/Reason"}},
                },
                "required": ["code", "text"],
            }  # fmt: skip
        properties = {name: self.schema_of(hint) for name, hint, _ in self.fields(kind)}
        return {"type": "object", "properties": properties, "required": list(properties)}


def meanings(kind: type) -> dict[str, str]:
    """The texts below a value's fields."""
    found: dict[str, str] = {}
    (tree,) = ast.parse(textwrap.dedent(inspect.getsource(kind))).body
    assert isinstance(tree, ast.ClassDef)
    last = ""
    for node in tree.body:
        if isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name):
            last = node.target.id
        elif last and isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
            found[last] = " ".join(str(node.value.value).split())
    return found


def told(schema: Mapping[str, Any]) -> str:
    """A type in words."""
    if "$ref" in schema:
        name = schema["$ref"].rpartition("/")[2]
        return f"[{name}](#{name.lower()})"
    if "anyOf" in schema:
        return " or ".join(told(one) for one in schema["anyOf"])
    if "enum" in schema:
        return ", ".join(f'`"{one}"`' for one in schema["enum"])
    if "prefixItems" in schema:
        return "[" + ", ".join(told(one) for one in schema["prefixItems"]) + "]"
    if schema["type"] == "array":
        return f"array of {told(schema['items'])}"
    if schema["type"] == "object":
        return f"object of {told(schema['additionalProperties'])}"
    return str(schema["type"])


def _with_rows(name: str, row: Any) -> dict[str, Any]:
    """The schema of an object that has rows under a name."""
    return {
        "type": "object", "required": ["schema", name],
        "properties": {"schema": {"const": SCHEMA}, name: {"type": "array", "items": row}},
    }  # fmt: skip


def written() -> dict[str, str]:
    """Both files, by name."""
    book = Book()
    commands = {name: (book.schema_of(kind), many) for name, (kind, many) in COMMANDS.items()}
    definitions: dict[str, Any] = {}
    while len(definitions) < len(book.kinds):
        for name, kind in list(book.kinds.items()):
            definitions.setdefault(name, book.definition(kind))
    lines = [INTRO, "## Commands", "| `velpin ... --json` | prints |", "|---|---|"]
    for name, (schema, many) in commands.items():
        rows = f"`{many}`: array of " if many else ""
        lines.append(f"| `{name}` | {rows}{told(schema)} |")
    for name, kind in sorted(book.kinds.items()):
        if kind is Reason:
            continue
        doc = " ".join((inspect.getdoc(kind) or "").split())
        lines += [f"\n### {name}", doc, "\n| key | type | meaning |", "|---|---|---|"]
        for key, hint, meaning in book.fields(kind):
            lines.append(f"| `{key}` | {told(book.schema_of(hint))} | {meaning} |")
    lines.append("\n### Reason\nSee above: `code`, `text`, the facts, and `because`.")
    schema = {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "What velpin prints with --json",
        "version": SCHEMA,
        "commands": {
            name: _with_rows(many, one) if many else one for name, (one, many) in commands.items()
        },
        "$defs": dict(sorted(definitions.items())),
    }
    return {
        "json.md": "\n".join(lines) + "\n" + OUTRO,
        "json-schema.json": json.dumps(schema, indent=1) + "\n",
    }


def main() -> int:
    """Write the files, or say whether they are as they would be written."""
    check = "--check" in sys.argv[1:]
    differing = [
        name for name, text in written().items()
        if not (DOCS / name).exists() or (DOCS / name).read_text() != text
    ]  # fmt: skip
    if check:
        for name in differing:
            print(f"docs/{name} is not what the types say")
        return 1 if differing else 0
    for name, text in written().items():
        (DOCS / name).write_text(text)
    return 0


if __name__ == "__main__":
    sys.exit(main())
