"""Asking real installers of rpm hosts, in a temporary root and in simulation only."""

from __future__ import annotations

import os
import re
import shutil
import sqlite3
import subprocess
from contextlib import closing
from pathlib import Path
from typing import Any, NamedTuple
from xml.etree import ElementTree

from tests.harbours import DNF, RpmHarbour
from tests.statements import Case
from velpin.kinds.rpm.header import read_header

PROGRAMS = {"rpm-dnf": shutil.which("dnf"), "rpm-zypp": shutil.which("zypper")}

Done = dict[str, tuple[str, str]]
"""By name and architecture: the new version (empty where it goes) and its source."""


class Said(NamedTuple):
    """What an installer would do; None where it refuses."""

    done: Done | None
    text: str


class RealInstaller:
    """The real installer of one layout, confined to a root."""

    def __init__(
        self, harbour: RpmHarbour, cache: Path | None = None, *, arch: str = "x86_64",
        release: str = "4",
    ) -> None:  # fmt: skip
        self.harbour, self._arch, self._release = harbour, arch, release
        self._cache = cache or harbour.folder / "installer-cache"
        self._environment = {**os.environ, "LC_ALL": "C.UTF-8", "COLUMNS": "400"}
        home = harbour.folder / "home"
        home.mkdir(exist_ok=True)
        (home / ".rpmmacros").write_text("%_dbpath /var/lib/rpm\n")
        self._environment["HOME"] = str(home)
        self._environment["ZYPP_CONF"] = str(harbour.root / "etc/zypp/zypp.conf")
        index_record(harbour.root / "var/lib/rpm/rpmdb.sqlite")
        if harbour.kind != DNF:
            self._run(self._zypper("--no-gpg-checks", "refresh"))

    def ask(self, *words: str) -> Said:
        """What it would do for `install NAME...` or `upgrade`."""
        if self.harbour.kind == DNF:
            return self._dnf(*words)
        first, *rest = words
        text = self._run(self._zypper("--xmlout", first, "--dry-run", "--details", *rest))
        return read_xml(text)

    def _run(self, words: list[str]) -> str:
        done = subprocess.run(
            words, env=self._environment, capture_output=True, text=True, check=False, timeout=300,
            stdin=subprocess.DEVNULL,
        )  # fmt: skip
        return done.stdout + done.stderr

    def said_to_yes(self, *words: str) -> str:
        """What it prints when every question is answered with yes; this changes its root."""
        if self.harbour.kind == DNF:
            return self._dnf(*words, answer="-y").text
        return self._run(self._zypper(*words))

    def _dnf(self, *words: str, answer: str = "--assumeno") -> Said:
        root = self.harbour.root
        text = self._run(
            ["dnf", f"--installroot={root}", f"--forcearch={self._arch}",
             f"--releasever={self._release}", "--noplugins",
             "-c", f"{root}/etc/dnf/dnf.conf", f"--setopt=reposdir={root}/etc/yum.repos.d",
             f"--setopt=cachedir={self._cache}", "--setopt=metadata_expire=1h",
             answer, *words]
        )  # fmt: skip
        return _read_table(text)

    def _zypper(self, *words: str) -> list[str]:
        root = self.harbour.root
        first = [
            one for one in words if one.startswith("--") and one in ("--xmlout", "--no-gpg-checks")
        ]
        rest = [one for one in words if one not in first]
        return ["zypper", "--root", str(root), "--non-interactive", *first, *rest]


_GROUPS = {
    "Installing", "Upgrading", "Downgrading", "Reinstalling", "Removing", "Installing dependencies",
    "Installing weak dependencies", "Removing dependent packages",
}  # fmt: skip
_ROW = re.compile(r" (\S+)\s+(\S+)\s+(\S+)\s+(\S+)\s+[\d.]+ \S+$")
_WRAPPED = re.compile(r"\n {9,}(?=\S)")
"""What is too long for its column ends the line; the rest stands below."""
_REPLACED = re.compile(r"\s+replacing\s+(\S+)\.(\w+)\s+(\S+)")


def _read_table(text: str) -> Said:
    if "Nothing to do" in text and "Error:" not in text:
        return Said({}, text)
    if "Transaction Summary" not in text:
        return Said(None, text)
    found: Done = {}
    group = ""
    for line in _WRAPPED.sub(" ", text).splitlines():
        head = line.removesuffix(":")
        if line.endswith(":") and head in _GROUPS:
            group = head
        elif line.startswith("Transaction Summary") or line.startswith("Skipping"):
            group = ""
        replaced = _REPLACED.match(line)
        row = _ROW.match(line)
        if group and replaced:
            found[f"{replaced.group(1)}.{replaced.group(2)}"] = ("", "")
        elif group and row:
            name, arch, version, source = row.groups()
            gone = group.startswith("Removing")
            found[f"{name}.{arch}"] = ("", "") if gone else (version, source)
    return Said(found, text)


def read_xml(text: str) -> Said:
    """What a report in XML says would be done."""
    start = text.find("<?xml")
    body = text[start : text.find("</stream>", start) + 9] if start >= 0 else ""
    try:
        root = ElementTree.fromstring(body)
    except ElementTree.ParseError:
        return Said(None, text)
    summary = root.find(".//install-summary")
    if summary is None:
        fine = "Nothing to do" in text and "Problem" not in text
        return Said({} if fine else None, text)
    found: Done = {}
    for group in summary:
        for one in group.iter("solvable"):
            key = f"{one.get('name')}.{one.get('arch')}"
            gone = group.tag == "to-remove"
            version = one.get("edition", "")
            found[key] = (
                ("", "") if gone else (version.removeprefix("0:"), one.get("repository", ""))
            )
    return Said(found, text)


_INDEXES = (
    "Name", "Basenames", "Group", "Requirename", "Providename", "Conflictname", "Obsoletename",
    "Triggername", "Dirnames", "Installtid", "Sigmd5", "Sha1header", "Filetriggername",
    "Transfiletriggername", "Recommendname", "Suggestname", "Supplementname", "Enhancename",
)  # fmt: skip
_TAGS = {
    "Name": 1000, "Basenames": 1117, "Requirename": 1049, "Providename": 1047,
    "Conflictname": 1054, "Obsoletename": 1090, "Dirnames": 1118, "Recommendname": 5046,
    "Suggestname": 5049, "Supplementname": 5052, "Enhancename": 5055,
}  # fmt: skip


def index_record(path: Path) -> None:
    """Give a record of packages the look-up tables that real programs ask."""
    with closing(sqlite3.connect(path)) as record:
        for name in _INDEXES:
            kind = "BLOB" if name in ("Installtid", "Sigmd5") else "TEXT"
            record.execute(
                f"CREATE TABLE IF NOT EXISTS '{name}' (key '{kind}' NOT NULL, hnum INTEGER NOT NULL,"
                " idx INTEGER NOT NULL, FOREIGN KEY (hnum) REFERENCES 'Packages'(hnum))"
            )
            record.execute(f"CREATE INDEX IF NOT EXISTS '{name}_key_idx' ON '{name}'(key ASC)")
        rows = record.execute("SELECT hnum, blob FROM Packages").fetchall()
        for number, blob in rows:
            header, _ = read_header(blob, "the record")
            for name, tag in _TAGS.items():
                value = header.get(tag, [])
                for at, text in enumerate([value] if isinstance(value, str) else value):
                    record.execute(f"INSERT INTO '{name}' VALUES (?, ?, ?)", (text, number, at))
        record.commit()


def asked_of(kind: str, case: Case) -> list[str] | None:
    """The words for the real installer; None where it has none for this."""
    if any("%" in one for one in case.asked):
        return None
    if "--from" in case.asked:
        return ["dist-upgrade", *case.asked[1:]]
    if "--realign" in case.asked:
        return ["dist-upgrade"]
    if "--upgrade" in case.asked:
        return ["upgrade" if kind == DNF else "update"]
    words = []
    for one in case.asked:
        name, at, version = one.partition("@")
        joint = "-" if kind == DNF else "="
        operator = re.match("[<>=]*", version)
        if operator and operator.group():
            text = f"{name} {operator.group()} {version[operator.end() :]}"
            words.append(text if kind == DNF else text.replace(" ", ""))
        else:
            words.append(f"{name}{joint}{version}" if at else re.sub(r":(\w+)$", r".\1", name))
    return ["install", *words]


def brief(told: dict[str, Any]) -> dict[str, str]:
    """The new versions of a forecast, by name and architecture; empty where a package goes."""
    return {f"{one['name']}.{one['arch']}": one["new"] or "" for one in told["changes"]}


def agree(said: Said, told: dict[str, Any]) -> bool:
    """Whether both change the same; a package under another architecture counts as one."""
    if said.done is None or not told["ok"]:
        return (said.done is None) == (not told["ok"])
    theirs = {name: new for name, (new, _) in said.done.items()}
    return _without_former(brief(told)) == _without_former(theirs)


def _without_former(changes: dict[str, str]) -> dict[str, str]:
    coming = {name.rpartition(".")[0] for name, new in changes.items() if new}
    return {n: new for n, new in changes.items() if new or n.rpartition(".")[0] not in coming}
