"""Statements about how alpm hosts choose, each with one small host that shows it."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

from tests.harbours import AlpmHarbour
from velpin.demo.alpm_files import DemoArchive as P

X86 = "Architecture = x86_64\n"


class Case(NamedTuple):
    """One host, what is asked, and what comes: `None` where the host refuses."""

    what: str
    sources: dict[str, tuple[str, tuple[P, ...]]]
    """By handle, in their order: further lines of the section, packages."""
    asked: tuple[str, ...]
    comes: dict[str, str] | None
    here: tuple[P, ...] = ()
    options: str = X86
    """Lines of the host's settings."""


def use(*words: str) -> str:
    return f"Usage = {' '.join(words)}\n"


UP = ("--upgrade",)


A1, A2, A3 = (P("a", f"{n}-1") for n in "123")


LIB1, LIB2 = P("lib", "1-1"), P("lib", "2-1")


APP2 = P("app", depends=("lib>=2",))


IGNORE_A = X86 + "IgnorePkg = a\n"


CASES = [
    # which source
    Case("the first section wins whatever the version", {"one": ("", (A1,)), "two": ("", (A2,))}, ("a",), {"a": "1-1 one"}),
    Case("down to the first section's version", {"one": ("", (A1,)), "two": ("", (A3,))}, ("a",), {"a": "1-1 one"}, (A2,)),
    Case("a current one is installed again", {"one": ("", (A1,))}, ("a",), {"a": "1-1 one"}, (A1,)),
    Case("an upgrade looks at the first section only", {"one": ("", (A1,)), "two": ("", (A3,))}, UP, {}, (A2,)),
    Case("an upgrade takes the newer one", {"one": ("", (A2,))}, UP, {"a": "2-1 one"}, (A1,)),
    Case("an upgrade never goes down", {"one": ("", (A1,))}, UP, {}, (A2,)),
    Case("another spelling is no upgrade", {"one": ("", (P("a", "1.0-01"),))}, UP, {}, (P("a", "1.0-1"),)),
    Case("a request takes the source's spelling", {"one": ("", (P("a", "1.0-01"),))}, ("a",), {"a": "1.0-01 one"}, (P("a", "1.0-1"),)),
    Case("requests and the upgrade together", {"one": ("", (A2, P("n"), P("m", "2-1")))}, ("n", "--upgrade"),
         {"n": "1.0-1 one", "a": "2-1 one", "m": "2-1 one"}, (A1, P("m", "1-1"))),
    Case("what is asked for stays as asked in the upgrade", {"one": ("", (A1, P("m", "2-1"))), "two": ("", (A2,))},
         ("a%two", "--upgrade"), {"a": "2-1 two", "m": "2-1 one"}, (P("m", "1-1"),)),
    Case("one that cannot be had refuses both", {"one": ("", (A2,))}, ("nobody", "--upgrade"), None, (A1,)),
    Case("a named section", {"one": ("", (A1,)), "two": ("", (A2,))}, ("a%two",), {"a": "2-1 two"}),
    Case("a named section and a bound", {"one": ("", (A3,)), "two": ("", (A2,))}, ("a@>=2%two",), {"a": "2-1 two"}),
    Case("an unknown section", {"one": ("", (A1,))}, ("a%three",), None),
    Case("needs of a named section's package are looked for in all",
         {"one": ("", (LIB1,)), "two": ("", (P("a", depends=("lib",)), LIB2))}, ("a%two",), {"a": "1.0-1 two", "lib": "1-1 one"}),
    Case("one name from two sections", {"one": ("", (A1,)), "two": ("", (A2,))}, ("a", "a%two"), None),
    Case("the very same package twice", {"one": ("", (A1,)), "two": ("", (A2,))}, ("a", "a%one"), {"a": "1-1 one"}),
    Case("letter case counts", {"one": ("", (A1,))}, ("A",), None),
    Case("no globs", {"one": ("", (A1,))}, ("a*",), None),
    Case("one failure fails all", {"one": ("", (A1,))}, ("a", "nobody"), None),
    # bounds
    Case("a bound reaches past the first section", {"one": ("", (A1,)), "two": ("", (A2,))}, ("a@>=2",), {"a": "2-1 two"}),
    Case("a bound without release", {"one": ("", (P("a", "2-3"),))}, ("a@2",), {"a": "2-3 one"}),
    Case("more than, without release", {"one": ("", (P("a", "2-3"),))}, ("a@>2",), None),
    Case("at most, without release", {"one": ("", (P("a", "2-3"),))}, ("a@<=2",), {"a": "2-3 one"}),
    Case("a release must agree", {"one": ("", (P("a", "2-3"),))}, ("a@2-1",), None),
    Case("an epoch counts", {"one": ("", (P("a", "1:2-1"),))}, ("a@2",), None),
    Case("a bound is no group", {"one": ("", (P("b", groups=("a",)),))}, ("a@>=1",), None),
    Case("a bound with an installed one that fits", {"one": ("", (A2,))}, ("a@>=1",), {"a": "2-1 one"}, (A1,)),
    # the order of trying
    Case("a real package later goes before a provider",
         {"one": ("", (P("b", provides=("a",)),)), "two": ("", (A1,))}, ("a",), {"a": "1-1 two"}),
    Case("a provided name hides a group",
         {"one": ("", (P("b", provides=("a",)), P("c", groups=("a",))))}, ("a",), {"b": "1.0-1 one"}),
    Case("a package hides a group", {"one": ("", (A1, P("c", groups=("a",))))}, ("a",), {"a": "1-1 one"}),
    # providers
    Case("providers by section, then by name",
         {"one": ("", (P("z", provides=("cap",)),)), "two": ("", (P("b", provides=("cap=9",)),))}, ("cap",), {"z": "1.0-1 one"}),
    Case("providers of one section by name",
         {"one": ("", (P("z", provides=("cap=9",)), P("b", provides=("cap=1",))))}, ("cap",), {"b": "1.0-1 one"}),
    Case("an installed provider goes before",
         {"one": ("", (P("b", provides=("cap",)),)), "two": ("", (P("z", provides=("cap",)),))}, ("cap",), {"z": "1.0-1 two"}, (P("z", "0.5-1"),)),
    Case("an unversioned provide does not meet a bound",
         {"one": ("", (P("b", provides=("cap",)), P("r", depends=("cap>=1",))))}, ("r",), None),
    Case("a versioned provide meets a bound",
         {"one": ("", (P("b", provides=("cap=2",)), P("r", depends=("cap>=1",))))}, ("r",), {"r": "1.0-1 one", "b": "1.0-1 one"}),
    Case("its own name at another version is not seen",
         {"one": ("", (P("a", "1-1", provides=("a=5",)),))}, ("a@>=5",), None),
    Case("a need met by what is installed brings nothing",
         {"one": ("", (P("r", depends=("cap",)), P("b", provides=("cap",))))}, ("r",), {"r": "1.0-1 one"}, (P("old", provides=("cap",)),)),
    Case("a provider that is asked for too is used",
         {"one": ("", (P("r", depends=("cap",)), P("b", provides=("cap",)), P("z", provides=("cap",))))}, ("r", "z"), {"r": "1.0-1 one", "z": "1.0-1 one"}),
    Case("what an installed one provides does not count once it changes",
         {"one": ("", (P("p", "2-1"), P("b", provides=("cap",)), P("r", depends=("cap",))))}, ("r", "p"),
         {"r": "1.0-1 one", "p": "2-1 one", "b": "1.0-1 one"}, (P("p", "1-1", provides=("cap",)),)),
    # dependencies
    Case("an installed one that fits stays", {"one": ("", (P("r", depends=("a",)), A2))}, ("r",), {"r": "1.0-1 one"}, (A1,)),
    Case("else the first section that fits",
         {"one": ("", (LIB1, APP2)), "two": ("", (LIB2,))}, ("app",), {"app": "1.0-1 one", "lib": "2-1 two"}, (LIB1,)),
    Case("a choice is never taken back",
         {"one": ("", (P("b", provides=("cap",), depends=("nowhere",)), P("z", provides=("cap",)), P("r", depends=("cap",))))}, ("r",), None),
    Case("order matters: first what needs more",
         {"one": ("", (LIB1, APP2, P("z", depends=("lib",)))), "two": ("", (LIB2,))}, ("app", "z"), {"app": "1.0-1 one", "lib": "2-1 two", "z": "1.0-1 one"}),
    Case("order matters: the other way round fails",
         {"one": ("", (LIB1, APP2, P("z", depends=("lib",)))), "two": ("", (LIB2,))}, ("z", "app"), None),
    Case("a need pushes out what is named later",
         {"one": ("", (LIB1, APP2)), "two": ("", (LIB2,))}, ("app", "lib"), {"app": "1.0-1 one", "lib": "2-1 two"}),
    Case("even down, past a named section",
         {"one": ("", (LIB1,)), "two": ("", (LIB2, P("app", depends=("lib<2",))))}, ("app", "lib%two"),
         {"app": "1.0-1 two", "lib": "1-1 one"}, (P("lib", "1.5-1"),)),
    Case("and what is named before fails", {"one": ("", (LIB1, APP2)), "two": ("", (LIB2,))}, ("lib", "app"), None),
    Case("optional needs bring nothing", {"one": ("", (P("r", optional=("a: more",)), A1))}, ("r",), {"r": "1.0-1 one"}),
    Case("a circle is fine", {"one": ("", (P("x", depends=("y",)), P("y", depends=("x",))))}, ("x",), {"x": "1.0-1 one", "y": "1.0-1 one"}),
    Case("what held before may not break",
         {"one": ("", (A2,))}, ("a",), None, (A1, P("r", depends=("a<2",)))),
    Case("what was broken before is let be",
         {"one": ("", (A2,))}, ("a",), {"a": "2-1 one"}, (A1, P("r", depends=("nowhere",)))),
    Case("an upgrade goes in the order of names",
         {"one": ("", (P("app", "2-1", depends=("lib>=2",)), LIB1)), "two": ("", (LIB2,))}, UP,
         {"app": "2-1 one", "lib": "2-1 two"}, (P("app", "1-1"), P("lib", "0.5-1"))),
    Case("a later name cannot push out an earlier one",
         {"one": ("", (P("z", "2-1", depends=("lib>=2",)), LIB1)), "two": ("", (LIB2,))}, UP, None,
         (P("z", "1-1"), P("lib", "0.5-1"))),
    # Usage
    Case("All is everything", {"one": (use("All"), (A1,))}, ("a",), {"a": "1-1 one"}),
    Case("Sync alone gives nothing", {"one": (use("Sync"), (A1,)), "two": ("", (A2,))}, ("a",), {"a": "2-1 two"}),
    Case("Upgrade alone is enough for a request", {"one": (use("Sync", "Upgrade"), (A1,)), "two": ("", (A2,))}, ("a",), {"a": "1-1 one"}),
    Case("without Upgrade an upgrade looks further", {"one": (use("Sync", "Install"), (A2,)), "two": ("", (A3,))}, UP, {"a": "3-1 two"}, (A1,)),
    Case("without Upgrade it still gives what an upgrade needs",
         {"one": (use("Sync", "Install"), (LIB2,)), "two": ("", (P("a", "2-1", depends=("lib",)),))}, UP,
         {"a": "2-1 two", "lib": "2-1 one"}, (A1,)),
    Case("a named section whatever its Usage", {"one": (use("Sync"), (A1,))}, ("a%one",), {"a": "1-1 one"}),
    Case("but not for what it needs", {"one": (use("Sync"), (P("r", depends=("a",)), A1))}, ("r%one",), None),
    Case("groups do not look at Usage", {"one": (use("Sync"), (P("b", groups=("g",)),))}, ("g",), {"b": "1.0-1 one"}),
    Case("two lines of Usage add up", {"one": (use("Sync") + use("Install"), (A1,))}, ("a",), {"a": "1-1 one"}),
    # what is ignored
    Case("asked for by name it comes all the same", {"one": ("", (A1,))}, ("a",), {"a": "1-1 one"}, (), IGNORE_A),
    Case("as a need it does not", {"one": ("", (P("r", depends=("a",)), A1))}, ("r",), None, (), IGNORE_A),
    Case("unless it is installed", {"one": ("", (P("r", depends=("a",)), A1))}, ("r",), {"r": "1.0-1 one"}, (A1,), IGNORE_A),
    Case("a provider that is not ignored does",
         {"one": ("", (P("r", depends=("a",)), A1, P("b", provides=("a",))))}, ("r",), {"r": "1.0-1 one", "b": "1.0-1 one"}, (), IGNORE_A),
    Case("by its group in one source, the next one's is taken",
         {"one": ("", (P("r", depends=("a",)), P("a", "1-1", groups=("g",)))), "two": ("", (A2,))}, ("r",),
         {"r": "1.0-1 one", "a": "2-1 two"}, (), X86 + "IgnoreGroup = g\n"),
    Case("an upgrade leaves it", {"one": ("", (A2,))}, UP, {}, (A1,), IGNORE_A),
    Case("without looking further", {"one": ("", (P("a", "2-1", groups=("g",)),)), "two": ("", (A3,))}, UP, {}, (A1,), X86 + "IgnoreGroup = g\n"),
    Case("by the installed one's group", {"one": ("", (A2,))}, UP, {}, (P("a", "1-1", groups=("g",)),), X86 + "IgnoreGroup = g\n"),
    Case("an upgrade that needs it fails", {"one": ("", (A2, P("r", "2-1", depends=("a>=2",))))}, UP, None, (A1, P("r", "1-1")), IGNORE_A),
    Case("a glob", {"one": ("", (A2, P("ab", "2-1")))}, UP, {"a": "2-1 one"}, (A1, P("ab", "1-1")), X86 + "IgnorePkg = ?b\n"),
    Case("a comma belongs to the word", {"one": ("", (A2,))}, UP, {"a": "2-1 one"}, (A1,), X86 + "IgnorePkg = a,b\n"),
    Case("words and lines add up", {"one": ("", (A2, P("b", "2-1"), P("c", "2-1")))}, UP, {"c": "2-1 one"}, (A1, P("b", "1-1"), P("c", "1-1")), IGNORE_A + "IgnorePkg = x b\n"),
    Case("members of a group that are ignored come", {"one": ("", (P("a", groups=("g",)), P("b", groups=("g",))))}, ("g",), {"a": "1.0-1 one", "b": "1.0-1 one"}, (), IGNORE_A),
    # replaces
    Case("an upgrade replaces", {"one": ("", (P("b", replaces=("a",)),))}, UP, {"b": "1.0-1 one", "a": "gone"}, (A1,)),
    Case("a request does not", {"one": ("", (P("b", replaces=("a",)),))}, ("b",), {"b": "1.0-1 one"}, (A1,)),
    Case("a request fails where it conflicts too", {"one": ("", (P("b", replaces=("a",), conflicts=("a",)),))}, ("b",), None, (A1,)),
    Case("an upgrade with both", {"one": ("", (P("b", replaces=("a",), conflicts=("a",)),))}, UP, {"b": "1.0-1 one", "a": "gone"}, (A1,)),
    Case("a replacer before the name in its section", {"one": ("", (A2, P("b", replaces=("a",))))}, UP, {"b": "1.0-1 one", "a": "gone"}, (A1,)),
    Case("a replacer in a later section is not seen", {"one": ("", (A1,)), "two": ("", (P("b", replaces=("a",)),))}, UP, {}, (A1,)),
    Case("all replacers of a section come", {"one": ("", (P("c", replaces=("a",)), P("b", replaces=("a",))))}, UP, {"b": "1.0-1 one", "c": "1.0-1 one", "a": "gone"}, (A1,)),
    Case("a bound is held against what is installed", {"one": ("", (P("b", replaces=("a<1",)),))}, UP, {}, (A1,)),
    Case("provided names do not count", {"one": ("", (P("b", replaces=("cap",)),))}, UP, {}, (P("a", "1-1", provides=("cap",)),)),
    Case("an installed replacer is installed again", {"one": ("", (P("b", "1-1", replaces=("a",)),))}, UP, {"b": "1-1 one", "a": "gone"}, (A1, P("b", "2-1"))),
    Case("fails where the replaced is needed", {"one": ("", (P("b", replaces=("a",)),))}, UP, None, (A1, P("r", depends=("a",)))),
    Case("not where the new one provides it", {"one": ("", (P("b", replaces=("a",), provides=("a",)),))}, UP, {"b": "1.0-1 one", "a": "gone"}, (A1, P("r", depends=("a",)))),
    Case("replaced, and pulled in again by a need",
         {"one": ("", (P("b", replaces=("a",), depends=("a",)),)), "two": ("", (A2,))}, UP, {"b": "1.0-1 one", "a": "2-1 two"}, (A1,)),
    Case("one that replaces two", {"one": ("", (P("x", replaces=("a", "b")),))}, UP, {"x": "1.0-1 one", "a": "gone", "b": "gone"}, (A1, P("b", "1-1"))),
    Case("the second replaced also has a newer version",
         {"one": ("", (P("x", replaces=("a", "b")), P("b", "2-1")))}, UP, {"x": "1.0-1 one", "a": "gone", "b": "2-1 one"}, (A1, P("b", "1-1"))),
    Case("ignored, it is not replaced", {"one": ("", (P("b", replaces=("a",)),))}, UP, {}, (A1,), IGNORE_A),
    Case("the replacer ignored, the name goes on", {"one": ("", (A2, P("b", replaces=("a",))))}, UP, {"a": "2-1 one"}, (A1,), X86 + "IgnorePkg = b\n"),
    Case("what is held by hand does not matter", {"one": ("", (P("b", replaces=("a",)),))}, UP, {"b": "1.0-1 one", "a": "gone"}, (A1,), X86 + "HoldPkg = a\n"),
    # conflicts
    Case("with what is installed", {"one": ("", (P("r", conflicts=("a",)),))}, ("r",), None, (A1,)),
    Case("said by what is installed", {"one": ("", (P("r"),))}, ("r",), None, (P("a", conflicts=("r",)),)),
    Case("unless it comes to a version without it", {"one": ("", (P("r", conflicts=("a<2",)), A2))}, ("r", "a"), {"r": "1.0-1 one", "a": "2-1 one"}, (A1,)),
    Case("the provided one is dropped", {"one": ("", (P("r", conflicts=("a",), provides=("a",)), A1))}, ("r", "a"), {"r": "1.0-1 one"}),
    Case("both provide: the first stays",
         {"one": ("", (P("x", conflicts=("y",), provides=("y",)), P("y", conflicts=("x",), provides=("x",))))}, ("y", "x"), {"y": "1.0-1 one"}),
    Case("neither provides: refused", {"one": ("", (P("x", conflicts=("y",)), P("y")))}, ("x", "y"), None),
    Case("an unversioned provide meets no versioned conflict",
         {"one": ("", (P("x", conflicts=("cap>1",)), P("y", provides=("cap",))))}, ("x", "y"), {"x": "1.0-1 one", "y": "1.0-1 one"}),
    Case("not with itself", {"one": ("", (P("x", conflicts=("cap",), provides=("cap",)),))}, ("x",), {"x": "1.0-1 one"}),
    Case("a dropped one that is needed at its version",
         {"one": ("", (P("x", conflicts=("y",), provides=("y",)), P("y", "2-1"), P("r", depends=("y>=2",))))}, ("x", "r", "y"), None),
    # groups
    Case("members of all sections",
         {"one": ("", (P("a", groups=("g",)),)), "two": ("", (P("b", groups=("g",)), P("a", "2-1", groups=("g",))))}, ("g",), {"a": "1.0-1 one", "b": "1.0-1 two"}),
    Case("a section where it is not in the group does not count",
         {"one": ("", (A1,)), "two": ("", (P("a", "2-1", groups=("g",)),))}, ("g",), {"a": "2-1 two"}),
    Case("a group of one section", {"one": ("", (P("a", groups=("g",)),)), "two": ("", (P("b", groups=("g",)),))}, ("g%two",), {"b": "1.0-1 two"}),
    Case("a member from another section as well", {"one": ("", (A1,)), "two": ("", (P("a", "2-1", groups=("g",)),))}, ("a", "g"), None),
    # architectures
    Case("another architecture fails", {"one": ("", (P("a", arch="mips9"),)), "two": ("", (A1,))}, ("a",), None),
    Case("not as a need", {"one": ("", (P("a", arch="mips9"), P("r", depends=("a",))))}, ("r",), {"a": "1.0-1 one", "r": "1.0-1 one"}),
    Case("any fits", {"one": ("", (P("a", arch="any"),))}, ("a",), {"a": "1.0-1 one"}),
    Case("no line, no check", {"one": ("", (P("a", arch="mips9"),))}, ("a",), {"a": "1.0-1 one"}, (), ""),
    Case("several words", {"one": ("", (P("a", arch="mips9"),))}, ("a",), {"a": "1.0-1 one"}, (), "Architecture = x86_64 mips9\n"),
    # configuration
    Case("an unknown word of Usage makes all unreadable", {"one": (use("Sync", "install"), (A1,))}, ("a",), None),
    Case("an unknown line is passed over", {"one": ("Flavour = salty\n", (A1,))}, ("a",), {"a": "1-1 one"}),
    Case("a key needs its exact case", {"one": ("usage = Sync\n", (A1,))}, ("a",), {"a": "1-1 one"}),
    Case("a comment goes at the start of a line", {"one": ("  # Usage = Sync\n", (A1,))}, ("a",), {"a": "1-1 one"}),
    Case("a section named twice keeps its first place",
         {"one": ("", (A1,)), "two": ("\n[one]\n# again\n", (A2,))}, ("a",), {"a": "1-1 one"}),
    Case("a word of SigLevel that is none", {"one": ("SigLevel = Sometimes\n", (A1,))}, ("a",), None),
]  # fmt: skip


def built(folder: Path, case: Case) -> AlpmHarbour:
    """The host of a case."""
    harbour = AlpmHarbour(folder, case.options)
    for name, (settings, packages) in case.sources.items():
        harbour.source(name, *packages, settings=settings)
    harbour.installed(*case.here)
    return harbour
