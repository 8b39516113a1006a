"""Rules that only show on real deb hosts: architectures in names, phased updates, requests with
a sign, entries that lack something. Each is a host of a few packages; what comes was observed."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.deb_statements import built, comes
from tests.harbours import DebHarbour, offer
from velpin.demo.build import text_of
from velpin.kinds.deb.conf import Conf, parse_conf
from velpin.kinds.deb.copies import list_name

MACHINE = {"etc/machine-id": "0123456789abcdef0123456789abcdef\n"}
AUTO = {
    "var/lib/apt/extended_states": "Package: q\nArchitecture: amd64\nAuto-Installed: 1\n\n",
    "etc/apt/apt.conf": 'APT::Get::AutomaticRemove "true";\n',
}


ALLOWED = "[Multi-Arch=allowed]"
CASES = [
    # what provides for an architecture
    ("a 1 [Depends=v:any]; p 1 [Provides=v] " + ALLOWED, "", {"a": "a=1 p=1"}),
    ("a 1 [Depends=v:any]; p 1 [Provides=v]", "", {"a": None}),
    ("a 1 [Depends=v:any (>= 2)]; p 1 [Provides=v (= 3)] " + ALLOWED, "", {"a": "a=1 p=1"}),
    ("a 1 [Depends=v:any (>= 2)]; p 1 [Provides=v] " + ALLOWED, "", {"a": None}),
    ("a 1 [Conflicts=v:any]; p 1 [Provides=v] " + ALLOWED, "", {"a p": None}),
    ("a 1 [Depends=v:i386]; p 1 [Provides=v:i386]", "", {"a": "a=1 p=1", "v:i386": "p=1", "v": "p=1"}),
    ("a 1 [Depends=v (>= 2)]; p 1/i386 [Provides=v:amd64 (= 2)]", "", {"a": "a=1 p:i386=1"}),
    # the installer itself is essential
    ("a 1 [Conflicts=apt]", "apt 1", {"a": None}),
    ("a 1; apt 1", "", {"a": "a=1", "--upgrade": "apt=1"}),
    # architectures in requests
    ("x 1/all; n 1; n 1/i386", "", {"x:all": "x=1", "n:all": "n=1", "n:any": "n=1", "x:*": "x=1", "n:*": None}),
    ("n 1/i386", "", {"n:any": "n:i386=1"}),
    # requests with a sign
    ("n 1; m 1 [Recommends=q]; q 1", "m 0", {
        "n-": "", "n n-": "n=1", "n- n": "n=1", "m-": "-m", "m q-": "m=1", "n m-": "-m n=1", "n+ m-": "-m n=1",
        "m- m": "m=1 q=1", "zz-": None}),
    ("n 1 [Depends=q]; q 1", "q 1", {"n q-": None, "q-": "-q"}),
    ("n 1 [Depends=a | b]; a 1; b 1", "", {"n a-": "b=1 n=1"}),
    ("n- 1; n 1", "n 1", {"n-": "n-=1"}),
    ("n 1", "n 1", {"n@1-": "-n"}),
    ("b 2", "a 1; b 1 [Depends=a]", {"a-": "-a b=2"}),
    ("na 1; nb 1", "na 1; nb 1", {"n*-": "-na -nb"}),
    ("", "n 1 [Status=hold ok installed]; e 1 [Essential=yes]", {"n-": "-n", "e-": "-e"}),
    # entries that lack something
    ("n 1 [Size=-]; m 1; k 1 [Depends=n]", "", {"n": None, "m": "m=1", "m n": None, "k": None}),
    ("n 1 [Size=0]", "", {"n": None}),
    ("n 1 [Filename=-]", "n 1", {"n": ""}),
    ("n 2 [Filename=-]; m 2", "n 1; m 1", {"m": "m=2", "--upgrade": None}),
    # an architecture that the host has no more
    ("n 2; q 1 [Depends=x]", "x 1/armhf [Multi-Arch=foreign]; n 1/armhf",
     {"n": "n=2 -n:armhf", "q": None, "n:armhf": "", "x": None, "x:armhf-": "-x:armhf"}),
]  # fmt: skip


@pytest.mark.parametrize(
    ("offered", "here", "asked", "told"),
    [(offered, here, asked, told) for offered, here, all_ in CASES for asked, told in all_.items()],
)
def test_rule(harbour: DebHarbour, offered: str, here: str, asked: str, told: str | None) -> None:
    assert comes(built(harbour, offered, here), asked) == told


@pytest.mark.parametrize(
    ("names", "native", "foreign", "other"),
    [
        ("n:*", "1", "1", "2"), ("*:*", "1", "1", "1"), ("n:i*", "2", "1", "2"), ("n:a?d64", "1", "2", "2"),
        ("n:linux-any", "1", "1", "2"), ("n:linux-i386", "2", "1", "2"), ("n:any-i386", "2", "1", "2"),
        ("n:all", "2", "2", "2"), ("n:native", "2", "2", "2"),
    ],
)  # fmt: skip
def test_architectures_in_records(
    harbour: DebHarbour, names: str, native: str, foreign: str, other: str
) -> None:
    every = "n {0}; n {0}/i386; k {0}"
    record = f"Package: {names}\nPin: release o=one\nPin-Priority: 900\n"
    both = {"one": every.format(1), "two": every.format(2)}
    built(harbour, both, files={"etc/apt/preferences": record})
    found = [comes(harbour, asked) for asked in ("n", "n:i386", "k")]
    assert found == [f"n={native}", f"n:i386={foreign}", f"k={other}"]


N2 = "n 2 [Phased-Update-Percentage=0]"
N3 = "n 3 [Phased-Update-Percentage=0]"
SECURE = {"jetty-updates": N3, "jetty-security": "n 2"}
PHASED = [
    ("not for this host", N2, "", MACHINE, ""),
    ("no machine-id", N2, "", {}, "n=2"),
    ("a machine-id of the configuration", N2, 'APT::Machine-ID "ab";', {}, ""),
    ("always", N2, 'APT::Get::Always-Include-Phased-Updates "1";', MACHINE, "n=2"),
    ("always, the other form", N2, 'Update-Manager::Always-Include-Phased-Updates "1";', MACHINE, "n=2"),
    ("never, without a machine-id", "n 2 [Phased-Update-Percentage=99]",
     'APT::Get::Never-Include-Phased-Updates "1";', {}, ""),
    ("both", N2, 'APT::Get { Always-Include-Phased-Updates "1"; Never-Include-Phased-Updates "1"; };', MACHINE, "n=2"),
    ("a matter of security between", SECURE, "", MACHINE, "n=3"),
    ("not below the installed", {"jetty-updates": N2, "jetty-security": "n 0.5"}, "", MACHINE, ""),
    ("not the very version", {"jetty-updates": N2, "jetty-security": N2}, "", MACHINE, ""),
    ("the lowest share that is said", {"jetty": "n 2", "jetty-updates": N2}, "", MACHINE, ""),
    ("as a priority", {"jetty": "n 2", "jetty-updates": N3}, 'APT::Get::Phase-Policy "1";', MACHINE, "n=2"),
    ("as a priority, though there is security", SECURE, 'APT::Get::Phase-Policy "1";', MACHINE, "n=2"),
]  # fmt: skip


@pytest.mark.parametrize(("what", "offered", "conf", "files", "told"), PHASED)
def test_phased_updates(
    harbour: DebHarbour,
    what: str,
    offered: str | dict[str, str],
    conf: str,
    files: dict[str, str],
    told: str,
) -> None:
    built(harbour, offered, "n 1", {**files, "etc/apt/apt.conf": conf + "\n"})
    assert comes(harbour, "--upgrade") == told, what


def test_asked_for_a_phased_version_comes_unless_it_is_a_matter_of_priority(
    harbour: DebHarbour, tmp_path: Path
) -> None:
    assert comes(built(harbour, N2, "n 1", MACHINE), "n") == "n=2"
    conf = {"etc/apt/apt.conf": 'APT::Get::Phase-Policy "1";\n'}
    other = built(
        DebHarbour(tmp_path / "other"), N2 + "; m 1 [Depends=n (>= 2)]", "n 1", MACHINE | conf
    )
    assert (comes(other, "n"), comes(other, "m")) == ("", None)


def test_what_nothing_needs_any_more_goes_with_a_request(harbour: DebHarbour) -> None:
    built(harbour, "m 2; k 2", "m 1 [Depends=q]; k 1; q 1", AUTO)
    assert comes(harbour, "m") == "m=2 -q"
    assert comes(harbour, "k") == "k=2"
    assert comes(harbour, "--upgrade") == "k=2 m=2"
    removed = harbour.host().forecast(["m"]).changes[1]
    assert removed.role == "unneeded"
    assert "nothing needs it any more" in harbour.run("forecast", "m").out


def test_a_request_to_remove_is_told_as_such(harbour: DebHarbour) -> None:
    built(harbour, "n 1", "n 1")
    assert harbour.run("forecast", "n-").out.startswith("n 1 is removed, as asked")
    assert harbour.run("forecast", "n-", "--json").code == 0
    assert "n 1 is removed, as asked" in harbour.run("forecast", "--tree", "n-").out
    harbour.put("var/lib/dpkg/status", "")
    assert harbour.run("forecast", "n-").out.startswith("n is not installed; nothing to do")


def conf_of(text: str) -> Conf:
    conf = Conf()
    parse_conf(text, "etc/apt/apt.conf", conf)
    conf.take_for("apt-get")
    return conf


@pytest.mark.parametrize(
    ("text", "file"),
    [
        ("", "etc/apt/preferences"),
        ('Dir::Etc::preferences "/srv/pins";', "srv/pins"),
        ('Dir::Etc::preferences "mine/pins";', "etc/apt/mine/pins"),
        ('Dir::Etc "/srv/etc/";', "srv/etc/preferences"),
        ('Binary::apt-get::Dir::Etc::preferences "/srv/pins";', "srv/pins"),
        ('Binary::other::Dir::Etc::preferences "/srv/pins";', "etc/apt/preferences"),
    ],
)
def test_where_the_installers_files_lie(text: str, file: str) -> None:
    assert conf_of(text).file("Dir::Etc", "preferences", "preferences") == file


def test_settings_of_one_program_go_before_those_of_all() -> None:
    conf = conf_of('Binary { apt-get { A "1"; L { "x"; }; }; }; A "2"; L:: "y";')
    assert (conf.get("A"), conf.listed("L")) == ("1", ["y", "x"])


def test_an_index_of_packages_for_all_is_read_where_the_release_file_names_none(
    harbour: DebHarbour,
) -> None:
    address = harbour.repository("one", ("m", "1"))
    base = harbour.folder / "repos/one/dists/jetty"
    lists = harbour.root / "var/lib/apt/lists"
    lists.mkdir(parents=True)
    stem = list_name(f"{address}/dists/jetty", "jetty") + "main_binary"
    (lists / f"{stem}-amd64_Packages").write_bytes(
        (base / "main/binary-amd64/Packages").read_bytes()
    )
    (lists / f"{stem}-all_Packages").write_bytes(text_of([offer("z", "1", "all")]))
    harbour.source_at("one", address)
    assert comes(harbour, "z") == "z=1"


def test_no_way_out_asks_for_what_is_to_go(harbour: DebHarbour) -> None:
    built(harbour, "n 1 [Depends=q]; q 1", "q 1")
    said = harbour.run("forecast", "n", "q-").out
    assert "refused: its dependencies cannot all be met\n  1. n 1 needs q\n" in said
    assert "q@1" not in said
    assert "velpin want" not in said


def test_that_something_essential_goes_is_told(harbour: DebHarbour) -> None:
    built(harbour, "", "n 1; e 1 [Essential=yes]")
    assert "  remove e, which the system cannot do" in harbour.run("forecast", "e-", "n-").out
    assert "cannot do without" not in harbour.run("forecast", "n-").out


def test_a_pattern_that_fits_one_name_is_told_as_one(harbour: DebHarbour) -> None:
    built(harbour, "gull 1", "gull 1")
    for asked in ("gull*", "gul*-"):
        assert "taken-as-pattern" in [note.code for note in harbour.host().forecast([asked]).notes]
    assert not [n for n in harbour.host().forecast(["gull-"]).notes if n.code == "taken-as-pattern"]
