"""Drawn additions of a vendor's source, with its key or without, right and wrong, stand on record."""

from __future__ import annotations

import base64
import random
from pathlib import Path

import pytest

from tests.harbours import ALPM, CONF, DEB, KINDS, RPM, Harbour, Item, harbour_of
from tests.program import CODES
from velpin.demo.signer import Signer

pytestmark = pytest.mark.full

BASE = (
    Item("gull", "1"),
    Item("tern", "1"),
    Item("libtide", "1"),
    Item("gull-doc", "1", needs="gull"),
)
THEIRS = (
    Item("gull", "2"), Item("watch", "5"), Item("watch-doc", "5", needs="watch"), Item("tern", "1"),
    Item("tide-table", "3", needs="libtide"), Item("libtide", "2"), Item("absent-need", "1", needs="gone"),
)  # fmt: skip
ARCHS = {
    DEB: ("amd64", "arm64", "all", "i386"),
    ALPM: ("x86_64", "mips9", "any"),
    "rpm": ("x86_64", "s390x", "noarch", "i686"),
}


class Vendor:
    """A host, a vendor's repository that it does not know yet, and what its page says."""

    def __init__(
        self, kind: str, seed: int, folder: Path, signer: Signer, stranger: Signer
    ) -> None:
        self.kind, self.folder = kind, folder
        self.pick = random.Random(f"{kind} {seed}")
        self.signer, self.stranger = signer, stranger
        self.host = made = harbour_of(kind, folder)
        made.source("base", *(item.on(kind) for item in BASE))
        made.installed(*(item.on(kind) for item in BASE if self.pick.random() < 0.6))
        self.address = self._repository(made)
        self._keys()
        made.refresh()

    def _repository(self, made: Harbour) -> str:
        pick, kind = self.pick, self.kind
        archs = ARCHS["rpm" if kind in RPM else kind]
        some = pick.choice((archs[:1], archs[:1], archs[1:2], archs))
        items = [
            item._replace(arch=pick.choice(some))
            for item in THEIRS
            if pick.random() < 0.6
        ]  # fmt: skip
        offers = [item.on(kind) for item in items]
        signed = pick.choice((self.signer, self.signer, self.signer, self.stranger, None))
        if kind == DEB:
            self.suite = pick.choice(("jetty", "jetty", "quay", "stable", "./"))
            fields = {"Origin": "Gullwatch", "Label": pick.choice(("", "Watch")),
                      "NotAutomatic": pick.choice(("", "", "yes"))}  # fmt: skip
            return str(made.repository(
                "gullwatch", *offers, suite=self.suite, section=pick.choice(("main", "main", "extra")),
                signer=signed, fields={f: t for f, t in fields.items() if t}, archs=[a for a in some if a != "all"] or ["amd64"],
            ))  # fmt: skip
        if kind == ALPM:
            name = pick.choice(("gullwatch", "gullwatch", "gullwatch", "base"))
            sign = signed.detached_binary if signed else None
            return f"file://{made.repository(name, *offers, sign=sign)}"
        sign, by_package = signed.detached if signed else None, None
        if signed and pick.random() < 0.4:
            sign, by_package = None, signed.detached_binary
        return (
            f"file://{made.repository('gullwatch', *offers, sign=sign, sign_packages=by_package)}"
        )

    def _keys(self) -> None:
        right = self.signer.public
        body = b"".join(
            line for line in right.split(b"\n") if b"-" not in line and b":" not in line
        )
        forms = {
            "right.asc": right, "wrong.asc": self.stranger.public, "cut.asc": right[: len(right) // 2],
            "both.asc": right + self.stranger.public, "page.asc": b"<!DOCTYPE html><html>no key</html>",
            "empty.asc": b"", "odd.gpg": base64.b64decode(body.partition(b"=")[0] + b"==="[: -len(body.partition(b"=")[0]) % 4]),
            "windows.asc": right.replace(b"\n", b"\r\n"), "above.asc": b"Our key:\n\n" + right,
        }  # fmt: skip
        for name, data in forms.items():
            (self.folder / name).write_bytes(data)

    def words(self) -> list[str]:
        """One addition as somebody may type it."""
        pick = self.pick
        words = ["add", *pick.choice((self._by_address, self._by_snippet, self._by_snippet))()]
        if pick.random() < 0.85:
            names = ["right.asc"] * 6 + sorted(
                path.name for path in self.folder.glob("*.[ag][sp][cg]")
            )
            words += ["--key", str(self.folder / pick.choice(names))]
        if pick.random() < 0.4:
            print_ = self.signer.fingerprint
            words += ["--fingerprint", pick.choice((
                print_, print_, print_.lower(), " ".join(print_[at : at + 4] for at in range(0, 40, 4)),
                self.stranger.fingerprint, print_[-16:], print_[-8:], print_[:-1], "nonsense"))]  # fmt: skip
        rare = (
            (0.2, ["--only", pick.choice(("watch*", "gull", "absent*", "*"))]),
            (0.2, ["--over", pick.choice(("base", "absent", "gullwatch"))]),
            (0.2, ["--for", pick.choice(("gull", "watch", "absent"))]), (0.15, ["--anyway"]), (0.2, ["--all"]),
        )  # fmt: skip
        for share, more in rare:
            words += more if pick.random() < share else []
        return words + pick.choice(
            (["--preview"], ["--yes"], ["--yes"], ["--json", "--yes"], ["--json", "--preview"])
        )

    def _by_address(self) -> list[str]:
        pick = self.pick
        words = [
            pick.choice(("gullwatch", "gullwatch", "base", "Gull Watch", "watch")),
            "--url",
            self._told_address(),
        ]
        if self.kind == DEB:
            words += ["--suite", self._told_suite()] if pick.random() < 0.85 else []
            words += (
                ["--component", pick.choice(("main", "main", "extra", "absent"))]
                if pick.random() < 0.5
                else []
            )
            words += ["--arch", pick.choice(("amd64", "arm64"))] if pick.random() < 0.15 else []
        return words

    def _told_address(self) -> str:
        return self.pick.choice(
            (self.address,) * 6 + (f"{self.address}/", f"{self.address}/absent", "gullwatch")
        )

    def _told_suite(self) -> str:
        return self.pick.choice((self.suite, self.suite, self.suite, "jetty", "quay", "./", "pier"))

    def _by_snippet(self) -> list[str]:
        made = {DEB: self._deb_snippet, ALPM: self._alpm_snippet}.get(self.kind, self._rpm_snippet)
        text, name = made(), self.pick.choice(("snippet", "page.txt"))
        if self.pick.random() < 0.15:
            text = text.replace("\n", "\r\n")
        if self.pick.random() < 0.15:
            text = f"# from the page\n\n{text}"
        path = self.folder / name
        path.write_bytes(text.encode())
        words = [str(path)]
        return words + (
            ["--name", self.pick.choice(("gullwatch", "base", "b d"))]
            if self.pick.random() < 0.4
            else []
        )

    def _deb_snippet(self) -> str:
        pick, suite = self.pick, self._told_suite()
        parts = (
            ""
            if suite.endswith("/")
            else pick.choice((" main", " main", " main extra", " absent", ""))
        )
        options = pick.choice(("", "", "[arch=amd64] ", "[arch=arm64] ", "[trusted=yes] ", "[nonsense=1] ",
                               "[signed-by=/etc/apt/keyrings/gullwatch.asc] ", "[arch=amd64 "))  # fmt: skip
        line = f"{pick.choice(('deb', 'deb', 'deb', 'deb-src', 'dep'))} {options}{self._told_address()} {suite}{parts}\n"
        if pick.random() < 0.5:
            return line + (
                pick.choice(("", line.replace("deb ", "deb-src ", 1), line, f"# {line}"))
            )
        fields = [
            f"Types: {pick.choice(('deb', 'deb deb-src'))}",
            f"URIs: {self._told_address()}",
            f"Suites: {suite}",
        ]
        fields += [f"Components:{parts}"] if parts else []
        fields += pick.choice(
            (
                [],
                [],
                ["Enabled: no"],
                ["Trusted: yes"],
                ["Signed-By: /etc/apt/keyrings/gullwatch.asc"],
            )
        )
        if pick.random() < 0.15:
            fields.pop(pick.randrange(len(fields)))
        if pick.random() < 0.2:
            fields += [
                "Signed-By:",
                *(f" {line or '.'}" for line in self.signer.public.decode().splitlines()),
            ]
        return "\n".join(fields) + "\n"

    def _rpm_snippet(self) -> str:
        pick = self.pick
        lines = [f"[{pick.choice(('gullwatch', 'gullwatch', 'base', 'gull watch', 'main'))}]", "name=Gullwatch",
                 f"{pick.choice(('baseurl', 'baseurl', 'baseurl', 'mirrorlist', 'metalink'))}={self._told_address()}"]  # fmt: skip
        lines += [text for text in ("enabled=1", "gpgcheck=1", "repo_gpgcheck=1", "priority=10", "autorefresh=1",
                                    f"gpgkey=file://{self.folder}/right.asc", "cost=5", "nonsense=2")
                  if pick.random() < 0.3]  # fmt: skip
        lines += pick.choice(
            ([], [], ["gpgcheck=0"], ["enabled=0"], ["sslverify=0"], ["module_hotfixes=1"])
        )
        if pick.random() < 0.2:
            lines += ["", "[gullwatch-source]", f"baseurl={self.address}", "enabled=0"]
        if pick.random() < 0.1:
            lines.pop(0)
        return "\n".join(lines) + "\n"

    def _alpm_snippet(self) -> str:
        pick = self.pick
        lines = [
            f"[{pick.choice(('gullwatch', 'gullwatch', 'base', 'options', 'gull watch', 'local'))}]"
        ]
        lines += [f"SigLevel = {level}" for level in (pick.choice((
            "Required", "Optional TrustAll", "Never", "Required DatabaseOptional", "PackageRequired", "Nonsense")),)
            if pick.random() < 0.6]  # fmt: skip
        lines += [
            pick.choice(
                (f"Server = {self._told_address()}",) * 4
                + ("Include = /etc/pacman.d/absent", "Server =", f"CacheServer = {self.address}")
            )
        ]
        lines += ["Usage = Sync Install"] if pick.random() < 0.1 else []
        lines += (
            ["", "#[gullwatch-testing]", f"#Server = {self.address}"] if pick.random() < 0.2 else []
        )
        return "\n".join(lines) + "\n"


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(30))
def test_drawn_additions(
    tmp_path: Path, kind: str, seed: int, signer: Signer, stranger: Signer
) -> None:
    vendor = Vendor(kind, seed, tmp_path, signer, stranger)
    made = vendor.host
    if kind == ALPM and seed % 2:
        made.put(
            CONF,
            made.read(CONF).replace("SigLevel = Never", "SigLevel = Required DatabaseOptional"),
        )
    for _ in range(6):
        words = vendor.words()
        assert made.run(*words).code in CODES, words
    assert made.run("sources", "--files").code in CODES
    made.run("keys")
    made.run("forecast", "gull", "watch", "--why")
    made.run("undo", "--yes")
