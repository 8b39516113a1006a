"""Whatever a program hands over: a public method answers, or raises an error of Velpin's."""

from __future__ import annotations

import inspect
import random
import re
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest

import velpin
from tests.kind_hosts import MAKERS
from velpin.change.plan import FileEdit, NewSource, Plan
from velpin.errors import VelpinError
from velpin.host.catalog import HostCatalog
from velpin.host.changes import HostChanges
from velpin.host.checkup import HostCheckup
from velpin.host.file import HostInFile
from velpin.host.host import Host
from velpin.host.opening import open_host
from velpin.host.packages import HostPackages
from velpin.host.rules import HostRules
from velpin.host.sources import HostSources
from velpin.kinds import KINDS
from velpin.model.instructions import KeyRead, PagePreference, Reading, SourceRead
from velpin.model.reason import Place
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer

GROUPS = {
    "sources": HostSources, "packages": HostPackages, "rules": HostRules, "changes": HostChanges,
    "checkup": HostCheckup, "file": HostInFile, "catalog": HostCatalog,
}  # fmt: skip
WITH_VALUES_OF_OTHERS = {"with_edits", "drift", "report", "takeover", "plan_conform", "expect"}
"""Methods that take a value which only another method makes."""
TEXTS = (
    "", " ", "gull", "tern", "vendor", "base", "nobody", "*", "[", "g*", "/(/", "gull@", "@1", "@",
    "gull@2", "gull@>=1", "gull@>=", "gull%vendor", "gull%", "%", "gull:amd64", "gull:", ":", "-",
    "--over", "../etc/passwd", "/etc", "a/b", "a\nb", "a\0b", "\x1b[31m", "\ud800", "é", "x" * 3000,
    "file:///nowhere", "file://", "http://", "://", "deb", "deb file:///x ./", "[x]\nbaseurl=", "$x",
    "${x}", "`id`", "1", "-1", "0", "etc/x:1", ":1", "etc/x:", "9" * 30,
)  # fmt: skip


def drawn(hint: str, pick: random.Random) -> Any:
    """A value of a type, odd if there are any."""

    def text() -> str:
        return pick.choice(TEXTS)

    def texts() -> tuple[str, ...]:
        return tuple(text() for _ in range(pick.randint(0, 3)))

    rules: list[Callable[[], Any]] = [
        lambda: Prefer(text(), texts(), texts(), pick.random() < 0.5),
        lambda: Confine(text(), texts()),
        lambda: Pin(texts(), text(), text(), pick.random() < 0.5),
        lambda: Bar(texts(), text(), text(), pick.random() < 0.5, texts()),
        lambda: Keep(texts()),
    ]
    made: dict[str, Callable[[], Any]] = {
        "str": text, "int": lambda: pick.choice((0, 1, -1, 7, 10**12)), "bool": lambda: pick.random() < 0.5,
        "str | None": lambda: pick.choice((None, text())), "Sequence[str]": texts, "Iterable[str]": texts,
        "Sequence[Rule]": lambda: [pick.choice(rules)() for _ in range(pick.randint(0, 2))],
        "Place": lambda: Place(text(), pick.choice((0, 1, -1, 999))),
        "KeysIn": lambda: pick.choice(("named", "beside", "inside", text())),
        "GenerationName": lambda: pick.choice(("older", "newer", text())),
        "NewSource": lambda: NewSource(
            handle=text(), address=text(), release=text(), components=texts(), archs=texts(),
            snippet=text(), snippet_name=text(), key=text().encode("utf-8", "replace"), key_name=text(),
            fingerprint=text(),
        ),
        "Mapping[str, bytes]": lambda: {text(): text().encode("utf-8", "replace")},
        "bytes": lambda: text().encode("utf-8", "replace"),
        "Reading": lambda: Reading(
            sources=(SourceRead(text(), text(), (KeyRead(text(), text(), text().encode("utf-8", "replace")),)),),
            packages=texts(), rules=(pick.choice(rules)(),), switches=((text(), pick.random() < 0.5),),
            preferences=(PagePreference(text(), text(), "only", texts()),),
        ),
        "Plan": lambda: Plan(text(), text(), files=[
            FileEdit(f"etc/{pick.randint(0, 3)}", None, pick.choice((None, b"", b"x")))
        ]),
        "Shift": lambda: None,
        "Trace": lambda: lambda step: None,
    }  # fmt: skip
    return made[hint]()


def methods() -> Iterator[tuple[str, str]]:
    for group, kind in {"": Host, **GROUPS}.items():
        for name, method in vars(kind).items():
            if inspect.isfunction(method) and name[0] != "_" and name not in WITH_VALUES_OF_OTHERS:
                yield group, name


@pytest.fixture(scope="module", params=sorted(KINDS))
def root(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Path:
    made = MAKERS[request.param].make(tmp_path_factory.mktemp(request.param))
    open_host(made).sources.refresh()
    return made


@pytest.mark.parametrize(("group", "name"), list(methods()), ids=lambda part: part or "host")
def test_a_public_method_raises_errors_of_velpin_alone(root: Path, group: str, name: str) -> None:
    pick = random.Random(f"{group}.{name}")
    for _ in range(25):
        host = open_host(root)
        method = getattr(getattr(host, group) if group else host, name)
        asked = {
            parameter.name: drawn(parameter.annotation, pick)
            for parameter in inspect.signature(method).parameters.values()
            if parameter.default is inspect.Parameter.empty or pick.random() < 0.5
        }
        if name == "shift":
            asked["plan"] = host.sources.plan_switch("vendor", on=False)
        with suppress(VelpinError):
            method(**asked)
        if not asked:
            break


def test_every_type_that_a_method_returns_is_public() -> None:
    returned: set[str] = set()
    for kind in (Host, *GROUPS.values()):
        for name, made in vars(kind).items():
            method = getattr(made, "fget", None) or getattr(made, "func", None) or made
            if name[0] != "_" and inspect.isfunction(method):
                told = str(inspect.signature(method).return_annotation)
                returned.update(re.findall(r"[A-Z]\w+", told))
    of_python = {"None", "Self", "Sequence", "Iterable"}
    assert returned - of_python <= set(velpin.__all__)
