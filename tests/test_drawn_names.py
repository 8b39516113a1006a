"""One pass over all lines of a drawn host's indexes answers each name as a request for it alone does.

What is compared are two views of one host: as it is, and as some changes of its files would leave it.
"""

from __future__ import annotations

import random
import re
from pathlib import Path

import pytest

from tests.answers import say
from tests.drawn_hosts import by_name, made_host
from tests.drawn_worlds import NAMES, world
from tests.harbours import ALPM, CONF, DEB, DNF, KINDS, REPO_FOLDERS
from velpin import open_host
from velpin.core.host_diff import changed_answers
from velpin.files.tree import Edits

pytestmark = pytest.mark.full

MOST_CHANGES = 2


def lines_changed(text: str, found: str, become: str) -> bytes:
    return re.sub(found, become, text, count=1, flags=re.M).encode()


def edits_of(kind: str, root: Path, names: tuple[str, ...], draw: random.Random) -> Edits:
    """One change of a host's files, such as a person makes."""
    some = " ".join(draw.sample(names, 2))
    if kind == DEB:
        return edits_of_deb(root, some, draw)
    if kind == ALPM:
        return {CONF: edited_sections((root / CONF).read_text(), some, draw)}
    folder = REPO_FOLDERS[kind]
    path = draw.choice(sorted((root / folder).iterdir()))
    text = path.read_text()
    changed = {
        "off": text.replace("enabled=1", "enabled=0"),
        "gone": "",
        "priority": f"{text}priority={draw.choice((10, 50, 98, 99, 100))}\n",
        "cost": f"{text}cost={draw.choice((10, 999, 1000, 1001))}\n",
        "excluded": f"{text}excludepkgs={some.replace(' ', ',')}\n",
        "included": f"{text}includepkgs={some[0]}*,{some[-1]}\n",
        "renamed": text.replace(f"[{path.stem}]", f"[a{path.stem}]"),
    }
    if draw.random() < 0.2:  # read in another order
        return {
            f"{folder}/{path.name}": None,
            f"{folder}/{draw.choice('0z')}{path.name}": path.read_bytes(),
        }
    if kind != DNF or draw.random() < 0.7:
        return {f"{folder}/{path.name}": changed[draw.choice(sorted(changed))].encode()}
    conf = (root / "etc/dnf/dnf.conf").read_text()
    line = draw.choice((f"excludepkgs={some[0]}*", f"includepkgs={some}", "allow_vendor_change=0",
                        f"excludepkgs={some[0]}-1-*"))  # fmt: skip
    return {"etc/dnf/dnf.conf": f"{conf}{line}\n".encode()}


def edits_of_deb(root: Path, some: str, draw: random.Random) -> Edits:
    lists = "etc/apt/sources.list.d"
    if not (root / lists).is_dir():
        lists = "etc/apt"
    path = draw.choice(sorted((root / lists).glob("*[st]")))
    name = draw.choice(
        [some, "*", "*", some[:2] + "*", "src:t*", some.split(maxsplit=1)[0] + ":any"]
    )
    pin = draw.choice(["release a=*", "version 1*", "version 2*", "release c=main", 'origin ""'])
    number = draw.choice([-1, 50, 99, 100, 500, 501, 990, 1000, 1001])
    record = f"Package: {name}\nPin: {pin}\nPin-Priority: {number}\n"
    changed: dict[str, Edits] = {
        "gone": {f"{lists}/{path.name}": None},
        "last": {f"{lists}/{path.name}": None, f"{lists}/zzz{path.name}": path.read_bytes()},
        "first": {f"{lists}/{path.name}": None, f"{lists}/00{path.name}": path.read_bytes()},
        "target": {"etc/apt/apt.conf.d/99target": b'APT::Default-Release "quay";\n'},
        "archs": {"var/lib/dpkg/arch": b"amd64\n"},
        "above": {"etc/apt/preferences.d/00first": record.encode()},
        "below": {"etc/apt/preferences.d/zz": record.encode()},
    }
    kept = root / "etc/apt/preferences.d/a"
    if kept.exists():
        changed["without"] = {"etc/apt/preferences.d/a": None}
    return changed[draw.choice([*sorted(changed), "above", "below"])]


def edited_sections(text: str, some: str, draw: random.Random) -> bytes:
    head, *sections = re.split(r"(?m)^(?=\[(?!options\]))", text)
    way = draw.choice(("order", "gone", "usage", "renamed", "archs", "ignored"))
    if way == "order":
        draw.shuffle(sections)
    elif way == "gone":
        sections.pop(draw.randrange(len(sections)))
    elif way == "usage":
        place = draw.randrange(len(sections))
        usage = draw.choice(("Sync", "Sync Install", "Sync Upgrade", "Sync Search", "All"))
        sections[place] += f"Usage = {usage}\n"
    elif way == "renamed":
        sections.reverse()
        sections.append(sections.pop(0))
    elif way == "archs":
        head += "Architecture = mips9\n"
    else:
        head += f"IgnorePkg = {some}\n"
    return "".join([head, *sections]).encode()


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(900, 945))
def test_all_names_at_once_are_answered_as_each_by_itself(
    tmp_path: Path, kind: str, seed: int
) -> None:
    root, names = made_host(kind, seed, tmp_path)
    held_against_each(kind, seed, root, names)


@pytest.mark.parametrize("kind", KINDS)
@pytest.mark.parametrize("seed", range(2000, 2030))
def test_so_they_are_on_hosts_full_of_rare_things(tmp_path: Path, kind: str, seed: int) -> None:
    held_against_each(kind, seed, world(kind, seed, tmp_path).root, NAMES)


def held_against_each(kind: str, seed: int, root: Path, names: tuple[str, ...]) -> None:
    """Change a host's files, and compare what both ways of looking say."""
    draw = random.Random(f"whole {kind} {seed}")
    before = open_host(root)
    if draw.random() < 0.3:  # the other way round: what was changed is the view before
        before = before.with_edits(edits_of(kind, root, names, draw))
    after = before
    for _ in range(draw.randint(1, MOST_CHANGES)):
        after = after.with_edits(edits_of(kind, root, names, draw))
    found = changed_answers(before._ports, after._ports)
    if any(host._ports.readiness.refusal() for host in (before, after)):
        assert found == []
        return
    assert [tuple(one) for one in found] == by_name(before, after)
    for host in (before, after):
        for here in host._ports.packages.installed():
            say(f"{here}: {host._ports.answers.next_alone(here)}")
        say(str(host.after_upgrade()))
