"""The installer's own copy of an rpm source's lists, and which of two counts."""

from __future__ import annotations

import hashlib
import shutil
import time
from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP, RpmHarbour
from velpin.demo.rpm_files import DemoRpm

NEWER_MARK = "usr/bin/dnf5"


def copied(harbour: RpmHarbour, layout: str, folder: Path, written: str) -> Path:
    """Put a repository's lists where the installer of a layout keeps them."""
    mark = hashlib.sha256(written.encode()).hexdigest()[:16]
    place = {
        "older": f"var/cache/dnf/base-{mark}", "newer": f"var/cache/libdnf5/base-{mark}",
        ZYPP: "var/cache/zypp/raw/base",
    }[layout]  # fmt: skip
    target = harbour.root / place / "repodata"
    shutil.copytree(folder / "repodata", target)
    return target


@pytest.mark.parametrize("layout", ["older", "newer", ZYPP])
@pytest.mark.parametrize(("later", "version"), [(-10, "1-1"), (0, "2-1"), (10, "2-1")])
def test_the_newer_of_two_copies_counts(
    tmp_path: Path, layout: str, later: float, version: str
) -> None:
    harbour = RpmHarbour(tmp_path, ZYPP if layout == ZYPP else DNF)
    if layout == "newer":
        harbour.put(NEWER_MARK, "")
    made = float(int(time.time()) - 5000)
    other = harbour.repository("other", DemoRpm("gull", "2-1"), date=made + later)
    folder = harbour.source("base", DemoRpm("gull", "1-1"), date=made)
    harbour.refresh()
    assert harbour.changes("gull") == {"gull.x86_64": "1-1 base"}
    assert harbour.changes("gull", "--as-is") is None
    target = copied(harbour, layout, other, f"file://{folder}")
    assert harbour.changes("gull", "--as-is") == {"gull.x86_64": "2-1 base"}
    assert harbour.changes("gull") == {"gull.x86_64": f"{version} base"}
    for path in target.glob("*primary*"):
        path.unlink()
    assert harbour.changes("gull") == {"gull.x86_64": "1-1 base"}, "without its list it is none"


def test_a_damaged_copy_of_the_installers_does_not_hide_ours(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, DNF)
    folder = harbour.source("base", DemoRpm("gull", "1-1"))
    target = copied(harbour, "older", folder, f"file://{folder}")
    (target / "repomd.xml").write_bytes(b"<repomd")
    assert harbour.changes("gull") is None
    harbour.refresh()
    assert harbour.changes("gull") == {"gull.x86_64": "1-1 base"}


@pytest.mark.parametrize("layout", ["older", "newer"])
@pytest.mark.parametrize("slash", ["/", ""])
def test_the_newer_generation_names_its_folder_by_the_address_as_written(
    tmp_path: Path, layout: str, slash: str
) -> None:
    """With a slash at its end, if there is one; the older one without (observed). Variables are
    filled in by both."""
    harbour = RpmHarbour(tmp_path, DNF)
    if layout == "newer":
        harbour.put(NEWER_MARK, "")
    folder = harbour.repository("base/4", DemoRpm("gull", "1-1"))
    address = f"file://{folder.parent}/$releasever/"
    harbour.put("etc/yum.repos.d/base.repo", f"[base]\nbaseurl={address}\nenabled=1\ngpgcheck=0\n")
    copied(harbour, layout, folder, f"file://{folder}{slash}")
    is_found = harbour.changes("gull", "--as-is") is not None
    assert is_found == ((slash == "/") == (layout == "newer"))
