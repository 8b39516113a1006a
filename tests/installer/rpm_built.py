"""Packages built by the real tool of rpm hosts."""

from __future__ import annotations

import subprocess
from pathlib import Path

SPEC = """\
Name: {name}
Version: {version}
Release: {release}
Epoch: {epoch}
Summary: made up: {name}
License: MIT
Vendor: DebHarbour Crew
BuildArch: {arch}
{relations}
%description
Made up.
%install
mkdir -p %{{buildroot}}/etc/yum.repos.d %{{buildroot}}/usr/share/{name}
echo "[{name}]" > %{{buildroot}}/etc/yum.repos.d/{name}.repo
echo "baseurl=http://{name}.example/" >> %{{buildroot}}/etc/yum.repos.d/{name}.repo
echo data > "%{{buildroot}}/usr/share/{name}/a file"
%post -p <lua>
io.open("{folder}/ran", "w")
%files
/etc/yum.repos.d/{name}.repo
"/usr/share/{name}/a file"
"""


def built(folder: Path, name: str, version: str = "1.0", release: str = "1", **more: str) -> Path:
    """A package built by the real tool."""
    spec = folder / f"{name}-{version}.spec"
    spec.write_text(
        SPEC.format(
            name=name, version=version, release=release, epoch=more.get("epoch", "0"),
            arch=more.get("arch", "noarch"), relations=more.get("relations", ""), folder=folder,
        )
    )  # fmt: skip
    subprocess.run(
        ["rpmbuild", "-bb", "--define", f"_topdir {folder}/build", "--define",
         f"_rpmdir {folder}/packages", "--define", "_build_id_links none", str(spec)],
        check=True, capture_output=True,
    )  # fmt: skip
    return next((folder / "packages").rglob(f"{name}-{version}-{release}.*.rpm"))
