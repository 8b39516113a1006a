"""Asking the real installer of alpm hosts, on a copy of a temporary root."""

from __future__ import annotations

import io
import os
import re
import shutil
import subprocess
import tarfile
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

from tests.harbours import CONF, RECORD, AlpmHarbour
from velpin.demo.alpm_files import archive, desc, write_alpm_repository

PROGRAM = shutil.which("pacman")


class Said(NamedTuple):
    """What the installer did: version and source by name, `gone` for what went; None where it
    refused."""

    done: dict[str, str] | None
    text: str


def ask(
    harbour: AlpmHarbour, *words: str, refresh: bool = True, packages: bool = True,
    first: Sequence[Sequence[str]] = (),
) -> Said:  # fmt: skip
    """What it does for `-S NAME...` or `-Su`, after the commands in `first`, taking its own
    defaults; nothing of the host is changed: it works on a copy; without `packages` with the lists
    as they are, signed or not."""
    assert PROGRAM
    copy = harbour.folder / "copy"
    shutil.rmtree(copy, ignore_errors=True)
    shutil.copytree(harbour.root, copy / "root")
    root = copy / "root"
    conf = root / CONF
    for path in [conf, *(root / "etc").rglob("*.conf"), *(root / "etc/pacman.d").rglob("*")]:
        if path.is_file():
            text = path.read_bytes()
            text = re.sub(rb"(?m)^(\s*Include\s*=\s*)/etc", b"\\1" + bytes(root / "etc"), text)
            path.write_bytes(text.replace(b"file://" + bytes(harbour.folder / "repos"),
                                          b"file://" + bytes(copy / "repos")))  # fmt: skip
    for repository in (harbour.folder / "repos").iterdir():
        if packages:
            _with_packages(repository, copy / "repos" / repository.name)
        else:
            shutil.copytree(repository, copy / "repos" / repository.name)
    before = _record(root)
    codes, said = [], ""
    for one in ([["-Sy"]] if refresh else []) + [*map(list, first), list(words)]:
        code, text = _run(root, *one)
        codes.append(code)
        said += text
    if any(codes):
        return Said(None, said)
    after = _record(root)
    done = {name: told for name, told in after.items() if before.get(name) != told}
    return Said({**done, **dict.fromkeys(before.keys() - after.keys(), "gone")}, said)


def _run(root: Path, *words: str) -> tuple[int, str]:
    assert PROGRAM
    folders = ["--cachedir", str(root / "cache"), "--hookdir", str(root / "hooks"),
               "--gpgdir", str(root / "etc/pacman.d/gnupg"), "--logfile", "/dev/null"]  # fmt: skip
    done = subprocess.run(
        [PROGRAM, "--root", str(root), "--config", str(root / CONF), "--noconfirm", *folders,
         *words], capture_output=True, text=True, check=False, timeout=300,
        stdin=subprocess.DEVNULL, env={**os.environ, "LC_ALL": "C"},
    )  # fmt: skip
    return done.returncode, done.stdout + done.stderr


def _record(root: Path) -> dict[str, str]:
    """Version and source of what is installed; what was there before has no source."""
    found = {}
    for path in (root / RECORD).glob("*/desc"):
        text = path.read_text()
        name, version, packager = (
            (re.findall(rf"%{key}%\n(.*)\n", text) or [""])[0]
            for key in ("NAME", "VERSION", "PACKAGER")
        )
        found[name] = f"{version} {packager}".strip()
    return found


def _with_packages(repository: Path, to: Path) -> None:
    """A repository again, with package files that can be carried out; each says its source."""
    shutil.copytree(repository, to)
    for path in to.glob("*.db"):
        files = []
        for name, data in _members(path):
            if name.endswith("/desc"):
                files.append((name, _carried_out(to, data.decode(), path.stem)))
        path.write_bytes(archive(files))


def _members(path: Path) -> list[tuple[str, bytes]]:
    from velpin.kinds.alpm.archive import members

    return list(members(path, ""))


_INFO = {
    "DEPENDS": "depend", "PROVIDES": "provides", "CONFLICTS": "conflict", "REPLACES": "replaces",
    "GROUPS": "group",
}  # fmt: skip


def _carried_out(folder: Path, text: str, source: str) -> bytes:
    def of(key: str) -> list[str]:
        found = re.search(rf"%{key}%\n((?:.+\n)*)", text)
        return found.group(1).splitlines() if found else []

    lines = [f"pkgname = {of('NAME')[0]}", f"pkgver = {of('VERSION')[0]}", "size = 1",
             f"arch = {of('ARCH')[0]}", f"packager = {source}", "builddate = 1700000000"]  # fmt: skip
    for key, name in _INFO.items():
        lines += [f"{name} = {value}" for value in of(key)]
    out = io.BytesIO()
    data = ("\n".join(lines) + "\n").encode()
    with tarfile.open(fileobj=out, mode="w:gz") as tar:
        head = tarfile.TarInfo(".PKGINFO")
        head.size = len(data)
        tar.addfile(head, io.BytesIO(data))
    packed = out.getvalue()
    (folder / of("FILENAME")[0]).write_bytes(packed)
    text = re.sub(r"%SHA256SUM%\n.*\n\n", "", text)
    return re.sub(r"(%CSIZE%\n).*\n", rf"\g<1>{len(packed)}\n", text).encode()


__all__ = ["PROGRAM", "Said", "ask", "desc", "write_alpm_repository"]


def words_for(asked: Sequence[str]) -> list[str]:
    """The words for the real installer."""
    words = ["-Su" if "--upgrade" in asked else "-S"]
    for one in (text for text in asked if text != "--upgrade"):
        rest, _, source = one.partition("%")
        name, at, version = rest.partition("@")
        bound = version if re.match("[<>=]", version) else f"={version}" if at else ""
        words.append(f"{source}/{name}{bound}" if source else name + bound)
    return words
