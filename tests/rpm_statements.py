"""Statements about how rpm hosts choose, each with one small host that shows it."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from tests.harbours import DNF, ZYPP, RpmHarbour
from velpin.demo.rpm_files import DemoRpm as P

BOTH = (DNF, ZYPP)


class Case(NamedTuple):
    """One host, what is asked, and what comes: `None` where the host refuses."""

    what: str
    kinds: tuple[str, ...]
    sources: dict[str, tuple[str, tuple[P, ...]]]
    """By handle: further lines of the section, packages."""
    asked: tuple[str, ...]
    comes: dict[str, str] | None
    here: tuple[P, ...] = ()
    main: str = ""
    """Lines of dnf.conf's or zypp.conf's main section."""
    files: dict[str, str] = {}  # noqa: RUF012 - read only


def from_one(comes: str | None) -> dict[str, str] | None:
    """What comes from a host's only source: NAME.ARCH[=VERSION] parted by blanks, a leading `-`
    for what goes."""
    if comes is None:
        return None
    told: dict[str, str] = {}
    for word in comes.split():
        key, _, version = word.lstrip("-").partition("=")
        told[key] = "gone" if word.startswith("-") else f"{version or '1.0-1'} one"
    return told


def number(value: object) -> str:
    return f"priority={value}\n"


A1, A2, A3 = (P("a", f"{n}-1") for n in "123")


I686 = P("a", "2-1", "i686")


LOCKED_TWO = {
    "etc/zypp/locks": "\ntype: package\nmatch_type: glob\ncase_sensitive: on\n"
    "solvable_name: a\nrepo: two\n"
}


CASES = [
    Case("the highest version wins among equals", BOTH,
         {"one": ("", (A1,)), "two": ("", (A2,))}, ("a",), {"a.x86_64": "2-1 two"}),
    Case("the lower number wins whatever the version", BOTH,
         {"one": (number(10), (A1,)), "two": ("", (A2,))}, ("a",), {"a.x86_64": "1-1 one"}),
    Case("no number is 99", BOTH,
         {"one": (number(98), (A1,)), "two": ("", (A2,))}, ("a",), {"a.x86_64": "1-1 one"}),
    Case("100 loses to no number", BOTH,
         {"one": (number(100), (A2,)), "two": ("", (A1,))}, ("a",), {"a.x86_64": "1-1 two"}),
    Case("text behind a number is left away", BOTH,
         {"one": (number("10 # mine"), (A1,)), "two": (number(20), (A2,))}, ("a",), {"a.x86_64": "1-1 one"}),
    Case("a word is no number", BOTH,
         {"one": (number("first"), (A1,)), "two": ("", (A2,))}, ("a",), {"a.x86_64": "2-1 two"}),
    Case("0 is better than 1 there", (DNF,),
         {"one": (number(0), (A1,)), "two": (number(1), (A2,))}, ("a",), {"a.x86_64": "1-1 one"}),
    Case("0 is ignored here", (ZYPP,),
         {"one": (number(0), (A1,)), "two": (number(1), (A2,))}, ("a",), {"a.x86_64": "2-1 two"}),
    Case("the last of two lines counts", BOTH,
         {"one": (number(50) + number(10), (A1,)), "two": (number(20), (A2,))}, ("a",), {"a.x86_64": "1-1 one"}),
    Case("cost decides for the same version", (DNF,),
         {"one": ("cost=2000\n", (A1,)), "two": ("cost=500\n", (A1,))}, ("a",), {"a.x86_64": "1-1 two"}),
    Case("cost does not beat the version", (DNF,),
         {"one": ("cost=1\n", (A1,)), "two": ("", (A2,))}, ("a",), {"a.x86_64": "2-1 two"}),
    Case("the first file read wins a tie", (DNF,),
         {"b": ("", (A1,)), "a": ("", (A1,))}, ("a",), {"a.x86_64": "1-1 a"}),
    Case("build time wins a tie of a request", (ZYPP,),
         {"one": ("", (A1,)), "two": ("", (P("a", "1-1", built=1_800_000_000),))}, ("a",), {"a.x86_64": "1-1 two"}),
    Case("a better source with i686 alone", BOTH,
         {"one": (number(10), (I686,)), "two": ("", (A1,))}, ("a",), {"a.i686": "2-1 one"}),
    Case("the architecture narrows first", BOTH,
         {"one": (number(10), (I686,)), "two": ("", (A1,))}, ("a:x86_64",), {"a.x86_64": "1-1 two"}),
    Case("an older native one before a newer i686", BOTH,
         {"one": ("", (A1, I686))}, ("a",), {"a.x86_64": "1-1 one"}),
    Case("a name beats what provides it", BOTH,
         {"one": (number(1), (P("b", "9-1", provides=("a = 9",)),)), "two": ("", (A1,))}, ("a",), {"a.x86_64": "1-1 two"}),
    Case("a version narrows first", BOTH,
         {"one": (number(10), (A1,)), "two": ("", (A2,))}, ("a@2",), {"a.x86_64": "2-1 two"}),
    Case("the better source's release", (DNF,),
         {"one": (number(10), (P("a", "2-1"),)), "two": ("", (P("a", "2-5"),))}, ("a@2",), {"a.x86_64": "2-1 one"}),
    Case("an epoch need not be said", (DNF,),
         {"one": ("", (P("a", "3:2-1"),))}, ("a@2",), {"a.x86_64": "3:2-1 one"}),
    Case("an epoch must be said", (ZYPP,), {"one": ("", (P("a", "3:2-1"),))}, ("a@2",), None),
    Case("one unknown refuses all", BOTH, {"one": ("", (A1,))}, ("a", "nobody"), None),
    Case("unless it is lenient", (DNF,), {"one": ("", (A1,))}, ("a", "nobody"), {"a.x86_64": "1-1 one"}, main="strict=0\n"),
    Case("every architecture, where wanted", (DNF,),
         {"one": ("", (A1, P("a", "1-1", "i686")))}, ("a",), {"a.x86_64": "1-1 one", "a.i686": "1-1 one"}, main="multilib_policy=all\n"),
    Case("providers of a need by name", BOTH,
         {"one": ("", (P("r", requires=("cap",)), P("zz", provides=("cap",)), P("bb", provides=("cap",))))},
         ("r",), {"r.x86_64": "1.0-1 one", "bb.x86_64": "1.0-1 one"}),
    Case("the higher stated version goes before the name", BOTH,
         {"one": ("", (P("r", requires=("cap",)), P("zz", provides=("cap = 2",)), P("bb", provides=("cap = 1",))))},
         ("r",), {"r.x86_64": "1.0-1 one", "zz.x86_64": "1.0-1 one"}),
    Case("what the asker suggests goes before both", BOTH,
         {"one": ("", (P("r", requires=("cap",), suggests=("cc",)), P("zz", provides=("cap = 2",)), P("cc", provides=("cap = 1",))))},
         ("r",), {"r.x86_64": "1.0-1 one", "cc.x86_64": "1.0-1 one"}),
    Case("a better source's provider beats the very name", BOTH,
         {"one": (number(10), (P("y", provides=("x",)),)), "two": ("", (P("x"), P("r", requires=("x",))))},
         ("r",), {"r.x86_64": "1.0-1 two", "y.x86_64": "1.0-1 one"}),
    Case("the worse source where only it can", BOTH,
         {"one": (number(10), (A1,)), "two": ("", (A2, P("r", requires=("a >= 2",))))},
         ("r",), {"r.x86_64": "1.0-1 two", "a.x86_64": "2-1 two"}),
    Case("what is installed is kept for a need", BOTH,
         {"one": ("", (A2, P("r", requires=("a",))))}, ("r",), {"r.x86_64": "1.0-1 one"}, here=(A1,)),
    Case("a need goes back to an older version", (DNF,),
         {"one": ("", (A1, P("r", requires=("a = 1",))))}, ("r",), {"r.x86_64": "1.0-1 one", "a.x86_64": "1-1 one"}, here=(A2,)),
    Case("a need never goes back", (ZYPP,),
         {"one": ("", (A1, P("r", requires=("a = 1",))))}, ("r",), None, here=(A2,)),
    Case("a broken newest is passed over", (DNF,),
         {"one": ("", (A1, P("a", "2-1", requires=("nowhere",))))}, ("a",), {"a.x86_64": "1-1 one"}),
    Case("a broken newest refuses where only the best will do", (DNF,),
         {"one": ("", (A1, P("a", "2-1", requires=("nowhere",))))}, ("a",), None, main="best=1\n"),
    Case("a broken newest refuses", (ZYPP,),
         {"one": ("", (A1, P("a", "2-1", requires=("nowhere",))))}, ("a",), None),
    Case("both are asked and one needs the other newer", (DNF,),
         {"one": (number(10), (A1,)), "two": ("", (A2, P("c", requires=("a >= 2",))))},
         ("a", "c"), {"a.x86_64": "2-1 two", "c.x86_64": "1.0-1 two"}),
    Case("the same, where the first is fixed", (ZYPP,),
         {"one": (number(10), (A1,)), "two": ("", (A2, P("c", requires=("a >= 2",))))}, ("a", "c"), None),
    Case("a conflict with what is installed", BOTH,
         {"one": ("", (P("r", conflicts=("a",)),))}, ("r",), None, here=(A1,)),
    Case("an upgrade along solves a conflict", BOTH,
         {"one": ("", (A2, P("r", conflicts=("a < 2",))))}, ("r",), {"r.x86_64": "1.0-1 one", "a.x86_64": "2-1 one"}, here=(A1,)),
    Case("installed and asked: nothing", (DNF,), {"one": ("", (A2,))}, ("a",), {}, here=(A1,)),
    Case("installed and asked: upgraded", (ZYPP,), {"one": ("", (A2,))}, ("a",), {"a.x86_64": "2-1 one"}, here=(A1,)),
    Case("a lower version asked for", (DNF,), {"one": ("", (A1,))}, ("a@1",), {"a.x86_64": "1-1 one"}, here=(A2,)),
    Case("a lower version asked for does nothing", (ZYPP,), {"one": ("", (A1,))}, ("a@1",), {}, here=(A2,)),
    Case("what replaces a name comes instead", (DNF,),
         {"one": ("", (A1, P("new", obsoletes=("a",))))}, ("a",), {"new.x86_64": "1.0-1 one"}),
    Case("nothing comes where that is installed", (DNF,),
         {"one": ("", (A1, P("new", obsoletes=("a",))))}, ("a",), {}, here=(P("new", obsoletes=("a",)),)),
    Case("in an older version neither", (DNF,),
         {"one": ("", (A1, P("new", "2-1", obsoletes=("a",))))}, ("a",), {}, here=(P("new", obsoletes=("a",)),)),
    Case("what something installed replaces may not come", BOTH,
         {"one": ("", (A1, P("r", requires=("a",))))}, ("r",), None, here=(P("new", obsoletes=("a",)),)),
    Case("unless that can be upgraded out of the way", BOTH,
         {"one": ("", (A1, P("new", "2-1"), P("r", requires=("a",))))}, ("r",),
         {"a.x86_64": "1-1 one", "new.x86_64": "2-1 one", "r.x86_64": "1.0-1 one"}, here=(P("new", obsoletes=("a",)),)),
    Case("and holds back an upgrade", BOTH,
         {"one": ("", (A2, P("new", obsoletes=("a",))))}, ("--upgrade",), {}, here=(A1, P("new", obsoletes=("a",)))),
    Case("a capability asked for comes with the name that is installed", BOTH,
         {"one": ("", (P("m", "2-1", provides=("c = 1",)), P("b", provides=("c = 2",)), P("m", "3-1")))}, ("c",),
         {"m.x86_64": "2-1 one"}, here=(P("m", "1-1"),)),
    Case("unless a better source has another", BOTH,
         {"one": ("", (P("m", "2-1", provides=("c",)),)), "two": (number(20), (P("b", provides=("c",)),))}, ("c",),
         {"b.x86_64": "1.0-1 two"}, here=(P("m", "1-1"),)),
    Case("or something suggests another", BOTH,
         {"one": ("", (P("m", "2-1", provides=("c",)), P("b", provides=("c",)), P("s", suggests=("b",))))}, ("s", "c"),
         {"b.x86_64": "1.0-1 one", "s.x86_64": "1.0-1 one"}, here=(P("m", "1-1"),)),
    Case("what replaces a name does not", (ZYPP,),
         {"one": ("", (A1, P("new", obsoletes=("a",))))}, ("a",), {"a.x86_64": "1-1 one"}),
    Case("the replaced one goes", BOTH,
         {"one": ("", (P("new", obsoletes=("a",)),))}, ("new",), {"new.x86_64": "1.0-1 one", "a.x86_64": "gone"}, here=(A1,)),
    Case("recommended and supplementing ones come along", BOTH,
         {"one": ("", (P("r", recommends=("m",)), P("m"), P("s", supplements=("m",)), P("g", enhances=("r",))))},
         ("r",), {"r.x86_64": "1.0-1 one", "m.x86_64": "1.0-1 one", "s.x86_64": "1.0-1 one"}),
    Case("not where that is off", (DNF,),
         {"one": ("", (P("r", recommends=("m",)), P("m")))}, ("r",), {"r.x86_64": "1.0-1 one"}, main="install_weak_deps=0\n"),
    Case("not where that is off", (ZYPP,),
         {"one": ("", (P("r", recommends=("m",)), P("m")))}, ("r",), {"r.x86_64": "1.0-1 one"}, main="solver.onlyRequires = true\n"),
    Case("an impossible recommended one is left out", BOTH,
         {"one": ("", (P("r", recommends=("m",)), P("m", requires=("nowhere",))))}, ("r",), {"r.x86_64": "1.0-1 one"}),
    Case("or, and, if", BOTH,
         {"one": ("", (P("r", requires=("(x or y)", "(m and n)", "(o if m)", "(q if nowhere)")), *map(P, "xymnoq")))},
         ("r",), {f"{name}.x86_64": "1.0-1 one" for name in "rxmno"}),
    Case("with: one package for both", BOTH,
         {"one": ("", (P("r", requires=("(c with d)",)), P("x", provides=("c",)), P("y", provides=("c", "d"))))},
         ("r",), {"r.x86_64": "1.0-1 one", "y.x86_64": "1.0-1 one"}),
    Case("a file that is needed", BOTH,
         {"one": ("", (P("r", requires=("/usr/bin/f",)), P("f", files=("/usr/bin/f",))))}, ("r",), {"r.x86_64": "1.0-1 one", "f.x86_64": "1.0-1 one"}),
    Case("a file that is asked for", (DNF,),
         {"one": ("", (P("f", files=("/opt/f/data",)),))}, ("/opt/f/data",), {"f.x86_64": "1.0-1 one"}),
    Case("a file that nobody needs is not found", (ZYPP,),
         {"one": ("", (P("f", files=("/usr/bin/f",)),))}, ("/usr/bin/f",), None),
    Case("i686 brings its like along", (DNF,),
         {"one": ("", (P("r", requires=("a(x86-32)",)), A2, I686))},
         ("r",), {"r.x86_64": "1.0-1 one", "a.i686": "2-1 one", "a.x86_64": "2-1 one"}),
    Case("excluded in the better source", (DNF,),
         {"one": (number(10) + "excludepkgs=a\n", (A1,)), "two": ("", (A2,))}, ("a",), {"a.x86_64": "2-1 two"}),
    Case("all that is meant is excluded", (DNF,), {"one": ("", (A1,))}, ("a",), None, main="exclude=a*\n"),
    Case("an include list hides the rest", (DNF,),
         {"one": ("includepkgs=b\n", (A2, P("b"))), "two": ("", (A1,))}, ("a",), {"a.x86_64": "1-1 two"}),
    Case("a vendor is kept", (DNF,),
         {"one": ("", (P("a", "2-1", vendor="Other"),))}, ("--upgrade",), {}, here=(A1,), main="allow_vendor_change=0\n"),
    Case("a vendor is kept", (ZYPP,), {"one": ("", (P("a", "2-1", vendor="Other"),))}, ("--upgrade",), {}, here=(A1,)),
    Case("a version asked for changes the vendor", (ZYPP,),
         {"one": ("", (P("a", "2-1", vendor="Other"),))}, ("a@2",), {"a.x86_64": "2-1 one"}, here=(A1,)),
    Case("vendors that count as one", (ZYPP,),
         {"one": ("", (P("a", "2-1", vendor="Other Works"),))}, ("--upgrade",), {"a.x86_64": "2-1 one"}, here=(A1,),
         files={"etc/zypp/vendors.d/x.conf": "[main]\nvendors = harbour,OTHER\n"}),
    Case("upgrade: the better source holds it", BOTH,
         {"one": (number(10), (A2,)), "two": ("", (A3,))}, ("--upgrade",), {}, here=(A2,)),
    Case("upgrade: the better source is behind", BOTH,
         {"one": (number(10), (A1,)), "two": ("", (A3,))}, ("--upgrade",), {"a.x86_64": "3-1 two"}, here=(A2,)),
    Case("upgrade: the next version that works", BOTH,
         {"one": ("", (A2, P("a", "3-1", requires=("nowhere",))))}, ("--upgrade",), {"a.x86_64": "2-1 one"}, here=(A1,)),
    Case("upgrade: what is needed stays", BOTH,
         {"one": ("", (A2,))}, ("--upgrade",), {}, here=(A1, P("r", requires=("a = 1",)))),
    Case("upgrade: a replacing one", BOTH,
         {"one": ("", (P("new", obsoletes=("a < 3",)), A2))}, ("--upgrade",), {"new.x86_64": "1.0-1 one", "a.x86_64": "gone"}, here=(A1,)),
    Case("upgrade: the best must go", (DNF,),
         {"one": ("", (P("a", "2-1", requires=("nowhere",)),))}, ("--upgrade",), None, here=(A1,), main="best=1\n"),
    Case("realign: down to the best source", (ZYPP,),
         {"one": (number(10), (A1,)), "two": ("", (A3,))}, ("--upgrade", "--realign"), {"a.x86_64": "1-1 one"}, here=(A2,)),
    Case("realign: in no source, stays", (ZYPP,), {"one": ("", (P("b"),))}, ("--upgrade", "--realign"), {}, here=(A2,)),
    Case("realign: in no source and in the way", (ZYPP,),
         {"one": ("", (P("b", "2-1", conflicts=("a",)),))}, ("--upgrade", "--realign"), {"b.x86_64": "2-1 one", "a.x86_64": "gone"},
         here=(A2, P("b", "1-1"))),
    Case("locked by name", (ZYPP,), {"one": ("", (A1,))}, ("a",), None, files={"etc/zypp/locks": "solvable_name: a\n"}),
    Case("locked in one source", (ZYPP,),
         {"one": (number(10), (A1,)), "two": ("", (A2,))}, ("a",), {"a.x86_64": "2-1 two"},
         files={"etc/zypp/locks": "match_type: glob\nsolvable_name: a*\nrepo: one\n"}),
    Case("a lock without a manner is met anywhere in a name, whatever the letters", (ZYPP,),
         {"one": (number(10), (P("harbour", "1-1"),)), "two": ("", (P("harbour", "2-1"),))}, ("harbour",),
         {"harbour.x86_64": "2-1 two"}, files={"etc/zypp/locks": "solvable_name: Arb\nrepo: one\n"}),
    Case("locked by version", (ZYPP,), {"one": ("", (A1, A2, A3))}, ("a",), {"a.x86_64": "2-1 one"},
         files={"etc/zypp/locks": "\n# why\ntype: package\nsolvable_name: a\nversion: >= 3\n"}),
    Case("an installed locked one stays", (ZYPP,), {"one": ("", (A2,))}, ("--upgrade",), {}, here=(A1,),
         files={"etc/zypp/locks": "match_type: exact\nsolvable_name: a\n"}),
    Case("the main file's excludes hide what is installed from requests", (DNF,),
         {"one": ("", (A2,))}, ("a",), None, here=(A1,), main="exclude=a\n"),
    Case("a source's excludes do not", (DNF,),
         {"one": ("exclude=a\n", (A2,))}, ("a",), {}, here=(A1,)),
    Case("the main file's includes hide what is installed too", (DNF,),
         {"one": ("", (P("b"),))}, ("a",), None, here=(A1,), main="includepkgs=b\n"),
    Case("the architectures that are missing, where all are wanted", (DNF,),
         {"one": ("", (A2, I686))}, ("a",), {"a.i686": "2-1 one"}, here=(A1,), main="multilib_policy=all\nbest=1\n"),
    Case("each provider, where all are wanted", (DNF,),
         {"one": ("", (P("b", provides=("c",)), P("d", provides=("c",))))},
         ("c",), {"b.x86_64": "1.0-1 one", "d.x86_64": "1.0-1 one"}, main="multilib_policy=all\n"),
    Case("an asked name replaces another vendor's", (ZYPP,),
         {"one": ("", (P("n", vendor="Two", obsoletes=("a",)),))}, ("n",), {"n.x86_64": "1.0-1 one", "a.x86_64": "gone"},
         here=(P("a", "1-1", vendor="One"),)),
    Case("a need does not", (ZYPP,),
         {"one": ("", (P("n", vendor="Two", obsoletes=("a",)), P("r", requires=("n",))))}, ("r",), None,
         here=(P("a", "1-1", vendor="One"),)),
    Case("a locked update refuses", (ZYPP,),
         {"two": ("", (P("a", "2-1", vendor="One"),))}, ("a",), None,
         here=(P("a", "1-1", vendor="One"),), files=LOCKED_TWO),
    Case("unless another vendor has a newer one too", (ZYPP,),
         {"one": ("", (P("a", "3-1", vendor="Two"),)), "two": ("", (P("a", "2-1", vendor="One"),))}, ("a",), {},
         here=(P("a", "1-1", vendor="One"),), files=LOCKED_TWO),
    Case("another vendor's version cannot be asked for beside a locked one", (ZYPP,),
         {"one": ("", (P("a", "3-1", vendor="Two"),)), "two": ("", (P("a", "2-1", vendor="One"),))}, ("a@3-1",), None,
         here=(P("a", "1-1", vendor="One"),), files=LOCKED_TWO),
    Case("what needs a build stays beside the other vendor's that was asked for", (ZYPP,),
         {"one": ("", (P("a", "2-1", vendor="Two"), P("r", "2-1", requires=("a",))))}, ("a@2-1",), {"a.x86_64": "2-1 one"},
         here=(P("a", "1-1", vendor="One"), P("r", "1-1", requires=("a",)))),
    Case("asked and installed already binds nothing", (ZYPP,),
         {"one": (number(100), (A2, P("k", "2-1", requires=("a >= 2",)))), "top": (number(1), (A1,))}, ("a", "k"),
         {"a.x86_64": "2-1 one", "k.x86_64": "2-1 one"}, here=(A1, P("k", "1-1", requires=("a",)))),
    Case("a need upgrades along where that is the focus", (ZYPP,),
         {"one": ("", (A2, P("r", requires=("a",))))}, ("r",), {"r.x86_64": "1.0-1 one", "a.x86_64": "2-1 one"},
         here=(A1,), main="solver.focus = Update\n"),
    Case("but not where something installed at its best meets it", (ZYPP,),
         {"one": ("", (P("a", "2-1", provides=("c = 2",)), P("r", requires=("c",))))}, ("r",), {"r.x86_64": "1.0-1 one"},
         here=(P("a", "1-1", provides=("c = 1",)), P("b", provides=("c = 1",))), main="solver.focus = Update\n"),
    Case("what has no update itself follows for the need of one that is looked at before it", BOTH,
         {"low": (number(120), (A2, P("B", "2-1", requires=("a >= 2",)))), "top": (number(1), (A1,))}, ("--upgrade",),
         {"a.x86_64": "2-1 low", "B.x86_64": "2-1 low"}, here=(A1, P("B", "1-1", requires=("a",)))),
    Case("but stays against one that is looked at after it", BOTH,
         {"low": (number(120), (A2, P("k", "2-1", requires=("a >= 2",)))), "top": (number(1), (A1,))}, ("--upgrade",),
         {}, here=(A1, P("k", "1-1", requires=("a",)))),
    Case("unless only the best will do", (DNF,),
         {"low": (number(120), (A2, I686, P("k", "2-1", requires=("a >= 2",)))), "top": (number(1), (A1,))}, ("--upgrade",),
         None, here=(A1, P("k", "1-1", requires=("a",))), main="best=1\n"),
    Case("an upgrade in turn keeps what still fits", (ZYPP,),
         {"one": ("", (A2, P("b", "2-1", requires=("a = 2", "c")), P("c", "2-1")))}, ("a",), {"a.x86_64": "2-1 one", "b.x86_64": "2-1 one"},
         here=(A1, P("b", "1-1", requires=("a = 1", "c")), P("c", "1-1"))),
    Case("a need is met by an update of something installed before anything new", BOTH,
         {"one": ("", (P("b", provides=("c",)), P("r", requires=("c",)))), "two": (number(120), (P("m", "2-1", provides=("c",)),))},
         ("r",), {"r.x86_64": "1.0-1 one", "m.x86_64": "2-1 two"}, here=(P("m", "1-1"),)),
    Case("or by what replaces something installed", BOTH,
         {"one": ("", (P("b", provides=("c",)), P("n", provides=("c",), obsoletes=("a",)), P("r", requires=("c",))))},
         ("r",), {"r.x86_64": "1.0-1 one", "n.x86_64": "1.0-1 one", "a.x86_64": "gone"}, here=(A1,)),
    Case("as long as its vendor may change", (ZYPP,),
         {"one": ("", (P("b", provides=("c",)), P("n", provides=("c",), obsoletes=("a",), vendor="Two"), P("r", requires=("c",))))},
         ("r",), {"r.x86_64": "1.0-1 one", "b.x86_64": "1.0-1 one"}, here=(P("a", "1-1", vendor="One"),)),
    Case("not by one that may not be left", BOTH,
         {"one": ("", (P("b", provides=("c",)), P("m", "2-1", provides=("c",)), P("r", requires=("c",))))},
         ("r",), {"r.x86_64": "1.0-1 one", "b.x86_64": "1.0-1 one"}, here=(P("m", "1-1"), P("k", requires=("m = 1",)))),
    Case("nor where the upgrade takes that further", BOTH,
         {"one": ("", (P("y", provides=("c",)), P("m", "2-1", provides=("c",)), P("m", "3-1"), P("b", "2-1", requires=("c",))))},
         ("--upgrade",), {"b.x86_64": "2-1 one", "m.x86_64": "3-1 one", "y.x86_64": "1.0-1 one"}, here=(P("m", "1-1"), P("b", "1-1"))),
    Case("nor where the need turns out to be met anyway", BOTH,
         {"one": ("", (P("z", provides=("c",)), P("m", "2-1", provides=("c",)), P("l", "2-1", requires=("c",)), P("l", "1-1", provides=("c",)), P("i", requires=("l",))))},
         ("i",), {"i.x86_64": "1.0-1 one", "l.x86_64": "2-1 one", "z.x86_64": "1.0-1 one"}, here=(P("m", "1-1"),)),
    Case("also where the need holds on a condition alone", BOTH,
         {"one": ("", (P("b", provides=("c",)), P("m", "2-1", provides=("c",)), P("r", requires=("(c if k)",))))},
         ("r",), {"r.x86_64": "1.0-1 one", "m.x86_64": "2-1 one"}, here=(P("m", "1-1"), P("k"))),
    Case("nothing is replaced by what would go back for it", BOTH,
         {"one": ("", (P("e", "2-1"), P("c", "3-1", obsoletes=("e",))))}, ("--upgrade",), {"e.x86_64": "2-1 one"},
         here=(P("e", "1-1"), P("c", "4-1"))),
    Case("nor for what is only recommended", BOTH,
         {"one": ("", (P("z", provides=("c",)), P("n", provides=("c",), obsoletes=("a",)), P("f", requires=("c",)), P("g", requires=("z",), recommends=("f",))))},
         ("g",), {"g.x86_64": "1.0-1 one", "z.x86_64": "1.0-1 one", "f.x86_64": "1.0-1 one"}, here=(A1,)),
    Case("of candidates that replace others, the first installed package read stays", BOTH,
         {"one": ("", (P("b", provides=("c",), obsoletes=("e",)), P("n", provides=("c",), obsoletes=("a",)), P("r", requires=("c",))))},
         ("r",), {"r.x86_64": "1.0-1 one", "b.x86_64": "1.0-1 one", "e.x86_64": "gone"}, here=(A1, P("e"))),
    Case("all that replace an installed package come together", (DNF,),
         {"one": ("", (P("b", obsoletes=("a",)), A2)), "two": (number(120), (P("n", obsoletes=("a",)),))}, ("b",),
         {"a.x86_64": "gone", "b.x86_64": "1.0-1 one", "n.x86_64": "1.0-1 two"}, here=(A1,)),
    Case("not where they say so in other words", (DNF,),
         {"one": ("", (P("b", obsoletes=("a",)), P("n", obsoletes=("a < 3",))))}, ("b",),
         {"a.x86_64": "gone", "b.x86_64": "1.0-1 one"}, here=(A1,)),
    Case("here only what was asked for", (ZYPP,),
         {"one": ("", (P("b", obsoletes=("a",)), P("n", obsoletes=("a",))))}, ("b",),
         {"a.x86_64": "gone", "b.x86_64": "1.0-1 one"}, here=(A1,)),
    Case("but not one that another of them replaces", (DNF,),
         {"one": ("", (P("b", obsoletes=("a",)), P("c", obsoletes=("a",)), P("n", obsoletes=("a", "b"))))}, ("n",),
         {"a.x86_64": "gone", "c.x86_64": "1.0-1 one", "n.x86_64": "1.0-1 one"}, here=(A1,)),
    Case("refused where one of them cannot come", (DNF,),
         {"one": ("", (P("b", obsoletes=("a",)), P("n", obsoletes=("a",), requires=("nowhere",))))}, ("b",), None, here=(A1,)),
    Case("what is protected is not replaced", (DNF,),
         {"one": ("", (P("new", obsoletes=("a",)), P("b", "2-1")))}, ("--upgrade",), None,
         here=(A1, P("b", "1-1")), main="protected_packages=a\n"),
    Case("but upgraded", (DNF,), {"one": ("", (A2,))}, ("--upgrade",), {"a.x86_64": "2-1 one"}, here=(A1,), main="protected_packages=a\n"),
    Case("the installer protects itself", (DNF,),
         {"one": ("", (P("new", obsoletes=("dnf",)),))}, ("new",), None, here=(P("dnf"),)),
    Case("what something installed recommended in vain does not come for others", (DNF,),
         {"one": ("", (P("w", "2-1"), P("r", recommends=("w",))))}, ("r",), {"r.x86_64": "1.0-1 one"}, here=(P("x", recommends=("w = 1",)),)),
    Case("unless that is switched off", (DNF,),
         {"one": ("", (P("w"), P("r", recommends=("w",))))}, ("r",), {"r.x86_64": "1.0-1 one", "w.x86_64": "1.0-1 one"},
         here=(P("x", recommends=("w",)),), main="exclude_from_weak_autodetect=0\n"),
    Case("nor what goes along with something installed", (DNF,),
         {"one": ("", (P("w", supplements=("x",)), P("r", recommends=("w",))))}, ("r",), {"r.x86_64": "1.0-1 one"}, here=(P("x"),)),
    Case("joined relations are not looked at for that", (DNF,),
         {"one": ("", (P("w"), P("r", recommends=("w",))))}, ("r",), {"r.x86_64": "1.0-1 one", "w.x86_64": "1.0-1 one"},
         here=(P("x", recommends=("(w or v)",)),)),
    Case("what is listed never comes as recommended", (DNF,),
         {"one": ("", (P("w"), P("v"), P("r", recommends=("w",), requires=("v",))))}, ("r",), {"r.x86_64": "1.0-1 one", "v.x86_64": "1.0-1 one"},
         main="exclude_from_weak=w v\n"),
]  # fmt: skip


def built(folder: Path, kind: str, case: Case) -> RpmHarbour:
    """The host of a case, its indexes fetched."""
    harbour = RpmHarbour(folder, kind)
    for name, (settings, packages) in case.sources.items():
        harbour.source(name, *packages, settings="gpgcheck=0\n" + settings)
    harbour.installed(*case.here)
    file = "etc/dnf/dnf.conf" if kind == DNF else "etc/zypp/zypp.conf"
    harbour.put(file, "[main]\ngpgcheck=0\n" + case.main)
    for name, text in case.files.items():
        harbour.put(name, text)
    return harbour.refresh()


def what_comes(folder: Path, kind: str, case: Case) -> dict[str, str] | None:
    """What is foreseen on the host of a case; None where it is refused."""
    found = built(folder, kind, case).forecast(*case.asked)
    if not found["ok"]:
        assert found["problem"]
        assert found["changes"] == []
        return None
    return {
        f"{one['name']}.{one['arch']}": f"{one['new']} {one['source']}" if one["new"] else "gone"
        for one in found["changes"]
    }
