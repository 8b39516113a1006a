"""The public interface: its examples work, its names are all there, and the commands use no other."""

from __future__ import annotations

import ast
import importlib
import inspect
import json
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import jsonschema
import pytest

import velpin
from tests import house
from tests.harbours import DebHarbour
from velpin.demo.signer import Signer
from velpin.host.host import Host

ROOT = Path(__file__).parents[1]
EXAMPLES = re.findall(r"```python\n(.*?)```", (ROOT / "docs/api.md").read_text(), re.DOTALL)
SHOWN = {
    ("velpin.trust.openpgp", "grouped"), ("velpin.trust.openpgp", "only_keys"),
    ("velpin.change.readback", "SourceStatements"),
}  # fmt: skip
"""What only words and pictures of values need."""


@pytest.fixture
def root(harbour: DebHarbour, signer: Signer) -> Path:
    harbour.source("base", ("tide-gauge", "2.1-3"), ("fog-signal", "1"))
    harbour.installed(("fog-signal", "1"))
    harbour.repository("vendor", ("gullwatch", "5"), ("tide-gauge", "9"), signer=signer)
    (harbour.folder / "vendor.asc").write_bytes(signer.public)
    harbour.ready()
    return harbour.root


def run_example(number: int, **names: Any) -> dict[str, Any]:
    """The names that an example leaves behind."""
    exec(compile(EXAMPLES[number], f"docs/api.md, example {number + 1}", "exec"), names)
    return names


def test_a_forecast_in_a_script(root: Path, capsys: pytest.CaptureFixture[str]) -> None:
    run_example(0, root=root)
    assert capsys.readouterr().out == (
        "tide-gauge 2.1-3 from base: install\n"
        "  because 2.1-3 from base has priority 500, the default\n"
    )


def test_a_check_before_a_deployment(root: Path, harbour: DebHarbour) -> None:
    made = run_example(1)
    harbour.source("base", ("tide-gauge", "2.1-4"), ("fog-signal", "2"))
    harbour.ready()
    assert made["check"](root)  # the installer itself has no index yet
    fetched = velpin.open_host(root)
    made["velpin"] = type("Opened", (), {
        "open_host": staticmethod(lambda *_, **__: fetched),
    })  # fmt: skip
    assert made["check"](root) == ["tide-gauge would be 2.1-4", "fog-signal would change"]


def test_a_checkup_that_mends(root: Path, capsys: pytest.CaptureFixture[str]) -> None:
    made = run_example(2)
    (root / "etc/apt/sources.list.d/base.list").chmod(0o666)
    made["look_over"](root)
    assert (
        "error file-writable: /etc/apt/sources.list.d/base.list may be" in capsys.readouterr().out
    )
    assert (root / "etc/apt/sources.list.d/base.list").stat().st_mode & 0o777 == 0o644


def test_a_host_made_as_a_file_says(root: Path, harbour: DebHarbour) -> None:
    made = run_example(3)
    file = harbour.folder / "host.toml"
    file.write_text('velpin-host = 1\n[[rule]]\nsays = "keep fog-signal"\n')
    assert made["make_so"](root, file) == ["keep fog-signal"]
    assert made["make_so"](root, file) == []
    file.write_text('velpin-host = 1\n[[expect]]\npackage = "tide-gauge"\nversion = "9"\n')
    assert made["make_so"](root, file) == ["tide-gauge in version 9: comes in version 2.1-3"]


def test_a_source_added_with_its_key(root: Path, harbour: DebHarbour, signer: Signer) -> None:
    made = run_example(4)
    key = str(harbour.folder / "vendor.asc")
    before = harbour.files()
    address = f"file://{harbour.folder}/repos/vendor"
    assert made["add_vendor"](root, address, key, signer.fingerprint) == 1
    host = velpin.open_host(root)
    answers = [host.forecast([name]).answers[0] for name in ("gullwatch", "tide-gauge")]
    assert [(one.version, one.source) for one in answers] == [
        ("5", "gullwatch"), ("2.1-3", "base"),
    ]  # fmt: skip
    host.changes.apply(host.changes.plan_undo())
    assert harbour.files() == before
    with pytest.raises(velpin.TrustError, match="fingerprint"):
        made["add_vendor"](root, address, key, "A" * 40)


# -- names ---------------------------------------------------------------------------------------


def test_every_public_name_is_there_and_stands_where_it_is_said() -> None:
    assert sorted(velpin.__all__) == sorted(
        name for names in velpin._HOMES.values() for name in names
    )
    for home, names in velpin._HOMES.items():
        for name in names:
            found = getattr(velpin, name)
            assert found is getattr(importlib.import_module(home), name)
            assert inspect.getdoc(found)
    with pytest.raises(AttributeError, match="has no 'nothing'"):
        _ = velpin.nothing


def test_importing_it_costs_nothing() -> None:
    program = "import sys, velpin; print(*(name for name in sys.modules if 'velpin.' in name))"
    done = subprocess.run([sys.executable, "-c", program], capture_output=True, check=True)
    assert done.stdout.split() == []


def test_every_method_of_a_host_is_documented_and_typed() -> None:
    for name, method in inspect.getmembers(Host, inspect.isfunction):
        if not name.startswith("_"):
            assert inspect.getdoc(method), name
            assert "return" in method.__annotations__, name


# -- the commands ----------------------------------------------------------------------------


def used_by(path: Path) -> Iterator[tuple[str, str]]:
    """Names that a module of the front takes from below, annotations aside."""
    tree = ast.parse(path.read_text())
    for node in tree.body:
        if isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING":
            node.body = []
    for node in ast.walk(tree):
        if isinstance(node, ast.ImportFrom) and node.module:
            yield from ((node.module, alias.name) for alias in node.names)


@pytest.mark.parametrize("path", sorted((ROOT / "src/velpin/front").glob("*.py")), ids=str)
def test_the_commands_use_nothing_that_another_program_cannot(path: Path) -> None:
    public = {(home, name) for home, names in velpin._HOMES.items() for name in names}
    layers = ("core", "change", "store", "kinds", "recipes", "fetch", "trust")
    beyond = {
        (module, name) for module, name in used_by(path)
        if module.startswith(tuple(f"velpin.{layer}" for layer in layers))
        and not isinstance(getattr(importlib.import_module(module), name, None), type)
    }  # fmt: skip
    assert beyond - public - SHOWN == set()
    assert "._adapter" not in path.read_text()


# -- JSON ----------------------------------------------------------------------------------------

SCHEMA = json.loads((ROOT / "docs/json-schema.json").read_text())
PRINTED = [
    (["forecast", "tide-gauge"], "forecast REQUEST..., forecast --upgrade"),
    (["forecast", "nothing"], "forecast REQUEST..., forecast --upgrade"),
    (["forecast", "--upgrade"], "forecast REQUEST..., forecast --upgrade"),
    (["host"], "host"), (["sources"], "sources"), (["offers", "tide-gauge"], "offers"),
    (["find", "tide"], "find"), (["keys"], "keys"), (["refresh"], "refresh"),
    (["off", "base", "--preview"], "add, off, on, drop, prefer, confine, pin, bar, keep, rules drop, checkup --mend, undo"),
    (["keep", "fog-signal", "--yes"], "add, off, on, drop, prefer, confine, pin, bar, keep, rules drop, checkup --mend, undo"),
    (["rules"], "rules"), (["want", "tide-gauge"], "want"), (["journal"], "journal"),
    (["shift", "--save", "{}/saved"], "shift --save FILE"),
    (["shift", "--since", "{}/saved"], "shift --since FILE"),
    (["drop", "nothing"], "any command that fails"), (["dance"], "any command that fails"),
]  # fmt: skip


@pytest.mark.slow  # every command, on every kind
def test_what_is_printed_is_what_the_schema_says(root: Path, harbour: DebHarbour) -> None:
    for words, command in PRINTED:
        said = harbour.run(*(word.format(harbour.folder) for word in words), "--json")
        value = json.loads(said.out)
        schema = {**SCHEMA["commands"][command], "$defs": SCHEMA["$defs"]}
        jsonschema.validate(value, schema)
        assert value.pop("schema") == SCHEMA["version"] == 3, words
        (rows,) = value if "$ref" not in schema else [""]
        row = schema["properties"][rows]["items"] if rows else schema
        for one in value[rows] if rows else [value]:
            name = row["$ref"].rpartition("/")[2]
            assert set(one) == set(SCHEMA["$defs"][name]["properties"]), words


def test_the_documents_of_json_are_made_from_the_types() -> None:
    command = [sys.executable, str(ROOT / "tools/json_docs.py"), "--check"]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert (done.stdout, done.returncode) == ("", 0), done.stderr


def raised_by(node: ast.FunctionDef) -> set[str]:
    """The errors that a function raises itself."""
    raised = (inner.exc for inner in ast.walk(node) if isinstance(inner, ast.Raise))
    called = (error.func if isinstance(error, ast.Call) else error for error in raised)
    return {error.id for error in called if isinstance(error, ast.Name) and error.id[0].isupper()}


def test_what_a_function_raises_stands_in_its_docstring() -> None:
    silent = [
        f"{path.name}:{node.lineno} {node.name}"
        for path in sorted(Path(velpin.__file__).parent.rglob("*.py"))
        if not {"front", "demo"}.intersection(path.parts)
        for node in ast.walk(ast.parse(path.read_text()))
        if isinstance(node, ast.FunctionDef) and not node.name.startswith("_")
        and ast.get_docstring(node) and (raised := raised_by(node))
        and not any(
            word in (ast.get_docstring(node) or "") for word in (*raised, "never raised")
        )
    ]  # fmt: skip
    assert not silent


def test_every_public_method_of_a_host_is_on_the_page_about_it() -> None:
    page = (Path(__file__).parents[1] / "docs/api.md").read_text()
    groups = [
        name for name, each in house.classes().items() if each.module.startswith("velpin.host.")
    ]
    named = {name: sorted(house.members(name)) for name in groups}
    missing = [
        f"{group}.{member}" for group, members in named.items() for member in members
        if not re.search(rf"\b{member}\b", page)
    ]  # fmt: skip
    assert len(groups) == 8
    assert missing == []


def test_one_text_is_no_list_of_requests(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.source("base", ("g", "1"))
    host = harbour.ready()
    assert host.forecast(["g"]).ok
    with pytest.raises(velpin.UsageError, match="one text") as no:
        host.forecast("g")
    assert no.value.hint == "['g']"
