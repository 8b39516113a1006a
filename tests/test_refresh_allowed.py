"""What a source's options and the host's settings allow of what a server gives: every option with
every state of it, on every kind of host, on record."""

from __future__ import annotations

import os
import re
import shutil
import time
from collections.abc import Callable, Sequence
from pathlib import Path

import pysequoia
import pytest

from tests.answers import say
from tests.harbours import CONF, RPM, AlpmHarbour, DebHarbour, Harbour, RpmHarbour, weaken
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm
from velpin.demo.signer import Signer
from velpin.model.host import RefreshResult

pytestmark = pytest.mark.full

DAY = 86400.0


def told(found: RefreshResult) -> str:
    """What came of refreshing a source."""
    error = f"{type(found.error).__name__}: {found.error.message}" if found.error else ""
    offered = [key.address for key in found.offered_keys]
    doubt = type(found.doubt).__name__ if found.doubt else ""
    return (
        f"{found.outcome} {error} {found.warnings} {len(found.signed_by)} {found.checked} {doubt}"
        f" {offered}"
    )


def each(harbour: Harbour, settings: Sequence[str], put: Callable[[str], None]) -> None:
    """Refresh under each of some settings, from the same start."""
    kept, before = harbour.root / "var/cache/velpin", harbour.folder / "before"
    if kept.exists():
        shutil.copytree(kept, before)
    for setting in settings:
        shutil.rmtree(kept, ignore_errors=True)
        if before.exists():
            shutil.copytree(before, kept)
        put(setting)
        (found,) = harbour.host().sources.refresh()
        say(f"{setting!r}: {told(found)}")


# -- deb -----------------------------------------------------------------------------------


def _unsigned(dists: Path, _signer: Signer) -> None:
    (dists / "InRelease").unlink()
    (dists / "Release.gpg").unlink()


def _elsewhere(dists: Path, _signer: Signer) -> None:
    (dists / "other").mkdir()
    (dists / "InRelease").rename(dists / "other/In")
    _unsigned_release(dists)


def _unsigned_release(dists: Path) -> None:
    for name in ("Release", "Release.gpg"):
        (dists / name).unlink()


def _dated(days: float) -> Callable[[Path, Signer], None]:
    def make(dists: Path, signer: Signer) -> None:
        told = time.strftime("%a, %d %b %Y %H:%M:%S UTC", time.gmtime(time.time() + days * DAY))
        text = re.sub("Date: .*", f"Date: {told}", (dists / "Release").read_text())
        (dists / "InRelease").write_bytes(signer.clear(text.encode()))

    return make


def _over(dists: Path, signer: Signer) -> None:
    text = f"Valid-Until: Mon, 01 Jan 2024 00:00:00 UTC\n{(dists / 'Release').read_text()}"
    (dists / "InRelease").write_bytes(signer.clear(text.encode()))


SERVED: dict[str, Callable[[Path, Signer], None]] = {
    "sound": lambda _dists, _signer: None, "weak digests": weaken, "unsigned": _unsigned,
    "elsewhere": _elsewhere, "an hour ahead": _dated(1 / 24), "old": _dated(-400), "over": _over,
}  # fmt: skip
ALLOWED = (
    "", "trusted=yes", "allow-weak=yes", "allow-weak=no", "allow-insecure=yes",
    "allow-insecure=yes allow-downgrade-to-insecure=yes", "allow-downgrade-to-insecure=yes",
    "inrelease-path=other/In", "check-date=no", "date-max-future=7200", "date-max-future=60",
    "check-valid-until=no", "check-valid-until=yes", "valid-until-max=86400", "valid-until-min=999999999",
)  # fmt: skip
SET = (
    'AllowInsecureRepositories "true"', 'AllowDowngradeToInsecureRepositories "true"',
    'AllowInsecureRepositories "true"; AllowDowngradeToInsecureRepositories "true"',
    'AllowWeakRepositories "true"', 'Check-Date "false"', 'Max-FutureTime "7200"',
    'Check-Valid-Until "false"', 'Max-ValidTime "86400"', 'Min-ValidTime "999999999"',
    'Max-ValidTime::gullwatch "86400"',
)  # fmt: skip


@pytest.mark.parametrize("served", SERVED)
@pytest.mark.parametrize("was_there", [False, True])
def test_what_a_deb_source_may_give(
    harbour: DebHarbour, signer: Signer, served: str, was_there: bool
) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"), signer=signer)
    harbour.put("usr/share/keyrings/gullwatch.asc", signer.public)
    named = "signed-by=/usr/share/keyrings/gullwatch.asc"

    def put(option: str) -> None:
        own, setting = ("", option) if option in SET else (option, "")
        harbour.put("etc/apt/sources.list.d/g.list", f"deb [{named} {own}] {address} jetty main\n")
        harbour.put("etc/apt/apt.conf", f"Acquire {{ {setting}{';' if setting else ''} }};")

    if was_there:
        put("")
        harbour.host().sources.refresh()
    SERVED[served](harbour.folder / "repos/gullwatch/dists/jetty", signer)
    each(harbour, [*ALLOWED, *SET], put)


# -- rpm -----------------------------------------------------------------------------------


GOOD = "gpgkey=file:///etc/pki/rpm-gpg/good.asc"
OTHER = "gpgkey=file:///etc/pki/rpm-gpg/other.asc"
SECTION = (
    "", "gpgcheck=0", "gpgcheck=1", "repo_gpgcheck=1", f"repo_gpgcheck=1\n{GOOD}", f"repo_gpgcheck=1\n{OTHER}",
    f"repo_gpgcheck=1\n{GOOD} file:///etc/pki/rpm-gpg/other.asc", f"gpgcheck=0\nrepo_gpgcheck=1\n{GOOD}",
    f"gpgcheck=1\n{GOOD}", f"gpgcheck=1\n{OTHER}", f"pkg_gpgcheck=1\n{GOOD}", "repo_gpgcheck=1\ngpgkey=file:///none.asc",
    "gpgcheck=1\ngpgkey=ADDRESS", "repo_gpgcheck=1\ngpgkey=ADDRESS", f"repo_gpgcheck=maybe\n{GOOD}",
    f"type=yum\nrepo_gpgcheck=1\n{GOOD}", "skip_if_unavailable=1", f"repo_gpgcheck=0\ngpgcheck=1\n{GOOD}",
)  # fmt: skip


def _rpm_served(served: str, repodata: Path, signer: Signer, other: Signer) -> None:
    head = repodata / "repomd.xml"
    signature = repodata / "repomd.xml.asc"
    primary = next(repodata.glob("*-primary.xml*"))
    if served == "unsigned":
        signature.unlink()
    elif served == "another signer":
        signature.write_bytes(other.detached(head.read_bytes()))
    elif served == "both signers":
        data = head.read_bytes()
        signature.write_bytes(other.detached(data) + signer.detached(data))
    elif served == "not for it":
        signature.write_bytes(signer.detached(b"another"))
    elif served == "no signature in it":
        signature.write_bytes(b"<html>gone</html>\n")
    elif served == "lists cut":
        primary.write_bytes(primary.read_bytes()[:-20])
    elif served == "lists missing":
        primary.unlink()
    elif served == "no index":
        head.write_bytes(b"<html>gone</html>\n")
    elif served == "nothing":
        shutil.rmtree(repodata)


RPM_SERVED = ("sound", "unsigned", "another signer", "both signers", "not for it", "no signature in it",
              "lists cut", "lists missing", "no index", "nothing", "older")  # fmt: skip


@pytest.mark.parametrize("kind", RPM)
@pytest.mark.parametrize("served", RPM_SERVED)
@pytest.mark.parametrize("was_there", [False, True])
def test_what_an_rpm_source_may_give(
    tmp_path: Path, kind: str, served: str, was_there: bool, signer: Signer, stranger: Signer
) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.put("etc/pki/rpm-gpg/good.asc", signer.public)
    harbour.put("etc/pki/rpm-gpg/other.asc", stranger.public)
    now = time.time()

    def publish(version: str, days: float) -> Path:
        row = DemoRpm("gull", version)
        return harbour.repository("birds", row, sign=signer.detached, date=now - days * DAY)

    place = publish("1-1", 2)

    def put(settings: str) -> None:
        section = settings.replace("ADDRESS", "http://127.0.0.1:9/key.asc")
        harbour.put(
            f"{harbour.sources}/birds.repo", f"[birds]\nbaseurl=file://{place}\n{section}\n"
        )

    if was_there:
        put(f"repo_gpgcheck=1\n{GOOD}")
        harbour.host().sources.refresh()
    for path in (place / "repodata").iterdir():
        path.unlink()
    publish("2-1", 3 if served == "older" else 1)
    _rpm_served(served, place / "repodata", signer, stranger)
    each(harbour, SECTION, put)


# -- alpm ----------------------------------------------------------------------------------


LEVELS = ("", "Never", "Optional", "Required", "Optional TrustAll", "Required TrustAll", "DatabaseRequired",
          "DatabaseOptional", "DatabaseNever", "PackageRequired", "PackageNever DatabaseRequired",
          "Required DatabaseOptional", "DatabaseOptional Required", "DatabaseTrustAll")  # fmt: skip
ALPM_SERVED = ("sound", "unsigned", "another signer", "not for it", "no signature in it", "no list",
               "nothing", "older", "the same")  # fmt: skip


@pytest.mark.parametrize("served", ALPM_SERVED)
@pytest.mark.parametrize("was_there", [False, True])
@pytest.mark.parametrize("has_key", [False, True])
def test_what_an_alpm_source_may_give(
    tmp_path: Path, served: str, was_there: bool, has_key: bool, signer: Signer, stranger: Signer
) -> None:
    harbour = AlpmHarbour(tmp_path)
    if has_key:
        ring = bytes(pysequoia.Cert.from_bytes(signer.public))
        harbour.put("etc/pacman.d/gnupg/pubring.gpg", ring)
    now = time.time()

    def publish(version: str, days: float) -> Path:
        row = DemoArchive("gull", version)
        place = harbour.repository("birds", row, sign=signer.detached_binary)
        for path in place.iterdir():
            os.utime(path, (0, int(now - days * DAY)))
        return place

    place = publish("1-1", 2)

    def put(level: str) -> None:
        own, of_host = ("", "")
        if level.startswith("host "):
            of_host = f"SigLevel = {level[5:]}\n"
        elif level:
            own = f"SigLevel = {level}\n"
        harbour.put(
            CONF,
            f"[options]\nArchitecture = x86_64\n{of_host}\n[birds]\n{own}Server = file://{place}\n",
        )

    if was_there:
        put("Optional")
        harbour.host().sources.refresh()
    publish("1-1" if served == "the same" else "2-1", 3 if served == "older" else 1)
    data, signature = place / "birds.db", place / "birds.db.sig"
    if served == "unsigned":
        signature.unlink()
    elif served == "another signer":
        signature.write_bytes(stranger.detached_binary(data.read_bytes()))
    elif served == "not for it":
        signature.write_bytes(signer.detached_binary(b"another"))
    elif served == "no signature in it":
        signature.write_bytes(b"<html>gone</html>\n")
    elif served == "no list":
        data.write_bytes(b"<html>gone</html>\n")
        signature.write_bytes(signer.detached_binary(data.read_bytes()))
    elif served == "nothing":
        shutil.rmtree(place)
    each(harbour, [*LEVELS, *(f"host {level}" for level in LEVELS if level)], put)
