"""What befalls a source between two refreshes, drawn: its server, its keys, its files here.

All that is then said of it stands on record (`tests/answers.py`).
"""

from __future__ import annotations

import random
import shutil
from collections.abc import Callable
from pathlib import Path

import pysequoia
import pytest

from tests.checkup_hosts import THEIRS, VENDOR, Post, days_ago
from tests.harbours import ALPM, DEB, KINDS, Item
from tests.program import CODES
from velpin.demo.signer import Signer

pytestmark = pytest.mark.full

COMMANDS = (
    "sources --json",
    "sources",
    "keys",
    "keys --json",
    "checkup --offline --json",
    "offers gullwatch",
    "checkup --mend --preview",
    "forecast gullwatch --json",
    "host",
    "checkup --json",
    "checkup --mend --yes",
    "refresh vendor --json",
    "refresh --accept-changed",
    "refresh --files",
    "add vendor --key KEY --preview",
    "add vendor --key KEY --yes",
    "export",
    "off vendor --preview",
)


class Strangers:
    """Keys of others, made once."""

    def __init__(self, vendor: Signer, stranger: Signer, renewed: Signer) -> None:
        self.vendor, self.stranger, self.renewed = vendor, stranger, renewed
        bare = vendor.secret.extract_certificate()
        data = bytes(bare) + bytes(bare.revoke(vendor.secret.certifier()))
        self.revoked = str(pysequoia.Cert.from_bytes(data)).encode()


@pytest.fixture(scope="module")
def strangers(signer: Signer, stranger: Signer, renewed: Signer) -> Strangers:
    return Strangers(signer, stranger, renewed)


Step = Callable[[Post, random.Random, Strangers], None]


def _publish(post: Post, draw: random.Random, keys: Strangers) -> None:
    signer = draw.choice([keys.vendor, keys.vendor, keys.renewed, keys.stranger])
    packages_by = draw.choice([None, None, keys.vendor, keys.stranger])
    fields = draw.choice(
        [
            {},
            {},
            {"Label": "Other"},
            {"Suite": "quay"},
            {"Origin": "Else"},
            {"NotAutomatic": "yes"},
            {"Valid-Until": "Mon, 01 Jan 2024 00:00:00 UTC"},
        ]
    )
    items = draw.choice(
        [VENDOR, (Item("gullwatch", "6"), Item("gull", "2")), (), (Item("skua", "9"),)]
    )
    post.publish(
        "vendor",
        *items,
        signer=signer,
        unsigned=draw.random() < 0.2,
        packages_by=packages_by,
        date=draw.choice([None, None, None, days_ago(400), days_ago(-3)]),
        **(
            {key: value for key, value in fields.items() if key != "Suite"}
            if post.kind == DEB
            else {}
        ),
    )


def _files_there(post: Post) -> list[Path]:
    return sorted(path for path in (post.www / THEIRS).rglob("*") if path.is_file())


def _damage(post: Post, draw: random.Random, _keys: Strangers) -> None:
    path = draw.choice(_files_there(post))
    data = path.read_bytes()
    at = draw.randrange(max(len(data), 1))
    path.write_bytes(
        draw.choice(
            [
                data[:at],
                data + b"x",
                b"",
                b"<html>no</html>",
                data[:at] + bytes([data[at] ^ 1 if data else 1]) + data[at + 1 :],
            ]
        )
    )


def _remove(post: Post, draw: random.Random, _keys: Strangers) -> None:
    draw.choice(_files_there(post)).unlink()


def _vanish(post: Post, _draw: random.Random, _keys: Strangers) -> None:
    shutil.rmtree(post.www / THEIRS, ignore_errors=True)
    (post.www / THEIRS / "x").mkdir(parents=True)
    (post.www / THEIRS / "x/none").touch()


def _key_here(post: Post, draw: random.Random, keys: Strangers) -> None:
    bare = bytes(pysequoia.Cert.from_bytes(keys.vendor.public))
    if post.kind == ALPM:
        post.put(
            post.key_file,
            draw.choice([b"", bare, bare + bytes(pysequoia.Cert.from_bytes(keys.revoked))]),
        )
        return
    forms = [
        keys.vendor.public,
        keys.stranger.public,
        keys.vendor.public + keys.renewed.public,
        keys.renewed.public,
        keys.revoked,
        bare,
        b"",
        b"<html>key</html>",
        keys.vendor.public[:200],
    ]
    post.put(post.key_file, draw.choice(forms), draw.choice([0o644, 0o644, 0o600, 0o666]))


def _key_gone(post: Post, _draw: random.Random, _keys: Strangers) -> None:
    (post.root / post.key_file).unlink(missing_ok=True)


def _setting(post: Post, draw: random.Random, _keys: Strangers) -> None:
    """A setting of the source, at the end of what is written of it."""
    lines = {
        DEB: [
            "Trusted: yes",
            "Allow-Insecure: yes",
            "Check-Valid-Until: no",
            "By-Hash: force",
            "Enabled: no",
            "Architectures: i386",
            "Valid-Until-Max: 100",
            "Signed-By: keyring.gpg",
            "Signed-By: /usr/share/keyrings/none.gpg /usr/share/keyrings/base.asc",
            f"Signed-By: {'A' * 40}",
            "Date-Max-Future: 400000",
        ],
        ALPM: [
            "SigLevel = Never",
            "SigLevel = Optional TrustAll",
            "Usage = Search",
            "SigLevel = PackageRequired",
        ],
    }.get(
        post.kind,
        [
            "repo_gpgcheck=0",
            "gpgcheck=0",
            "enabled=0",
            "priority=5",
            "skip_if_unavailable=1",
            "pkg_gpgcheck=1",
            "metadata_expire=1",
        ],
    )
    post.put(post.source_file, f"{post.read(post.source_file).rstrip()}\n{draw.choice(lines)}\n")


STEPS: tuple[Step, ...] = (_publish, _publish, _publish, _damage, _remove, _key_here, _setting)
SELDOM: tuple[Step, ...] = (_vanish, _key_gone, _setting)


@pytest.mark.parametrize("seed", range(14))
@pytest.mark.parametrize("post", KINDS, indirect=True)
def test_drawn_refreshes(post: Post, seed: int, strangers: Strangers, tmp_path: Path) -> None:
    draw = random.Random(f"{post.kind} {seed}")
    key = tmp_path / "given.asc"
    for _ in range(4):
        for step in draw.sample(STEPS, draw.randint(1, 2)):
            if _files_there(post):
                step(post, draw, strangers)
        if draw.random() < 0.15:
            draw.choice(SELDOM)(post, draw, strangers)
        key.write_bytes(
            draw.choice([strangers.vendor, strangers.renewed, strangers.stranger]).public
        )
        if draw.random() < 0.8:
            assert post.run("refresh").code in CODES
        for command in draw.sample(COMMANDS, 2):
            words = [str(key) if word == "KEY" else word for word in command.split()]
            assert post.run(*words).code in CODES, command
