"""The demo's second host, one of the rpm kind, with its repositories."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from velpin.demo.rpm_files import Package, write_record, write_rpm_repository
from velpin.demo.signer import Signer


def write_lightship(
    root: Path, www: Path, scene: Mapping[str, Any], signers: Mapping[str, Signer]
) -> None:
    """Write the host, its repositories, their keys, and what a vendor's page gives."""
    here: list[Package] = []
    for repository in scene["repository"]:
        signer = signers[repository["key"]]
        vendor = repository.get("vendor", scene["name"])
        packages = [package(one, vendor) for one in repository["packages"]]
        folder = www / repository["address"].partition("://")[2]
        write_rpm_repository(folder, packages, sign=signer.detached)
        (folder.parent / "key.asc").write_bytes(signer.public)
        here += [one for one in packages if one.name in repository.get("installed", ())]
        if "settings" in repository:
            _put(root, f"etc/pki/rpm-gpg/RPM-GPG-KEY-{repository['handle']}", signer.public)
            _put(root, f"etc/yum.repos.d/{repository['handle']}.repo", _section(repository))
    write_record(root / "usr/lib/sysimage/rpm/rpmdb.sqlite", here)
    about = {"NAME": scene["name"], "ID": scene["id"], "VERSION_ID": scene["version"],
             "PRETTY_NAME": f"{scene['name']} {scene['version']}"}  # fmt: skip
    told = "".join(f'{name}="{value}"\n' for name, value in about.items())
    _put(root, "etc/os-release", told.encode())
    _put(root, "etc/dnf/dnf.conf", b"[main]\ngpgcheck=1\nbest=1\n")
    for name, text in scene["files"].items():
        _put(root.parent, name, text.lstrip("\n").encode())


def package(told: Mapping[str, Any], vendor: str) -> Package:
    """A package as the scene tells of it; sizes there are in kilobytes."""
    fields: dict[str, Any] = {
        key: tuple(value) if isinstance(value, list) else value for key, value in told.items()
    }
    sizes: dict[str, Any] = {key: 1000 * fields.pop(key) for key in ("size", "disk")}
    return Package(**fields, **sizes, vendor=vendor)


def _section(repository: Mapping[str, Any]) -> bytes:
    lines = [f"[{repository['handle']}]", f"baseurl={repository['address']}", "enabled=1"]
    lines += [f"{key}={value}" for key, value in repository["settings"].items()]
    return ("\n".join(lines) + "\n").encode()


def _put(root: Path, name: str, data: bytes) -> None:
    path = root / name
    path.parent.mkdir(parents=True, exist_ok=True)
    path.write_bytes(data)
