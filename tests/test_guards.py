"""Guard rails: layers, imports of a warm command, words for every code, documented commands."""

from __future__ import annotations

import ast
import inspect
import re
import subprocess
import sys
from pathlib import Path

import pytest
from tools import findings_page

from tests import house
from tests.harbours import DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour
from tests.house import parsed
from tests.reasons import ALL_REASONS, sample_of
from velpin import errors
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm
from velpin.demo.walk import CHAPTERS, TOUR
from velpin.front.cli import _COMMANDS
from velpin.kinds import KINDS
from velpin.model.reason import Reason
from velpin.ports.kind import KIND_NAMES

SOURCE = Path(__file__).parents[1] / "src" / "velpin"
HOME = Path(__file__).parents[1]
README = (HOME / "README.md").read_text()
GUIDE = README + "".join(page.read_text() for page in sorted(HOME.glob("docs/guide/*.md")))
MODULES = house.MODULES


KIND_FOLDERS = sorted(
    f"velpin.kinds.{path.parent.name}" for path in SOURCE.glob("kinds/*/__init__.py")
)
ABOVE_THE_MODEL = (
    "instructions",
    "files",
    "core",
    "store",
    "fetch",
    "trust",
    "change",
    "recipes",
    "ports",
    "kinds",
    "host",
    "front",
)
SHARED = {"velpin.kinds.rpm_dnf": "velpin.kinds.rpm", "velpin.kinds.rpm_zypp": "velpin.kinds.rpm"}
"""The folder that two kinds share."""


def imports_of(path: Path, *, top: bool, types: bool = True) -> set[str]:
    """Modules of Velpin that a module imports, at its top or anywhere; without `types`, none
    that are only there for annotations."""
    body = [
        node for node in parsed(path).body
        if types or not (isinstance(node, ast.If) and ast.unparse(node.test) == "TYPE_CHECKING")
    ]  # fmt: skip
    nodes = body if top else [inner for node in body for inner in ast.walk(node)]
    found: set[str] = set()
    for node in nodes:
        if isinstance(node, ast.Import):
            found |= {alias.name for alias in node.names}
        elif isinstance(node, ast.ImportFrom) and node.module:
            found |= {node.module} | {f"{node.module}.{alias.name}" for alias in node.names}
    return found


# -- the house -----------------------------------------------------------------------------


def test_no_modules_import_each_other_wherever_the_import_stands() -> None:
    assert house.circles(types=False) == []


def test_only_some_ports_name_each_other_in_annotations() -> None:
    (tied,) = house.circles(types=True)
    assert set(tied) <= {
        f"velpin.ports.{name}" for name in ("bundle", "checks", "examiner", "next_release")
    }


PUT_TOGETHER = {
    "velpin.apart", "velpin.change.recovery", "velpin.core.access", "velpin.core.catalog.fetching",
    "velpin.core.forecasting", "velpin.core.new_source", "velpin.core.next_commands",
    "velpin.core.rule_planner", "velpin.core.staying", "velpin.fetch.download", "velpin.ports.view", "velpin.store.cache", "velpin.store.index", "velpin.store.source_fetch",
}  # fmt: skip
"""Modules with an import inside a function that keeps a warm command quick: servers, processes,
parsers and rules that it does without."""


def test_imports_inside_functions_stand_where_things_are_put_together() -> None:
    others = {
        module for module in house.imports_inside()
        if not re.match(r"velpin(\.host|\.front|\.recipes|\.demo|\.kinds(\.\w+)?\Z|\Z)", module)
    }  # fmt: skip
    readers = {module for module in others if module.startswith("velpin.kinds.")}
    assert others - readers == PUT_TOGETHER
    assert len(readers) <= MOST_READERS


MOST_READERS = 8
"""Modules of kinds that load what reads an index or explains a refusal when it is needed."""


def test_a_port_is_small() -> None:
    assert {name: found for name, found in house.ports().items() if len(found) > 10} == {}
    assert len(house.ports()) == 21
    assert house.needed_of_a_kind() <= 60


def test_a_group_of_the_host_is_small() -> None:
    groups = [
        name for name, each in house.classes().items() if each.module.startswith("velpin.host.")
    ]
    large = {name: len(house.members(name)) for name in groups if name != "Host"}
    assert max(large.values()) <= house.MOST_OF_A_GROUP, large
    assert len(house.members("Host")) <= house.MOST_PUBLIC


def test_a_class_can_be_taken_in_at_a_glance() -> None:
    assert house.larger_than(house.MOST_PUBLIC) == {}


@pytest.mark.parametrize(
    ("layer", "not_to"),
    [
        ("velpin.errors", ["velpin."]),
        (
            "velpin.model",
            [f"velpin.{folder}" for folder in ABOVE_THE_MODEL],
        ),
        ("velpin.files", [f"velpin.{folder}" for folder in ABOVE_THE_MODEL if folder != "files"]),
        (
            "velpin.instructions",
            [f"velpin.{folder}" for folder in ABOVE_THE_MODEL if folder != "instructions"],
        ),
        ("velpin.trust", ["velpin.kinds", "velpin.front", "velpin.store"]),
        ("velpin.fetch", ["velpin.kinds", "velpin.front", "velpin.store"]),
        ("velpin.store", ["velpin.kinds", "velpin.front"]),
        ("velpin.change", ["velpin.front", "velpin.core", *KIND_FOLDERS]),
        ("velpin.ports", ["velpin.core", "velpin.kinds", "velpin.host", "velpin.front"]),
        ("velpin.core", ["velpin.front", "velpin.host", "velpin.kinds"]),
        ("velpin.kinds", ["velpin.front", "velpin.core", "velpin.host", "typer", "rich"]),
        ("velpin.recipes", ["velpin.front", *KIND_FOLDERS]),
        *(
            (one, [other for other in KIND_FOLDERS if other not in (one, SHARED.get(one))])
            for one in KIND_FOLDERS
        ),
        ("velpin.front", KIND_FOLDERS),
    ],
)
def test_layers(layer: str, not_to: list[str]) -> None:
    for name, path in MODULES.items():
        if name == layer or name.startswith(layer + "."):
            for other in imports_of(path, top=False, types=layer != "velpin.errors"):
                assert not any(
                    other == wall or other.startswith(wall.rstrip(".") + ".") for wall in not_to
                ), (name, other)


def test_the_engine_of_deb_hosts_knows_no_host() -> None:
    for name, path in MODULES.items():
        if name.startswith("velpin.kinds.deb.engine."):
            assert {
                other.rpartition(".")[0]
                for other in imports_of(path, top=False)
                if other.startswith("velpin.kinds.deb")
            } <= {"velpin.kinds.deb.engine", "velpin.kinds.deb.engine.world"} | {
                one for one in MODULES if one.startswith("velpin.kinds.deb.engine.")
            }, name


def test_only_its_folder_and_the_list_of_kinds_know_a_kind() -> None:
    names = list(KINDS)
    said = {
        (str(path.relative_to(SOURCE)), name)
        for path in SOURCE.rglob("*.py")
        if path.relative_to(SOURCE).parts[0] not in ("kinds", "demo", "instructions")
        for name in names
        if re.search(rf"(?<![\w./]){name}\b(?! hosts)", path.read_text())
    }
    named = {("ports/kind.py", name) for name in names}
    of_some = {("model/findings.py", "deb"), ("model/findings.py", "alpm")}  # for the page
    assert said == {("errors.py", "rpm-zypp"), *of_some, *named}  # which kind an option is for
    assert tuple(KINDS) == KIND_NAMES


HEAVY = {
    "rich", "urllib3", "pysequoia", "lxml", "yaml", "lz4.frame", "rapidfuzz", "filelock",
    "platformdirs", "tomllib", "backports", "sqlite3", "asyncio", "email", "http", "tarfile",
    "concurrent.futures", "jsonschema",
}  # fmt: skip
BUDGETS: dict[str, tuple[list[str], int, set[str]]] = {
    "host": (["host"], 75, {"email"}),
    "sources": (["sources"], 90, {"email"}),
    "forecast": (["forecast", "gull", "--why"], 109, set()),
    "offers": (["offers", "gull"], 77, {"email"}),
    "find": (["find", "gull"], 77, set()),
    "keys": (["keys"], 86, set()),
    "refresh": (["refresh"], 132, {"email", "filelock", "concurrent.futures"}),
    "add": (
        ["add", "new", "--url", "{}/repos/vendor", "--suite", "jetty", "--preview"], 120,
        {"email", "filelock", "concurrent.futures"},
    ),
    "off": (["off", "vendor", "--preview"], 113, set()),
    "on": (["on", "vendor"], 95, set()),
    "drop": (["drop", "vendor", "--preview"], 148, set()),
    "prefer": (["prefer", "base", "--over", "vendor", "--preview"], 146, set()),
    "confine": (["confine", "vendor", "gull", "--preview"], 146, set()),
    "pin": (["pin", "gull@1", "--preview"], 146, set()),
    "bar": (["bar", "gull", "--from", "vendor", "--preview"], 146, set()),
    "keep": (["keep", "gull", "--preview"], 146, set()),
    "rules": (["rules"], 92, set()),
    "want": (["want", "gull@1", "--preview"], 152, set()),
    "shift": (["shift", "--save", "{}/saved"], 134, {"email"}),
    "journal": (["journal"], 47, set()),
    "checkup": (["checkup", "--offline"], 194, {"email"}),
    "catalog": (["catalog"], 62, set()),
    "export": (["export"], 137, {"pysequoia"}),
    "conform": (["conform", "{}/host.toml", "--preview"], 156, {"tomllib"}),
    "expect": (["expect", "{}/host.toml"], 125, {"tomllib"}),
    "undo": (["undo"], 53, set()),
    "report": (["report", "--json"], 206, {"email"}),
    "completion": (["completion", "bash"], 9, set()),
    "help": (["help", "rules"], 12, set()),
    "--help": (["--help"], 5, set()),
}  # fmt: skip
"""For each command on a warm host: its words, how many modules of Velpin it may load, and which of
the slow ones it needs. Imports stand inside what uses them: a command loads what answers it."""


def loaded_by(root: Path, words: list[str]) -> set[str]:
    """Modules that a command reads."""
    program = (
        "import sys; from velpin.front.running import run\n"
        f"run(['--root', {str(root)!r}, *{words!r}])\n"
        "print(*sys.modules, file=sys.stderr)"
    )
    done = subprocess.run(
        [sys.executable, "-c", program], capture_output=True, text=True, check=True
    )
    return set(done.stderr.splitlines()[-1].split())


@pytest.fixture(scope="module")
def warm(tmp_path_factory: pytest.TempPathFactory) -> DebHarbour:
    harbour = DebHarbour(tmp_path_factory.mktemp("warm"))
    harbour.source("base", ("gull", "1"), ("tern", "1"))
    harbour.source("vendor", ("gull", "2"))
    harbour.installed(("gull", "1"))
    harbour.ready()
    assert harbour.run("forecast", "gull").code == 0
    expected = "\n[[expect]]\npackage = 'gull'\nversion = '2'\n"
    (harbour.folder / "host.toml").write_text(harbour.run("export").out + expected)
    return harbour


@pytest.mark.slow  # a process for each command
@pytest.mark.parametrize("command", sorted(BUDGETS))
def test_a_command_loads_what_answers_it_and_no_more(warm: DebHarbour, command: str) -> None:
    words, most, needed = BUDGETS[command]
    words = [word.format(f"file://{warm.folder}") for word in words]
    if command in ("conform", "expect"):
        words = [word.removeprefix("file://") for word in words]
    loaded = loaded_by(warm.root, words)
    assert sorted(loaded & HEAVY - needed) == []
    own = {name for name in loaded if name.startswith("velpin.")}
    assert len(own) <= most, sorted(own)
    others = ("velpin.demo", "velpin.kinds.rpm.", "velpin.kinds.rpm_dnf.", "velpin.kinds.alpm.")
    assert not {name for name in own if name.startswith(others)}


def test_every_command_has_a_budget() -> None:
    assert set(_COMMANDS) - set(BUDGETS) == {"demo"}


@pytest.mark.slow
@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_a_forecast_on_an_rpm_host_loads_nothing_slow(tmp_path: Path, kind: str) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("base", DemoRpm("gull"))
    harbour.refresh().forecast("gull")
    loaded = loaded_by(harbour.root, ["forecast", "gull"])
    assert sorted(loaded & {*HEAVY, "velpin.kinds.deb.state"}) == []


@pytest.mark.slow
def test_nor_does_one_on_an_alpm_host(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    harbour.source("base", DemoArchive("gull"))
    harbour.refresh().forecast("gull")
    loaded = loaded_by(harbour.root, ["forecast", "gull"])
    assert sorted(loaded & {*HEAVY, "velpin.kinds.deb.state", "velpin.recipes.host"}) == []


def test_a_code_is_one_reason() -> None:
    assert len({reason.code for reason in ALL_REASONS}) == len(ALL_REASONS)


@pytest.mark.parametrize("reason", ALL_REASONS, ids=lambda reason: reason.code)
def test_every_reason_is_given_and_its_sentence_has_no_hole(reason: type[Reason]) -> None:
    own = {name for kind in reason.__mro__ for name in vars(kind).get("__annotations__", ())}
    assert not own & {"text", "facts"}
    assert sample_of(reason).text
    file = Path(inspect.getfile(reason))
    others = "".join(path.read_text() for path in MODULES.values() if path != file)
    assert re.search(rf"\b{reason.__name__}\b", others)


def test_the_tree_of_errors_is_drawn_as_it_is() -> None:
    drawn = set(re.findall(r"(?:\|-|`-|^ {4})\s?(\w+)", errors.__doc__ or "", re.MULTILINE))
    kinds = {
        name: kind for name, kind in vars(errors).items()
        if isinstance(kind, type) and issubclass(kind, errors.VelpinError)
    }  # fmt: skip
    assert set(kinds) == drawn
    assert {kind.exit_code for kind in kinds.values()} == {1, 2, 3, 4, 5, 70}


def test_the_page_of_findings_is_written_from_their_declarations() -> None:
    assert (HOME / "docs/findings.md").read_text() == findings_page.page()


def test_each_sentence_about_security_is_held_by_a_test() -> None:
    page = (Path(__file__).parents[1] / "SECURITY.md").read_text()
    about = page.partition("## Who could do harm")[2].partition("## What is outside")[0]
    named = re.findall(r"`([\w/]+\.py)::(test_\w+)`", about)
    assert len(named) > 40
    for file, test in named:
        text = (Path(__file__).parent / file).read_text()
        assert f"def {test}(" in text, f"{file} has no {test}"
    sentences = re.split(r"^- ", about, flags=re.MULTILINE)[1:]
    assert [each for each in sentences if "::test_" not in each] == []


@pytest.mark.parametrize("command", sorted(_COMMANDS))
def test_every_command_is_documented(harbour: DebHarbour, command: str) -> None:
    assert f"velpin {command}" in GUIDE
    said = harbour.run(command, "--help")
    assert said.code == 0
    assert (_COMMANDS[command].__doc__ or "").split(".")[0].split(",")[0] in said.out


def demo(*words: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "velpin", "demo", *words]
    return subprocess.run(command, capture_output=True, text=True, check=False)


@pytest.mark.slow
def test_the_tour_is_short_and_tells_the_job() -> None:
    done = demo()
    assert done.returncode == 0, done.stdout[-2000:] + done.stderr
    for text in (
        "does NOT sign this source",
        "signs the index of this source",
        "would take over",
        "undo 1",
    ):
        assert text in done.stdout
    assert len(done.stdout.splitlines()) <= 150
    assert "velpin demo --list" in done.stdout.splitlines()[-1]


@pytest.mark.slow
def test_every_chapter_of_the_demo_stands_alone() -> None:
    listed = demo("--list").stdout
    for name in CHAPTERS:
        assert name in listed
    for name in set(CHAPTERS) - {TOUR}:
        done = demo(name)
        assert done.returncode == 0, done.stdout[-2000:] + done.stderr
    assert demo("weather").returncode == 2
    assert demo("--all", "vendor").returncode == 2
    assert demo("--all", "--keep", "nowhere").returncode == 2


@pytest.mark.slow
def test_a_kept_demo_is_a_host(tmp_path: Path) -> None:
    command = [sys.executable, "-m", "velpin", "demo", "--keep", str(tmp_path / "kept")]
    assert subprocess.run(command, capture_output=True, check=False).returncode == 0
    host = subprocess.run(
        [sys.executable, "-m", "velpin", "--root", str(tmp_path / "kept/host"), "forecast", "tide-gauge"],
        capture_output=True, text=True, check=False,
    )  # fmt: skip
    assert host.stdout.startswith("tide-gauge 2.1-3")
    again = subprocess.run(command, capture_output=True, text=True, check=False)
    assert (again.returncode, "is not empty" in again.stderr) == (2, True)


def test_the_demo_ships_small() -> None:
    assert sum(p.stat().st_size for p in (SOURCE / "demo").iterdir() if p.is_file()) < 1_000_000


def test_an_observed_rule_names_the_page_that_has_it() -> None:
    pages = {
        page.name: page.read_text()
        for page in (SOURCE.parents[1] / "docs/how-hosts-choose").glob("*.md")
    }
    for name, path in MODULES.items():
        text = path.read_text()
        named = re.findall(r'how-hosts-choose/([\w-]+\.md)(?:, "([^"]+)")?', text)
        assert named or "observed" not in text or "kinds" not in name, name
        for page, heading in named:
            assert not heading or re.search(rf"^#+ {re.escape(heading)}$", pages[page], re.M), name


def test_no_test_module_is_another_ones_helper() -> None:
    """What several use stands in a module of its own, where it can be read without their tests."""
    tests = Path(__file__).parent
    taken = re.compile(r"^\s*from tests(?:\.\w+)*\.test_\w+ import", re.MULTILINE)
    borrowing = [
        path.name for path in tests.rglob("*.py") if taken.search(path.read_text()) is not None
    ]
    assert borrowing == []
