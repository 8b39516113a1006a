"""Rules about packages that are written as a host's installer writes them."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP, RpmHarbour
from velpin.demo.rpm_files import DemoRpm as P
from velpin.errors import UsageError
from velpin.host.host import Host
from velpin.model.rule import command_of


@pytest.fixture(scope="module")
def hosts(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Host]:
    """A host of each layout, with a name that looks like another one and its version."""
    found = {}
    for kind in (DNF, ZYPP):
        harbour = RpmHarbour(tmp_path_factory.mktemp(kind), kind)
        harbour.source("base", P("gull", "2.4-1"), P("gull", "1:2.4-1"), P("gull-2.4", "5-1"),
                       P("tern.noarch", "1-1"), P("tern", "3-1", arch="noarch"))  # fmt: skip
        found[kind] = harbour.refresh().host()
    return found


@pytest.mark.parametrize("kind", [DNF, ZYPP])
@pytest.mark.parametrize(
    ("typed", "rule"),
    [
        ("gull-2.4-1", "pin gull@2.4-1"),
        ("gull-2.4-1.x86_64", "pin gull:x86_64@2.4-1"),
        ("gull-1:2.4-1.x86_64", "pin gull:x86_64@1:2.4-1"),
        ("gull.x86_64@2.4-1", "pin gull:x86_64@2.4-1"),
        ("gull.x86_64@>2", "pin 'gull:x86_64@>2'"),
        ("gull=2.4", "pin gull@2.4"),
        ("gull-2.4@5-1", "pin gull-2.4@5-1"),
        ("gull-2.4-5-1", "pin gull-2.4@5-1"),
        ("tern.noarch@1-1", "pin tern.noarch@1-1"),
        ("tern-3-1.noarch", "pin tern:noarch@3-1"),
        ("skua-1-1", None),
        ("gull-2.4", None),
        ("gull.sparc", None),
        ("gull.x86_64", None),
    ],
)  # fmt: skip
def test_a_pin_takes_the_forms_of_a_request(
    hosts: dict[str, Host], kind: str, typed: str, rule: str | None
) -> None:
    host = hosts[kind]
    if rule is None:
        with pytest.raises(UsageError, match="to what"):
            host.rules.pins([typed])
        return
    assert [command_of(pin) for pin in host.rules.pins([typed])] == [f"velpin {rule}"]


@pytest.mark.parametrize(
    ("kind", "rule"),
    [(DNF, "pin gull@2-1"), (ZYPP, "pin gull-2@1")],
)
def test_where_two_names_fit_the_order_of_the_installer_decides(
    tmp_path: Path, kind: str, rule: str
) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("base", P("gull", "2-1"), P("gull-2", "1-1"))
    pins = harbour.refresh().host().rules.pins(["gull-2-1"])
    assert [command_of(pin) for pin in pins] == [f"velpin {rule}"]


@pytest.mark.parametrize(
    ("typed", "source", "rule"),
    [
        ("gull-2.4-1", "", "bar gull@2.4-1"),
        ("gull.x86_64", "base", "bar gull:x86_64 --from base"),
        ("gull-2.4-1.x86_64", "base", "bar gull:x86_64@2.4-1 --from base"),
    ],
)
def test_a_bar_takes_them_too(hosts: dict[str, Host], typed: str, source: str, rule: str) -> None:
    host = hosts[DNF]
    assert [command_of(bar) for bar in host.rules.bars([typed], source)] == [f"velpin {rule}"]
