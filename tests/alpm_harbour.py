"""Small alpm hosts, made in a temporary folder."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from tests.program import Said, run_on
from velpin.core.host import Host
from velpin.core.opening import open_host
from velpin.demo.alpm_files import DemoArchive, write_alpm_record, write_alpm_repository
from velpin.files.tree import Tree
from velpin.kinds.alpm.adapter import AlpmAdapter
from velpin.store.cache import open_cache

P = DemoArchive
CONF = "etc/pacman.conf"
RECORD = "var/lib/pacman/local"


class AlpmHarbour:
    """One host with its repositories."""

    def __init__(self, folder: Path, options: str = "Architecture = x86_64\n") -> None:
        self.folder = folder
        self.root = folder / "root"
        self.put("etc/os-release", 'NAME="Skiff"\nID=skiff\n')
        self.put(CONF, f"[options]\nSigLevel = Never\n{options}")
        self.installed()

    def put(self, name: str, text: str | bytes) -> Path:
        """Write one file of the host."""
        path = self.root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return path

    def read(self, name: str = CONF) -> str:
        """The text of one file of the host, empty where there is none."""
        path = self.root / name
        return path.read_bytes().decode() if path.exists() else ""

    def source(self, name: str, *packages: DemoArchive, settings: str = "", **made: Any) -> Path:
        """A source with its repository, behind those that are there; `settings` are further
        lines of its section."""
        folder = self.repository(name, *packages, **made)
        self.put(CONF, f"{self.read()}\n[{name}]\nServer = file://{folder}\n{settings}")
        return folder

    def repository(self, name: str, *packages: DemoArchive, **made: Any) -> Path:
        """A repository alone."""
        return write_alpm_repository(self.folder / "repos" / name, name, packages, **made)

    def installed(self, *packages: DemoArchive) -> None:
        """Make these the installed packages."""
        write_alpm_record(self.root / RECORD, packages)

    def host(self) -> Host:
        """The host, as any program opens it."""
        return open_host(self.root)

    def adapter(self) -> AlpmAdapter:
        """What is read of it."""
        tree = Tree(self.root)
        return AlpmAdapter(tree, open_cache(tree))

    def run(self, *words: str) -> Said:
        """Run a command."""
        return run_on(self.root, *words)

    def done(self, *words: str) -> str:
        """Run a command that must not fail: its output."""
        code, out, told = self.run(*words)
        assert code == 0, out + told
        return out

    def refresh(self) -> AlpmHarbour:
        """Fetch all indexes."""
        self.done("refresh")
        return self

    def forecast(self, *words: str) -> dict[str, Any]:
        """A forecast as JSON."""
        code, out, told = self.run("forecast", "--json", *words)
        assert code in (0, 1, 3), out + told
        found: dict[str, Any] = json.loads(out)
        return found

    def changes(self, *words: str) -> dict[str, str] | None:
        """What a forecast changes: version and source by name; None where it is refused."""
        found = self.forecast(*words)
        if not found["ok"]:
            return None
        return {
            one["name"]: f"{one['new']} {one['source']}" if one["new"] else "gone"
            for one in found["changes"]
        }
