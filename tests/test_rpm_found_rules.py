"""Rules that only show on real rpm hosts: two word sizes, several versions, older forms of
relations, module streams. Each is a host of a few packages; what comes was observed."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.harbours import DNF, ZYPP, RpmHarbour
from tests.rpm_statements import BOTH, Case, P, from_one, what_comes

_DNF, _ZYPP = (DNF,), (ZYPP,)
LOCALES = "var/lib/zypp/RequestedLocales"


def i686(name: str, version: str = "1.0-1", **more: tuple[str, ...]) -> P:
    return P(name, version, "i686", **more)  # type: ignore[arg-type]


def case(
    what: str,
    kinds: tuple[str, ...],
    offered: tuple[P, ...],
    asked: str,
    comes: str | None,
    here: tuple[P, ...] = (),
    main: str = "",
    section: str = "",
    **files: str,
) -> Case:
    """`asked` and `comes` parted by blanks; `comes` as NAME.ARCH or NAME.ARCH=VERSION, a
    leading `-` for what goes."""
    told = from_one(comes)
    found = {name.replace("locales", LOCALES): text for name, text in files.items()}
    return Case(
        what, kinds, {"one": (section, offered)}, tuple(asked.split()), told, here, main, found
    )


A, B = P("a"), P("b")
A2, A3 = P("a", "2-1"), P("a", "3-1")
TWO = (P("a", "1-1"), A2)
S_AND = P("s", supplements=("packageand(a:b)",))
LOCAL = P("s", provides=("locale(a:de;fr)",))
SUPPLEMENT = ("a",)
RETRACTED = P("a", "2-1", provides=("retracted-patch-package()",))
SPLIT = P("part", provides=("a:/usr/bin/x",))
WITH_FILE = P("a", "1-1", files=("/usr/bin/x",))
OTHERS = P("a", provides=("mail",), conflicts=("otherproviders(mail)",))
MAIL = P("b", provides=("mail",))
NEEDS_TWO = P("b", requires=("a >= 2",))

LOW, OLD_A = P("low", "1-1"), P("a", "1-1")
WANTS_LOW = P("a", "2-1", requires=("low < 2",))

CASES = [
    # the full upgrade
    case("an upgrade takes nothing down for what another needs", _DNF, (WANTS_LOW, LOW),
         "--upgrade", "", (OLD_A, P("low", "3-1"))),
    case("it takes up what another needs", _DNF, (P("a", "2-1", requires=("low > 3",)), P("low", "4-1")),
         "--upgrade", "a.x86_64=2-1 low.x86_64=4-1", (OLD_A, P("low", "3-1"))),
    case("a request for something new does take it down", _DNF, (P("b", requires=("low < 2",)), LOW),
         "b", "b.x86_64 low.x86_64=1-1", (P("low", "3-1"),)),
    # older forms of relations
    case("packageand needs all", BOTH, (A, B, S_AND), "a b", "a.x86_64 b.x86_64 s.x86_64"),
    case("packageand of one only", BOTH, (A, B, S_AND), "a", "a.x86_64"),
    case("packageand of a name with brackets", BOTH,
         (P("a", provides=("cap(x)",)), B, P("s", supplements=("packageand(cap(x):b)",))), "a b",
         "a.x86_64 b.x86_64 s.x86_64"),
    case("otherproviders excludes others", BOTH, (OTHERS, MAIL), "a b", None),
    case("otherproviders does not mean itself", BOTH, (OTHERS, MAIL), "a", "a.x86_64"),
    case("otherproviders of what is installed", BOTH, (P("a", provides=("mail",)),), "a", None, here=(
         P("b", provides=("mail",), conflicts=("otherproviders(mail)",)),)),
    case("a locale that is wanted", _ZYPP, (A, LOCAL), "a", "a.x86_64 s.x86_64", locales="# x\nfr\n"),
    case("by its language", _ZYPP, (A, LOCAL), "a", "a.x86_64 s.x86_64", locales="de_AT.UTF-8\n"),
    case("one that is not", _ZYPP, (A, LOCAL), "a", "a.x86_64", locales="it\n"),
    case("none is wanted", _ZYPP, (A, LOCAL), "a", "a.x86_64"),
    case("the other layout knows no locales", _DNF, (A, LOCAL), "a", "a.x86_64", locales="de\n"),
    case("English comes with any", _ZYPP, (A, P("s", provides=("locale(a:en)",))), "a",
         "a.x86_64 s.x86_64", locales="it\n"),
    case("that of Brazil is no other", _ZYPP, (A, P("s", provides=("locale(a:pt)",))), "a", "a.x86_64",
         locales="pt_BR\n"),
    case("a locale chooses among providers", _ZYPP,
         (P("a", requires=("pack",)), P("p1", provides=("pack", "locale(pack:fr)")),
          P("p2", provides=("pack", "locale(pack:de)"))), "a", "a.x86_64 p2.x86_64", locales="de\n"),
    case("what was split off comes", _ZYPP, (A2, SPLIT), "a", "a.x86_64=2-1 part.x86_64", here=(WITH_FILE,),
         main="solver.onlyRequires = true\n"),
    case("not where the file was not there", _ZYPP, (A2, SPLIT), "a", "a.x86_64=2-1", here=(P("a", "1-1"),)),
    case("not where nothing is replaced", _ZYPP, (SPLIT,), "--upgrade", "", here=(WITH_FILE,)),
    # ranged provides
    case("a ranged provide meets what overlaps", BOTH, (P("a", requires=("c = 3",)), P("p", provides=("c >= 2",))),
         "a", "a.x86_64 p.x86_64"),
    case("and nothing else", BOTH, (P("a", requires=("c < 2",)), P("p", provides=("c >= 2",))), "a", None),
    # several versions
    case("the newest that is there already", BOTH, (A2,), "--upgrade", "", here=TWO),
    case("one between", BOTH, (P("a", "1.5-1"), A2), "--upgrade", "", here=TWO),
    case("an obsoleter of the older alone", BOTH, (P("n", obsoletes=("a < 2",)),), "--upgrade", "", here=TWO),
    # architectures
    case("i686 does not become i586", BOTH, (P("a", "2-1", "i586"),), "--upgrade", "", here=(B, i686("a"))),
    case("i586 does not become i686", BOTH, (i686("a", "2-1"),), "--upgrade", "", here=(B, P("a", "1-1", "i586"))),
    case("unless asked for", BOTH, (P("a", "2-1", "i586"),), "a@2", "a.i586=2-1", here=(B, i686("a"))),
    case("noarch becomes another", BOTH, (i686("a", "2-1"),), "--upgrade", "a.i686=2-1",
         here=(B, P("a", "1-1", "noarch"))),
    case("a need does not change it either", BOTH, (P("a", "2-1", "i586"), NEEDS_TWO), "b", None,
         here=(P("z"), i686("a"))),
    case("an obsoleter of another architecture", BOTH, (i686("n", obsoletes=("a",)),), "--upgrade", "", here=(A,)),
    case("the lesser beside the installed native", _DNF, (i686("a", "2-1"), NEEDS_TWO), "b",
         "a.i686=2-1 b.x86_64", here=(P("z"), A)),
    case("a request takes the newer of its architecture", _ZYPP, (i686("a", "2-1"), P("a", "3-1")), "a", "a.i686=2-1",
         here=(B, i686("a"))),
    case("else the newer of a better one", _ZYPP, (i686("a"), P("a", "2-1")), "a", "a.x86_64=2-1", here=(B, i686("a"))),
    case("of two installed the better one counts", _ZYPP, (i686("a", "2-1"),), "a", "", here=(A, i686("a"))),
    # the lesser word size
    case("a supplement has no twin", _DNF, (A, P("s", supplements=SUPPLEMENT), i686("s", supplements=SUPPLEMENT)),
         "a", "a.x86_64 s.x86_64"),
    case("not even where its native cannot come", _DNF,
         (A, P("s", "2-1", supplements=SUPPLEMENT, requires=("none",)), i686("s", supplements=SUPPLEMENT)),
         "a", "a.x86_64"),
    case("but where the native says nothing", _DNF, (A, P("s"), i686("s", supplements=SUPPLEMENT)), "a",
         "a.x86_64 s.x86_64 s.i686"),
    case("where its like is excluded it cannot come", _DNF, (i686("a", requires=("s(x86-32)",)), i686("s"), P("s")),
         "a:i686", None, section="exclude=s.x86_64\n"),
    case("another version is no like", _DNF, (i686("a", requires=("s(x86-32)",)), i686("s"), P("s", "2-1")),
         "a:i686", "a.i686 s.i686"),
    case("both word sizes cannot part", _DNF, (A2,), "a@2", None, here=(A, i686("a"))),
    case("unless the request means both", _DNF, (A2, i686("a", "2-1")), "a@2", "a.x86_64=2-1", here=(A, i686("a"))),
    # obsoleted, asked for
    case("what obsoletes an installed name, with best", _DNF, (P("n", obsoletes=("a",)),), "a",
         "n.x86_64 -a.x86_64", here=(A,), main="best=1\n"),
    case("and without", _DNF, (P("n", obsoletes=("a",)),), "a", "", here=(A,)),
    # choices made again
    case("a provider that another needs is enough", BOTH,
         (P("a", requires=("c",)), P("p1", provides=("c",), requires=("p2",)), P("p2", provides=("c",))), "a",
         "a.x86_64 p2.x86_64"),
    case("of recommended ones that which supplements", BOTH,
         (P("a", recommends=("c",)), P("p1", provides=("c",)), P("p2", provides=("c",), supplements=("(c and x)",))),
         "a", "a.x86_64 p2.x86_64", here=(P("x"),)),
    # what comes first of weak relations
    case("what supplements comes before what is recommended", BOTH,
         (P("a", recommends=("r",)), P("r", requires=("s = 2",)), P("s", "2-1"), P("s", "1-1", supplements=SUPPLEMENT)),
         "a", "a.x86_64 s.x86_64=1-1"),
    case("unless a better one of its name is recommended", BOTH,
         (P("a", recommends=("s",)), P("s", "2-1"), P("s", "1-1", supplements=SUPPLEMENT)), "a", "a.x86_64 s.x86_64=2-1"),
    # what was done without before
    case("a plain supplement met before", _DNF, (A2, P("s", supplements=SUPPLEMENT)), "--upgrade", "a.x86_64=2-1",
         here=(A, B)),
    case("a joined one", _DNF, (A2, S_AND), "--upgrade", "a.x86_64=2-1 s.x86_64", here=(A, B)),
    case("a plain recommendation of the old one", _DNF, (P("a", "2-1", recommends=("s",)), P("s")), "--upgrade",
         "a.x86_64=2-1", here=(P("a", recommends=("s",)),)),
    case("a joined one of the old one", _DNF, (P("a", "2-1", recommends=("(s or t)",)), P("s")), "--upgrade",
         "a.x86_64=2-1 s.x86_64", here=(P("a", recommends=("(s or t)",)),)),
    case("where nothing is detected", _DNF, (P("a", "2-1", recommends=("s",)), P("s")), "--upgrade",
         "a.x86_64=2-1 s.x86_64", here=(P("a", recommends=("s",)),), main="exclude_from_weak_autodetect=0\n"),
    # retracted
    case("a retracted version is passed over", _ZYPP, (RETRACTED, A), "a", "a.x86_64"),
    case("unless there is no other", _ZYPP, (RETRACTED,), "a", "a.x86_64=2-1"),
    case("or it is asked for", _ZYPP, (RETRACTED, A, NEEDS_TWO), "a@2 b", "a.x86_64=2-1 b.x86_64"),
    case("no need and no upgrade takes it", _ZYPP, (RETRACTED, NEEDS_TWO), "b", None),
    case("the upgrade neither", _ZYPP, (RETRACTED,), "--upgrade", "", here=(P("a", "1-1"),)),
    case("nor a request where one is installed", _ZYPP, (RETRACTED,), "a", "", here=(P("a", "1-1"),)),
    case("the other layout does not know of it", _DNF, (RETRACTED, A), "a", "a.x86_64=2-1"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("kind", "found"), [(kind, found) for found in CASES for kind in found.kinds],
    ids=lambda value: value.what if isinstance(value, Case) else value,
)  # fmt: skip
def test_rule(tmp_path: Path, kind: str, found: Case) -> None:
    assert what_comes(tmp_path, kind, found) == found.comes


def test_all_versions_of_a_name_go_for_a_newer_one(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", A3)
    harbour.installed(*TWO)
    changes = harbour.refresh().forecast("--upgrade")["changes"]
    assert [(one["old"], one["new"], one["role"]) for one in changes] == [
        ("2-1", "3-1", "upgrade"), ("1-1", None, "replaced"),
    ]  # fmt: skip


# -- module streams ------------------------------------------------------------------------


def stream(name: str, number: int, **more: str) -> str:
    """A build of a stream of the module that has package NAME in version NUMBER."""
    needs = more.get("needs", "")
    listed = "".join(f"      {need.replace('=', ': ')}\n" for need in needs.split())
    requires = f"  dependencies:\n  - requires:\n{listed}" if needs else ""
    package = f"{name.removeprefix('m')}-0:{more.get('package', str(number))}-1.x86_64"
    return (
        f"---\ndocument: modulemd\nversion: 2\ndata:\n  name: {name}\n  stream: '{number}'\n"
        f"  version: {more.get('version', '1')}\n  context: {more.get('context', 'c')}\n{requires}"
        f"  artifacts:\n    rpms: [{package}]\n...\n"
    )


def default(name: str, number: int) -> str:
    return (
        f"---\ndocument: modulemd-defaults\nversion: 1\ndata:\n  module: {name}\n"
        f"  stream: '{number}'\n...\n"
    )


B1_B2 = stream("mb", 1) + stream("mb", 2)
A_ON_B1 = stream("ma", 1, needs="mb=[1]")
MODULES = [
    ("a default stream brings what it needs", A_ON_B1 + B1_B2 + default("ma", 1), "", "1 1"),
    ("even in another than its default", A_ON_B1 + B1_B2 + default("ma", 1) + default("mb", 2), "", "1 1"),
    ("a default later by name gives way",
     stream("mb", 1, needs="ma=[1]") + stream("ma", 1) + stream("ma", 2) + default("mb", 1) + default("ma", 2),
     "", "2 3"),
    ("one that is enabled does not", A_ON_B1 + B1_B2 + default("ma", 1), "mb=2", "3 2"),
    ("two enabled at odds are both off", A_ON_B1 + B1_B2, "ma=1 mb=2", "3 3"),
    ("a need of what is switched off", A_ON_B1 + B1_B2, "ma=1 mb=", "3 3"),
    ("a need that nobody has", stream("ma", 1, needs="mx=[1]") + default("ma", 1), "", "3 3"),
    ("any stream will do", stream("ma", 1, needs="mb=[]") + B1_B2 + default("ma", 1), "", "1 1"),
    ("the default one first", stream("ma", 1, needs="mb=[]") + B1_B2 + default("ma", 1) + default("mb", 2), "", "1 2"),
    ("all but one", stream("ma", 1, needs="mb=[-1]") + B1_B2 + default("ma", 1), "", "1 2"),
    ("the context that fits the defaults",
     stream("ma", 1, needs="mb=[1]", context="x") + stream("ma", 1, needs="mb=[2]", context="y", package="2")
     + B1_B2 + default("ma", 1) + default("mb", 2), "", "2 2"),
    ("an older build where the newest cannot be",
     stream("ma", 1) + stream("ma", 1, needs="mx=[1]", version="2", package="2") + default("ma", 1), "", "1 3"),
    ("the newest build is for another platform",
     stream("ma", 1) + stream("ma", 1, needs="platform=[four]", version="2", package="2") + default("ma", 1),
     "", "3 3"),
    ("a need that cannot be met further on",
     A_ON_B1 + stream("mb", 1, needs="mx=[1]") + default("ma", 1), "", "3 3"),
]  # fmt: skip


@pytest.mark.parametrize(
    ("what", "modules", "states", "comes"), MODULES, ids=lambda value: value[:40]
)
def test_module_streams(tmp_path: Path, what: str, modules: str, states: str, comes: str) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.put("etc/os-release", 'ID=mooring\nVERSION_ID=4\nPLATFORM_ID="platform:three"\n')
    packages = [P(name, f"{number}-1") for name in "ab" for number in (1, 2, 3)]
    harbour.source("one", *packages, modules=modules)
    for state in states.split():
        name, _, number = state.partition("=")
        told = f"stream={number}\nstate={'enabled' if number else 'disabled'}\n"
        harbour.put(f"etc/dnf/modules.d/{name}.module", f"[{name}]\nname={name}\n{told}")
    harbour.refresh()
    found = [harbour.forecast(name)["changes"][0]["new"].partition("-")[0] for name in "ab"]
    assert " ".join(found) == comes, what


# -- words ---------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("offered", "asked", "told"),
    [
        ((i686("a"),), "a:x86_64", "a is not available for x86_64, only for i686"),
        ((P("a", arch="aarch64"),), "a",
         "a is only available for aarch64; this host takes x86_64, amd64, i686, i586, i486, i386, noarch"),
        ((A,), "a:s390x",
         "a is only available for x86_64; this host takes x86_64, amd64, i686, i586, i486, i386, noarch"),
        ((A,), "b", "no enabled source has a package called b"),
    ],
)  # fmt: skip
@pytest.mark.parametrize("kind", BOTH)
def test_a_package_of_another_architecture_is_told_as_such(
    tmp_path: Path, kind: str, offered: tuple[P, ...], asked: str, told: str
) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("one", *offered)
    harbour.installed(P("z"))
    code, out, _ = harbour.refresh().run("forecast", asked)
    assert (code, told in out) == (1, True)


def test_what_no_source_has_any_more_is_told_as_installed(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", B)
    harbour.installed(A)
    told = harbour.refresh().run("forecast", "a")[1]
    assert told.startswith("a 1.0-1  installed, in no source now; nothing to do\n")
