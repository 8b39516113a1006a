"""Makes the demo's host and its repositories: signed for real, with keys made for it."""

from __future__ import annotations

import gzip
import hashlib
import lzma
import shutil
import time
import tomllib
from collections.abc import Iterable, Mapping, Sequence
from email.utils import formatdate
from importlib.resources import files
from pathlib import Path
from typing import Any, NamedTuple

from velpin.demo.lightship import write_lightship
from velpin.demo.parts import put, put_release
from velpin.demo.signer import Signer, new_signer
from velpin.demo.skerry import write_skerry

Fields = Mapping[str, str]


class Scene(NamedTuple):
    """Where the demo's things lie."""

    root: Path
    www: Path
    keys: Path
    snippet: Path
    lightship: Path
    """The root of the second host, one of the rpm kind."""
    skerry: Path
    """The root of the third host, one of the alpm kind."""
    page: Path
    """What a vendor's page says."""

    @property
    def roots(self) -> tuple[Path, ...]:
        """The roots of its hosts, one of each kind."""
        return self.root, self.lightship, self.skerry


def read_scene() -> dict[str, Any]:
    """The scene's data."""
    return tomllib.loads((files("velpin.demo") / "scene.toml").read_text("utf-8"))


def _text(name: str) -> str:
    return (files("velpin.demo") / name).read_text("utf-8")


def build(folder: Path) -> Scene:
    """Make the whole scene below an empty folder."""
    scene = read_scene()
    made = Scene(folder / "host", folder / "www", folder / "keys", folder / "snippet.list",
                 folder / "lightship", folder / "skerry", folder / "page.txt")  # fmt: skip
    made.keys.mkdir(parents=True)
    signers = {name: new_signer(owner) for name, owner in scene["keys"].items()}
    for name, signer in signers.items():
        (made.keys / f"{name}.asc").write_bytes(signer.public)
        if name in ("mooring", "fogworks"):
            put(made.root, f"usr/share/keyrings/{name}.asc", signer.public)
    stanzas: dict[tuple[str, str], Fields] = {}
    for repository in scene["repository"]:
        components = {
            component: [stanza(*row) for row in rows]
            for component, rows in repository["components"].items()
        }
        for rows in components.values():
            stanzas.update({(row["Package"], row["Version"]): row for row in rows})
        write_repository(
            made.www / repository["address"].partition("://")[2],
            repository["suite"],
            components,
            signers[repository["key"]],
            repository["fields"],
            by_hash=repository.get("by_hash", False),
        )
    made.page.write_text(_text("page.txt"))
    put(made.www, "deb.gullwatch.example/setup.sh", _text("setup.sh").encode())
    _write_host(made, scene, stanzas)
    _write_catalog(made, signers)
    _write_rebuilt(made)
    write_lightship(made.lightship, made.www, scene["lightship"], signers)
    write_skerry(made.skerry, made.www, scene["skerry"], signers)
    return made


def stanza(
    name: str,
    version: str,
    arch: str,
    summary: str,
    depends: str = "",
    size: int = 10,
    disk: int = 30,
    more: Fields | None = None,
) -> dict[str, str]:
    """One entry of an index, with `more` fields; sizes in kilobytes."""
    bare = version.partition(":")[2] or version
    fields = {
        "Package": name,
        "Version": version,
        "Architecture": arch,
        "Maintainer": "Harbour Crew <crew@mooring.example>",
        "Installed-Size": str(disk),
        "Depends": depends,
        **(more or {}),
        "Section": "science",
        "Priority": "optional",
        "Description": summary,
        "Filename": f"pool/{name}/{name}_{bare}_{arch}.deb",
        "Size": str(size * 1000),
        "SHA256": hashlib.sha256(f"{name} {version} {arch}".encode()).hexdigest(),
    }
    return {field: value for field, value in fields.items() if value}


def text_of(stanzas: Iterable[Fields]) -> bytes:
    """Stanzas as the text of an index."""
    return "\n".join(
        "".join(f"{field}: {value}\n" for field, value in stanza.items()) for stanza in stanzas
    ).encode()


def write_repository(
    folder: Path,
    suite: str,
    components: Mapping[str, Sequence[Fields]],
    signer: Signer | None,
    fields: Fields,
    *,
    archs: Sequence[str] = ("amd64",),
    by_hash: bool = False,
    date: float | None = None,
) -> Path:
    """Write one suite of a repository; a suite ending in `/` is flat. Gives its folder."""
    flat = suite.endswith("/")
    base = folder / suite if flat else folder / "dists" / suite
    written: dict[str, bytes] = {}
    for component, rows in components.items():
        for arch in archs:
            name = "Packages" if flat else f"{component}/binary-{arch}/Packages"
            data = text_of(row for row in rows if flat or row["Architecture"] in (arch, "all"))
            written |= {
                name: data,
                name + ".gz": gzip.compress(data, mtime=0),
                name + ".xz": lzma.compress(data, preset=1),
            }
    head = {
        **fields,
        "Date": formatdate(date if date is not None else time.time() - 3600, usegmt=True),
        "Architectures": " ".join(archs),
        "Components": " ".join(component for component in components if component),
        "Acquire-By-Hash": "yes" if by_hash else "",
    }
    release = "".join(f"{name}: {value}\n" for name, value in head.items() if value)
    release += "SHA256:\n"
    for name, data in written.items():
        release += f" {hashlib.sha256(data).hexdigest()} {len(data)} {name}\n"
        path = base / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        if by_hash:
            hashed = path.parent / "by-hash" / "SHA256" / hashlib.sha256(data).hexdigest()
            hashed.parent.mkdir(parents=True, exist_ok=True)
            hashed.write_bytes(data)
    base.mkdir(parents=True, exist_ok=True)
    (base / "Release").write_text(release)
    if signer:
        (base / "InRelease").write_bytes(signer.clear(release.encode()))
        (base / "Release.gpg").write_bytes(signer.detached(release.encode()))
    return base


def _write_rebuilt(made: Scene) -> None:
    """The same host as somebody has just built it anew: its packages, and no source yet."""
    rebuilt = made.root.parent / "rebuilt"
    shutil.copytree(made.root, rebuilt)
    for name in ("etc/apt", "usr/share/keyrings"):
        shutil.rmtree(rebuilt / name)
    put(rebuilt, "etc/apt/sources.list", "# none yet\n")
    for name in ("observatory.toml", "observatory-2.toml"):
        put(made.root.parent, name, (files("velpin.demo") / name).read_bytes())


_CATALOG = "catalog.harbour.example/harbour.toml"
_MIRROR = "mirror.breakwater.example/gullwatch"
_BEHIND = 9 * 86400


def _write_catalog(made: Scene, signers: Mapping[str, Signer]) -> None:
    """A catalog of known sources, signed, with what it points to: a vendor's key, and a mirror
    that is behind."""
    text = (files("velpin.demo") / "catalog.toml").read_text("utf-8")
    for name, signer in signers.items():
        text = text.replace(f"@{name}@", signer.fingerprint)
    put(made.www, _CATALOG, text)
    put(made.www, f"{_CATALOG}.asc", signers["harbour"].detached(text.encode()))
    put(made.www, "deb.gullwatch.example/key.asc", signers["gullwatch"].public)
    old = stanza("gullwatch", "5.1.0-1", "amd64", "counts gulls and guards nesting places")
    names = {"Origin": "Gullwatch", "Suite": "jetty", "Codename": "jetty"}
    write_repository(
        made.www / _MIRROR, "jetty", {"main": [old]}, signers["gullwatch"], names,
        date=time.time() - _BEHIND,
    )  # fmt: skip


def _write_host(
    made: Scene, scene: dict[str, Any], stanzas: Mapping[tuple[str, str], Fields]
) -> None:
    about = scene["host"]
    pretty = f"{about['name']} {about['version']} ({about['codename']})"
    lines = {
        "NAME": about["name"], "ID": about["id"], "VERSION_ID": about["version"],
        "VERSION_CODENAME": about["codename"], "PRETTY_NAME": pretty,
    }  # fmt: skip
    put_release(made.root, lines)
    put(made.root, "var/lib/dpkg/arch", about["arch"] + "\n")
    for name, text in scene["files"].items():
        target = made.snippet.parent if name == made.snippet.name else made.root
        put(target, name, text)
    marked = scene["marked"]
    record = [
        _recorded(
            name,
            version,
            stanzas,
            "hold ok installed" if name in marked["hold"] else "install ok installed",
        )
        for name, version in scene["installed"].items()
    ]
    record += [
        _recorded(name, version, stanzas, "deinstall ok config-files")
        for name, version in marked["half_removed"].items()
    ]
    put(made.root, "var/lib/dpkg/status", text_of(record))


def _recorded(
    name: str, version: str, stanzas: Mapping[tuple[str, str], Fields], state: str
) -> dict[str, str]:
    known = stanzas.get((name, version))
    fields = dict(known or stanza(name, version, "amd64", f"{name} as it was installed once"))
    for field in ("Filename", "Size", "SHA256"):
        fields.pop(field, None)
    return {"Package": fields.pop("Package"), "Status": state, **fields}
