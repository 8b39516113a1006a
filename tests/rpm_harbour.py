"""Small rpm hosts of both layouts, made in a temporary folder."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from tests.program import Said, run_on
from velpin.demo.rpm_files import DemoRpm, write_record, write_rpm_repository

P = DemoRpm

DNF, ZYPP = "rpm-dnf", "rpm-zypp"
_FOLDERS = {DNF: "etc/yum.repos.d", ZYPP: "etc/zypp/repos.d"}


class RpmHarbour:
    """One host with its repositories."""

    def __init__(self, folder: Path, kind: str = DNF) -> None:
        self.folder, self.kind = folder, kind
        self.root = folder / "root"
        self.sources = _FOLDERS[kind]
        self.put("etc/os-release", 'NAME="Mooring"\nID=mooring\nVERSION_ID="4"\n')
        if kind == DNF:
            self.put("etc/dnf/dnf.conf", "[main]\ngpgcheck=0\n")
        else:
            self.put("etc/zypp/zypp.conf", "[main]\n")
        self.installed()

    def put(self, name: str, text: str | bytes) -> Path:
        """Write one file of the host."""
        path = self.root / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(text if isinstance(text, bytes) else text.encode())
        return path

    def read(self, name: str) -> str:
        """The text of one file of the host, empty where there is none."""
        path = self.root / name
        return path.read_text() if path.exists() else ""

    def source(
        self, name: str, *packages: DemoRpm, settings: str = "gpgcheck=0\n", **made: Any
    ) -> Path:
        """A source with its repository, on; `settings` are further lines of its section."""
        repository = self.repository(name, *packages, **made)
        self.put(
            f"{self.sources}/{name}.repo",
            f"[{name}]\nname={name}\nbaseurl=file://{repository}\nenabled=1\n{settings}",
        )
        return repository

    def repository(self, name: str, *packages: DemoRpm, **made: Any) -> Path:
        """A repository alone."""
        return write_rpm_repository(self.folder / "repos" / name, packages, **made)

    def installed(self, *packages: DemoRpm, release: bool = True) -> None:
        """Make these the installed packages, with one that states the system's release."""
        told = P("mooring-release", "4-1", "noarch", provides=("system-release = 4",))
        write_record(
            self.root / "var/lib/rpm/rpmdb.sqlite", [*([told] if release else []), *packages]
        )

    def run(self, *words: str) -> Said:
        """Run a command."""
        return run_on(self.root, *words)

    def refresh(self) -> RpmHarbour:
        """Fetch all indexes."""
        code, out, told = self.run("refresh")
        assert code == 0, out + told
        return self

    def forecast(self, *words: str) -> dict[str, Any]:
        """A forecast as JSON."""
        code, out, told = self.run("forecast", "--json", *words)
        assert code in (0, 1), out + told
        found: dict[str, Any] = json.loads(out)
        return found

    def changes(self, *words: str) -> dict[str, str]:
        """What a forecast changes: source and version by name and architecture."""
        found = self.forecast(*words)
        assert found["ok"], found["problem"]
        return {
            f"{one['name']}.{one['arch']}": f"{one['new']} {one['source']}"
            if one["new"]
            else "gone"
            for one in found["changes"]
        }
