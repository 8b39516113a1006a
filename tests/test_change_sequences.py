"""Drawn sequences of changes, taken back in a drawn order, leave a host's tree as it was.

A few are drawn each time; VELPIN_SEQUENCES says how many on each kind of host.
"""

from __future__ import annotations

import json
import os
import random
import shutil
from pathlib import Path

import pytest

from tests.checkup_hosts import Post
from tests.harbours import ALPM, DEB, DNF, KINDS, ZYPP, Item
from tests.program import state
from velpin.demo.signer import Signer

pytestmark = pytest.mark.full

COUNT = int(os.environ.get("VELPIN_SEQUENCES", "4"))
OWN_RULES = {
    DEB: ("etc/apt/preferences.d/mine.pref", "Package: tern\nPin: version 1*\nPin-Priority: 700\n"),
    DNF: ("etc/dnf/vars/channel", "steady\n"),
    ZYPP: ("etc/zypp/locks", "\ntype: package\nmatch_type: glob\nsolvable_name: skua\n"),
    ALPM: ("etc/pacman.d/mine", "Server = http://pkg.gullwatch.example/$repo\n"),
}
STEPS = (
    "off vendor", "on vendor", "drop vendor", "off base", "on base", "drop vendor --orphans",
    "prefer vendor --over base", "prefer vendor --under base", "prefer vendor --over-all",
    "prefer vendor --over base --lift", "bar gull --from vendor", "bar skua@1*",
    "keep tern", "keep skua", "keep gull tern", "pin tern@1", "pin gullwatch --from vendor",
    "confine vendor gullwatch", "rules drop 1", "rules drop 2", "add SNIPPET --key KEY",
    "add SNIPPET --key KEY --confine", "checkup --mend", "conform HOSTFILE",
    "conform HOSTFILE --prune", "undo",
)  # fmt: skip


@pytest.mark.parametrize("post", KINDS, indirect=True)
def test_changes_taken_back_in_any_order_leave_the_tree_as_it_was(
    post: Post, tmp_path: Path, signer: Signer
) -> None:
    files = _files(post, tmp_path, signer)
    fresh = tmp_path / "fresh"
    shutil.copytree(post.root, fresh, symlinks=True)
    most = 0
    for number in range(COUNT):
        draw = random.Random(f"{post.kind} {number} {os.environ.get('VELPIN_SEED', '1')}")
        shutil.rmtree(post.root)
        shutil.copytree(fresh, post.root, symlinks=True)
        _differently_owned(post, draw)
        before = state(post.root, folders=True)
        done = []
        for _ in range(draw.randint(3, 8)):
            words = [files.get(word, word) for word in draw.choice(STEPS).split()]
            before_it = len(_standing(post))
            code = post.run(*words, "--yes", *(["--anyway"] if draw.random() < 0.5 else [])).code
            assert code in (0, 1, 2, 3, 4), (words, code)
            if len(_standing(post)) != before_it:
                done.append(" ".join(words))
        standing = _standing(post)
        most = max(most, len(standing))
        while standing:
            # A later change of the same file is in the way of an earlier one; nothing is in the
            # way of the last.
            for each in (*draw.sample(standing, len(standing)), standing[-1]):
                post.run("undo", str(each), "--yes")
                if len(left := _standing(post)) < len(standing):
                    break
            assert len(left) < len(standing), (number, done, standing)
            standing = left
        assert state(post.root, folders=True) == before, (number, done)
    assert most > 1, "no sequence had a second change"


def _files(post: Post, folder: Path, signer: Signer) -> dict[str, str]:
    """What the words of a step stand for; the host file keeps a package."""
    post.publish("other", Item("auk", "3"), signer=signer)
    post.publish("vendor", Item("gullwatch", "5"), Item("gull", "2"), signer=signer)
    post.run("refresh")
    key, host = folder / "key.asc", folder / "host"
    key.write_bytes(signer.public)
    name = "etc/apt/sources.list.d/vendor.sources" if post.kind == DEB else post.source_file
    text = {
        DEB: "deb http://other/apt jetty main\n",
        ALPM: "[other]\nServer = http://other/$repo\n",
    }.get(post.kind, "[other]\nname=other\nbaseurl=http://other/4/x86_64\ngpgcheck=1\n")
    snippet = folder / f"other{'.list' if post.kind == DEB else Path(name).suffix}"
    snippet.write_text(text)
    post.put(*OWN_RULES[post.kind])
    said = post.run("keep", "libtide", "--yes")
    assert said.code == 0, said.err
    host.write_text(post.run("export").out)
    assert post.run("undo", "--yes").code == 0
    shutil.rmtree(post.root / "var/lib/velpin/journal")
    return {"SNIPPET": str(snippet), "KEY": str(key), "HOSTFILE": str(host)}


def _differently_owned(post: Post, draw: random.Random) -> None:
    """Give files rights, an attribute, and some a link in their place."""
    for file in sorted(path for path in (post.root / "etc").rglob("*") if path.is_file()):
        if draw.random() < 0.3:
            file.chmod(draw.choice([0o600, 0o640, 0o644]))
        if draw.random() < 0.3:
            try:
                os.setxattr(file, "user.note", draw.randbytes(4))
            except OSError:
                continue  # this file system keeps none
    source = post.root / post.source_file
    if draw.random() < 0.3:
        target = post.root / "srv/mine" / source.name
        target.parent.mkdir(parents=True)
        shutil.move(source, target)
        source.symlink_to(f"/srv/mine/{source.name}")


def _standing(post: Post) -> list[int]:
    """The numbers of the changes that are not undone."""
    entries = json.loads(post.run("journal", "--json").out)["entries"]
    return sorted(
        each["number"] for each in entries if not each["undone_by"] and not each["undoes"]
    )
