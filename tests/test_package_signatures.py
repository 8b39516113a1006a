"""What the beginnings of a few packages of an rpm source say of who signed them."""

from __future__ import annotations

import shutil
from collections.abc import Callable, Sequence
from pathlib import Path

import pytest

from velpin.demo.rpm_files import DemoRpm, file_name, package_beginning, write_rpm_repository
from velpin.demo.signer import Signer
from velpin.errors import HostFileError
from velpin.fetch.download import FetchSettings, Transport
from velpin.kinds.rpm import package_signature
from velpin.kinds.rpm.header import LEAD
from velpin.kinds.rpm.package_signature import PackageSignatures, look_at_packages, parts_of
from velpin.trust.openpgp import read_keys

RPMS = tuple(DemoRpm(name) for name in ("auk", "gull", "knot", "skua"))


class Repository:
    """A repository whose packages are signed each on its own; "" for one that is not there."""

    def __init__(self, folder: Path, keys: Sequence[Signer]) -> None:
        self.folder, self.keys = folder, keys

    def looked_at(self, files: Sequence[bytes | None]) -> PackageSignatures:
        shutil.rmtree(self.folder, ignore_errors=True)
        write_rpm_repository(self.folder, RPMS[: len(files)])
        for rpm, data in zip(RPMS, files, strict=False):
            path = self.folder / "Packages" / file_name(rpm)
            path.parent.mkdir(exist_ok=True)
            path.write_bytes(data) if data is not None else path.unlink(missing_ok=True)
        (primary,) = (self.folder / "repodata").glob("*primary*")
        keys = [key for signer in self.keys for key in read_keys(signer.public, "k")]
        transport = Transport(FetchSettings(retries=0))
        return look_at_packages(f"file://{self.folder}/", primary, keys, transport)


@pytest.fixture
def repository(tmp_path: Path, signer: Signer, stranger: Signer) -> Repository:
    return Repository(tmp_path / "repo", [signer, stranger])


def signed(by: Signer | None, rpm: DemoRpm = RPMS[0]) -> bytes:
    return package_beginning(rpm, by.detached_binary if by else (lambda _data: b""))


def test_who_signed_all_of_them(
    repository: Repository, signer: Signer, stranger: Signer, renewed: Signer
) -> None:
    mine, theirs, unknown = (signed(each) for each in (signer, stranger, renewed))
    assert repository.looked_at([mine, mine, mine]) == ((signer.fingerprint,), 3, None)
    assert repository.looked_at([mine]) == ((signer.fingerprint,), 1, None)
    assert repository.looked_at([mine, theirs]) == ((), 2, None)
    assert repository.looked_at([theirs, mine, mine])[:2] == ((), 3)
    assert repository.looked_at([None, mine, None]) == ((signer.fingerprint,), 1, None)
    assert repository.looked_at([None, None]) == ((), 0, None)
    # The fourth is not looked at.
    assert repository.looked_at([mine, mine, mine, b"<html>"]) == ((signer.fingerprint,), 3, None)
    for place in range(3):
        files = [mine, mine, mine]
        files[place] = unknown
        found = repository.looked_at(files)
        assert (found.signers, found.seen) == ((), place + 1)
        assert "does not name" in str(found.problem) or "not named" in str(found.problem)


@pytest.mark.parametrize(
    ("damage", "said"),
    [
        (lambda data: b"<html>" + data, "is not a package"),
        (lambda data: data[: len(data) // 2], ""),
        (lambda data: LEAD, ""),
        (lambda data: data[:-1] + bytes([data[-1] ^ 1]), ""),
    ],
)
def test_a_package_that_would_be_refused(
    repository: Repository, signer: Signer, damage: Callable[[bytes], bytes], said: str
) -> None:
    mine = signed(signer)
    found = repository.looked_at([mine, damage(mine), mine])
    assert (found.signers, found.seen) == ((), 2)
    assert said in str(found.problem)


@pytest.mark.parametrize("first", [100, 1000, 64 << 10])
def test_more_of_a_package_is_fetched_until_its_header_is_whole(
    repository: Repository, signer: Signer, monkeypatch: pytest.MonkeyPatch, first: int
) -> None:
    asked = []
    monkeypatch.setattr(package_signature, "_FIRST_BYTES", first)
    own = Transport.read_beginning

    def counted(transport: Transport, url: str, size: int) -> bytes:
        asked.append(size)
        return own(transport, url, size)

    monkeypatch.setattr(Transport, "read_beginning", counted)
    mine = signed(signer)
    assert repository.looked_at([mine]).signers == (signer.fingerprint,)
    assert asked == [first * 8**turn for turn in range(len(asked))]
    assert asked[-1] >= len(mine) > (asked[-2] if len(asked) > 1 else 0)


def test_a_header_beyond_the_bound_is_not_fetched(
    repository: Repository, signer: Signer, monkeypatch: pytest.MonkeyPatch
) -> None:
    mine = signed(signer)
    monkeypatch.setattr(package_signature, "_FIRST_BYTES", 100)
    monkeypatch.setattr(package_signature, "_MOST_BYTES", len(mine) - 1)
    found = repository.looked_at([mine])
    assert not found.signers
    with pytest.raises(HostFileError):
        parts_of(mine[:-1], "x")
    assert parts_of(mine, "x")[1] == mine[-len(parts_of(mine, "x")[1]) :]
