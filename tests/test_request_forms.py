"""Every form of a request against one host that has something for each, on record: what comes, or
why nothing does. Forms are put together from parts, so that each part meets every other."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import product
from pathlib import Path

import pytest

from tests.answers import say
from tests.deb_statements import built
from tests.harbours import DNF, ZYPP, AlpmHarbour, DebHarbour, RpmHarbour
from velpin.demo.alpm_files import DemoArchive
from velpin.demo.rpm_files import DemoRpm
from velpin.errors import VelpinError
from velpin.host.host import Host
from velpin.host.opening import open_host


def ask(host: Host, requests: Iterable[str]) -> None:
    """Ask for each by itself; what is said is held against the record."""
    count = 0
    for request in requests:
        count += 1
        try:
            told = host.forecast([request])
        except VelpinError as problem:
            say(f"{request}: {problem.message}")
            continue
        answers = [
            f"{one.package}:{one.arch} {one.outcome} {one.version} {one.source} {one.decided_by}"
            f" {[(reason.code, sorted(reason.facts.items())) for reason in one.reasons]}"
            for one in told.answers
        ]
        why = [(each.code, sorted(each.facts.items())) for each in (told.problem,) if each]
        changes = [
            f"{one.name}:{one.arch} {one.old}>{one.new} {one.source}" for one in told.changes
        ]
        say(f"{request}: {told.ok} {answers} {why} {changes}")
    assert count > 100


MAIN = (
    "gull 1; gull 2; gull 3/i386; gull-doc 2/all; tern 1:1 [Multi-Arch=foreign]; auk 1/i386 [Multi-Arch=foreign];"
    "skua 1 [Provides=wader, diver (= 2)]; knot 1 [Provides=wader]; coot 1 [Provides=rail (= 1)];"
    "coot 2 [Provides=rail (= 2)]; g++ 1; erne- 1; kite 1 [Depends=rail]; smew 1 [Depends=nothing-there]"
)
OTHER = "gull 2; gull 4; tern 1:2; coot 1 [Provides=rail (= 1)]; ruff 1; lib+ 2"


def test_on_a_deb_host(harbour: DebHarbour) -> None:
    rules = {"etc/apt/preferences": "Package: ruff\nPin: release *\nPin-Priority: -1\n\n"
             "Package: gull\nPin: release n=quay\nPin-Priority: 100\n"}  # fmt: skip
    built(harbour, {"jetty": MAIN, "quay": OTHER}, "gull 1; here 1; lib+ 1", rules)
    names = (
        "gull", "gull-doc", "tern", "auk", "skua", "wader", "diver", "rail", "coot", "g++", "erne-", "erne",
        "ruff", "here", "kite", "smew", "nobody", "gul*", "g?ll", "^gull", "gull-", "gull+", "lib+", "lib", "lib-",
    )  # fmt: skip
    archs = ("", ":amd64", ":i386", ":arm64", ":any", ":all", ":native", ":*")
    versions = ("", "@1", "@2", "@2+", "@2-", "@9", "@1*", "@*", "@1:1", "@newest", "@candidate", "@installed",
                "@>=2", "@>2", "@<2", "@<=1", "@==2")  # fmt: skip
    sources = ("", "%jetty", "%quay", "%now", "%nowhere", "%j*", "%a=quay", "%Jetty")
    host = harbour.host()
    ask(host, (f"{n}{a}" for n, a in product(names, archs)))
    ask(host, (f"{n}{v}" for n, v in product(names, versions)))
    ask(host, (f"{n}{s}" for n, s in product(names, sources)))
    ask(
        host,
        (f"{n}{v}{s}" for n, v, s in product(("gull", "rail", "tern", "here"), versions, sources)),
    )
    ask(host, (f"{n}{a}{v}" for n, a, v in product(("gull", "auk", "lib+"), archs, versions)))


@pytest.mark.parametrize("kind", [DNF, ZYPP])
def test_on_an_rpm_host(tmp_path: Path, kind: str) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    gull = [
        DemoRpm("gull", version, arch)
        for version in ("1-1", "2-1", "2-2")
        for arch in ("x86_64", "i686")
    ]
    harbour.source(
        "base", *gull, DemoRpm("tern", "1:1-1"), DemoRpm("skua", provides=("wader", "diver = 2")),
        DemoRpm("knot", provides=("wader",)), DemoRpm("coot", "1-1", provides=("rail = 1",)),
        DemoRpm("coot", "2-1", provides=("rail = 2",)), DemoRpm("tool", files=("/usr/bin/tool",)),
        DemoRpm("erne-doc", arch="noarch"), DemoRpm("smew", requires=("nothing-there",)),
        DemoRpm("new-gull", obsoletes=("old-gull",)), DemoRpm("a-1", "2-3"), DemoRpm("a", "1-2"),
    )  # fmt: skip
    harbour.source("other", DemoRpm("gull", "4-1"), DemoRpm("tern", "1:2-1"), DemoRpm("ruff"),
                   settings="gpgcheck=0\npriority=120\n")  # fmt: skip
    harbour.installed(DemoRpm("gull", "1-1"), DemoRpm("here"), DemoRpm("old-gull"))
    harbour.refresh()
    names = ("gull", "tern", "skua", "wader", "diver", "rail", "coot", "tool", "/usr/bin/tool", "/usr/bin/no",
             "erne-doc", "smew", "new-gull", "old-gull", "here", "ruff", "nobody", "gul*", "*ern", "a", "a-1",
             "a-1-2", "gull-2", "gull-2-1", "gull-2-2.x86_64", "gull.i686", "GULL")  # fmt: skip
    archs = ("", ":x86_64", ":i686", ":noarch", ":arm64")
    versions = (
        "",
        "@1",
        "@2",
        "@2-1",
        "@2-2",
        "@9",
        "@0:2",
        "@1:1",
        "@>=2",
        "@>2",
        "@<2",
        "@<=1",
        "@2*",
    )
    sources = ("", "%base", "%other", "%nowhere")
    host = open_host(harbour.root)
    ask(host, (f"{n}{a}" for n, a in product(names, archs)))
    ask(host, (f"{n}{v}" for n, v in product(names, versions)))
    ask(host, (f"{n}{s}" for n, s in product(names, sources)))
    ask(host, (f"{n}{v}{s}" for n, v, s in product(("gull", "tern", "here"), versions, sources)))


def test_on_an_alpm_host(tmp_path: Path) -> None:
    harbour = AlpmHarbour(tmp_path, "Architecture = x86_64\nIgnorePkg = ruff\n")
    harbour.source(
        "base", DemoArchive("gull", "2-1"), DemoArchive("tern", "1:1-1", groups=("birds",)),
        DemoArchive("skua", provides=("wader", "diver=2"), groups=("birds",)), DemoArchive("ruff", "2-1"),
        DemoArchive("knot", provides=("wader",)), DemoArchive("smew", depends=("nothing-there",)),
        DemoArchive("other-arch", arch="arm64"), DemoArchive("kite", replaces=("here",), depends=("wader",)),
    )  # fmt: skip
    harbour.source("other", DemoArchive("gull", "4-1"), DemoArchive("tern", "1:2-1", groups=("birds",)),
                   DemoArchive("coot"), settings="Usage = Sync Search\n")  # fmt: skip
    harbour.source("last", DemoArchive("coot", "2-1"), DemoArchive("gull", "5-2"))
    harbour.installed(
        DemoArchive("gull", "3-1"), DemoArchive("here", "1-1"), DemoArchive("ruff", "1-1")
    )
    harbour.refresh()
    names = ("gull", "tern", "skua", "wader", "diver", "ruff", "knot", "smew", "other-arch", "kite", "coot",
             "here", "birds", "nobody", "gul*", "Gull")  # fmt: skip
    versions = (
        "",
        "@1",
        "@2",
        "@2-1",
        "@4",
        "@5-2",
        "@9",
        "@1:1",
        "@>=2",
        "@>2",
        "@<2",
        "@<=2",
        "@>=4",
        "@==2",
    )
    sources = ("", "%base", "%other", "%last", "%nowhere")
    host = harbour.host()
    ask(host, (f"{n}{v}" for n, v in product(names, versions)))
    ask(
        host,
        (
            f"{n}{v}{s}"
            for n, v, s in product(("gull", "coot", "wader", "birds", "tern"), versions, sources)
        ),
    )
