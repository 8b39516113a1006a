"""Keys and signatures on hosts of every kind: what has expired or was revoked signs nothing now,
and what a source said before is held against what it says today."""

from __future__ import annotations

import os
import time
from collections.abc import Callable
from pathlib import Path
from types import SimpleNamespace
from typing import Any, NamedTuple

import pysequoia
import pytest

from tests.harbours import DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour
from velpin.demo.alpm_files import DemoArchive as AlpmPackage
from velpin.demo.rpm_files import DemoRpm as P
from velpin.demo.signer import Signer


class Kind(NamedTuple):
    """One host with a signed source `vendor`, how to run it, and where its key lies."""

    run: Callable[..., tuple[int, str, str]]
    key: Path
    repository: Path
    binary: bool = False
    again: Callable[[], object] = lambda: None
    """Writes the repository anew, with another version."""


def deb(folder: Path, signer: Signer) -> Kind:
    harbour = DebHarbour(folder)
    address = harbour.repository("vendor", ("gull", "1"), signer=signer)
    key = harbour.put("etc/apt/keyrings/v.asc", signer.public)
    harbour.source_at("vendor", address, signed_by="/etc/apt/keyrings/v.asc")
    return Kind(
        harbour.run, key, folder / "repos/vendor",
        again=lambda: harbour.repository("vendor", ("gull", "2"), signer=signer),
    )  # fmt: skip


def rpm(folder: Path, signer: Signer, kind: str) -> Kind:
    harbour = RpmHarbour(folder, kind)
    settings = "gpgcheck=1\nrepo_gpgcheck=1\ngpgkey=file:///etc/pki/v.asc\n"
    made = harbour.source("vendor", P("gull", "1-1"), settings=settings, sign=signer.detached)
    key = harbour.put("etc/pki/v.asc", signer.public)
    return Kind(
        harbour.run, key, made,
        again=lambda: harbour.repository("vendor", P("gull", "2-1"), sign=signer.detached),
    )  # fmt: skip


def alpm(folder: Path, signer: Signer) -> Kind:
    harbour = AlpmHarbour(folder)
    made = harbour.source(
        "vendor", AlpmPackage("gull", "1-1"), settings="SigLevel = Required TrustAll\n",
        sign=signer.detached_binary,
    )  # fmt: skip
    key = harbour.put(
        "etc/pacman.d/gnupg/pubring.gpg", bytes(pysequoia.Cert.from_bytes(signer.public))
    )
    return Kind(
        harbour.run, key, made, True,
        lambda: harbour.repository(
            "vendor", AlpmPackage("gull", "2-1"), sign=signer.detached_binary
        ),
    )  # fmt: skip


KINDS: dict[str, Callable[[Path, Signer], Kind]] = {
    "deb": deb,
    DNF: lambda folder, signer: rpm(folder, signer, DNF),
    ZYPP: lambda folder, signer: rpm(folder, signer, ZYPP),
    "alpm": alpm,
}


@pytest.fixture(params=KINDS)
def kind(request: pytest.FixtureRequest, tmp_path: Path, signer: Signer) -> Kind:
    return KINDS[request.param](tmp_path, signer)


def at(monkeypatch: pytest.MonkeyPatch, now: float) -> None:
    """Let keys and signatures be judged at another time."""
    clock = SimpleNamespace(time=lambda: now, strftime=time.strftime, gmtime=time.gmtime)
    monkeypatch.setattr("velpin.trust.openpgp.time", clock)


def test_an_expired_key_signs_nothing_whatever_day_the_signature_is_of(
    kind: Kind, signer: Signer, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert kind.run("refresh")[0] == 0
    kind.again()
    at(monkeypatch, time.time() + 1096 * 86400)
    code, _, told = kind.run("refresh")
    assert code == 4
    assert f"the key {signer.fingerprint} expired on 20" in told
    code, out, _ = kind.run("forecast", "gull")
    assert (code, out.startswith("gull 1")) == (0, True), "the last good index stays"


def test_a_revoked_key_signs_nothing(kind: Kind, signer: Signer) -> None:
    assert kind.run("refresh")[0] == 0
    certificate = signer.secret.extract_certificate()
    revocation = certificate.revoke(signer.secret.certifier())
    revoked = pysequoia.Cert.from_bytes(bytes(certificate) + bytes(revocation))
    assert revoked.is_revoked
    kind.key.write_bytes(bytes(revoked) if kind.binary else str(revoked).encode())
    kind.again()
    code, _, told = kind.run("refresh")
    assert code == 4
    assert f"the key {signer.fingerprint} was revoked by its owner" in told


def test_a_key_that_expires_later_is_taken_until_then(
    kind: Kind, monkeypatch: pytest.MonkeyPatch
) -> None:
    at(monkeypatch, time.time() + 1094 * 86400)
    assert kind.run("refresh")[0] == 0


def test_add_refuses_an_expired_key(
    harbour: DebHarbour, signer: Signer, monkeypatch: pytest.MonkeyPatch
) -> None:
    address = harbour.repository("vendor", ("gull", "1"), signer=signer)
    (harbour.folder / "k.asc").write_bytes(signer.public)
    at(monkeypatch, time.time() + 1096 * 86400)
    words = ["add", "vendor", "--url", address, "--suite", "jetty", "--key"]
    said = harbour.run(*words, str(harbour.folder / "k.asc"), "--yes")
    assert said.code == 4
    assert f"the key {signer.fingerprint} expired on 20" in said.err
    assert not (harbour.root / "etc/apt/sources.list.d/vendor.sources").exists()


# -- exactly the key that is named -------------------------------------------------------------


@pytest.mark.parametrize(
    ("named", "works"), [("primary", True), ("primary!", False), ("part", True), ("part!", True),
                         ("other part", False)],
)  # fmt: skip
def test_signed_by_a_fingerprint_means_that_key(
    harbour: DebHarbour, signer: Signer, named: str, works: bool
) -> None:
    """Keys made here sign with a subkey of their own."""
    from velpin.trust.openpgp import clear_issuers, read_keys

    (key,) = read_keys(signer.public, "k")
    (signing,) = clear_issuers(signer.clear(b"x\n"), "x")
    others = key.parts - {signing, signer.fingerprint}
    value = {"primary": signer.fingerprint, "part": signing, "other part": min(others)}
    text = value[named.rstrip("!")] + ("!" if named.endswith("!") else "")
    address = harbour.repository("vendor", ("gull", "1"), signer=signer)
    harbour.put("etc/apt/trusted.gpg.d/v.asc", signer.public)
    harbour.source_at("vendor", address, signed_by=text)
    assert (harbour.run("refresh").code == 0) == works


# -- weak keys -----------------------------------------------------------------------------------


def test_a_weak_key_in_a_ring_ends_no_command(harbour: DebHarbour, signer: Signer) -> None:
    from tests.made_keys import MADE

    address = harbour.repository("vendor", ("gull", "1"), signer=signer)
    harbour.source_at("vendor", address, signed_by="/etc/apt/keyrings/v.gpg")
    good = bytes(pysequoia.Cert.from_bytes(signer.public))
    harbour.put("etc/apt/keyrings/v.gpg", MADE["rsa1024.gpg"] + good + MADE["sha1self.gpg"])
    harbour.put("etc/apt/trusted.gpg.d/weak.gpg", MADE["rsa1024.gpg"])
    for words in ("refresh", "sources", "keys", "host", "forecast gull"):
        said = harbour.run(*words.split())
        assert said.code == 0, said
        if words == "keys":
            assert said.err.count("; passed over") == 2
            assert "etc/apt/trusted.gpg.d/weak.gpg: the key" in said.err


# -- what was seen before --------------------------------------------------------------------


@pytest.mark.parametrize("dnf_or_zypp", [DNF, ZYPP])
def test_an_older_index_of_an_rpm_source_is_told(tmp_path: Path, dnf_or_zypp: str) -> None:
    harbour = RpmHarbour(tmp_path, dnf_or_zypp)
    settings = "gpgcheck=0\nrepo_gpgcheck=0\n"
    made = harbour.source("vendor", P("gull", "2-1"), settings=settings)
    file = made / "repodata/repomd.xml"
    text = file.read_text()
    assert "<timestamp>" in text
    import re

    file.write_text(re.sub(r"<timestamp>\d+", "<timestamp>1700000000", text))
    harbour.refresh()
    file.write_text(re.sub(r"<timestamp>\d+", "<timestamp>1600000000", text))
    code, _, told = harbour.run("refresh")
    assert code == 0
    assert (
        "vendor gave an index of 2020-09-13 12:26 UTC, older than the one of 2023-11-14 22:13 UTC"
        " seen before; the host's installer takes it" in told
    )


def test_an_older_list_of_an_alpm_source_is_not_taken(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path)
    made = harbour.source("vendor", AlpmPackage("gull", "2-1"))
    os.utime(made / "vendor.db", (1_700_000_000, 1_700_000_000))
    harbour.refresh()
    harbour.repository("vendor", AlpmPackage("gull", "1-1"))
    os.utime(made / "vendor.db", (1_600_000_000, 1_600_000_000))
    code, _, told = harbour.run("refresh")
    assert code == 0
    assert told == (
        "velpin: vendor gave a list of 2020-09-13 12:26 UTC, older than the one of"
        " 2023-11-14 22:13 UTC seen before; the newer one stays\n"
    )
    assert harbour.changes("gull") == {"gull": "2-1 vendor"}


NOW = time.time()


def test_the_expiry_of_a_copy_that_stays_is_not_hidden(harbour: DebHarbour) -> None:
    valid = time.strftime("%a, %d %b %Y %H:%M:%S UTC", time.gmtime(NOW + 3600))
    fields: dict[str, Any] = {"fields": {"Valid-Until": valid}}
    harbour.source_at("vendor", harbour.repository("vendor", ("gull", "1"), date=NOW, **fields))
    assert harbour.refreshed()["vendor"].error is None
    harbour.repository("vendor", ("gull", "0"), date=NOW - 9000, **fields)
    assert harbour.refreshed(NOW + 60)["vendor"].error is None
    error = harbour.refreshed(NOW + 9000)["vendor"].error
    assert error is not None
    assert "the release file expired on" in error.message


@pytest.mark.parametrize("field", ["NotAutomatic", "ButAutomaticUpgrades"])
def test_a_source_that_changes_how_automatic_it_is_is_refused(
    harbour: DebHarbour, field: str
) -> None:
    harbour.source_at("vendor", harbour.repository("vendor", ("gull", "1"), date=NOW - 100))
    harbour.ready()
    harbour.repository("vendor", ("gull", "2"), fields={field: "yes"}, date=NOW)
    said = harbour.run("refresh")
    assert said.code == 4
    assert (
        f"changed its {field} from no to yes; the host would not accept that without being asked"
        in said.err
    )
    assert harbour.run("refresh", "--accept-changed").code == 0
    assert harbour.run("refresh").code == 0


@pytest.mark.parametrize("known_by", ["velpin", "installer"])
def test_a_source_that_was_signed_and_no_longer_is_is_refused(
    harbour: DebHarbour, signer: Signer, known_by: str
) -> None:
    address = harbour.repository("vendor", ("gull", "1"), signer=signer, date=NOW - 100)
    harbour.put("etc/apt/keyrings/v.asc", signer.public)
    options = {"signed_by": "/etc/apt/keyrings/v.asc", "allow_insecure": "yes"}
    harbour.source_at("vendor", address, **options)
    suite = Path(address.removeprefix("file://")) / "dists/jetty"
    if known_by == "velpin":
        harbour.ready()
    else:
        from velpin.kinds.deb.copies import list_name

        base = f"var/lib/apt/lists/{list_name(f'{address}/dists/jetty', 'jetty')}"
        harbour.put(f"{base}InRelease", (suite / "InRelease").read_bytes())
    for name in ("InRelease", "Release.gpg"):
        (suite / name).unlink()
    said = harbour.run("refresh")
    assert said.code == 4
    assert "was signed before and no longer is" in said.err
    harbour.source_at("vendor", address, **options, allow_downgrade_to_insecure="yes")
    assert harbour.run("refresh").code == 0
