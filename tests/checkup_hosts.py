"""A host of each kind with nothing wrong with it, to be damaged by a test.

`base` is the distribution, `vendor` somebody else; both are signed, named, fetched and served.
"""

from __future__ import annotations

import json
import os
import shlex
import shutil
import time
import zlib
from pathlib import Path
from typing import Any

from tests.harbours import ALPM, DEB, DNF, RPM, ZYPP, Harbour, Item, record_of
from tests.program import Said
from velpin.demo.alpm_files import write_alpm_record, write_alpm_repository
from velpin.demo.build import write_repository
from velpin.demo.rpm_files import write_record, write_rpm_repository
from velpin.demo.signer import Signer
from velpin.trust.openpgp import read_keys

HOME, THEIRS = "archive.mooring.example", "pkg.gullwatch.example"


BASE = (Item("gull", "1"), Item("tern", "1"), Item("libtide", "1"), Item("skua", "1"))
VENDOR = (Item("gullwatch", "5"),)


class Post(Harbour):
    """One host, its repositories, and the program run upon it."""

    def __init__(self, kind: str, folder: Path, home: Signer, vendor: Signer) -> None:
        super().__init__(folder)
        self.kind, self.www, self._published = kind, folder / "www", 0
        self.signers = {"base": home, "vendor": vendor}
        self.publish("base", *BASE)
        self.publish("vendor", *VENDOR)
        getattr(self, f"_make_{kind.partition('-')[0]}")()
        self.install(*BASE)

    # -- the host's files ------------------------------------------------------------------

    def edit(self, name: str, old: str, new: str) -> None:
        """Change a text in a file of the host."""
        text = self.read(name)
        assert old in text, text
        self.put(name, text.replace(old, new))

    def line_of(self, name: str, text: str) -> int:
        """The number of the first line that holds a text."""
        lines = self.read(name).split("\n")
        return next(number for number, line in enumerate(lines, 1) if text in line)

    @property
    def source_file(self) -> str:
        """Where `vendor` is written."""
        return {
            DEB: "etc/apt/sources.list.d/vendor.sources", DNF: "etc/yum.repos.d/vendor.repo",
            ZYPP: "etc/zypp/repos.d/vendor.repo", ALPM: "etc/pacman.conf",
        }[self.kind]  # fmt: skip

    @property
    def key_file(self) -> str:
        """Where the key of `vendor` lies."""
        if self.kind == ALPM:
            return "etc/pacman.d/gnupg/pubring.gpg"
        return "etc/apt/keyrings/vendor.asc" if self.kind == DEB else "etc/pki/rpm-gpg/vendor.asc"

    # -- packages --------------------------------------------------------------------------

    def publish(
        self, source: str, *items: Item, suite: str = "jetty", signer: Signer | None = None,
        date: float | None = None, unsigned: bool = False, called: str = "",
        packages_by: Signer | None = None, **fields: str,
    ) -> None:  # fmt: skip
        """Write a repository anew."""
        self._published += 1
        date = date if date is not None else time.time() - 3600 + self._published
        place = self.www / (HOME if source == "base" else THEIRS if source == "vendor" else source)
        sign = signer or self.signers.get(source, self.signers["vendor"])
        if self.kind == DEB:
            head = {"Origin": source.title(), "Suite": suite, "Codename": suite, **fields}
            write_repository(
                place / "apt", suite, {"main": [item.stanza() for item in items]},
                None if unsigned else sign, head, archs=("amd64",), date=date,
            )  # fmt: skip
        elif self.kind in RPM:
            release = suite if suite != "jetty" else "4"
            rpms = [item.rpm(source.title()) for item in items]
            signing = None if unsigned else sign.detached
            for_packages = packages_by or (None if unsigned else sign)
            write_rpm_repository(
                place / release / "x86_64", rpms, sign=signing, date=date,
                sign_packages=for_packages.detached_binary if for_packages else None,
            )  # fmt: skip
            if unsigned:
                (place / release / "x86_64/repodata/repomd.xml.asc").unlink(missing_ok=True)
        else:
            made = [item.archive() for item in items]
            signing = None if unsigned else sign.detached_binary
            name = called or source
            write_alpm_repository(place / name, name, made, sign=signing)
        for path in place.rglob("*"):  # servers tell whole seconds
            os.utime(path, (0, time.time() - 1000 + 10 * self._published))

    def install(self, *items: Item, states: dict[str, str] | None = None) -> None:
        """Make these the installed packages."""
        if self.kind == DEB:
            given = states or {}
            rows = [
                {**item.stanza(), **({"Status": given[item.name]} if item.name in given else {})}
                for item in items
            ]
            self.put("var/lib/dpkg/status", record_of(rows))
        elif self.kind in RPM:
            write_record(
                self.root / "var/lib/rpm/rpmdb.sqlite", [item.rpm("Base") for item in items]
            )
        else:
            shutil.rmtree(self.root / "var/lib/pacman/local", ignore_errors=True)
            write_alpm_record(self.root / "var/lib/pacman/local", [i.archive() for i in items])

    # -- making ----------------------------------------------------------------------------

    def _make_deb(self) -> None:
        self.put("etc/os-release", 'ID=mooring\nVERSION_ID="4"\nVERSION_CODENAME=jetty\n')
        self.put("var/lib/dpkg/arch", "amd64\n")
        self.put("usr/share/keyrings/base.asc", self.signers["base"].public)
        self.put(self.key_file, self.signers["vendor"].public)
        for name, host, key in (
            ("base", HOME, "usr/share/keyrings/base.asc"), ("vendor", THEIRS, self.key_file),
        ):  # fmt: skip
            self.put(
                f"etc/apt/sources.list.d/{name}.sources",
                f"Types: deb\nURIs: http://{host}/apt\nSuites: jetty\nComponents: main\n"
                f"Signed-By: /{key}\nX-Velpin-Handle: {name}\n",
            )

    def _make_rpm(self) -> None:
        self.put("etc/os-release", 'ID=mooring\nVERSION_ID="4"\n')
        if self.kind == DNF:
            self.put("etc/dnf/dnf.conf", "[main]\ngpgcheck=1\nbest=1\n")
        else:
            self.put("etc/zypp/zypp.conf", "[main]\n")
        folder = self.source_file.rpartition("/")[0]
        for name, host in (("base", HOME), ("vendor", THEIRS)):
            self.put(f"etc/pki/rpm-gpg/{name}.asc", self.signers[name].public)
            self.put(
                f"{folder}/{name}.repo",
                f"[{name}]\nname={name}\nbaseurl=http://{host}/4/x86_64\nenabled=1\ngpgcheck=1\n"
                f"repo_gpgcheck=1\ngpgkey=file:///etc/pki/rpm-gpg/{name}.asc\n",
            )

    def _make_alpm(self) -> None:
        self.put("etc/os-release", "ID=mooring\n")
        self.put(
            self.source_file,
            "[options]\nArchitecture = x86_64\nSigLevel = Required\n\n"
            f"[base]\nServer = http://{HOME}/$repo\n\n[vendor]\nServer = http://{THEIRS}/$repo\n",
        )
        self.ring("base", "vendor")

    def ring(self, *names: str) -> None:
        """Fill the keyring of an alpm host."""
        certs = b"".join(
            bytes(key.cert) for name in names for key in read_keys(self.signers[name].public, name)
        )
        self.put(self.key_file, certs) if self.kind == ALPM else None

    # -- the program -----------------------------------------------------------------------

    def command(self, text: str, *more: str) -> Said:
        """Run a command as it is printed."""
        program, *words = shlex.split(text)
        assert program == "velpin"
        return self.run(*words, *more)

    def refreshed(self) -> Post:
        """Fetch all indexes; failures are the test's own affair."""
        self.run("refresh")
        return self

    def checkup(self, *words: str) -> dict[str, Any]:
        """A checkup as JSON, without what every host here has: Velpin fetched, nobody else."""
        said = self.run("checkup", "--json", *words)
        assert said.code in (0, 1), said.out + said.err
        found: dict[str, Any] = json.loads(said.out)
        found["findings"] = [
            each for each in found["findings"] if each["code"] != "installer-behind"
        ]
        return found

    def codes(self, *words: str) -> list[str]:
        """The codes of its findings."""
        return [each["code"] for each in self.checkup(*words)["findings"]]

    def finding(self, code: str, *words: str) -> dict[str, Any]:
        """The first finding of a code."""
        found = self.checkup(*words)["findings"]
        return next((each for each in found if each["code"] == code), {})


def days_ago(days: float) -> float:
    """A time, in seconds since 1970."""
    return time.time() - days * 86400


SOURCES = "etc/apt/sources.list.d"


def index_old(post: Post) -> None:
    """Made, fetched and looked at long ago."""
    cache = post.root / "var/cache/velpin/fetched"
    shutil.rmtree(cache)
    for name, items in (("base", BASE), ("vendor", VENDOR)):
        post.publish(name, *items, date=days_ago(95))
    post.refreshed()
    for state in cache.glob("*/state.json"):
        told = json.loads(state.read_text())
        del told["sum"]
        told["fetched"] = days_ago(90)
        told["sum"] = zlib.crc32(json.dumps(told, sort_keys=True).encode())
        state.write_text(json.dumps(told))


def add_source(post: Post, name: str, host: str, suite: str = "jetty") -> None:
    """One more source like `vendor`."""
    if post.kind == DEB:
        text = post.read(post.source_file).replace(THEIRS, host).replace("vendor\n", f"{name}\n")
        text = text.replace("Suites: jetty", f"Suites: {suite}")
        post.put(f"{SOURCES}/{name}.sources", text)
    elif post.kind in RPM:
        text = post.read(post.source_file).replace(THEIRS, host)
        text = text.replace("[vendor]", f"[{name}]").replace("name=vendor", f"name={name}")
        folder = post.source_file.rpartition("/")[0]
        post.put(f"{folder}/{name}.repo", text)
    else:
        text = f"{post.read(post.source_file)}\n[{name}]\nServer = http://{host}/$repo\n"
        post.put(post.source_file, text)
