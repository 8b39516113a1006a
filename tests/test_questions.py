"""What a forecast says the installer will ask, and with which options it goes on unattended."""

from __future__ import annotations

from hashlib import sha256
from pathlib import Path
from typing import Any, NamedTuple

import pytest

from tests.harbours import DEB, DNF, ZYPP, DebHarbour, Item, RpmHarbour
from tests.question_cases import HELD, OLDER, ROWS, Row, marked
from velpin.demo.rpm_files import DemoRpm
from velpin.demo.signer import Signer, new_signer


def told(found: dict[str, Any]) -> list[tuple[str, str, str]]:
    """Of each question its code, and the two answers."""
    return [(q["code"], q["default"], q["unattended"]) for q in found["questions"]]


@pytest.mark.parametrize("newer", [False, True], ids=["older", "newer"])
@pytest.mark.parametrize("row", ROWS, ids=lambda row: row.title)
def test_what_the_installer_of_a_deb_host_asks(
    row: Row, newer: bool, tmp_path: Path, signer: Signer
) -> None:
    harbour = row.harbour(tmp_path, signer).refresh()
    generation = ["--generation", "newer" if newer else "older"]
    found = harbour.forecast(*row.request.split(), *generation)
    asked = found["questions"]
    assert found["ok"]
    assert any(q["default"] in ("yes", "no") for q in asked) == row.asks
    assert tuple(q["allowed_by"] for q in asked if q["allowed_by"]) == row.wants
    essential = " --allow-remove-essential" if "essential" in str(row.wants) else ""
    for line in found["next"][-1:]:  # none if nothing changes
        assert line.startswith(f"apt-get{essential} install ")


def test_the_upgrade_of_a_deb_host_is_always_asked_about(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.source("one", Item("gull", "2").on(DEB))
    harbour.installed(Item("gull", "1").on(DEB))
    proceed = [("proceed", "yes", "yes")]
    assert told(harbour.refresh().forecast("--upgrade")) == proceed
    assert told(harbour.forecast("gull")) == []
    harbour.installed(Item("gull", "2").on(DEB))
    assert told(harbour.forecast("--upgrade")) == []


def test_settings_that_answer_leave_what_takes_an_option(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.put("etc/apt/apt.conf.d/90yes", 'APT::Get::Assume-Yes "true";\n')
    harbour.source("one", Item("gull", "1").on(DEB))
    harbour.installed(Item("gull", "2").on(DEB), marked("lamp", "hold ok installed"))
    found = harbour.refresh().forecast("gull@1-1", "--without", "lamp")
    assert told(found) == [("takes-older", "stops", "stops"), ("changes-held", "stops", "stops")]
    assert found["next"][-1] == f"apt-get {OLDER} {HELD} install gull=1-1 lamp-"


def test_people_read_what_is_more_than_going_on(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.source("one", Item("gull", "1", needs="oil").on(DEB), Item("oil", "1").on(DEB))
    essential = marked("wick", Essential="yes")
    harbour.installed(Item("oil", "2").on(DEB), marked("lamp", "hold ok installed"), essential)
    harbour.refresh()
    assert "ask you" not in harbour.done("forecast", "gull", "oil")
    shown = harbour.done("forecast", "oil@1-1", "lamp-", "wick-")
    assert "the installer will ask you to\n  confirm the transaction (Enter means yes" in shown
    assert "\nit stops unless an option lets it\n  remove wick, which" in shown
    older = f"go back to an older version of oil: {OLDER}"
    assert f"\nwith -y it stops unless an option lets it\n  {older}\n  change lamp, which" in shown
    harbour.put("etc/velpin/velpin.toml", "[forecast]\nnext = false\n")
    assert "it stops" not in harbour.done("forecast", "lamp-", "wick-")


# -- keys on rpm hosts -------------------------------------------------------------------------

ONE, TWO, DISTRIBUTION = (
    new_signer(f"{name} <{name}@gull.example>") for name in ("one", "two", "distribution")
)
FILE = "file:///etc/pki/rpm-gpg/keys.asc"


class KeyRow(NamedTuple):
    """A source of an rpm host, its keys, and what is asked about them."""

    title: str
    asks: tuple[Signer, ...] = ()
    ring: tuple[Signer, ...] = ()
    """Keys that the host has taken."""
    held: tuple[Signer, ...] = (ONE, TWO)
    """Those in the file that the source names."""
    names: str = FILE
    checks: str = "gpgcheck=1\nrepo_gpgcheck=0\n"
    packages_by: Signer | None = None
    index_by: Signer | None = None


KEY_ROWS = (
    KeyRow("each of them, in their order", (ONE, TWO)),
    KeyRow("in the other order", (TWO, ONE), held=(TWO, ONE)),
    KeyRow("the host has the first", (), (ONE,)),
    KeyRow("the host has the second", (), (TWO,)),
    KeyRow("the host has another key alone", (ONE, TWO), (DISTRIBUTION,)),
    KeyRow("the host lacks the key that signs", (ONE, TWO), packages_by=TWO),
    KeyRow("nothing is checked", checks="gpgcheck=0\nrepo_gpgcheck=0\n"),
    KeyRow("the file is not there", (), names="file:///etc/pki/rpm-gpg/gone.asc"),
)  # fmt: skip


def key_host(kind: str, row: KeyRow, folder: Path) -> RpmHarbour:
    harbour = RpmHarbour(folder, kind)
    harbour.put("etc/pki/rpm-gpg/keys.asc", b"".join(signer.public for signer in row.held))
    signs: dict[str, Any] = {}
    if row.packages_by:
        signs["sign_packages"] = row.packages_by.detached_binary
    if row.index_by:
        signs["sign"] = row.index_by.detached
    settings = f"{row.checks}gpgkey={row.names}\n"
    harbour.source("one", Item("gull", "1").on(kind), settings=settings, **signs)
    harbour.installed(*(in_ring(signer) for signer in row.ring))
    return harbour.refresh()


def in_ring(signer: Signer) -> DemoRpm:
    """A key as the record of packages holds it."""
    short = signer.fingerprint[-8:].lower()
    text = signer.public.decode()
    return DemoRpm("gpg-pubkey", f"{short}-5f000000", "(none)", more={"key": text})


@pytest.mark.parametrize("kind", [DNF, ZYPP])
@pytest.mark.parametrize("row", KEY_ROWS, ids=lambda row: row.title)
def test_which_keys_of_packages_are_asked_about(kind: str, row: KeyRow, tmp_path: Path) -> None:
    found = key_host(kind, row, tmp_path).forecast("gull")
    first, *rest = found["questions"]
    assert first["code"] == "proceed"
    assert [q["fingerprint"].replace(" ", "") for q in rest] == [s.fingerprint for s in row.asks]
    answers = {(q["default"], q["unattended"], q["allowed_by"]) for q in rest}
    allowed = ("no", "yes", "") if kind == DNF else ("no", "stops", "--gpg-auto-import-keys")
    assert answers <= {allowed}
    assert (first["default"], first["unattended"]) == ("no" if kind == DNF else "yes", "yes")


SIGNED_INDEX = "gpgcheck=1\nrepo_gpgcheck=1\n"


def test_dnf_asks_for_the_index_and_again_for_its_packages(tmp_path: Path) -> None:
    row = KeyRow("", checks=SIGNED_INDEX, index_by=TWO)
    harbour = key_host(DNF, row, tmp_path)
    codes = [q["code"] for q in harbour.forecast("gull")["questions"]]
    assert codes == ["import-key", "import-key", "proceed", "import-key", "import-key"]
    first = harbour.forecast("gull")["questions"][0]
    assert (first["key"], first["place"]) == (
        f"0x{ONE.fingerprint[-8:]}",
        FILE.removeprefix("file://"),
    )


def test_the_ring_for_an_index_is_not_the_record_of_packages(tmp_path: Path) -> None:
    row = KeyRow("", checks=SIGNED_INDEX, index_by=TWO, ring=(ONE, TWO))
    harbour = key_host(DNF, row, tmp_path)
    codes = [q["code"] for q in harbour.forecast("gull")["questions"]]
    assert codes == ["import-key", "import-key", "proceed"]
    mark = sha256(f"file://{harbour.folder}/repos/one".encode()).hexdigest()[:16]
    harbour.put(f"var/cache/dnf/one-{mark}/pubring/pubring.kbx", b"")
    codes = [q["code"] for q in harbour.forecast("gull")["questions"]]
    assert codes == ["proceed"]


@pytest.mark.parametrize(
    ("setting", "default"),
    [("defaultyes=1", "yes"), ("assumeyes=1", "yes"), ("defaultyes=0", "no"), ("", "no")],
)
def test_what_enter_means_to_dnf(setting: str, default: str, tmp_path: Path) -> None:
    harbour = key_host(DNF, KeyRow(""), tmp_path)
    harbour.put("etc/dnf/dnf.conf", f"[main]\n{setting}\n")
    assert {q["default"] for q in harbour.forecast("gull")["questions"]} == {default}


def test_zypper_asks_about_the_key_that_signed_the_index(tmp_path: Path) -> None:
    row = KeyRow("", checks=SIGNED_INDEX, index_by=TWO)
    found = key_host(ZYPP, row, tmp_path / "1").forecast("gull")["questions"]
    assert [q["code"] for q in found] == ["import-key", "proceed"]
    assert found[0]["fingerprint"].replace(" ", "") == TWO.fingerprint
    assert len(found[0]["fingerprint"].split()) == 5
    taken = key_host(ZYPP, row._replace(ring=(TWO,)), tmp_path / "2").forecast("gull")
    assert [q["code"] for q in taken["questions"]] == ["proceed"]


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_keys_at_an_address_that_nobody_fetched(kind: str, tmp_path: Path) -> None:
    """The index is the installer's own, so Velpin never saw the keys."""
    row = KeyRow("", names="https://keys.gull.example/one.asc")
    harbour = key_host(kind, row._replace(names=FILE), tmp_path)
    file = next(path for path in harbour.files() if path.endswith("one.repo"))
    harbour.put(file, harbour.read(file).replace(FILE, row.names))
    assert [q["code"] for q in harbour.forecast("gull")["questions"]] == ["proceed"]
