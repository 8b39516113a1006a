"""The steps of each solver, as somebody sees them who asks how an answer was found."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour, offer
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm
from velpin.host.host import Host
from velpin.model.step import Step


def deb(folder: Path) -> Host:
    """`gull` needs `sand` by way of its first choice, and `sand` cannot be beside `tern`."""
    harbour = DebHarbour(folder)
    harbour.source(
        "base", offer("gull", "2", depends="lib-a | lib-b, tern"), offer("lib-a", "1", depends="sand"),
        offer("sand", "1", conflicts="tern"), offer("lib-b", "1"), offer("tern", "1"),
    )  # fmt: skip
    harbour.installed(("auk", "1"))
    return harbour.ready()


def rpm(folder: Path, kind: str) -> Host:
    """The same, where the second need rules out the first choice."""
    harbour = RpmHarbour(folder, kind)
    harbour.source(
        "base", DemoRpm("gull", "2-1", requires=("lib", "tern")),
        DemoRpm("lib-a", "1-1", provides=("lib",)), DemoRpm("lib-b", "1-1", provides=("lib",)),
        DemoRpm("tern", "1-1", conflicts=("lib-a",)),
    )  # fmt: skip
    harbour.refresh()
    return harbour.host()


def alpm(folder: Path) -> Host:
    harbour = AlpmHarbour(folder)
    harbour.source(
        "base", DemoArchive("gull", "2-1", depends=("lib", "tern")),
        DemoArchive("lib-a", "1-1", provides=("lib",)), DemoArchive("tern", "1-1", depends=("sand>=2",)),
        DemoArchive("sand", "1-1"),
    )  # fmt: skip
    harbour.refresh()
    return harbour.host()


OF_RPM = [
    "follows    gull-2-1.x86_64  asked for: gull",
    "follows    tern-1-1.x86_64  gull-2-1.x86_64 requires tern",
    "follows    not lib-a-1-1.x86_64  tern-1-1.x86_64 conflicts lib-a",
    "follows    lib-b-1-1.x86_64  gull-2-1.x86_64 requires lib",
]


@pytest.mark.parametrize(
    ("make", "generation", "steps"),
    [
        (deb, "older", [
            "decided    gull 2",
            "follows    lib-a 1  gull 2 requires lib-a | lib-b",
            "follows    sand 1  lib-a 1 requires sand",
            "follows    tern 1  gull 2 requires tern",
            "conflict   sand 1 conflicts with tern",
        ]),
        (deb, "newer", [
            "decided    gull 2", "follows    gull  by gull 2",
            "follows    tern  gull requires tern", "follows    tern 1  by tern",
            "follows    not sand  sand conflicts with tern",
            "follows    not lib-a  lib-a requires sand", "follows    not sand 1  by sand 1",
            "follows    lib-b  gull requires lib-a | lib-b", "follows    not lib-a 1  by lib-a 1",
            "follows    lib-b 1  by lib-b", "decided    auk", "follows    auk 1  by auk",
        ]),
        (lambda folder: rpm(folder, DNF), "", OF_RPM), (lambda folder: rpm(folder, ZYPP), "", OF_RPM),
        (alpm, "", [
            "decided    gull 2-1", "follows    lib-a 1-1  gull requires lib",
            "follows    tern 1-1  gull requires tern", "conflict   tern 1-1  tern requires sand>=2",
            "back to    not tern 1-1", "back to    not gull 2-1",
        ]),
    ],
    ids=["deb, older", "deb, newer", "rpm-dnf", "rpm-zypp", "alpm"],
)  # fmt: skip
def test_steps(
    tmp_path: Path, make: Callable[[Path], Host], generation: str, steps: list[str]
) -> None:
    host = make(tmp_path)
    if generation:
        host = host.with_generation(generation)
    told: list[Step] = []
    answer = host.traced(told.append).forecast(["gull"])
    assert [str(step) for step in told] == steps
    assert answer == host.forecast(["gull"])
    count = len(told)
    host.forecast(["tern"])
    assert len(told) == count


def test_a_choice_that_is_taken_back_is_told(harbour: DebHarbour) -> None:
    harbour.source(
        "base", offer("gull", "2", depends="lib-a | lib-b, tern | auk"), offer("lib-a", "1"),
        offer("lib-b", "1"), offer("tern", "1", breaks="lib-a"), offer("auk", "1", breaks="lib-a"),
    )  # fmt: skip
    told: list[Step] = []
    host = harbour.ready().with_generation("newer")
    assert host.traced(told.append).forecast(["gull"]).ok
    kinds = [step.kind for step in told if step.kind != "follows"]
    assert kinds == ["decided", "decided", "conflict", "back to", "decided"]
    assert [step.what for step in told if step.kind == "back to"] == ["not lib-a"]


def test_the_command_line_tells_them_beside_the_answer(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.source("base", ("gull", "1"))
    harbour.ready()
    said = harbour.run("forecast", "gull", "--debug-steps", "--json")
    assert said.err.splitlines()[0] == "decided    gull 1"
    assert said.out == harbour.run("forecast", "gull", "--json").out
