"""The demo's second host, one of the rpm kind, with its repositories."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from velpin.demo.parts import package_fields, put, put_release
from velpin.demo.rpm_files import DemoRpm, write_record, write_rpm_repository
from velpin.demo.signer import Signer


def write_lightship(
    root: Path, www: Path, scene: Mapping[str, Any], signers: Mapping[str, Signer]
) -> None:
    """Write the host, its repositories, their keys, and what a vendor's page gives."""
    here: list[DemoRpm] = []
    for repository in scene["repository"]:
        signer = signers[repository["key"]]
        vendor = repository.get("vendor", scene["name"])
        packages = [
            DemoRpm(**package_fields(package), vendor=vendor) for package in repository["packages"]
        ]
        folder = www / repository["address"].partition("://")[2]
        write_rpm_repository(
            folder, packages, sign=signer.detached, sign_packages=signer.detached_binary
        )
        (folder.parent / "key.asc").write_bytes(signer.public)
        here += [package for package in packages if package.name in repository.get("installed", ())]
        if "settings" in repository:
            put(root, f"etc/pki/rpm-gpg/RPM-GPG-KEY-{repository['handle']}", signer.public)
            put(root, f"etc/yum.repos.d/{repository['handle']}.repo", _section(repository))
    write_record(root / "usr/lib/sysimage/rpm/rpmdb.sqlite", here)
    put_release(
        root,
        {"NAME": scene["name"], "ID": scene["id"], "VERSION_ID": scene["version"],
         "PRETTY_NAME": f"{scene['name']} {scene['version']}"},
    )  # fmt: skip
    put(root, "etc/dnf/dnf.conf", "[main]\ngpgcheck=1\nbest=1\n")
    for name, text in scene["files"].items():
        put(root.parent, name, text)


def _section(repository: Mapping[str, Any]) -> str:
    lines = [f"[{repository['handle']}]", f"baseurl={repository['address']}", "enabled=1"]
    lines += [f"{key}={value}" for key, value in repository["settings"].items()]
    return "\n".join(lines) + "\n"
