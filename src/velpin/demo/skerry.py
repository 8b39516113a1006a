"""The demo's third host, one of the alpm kind, with its repositories and some recipes."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from velpin.demo.alpm_files import DemoArchive, write_alpm_record, write_alpm_repository
from velpin.demo.parts import package_fields, put, put_release
from velpin.demo.signer import Signer
from velpin.trust.openpgp import read_keys

_HEAD = """\
# Settings of the post on the skerry

[options]
Architecture = {arch}
SigLevel = Required

# The first section that has a name wins.

"""


def write_skerry(
    root: Path, www: Path, scene: Mapping[str, Any], signers: Mapping[str, Signer]
) -> None:
    """Write the host, its repositories, what a vendor's page gives, and recipes."""
    text = _HEAD.format(arch=scene["arch"])
    here: list[DemoArchive] = []
    for repository in scene["repository"]:
        signer = signers[repository["key"]]
        packages = [DemoArchive(**package_fields(package)) for package in repository["packages"]]
        folder = www / repository["address"].partition("://")[2]
        write_alpm_repository(folder, repository["handle"], packages, sign=signer.detached_binary)
        here += [archive for archive in packages if archive.name in repository.get("installed", ())]
        if "server" in repository:
            text += f"[{repository['handle']}]\nServer = {repository['server']}\n"
            (key,) = read_keys(signer.public, repository["key"])
            put(root, "etc/pacman.d/gnupg/pubring.gpg", bytes(key.cert))
    put(root, "etc/pacman.conf", text)
    write_alpm_record(root / "var/lib/pacman/local", here)
    put_release(root, {"NAME": scene["name"], "ID": scene["id"], "PRETTY_NAME": scene["name"]})
    for name, told in scene["files"].items():
        put(root.parent, name, told)
