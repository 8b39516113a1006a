"""How rpm hosts of the newer generation choose, statement by statement (see `Case`)."""

from __future__ import annotations

from tests.harbours import DNF, ZYPP
from tests.rpm_statements import Case, P, from_one, number

C = ("c",)
A1, A2, A3 = (P("a", f"{n}-1") for n in "123")
I686 = P("a", "2-1", "i686")
D1, D2 = P("d", "1-1", provides=C), P("d", "2-1", provides=C)
LOCKS, CONF = "etc/dnf/versionlock.toml", "etc/dnf/libdnf5.conf.d/10.conf"
OVERRIDE, VENDORS = "etc/dnf/repos.override.d/1.repo", "etc/dnf/vendors.d/1.conf"
OLD_LIST = {
    "etc/dnf/plugins/versionlock.conf": "[main]\nenabled=1\n",
    "etc/dnf/plugins/versionlock.list": "a-0:2-1.*\n",
}


def lock(name: str, *conditions: str, version: str = '"1.0"') -> dict[str, str]:
    """The file of version locks with one entry; conditions as `KEY COMPARATOR VALUE`."""
    text = f'version = {version}\n[[packages]]\nname = "{name}"\n'
    for condition in conditions:
        key, comparator, value = condition.split()
        text += f'[[packages.conditions]]\nkey = "{key}"\ncomparator = "{comparator}"\n'
        text += f'value = "{value}"\n'
    return {LOCKS: text}


def vendors(version: str, **lists: str) -> dict[str, str]:
    """A file of vendors: entries parted by `;`, each `VENDOR [COMPARATOR] [exclude]`."""
    text = f'version = "{version}"\n'
    for key, entries in lists.items():
        for entry in entries.split(";"):
            name, *more = entry.split()
            text += f'[[{key}_vendors]]\nvendor = "{name}"\n'
            text += "".join(
                "exclude = true\n" if word == "exclude" else f'comparator = "{word}"\n'
                for word in more
            )
    return {VENDORS: text}


def K(
    what: str,
    offered: tuple[P, ...],
    asked: str,
    comes: str | None,
    here: tuple[P, ...] = (),
    main: str = "",
    kind: str = DNF,
    **files: dict[str, str],
) -> Case:
    """A case of one source; `comes` as NAME.ARCH[=VERSION], a leading `-` for what goes."""
    told = from_one(comes)
    more = {name: text for each in files.values() for name, text in each.items()}
    return Case(what, (kind,), {"one": ("", offered)}, tuple(asked.split()), told, here, main, more)


def two(what: str, asked: str, comes: str, first: str, second: str = "", **files: str) -> Case:
    """a 1 in source `one`, a 2 in `two`, each with further lines."""
    told = {"a.x86_64": comes}
    named = {name.replace("override", OVERRIDE): text for name, text in files.items()}
    sources = {"one": (first, (A1,)), "two": (second, (A2,))}
    return Case(what, (DNF,), sources, tuple(asked.split()), told, (), "", named)


OTHER = (P("a", "2-1", vendor="X"),)
MINE = (P("a", "1-1", vendor="Y"),)
FIXED = "allow_vendor_change=0\n"
E = (P("e", "1-1"),)
X_NEEDS_D = P("x", requires=("d",))
D_NEEDS_E = P("d", "2-1", requires=("e >= 2",))

DNF_STATEMENTS = [
    # places
    K("what a drop-in excludes", (A1, A2, A3), "a", "a.x86_64=2-1", f={CONF: "[main]\nexcludepkgs=a-3*\n"}),
    K("adds up with the main file", (A1, A2, A3), "a", "a.x86_64=1-1", (), "excludepkgs=a-3*\n",
      f={CONF: "[main]\nexcludepkgs=a-2*\n"}),
    K("which wins for a switch", (A1, P("a", "2-1", requires=("zz",))), "a", "a.x86_64=1-1", (), "best=0\n",
      f={CONF: "[main]\nbest=1\n"}),
    two("an override by id", "a", "1-1 one", "", override="[one]\npriority=5\n"),
    two("by glob", "a", "1-1 one", "", override="[o*]\npriority=5\n"),
    two("that switches off", "a", "1-1 one", "", override="[two]\nenabled=0\n"),
    Case("of sources alike the first by name", (DNF,), {"s2": ("", (A1,)), "s10": ("", (A1,)), "t": ("", (A1,))},
         ("a",), {"a.x86_64": "1-1 s10"}),
    # requests
    K("only the best will do", (A1, P("a", "2-1", requires=("zz",))), "a", None),
    K("unless it is said", (A1, P("a", "2-1", requires=("zz",))), "a", "a.x86_64=1-1", (), "best=0\n"),
    K("a need takes what there is", (A1, P("a", "2-1", requires=("zz",)), P("x", requires=("a",))), "x", "x.x86_64 a.x86_64=1-1"),
    K("the best of a need, though it upgrades another", (P("d", "1-1"), D_NEEDS_E, P("e", "2-1"), X_NEEDS_D), "x",
      "x.x86_64 d.x86_64=2-1 e.x86_64=2-1", E),
    K("not where something installed meets it", (D_NEEDS_E, P("e", "2-1"), X_NEEDS_D), "x", "x.x86_64", (*E, P("d", "1-1"))),
    K("a capability that is met: another name", (D2, P("e", provides=C)), "c", "e.x86_64", (D1,)),
    K("which is the first by name", (D2, P("b", provides=C), P("e", provides=C)), "c", "b.x86_64", (D1,)),
    K("else the newer build", (D2,), "c", "d.x86_64=2-1", (D1,)),
    K("and nothing where one installed is at its best", (D2, P("a", provides=C)), "c", "", (D1, P("a", provides=C))),
    K("what replaces an older version alone", (A1, A2, P("new", obsoletes=("a < 2",))), "a", "a.x86_64=2-1"),
    K("a command", (P("t", files=("/usr/bin/tool",)),), "tool", "t.x86_64"),
    K("of the other folder", (P("t", files=("/usr/sbin/tool",)),), "tool", "t.x86_64"),
    K("not of libexec", (P("t", files=("/usr/libexec/tool",)),), "tool", None),
    K("a path that no short list has", (P("x", requires=("/usr/share/t",)), P("t", files=("/usr/share/t",))), "x", None),
    K("unless some request is for a path", (P("x", requires=("/usr/share/t",)), P("t", files=("/usr/share/t",))),
      "x /usr/share/t", "x.x86_64 t.x86_64"),
    K("what is not there is left out", (A1,), "a zz", "a.x86_64=1-1", (), "skip_unavailable=1\n"),
    K("what is broken is left out", (A1, P("b", requires=("zz",))), "a b", "a.x86_64=1-1", (), "skip_broken=1\n"),
    K("strictness is both", (A1, P("b", requires=("zz",))), "a b y", "a.x86_64=1-1", (), "strict=0\n"),
    K("unless one is said", (A1, P("b", requires=("zz",))), "a b", None, (), "strict=0\nskip_broken=0\n"),
    K("every architecture, the installed one too", (A2, I686), "a", "a.i686=2-1 a.x86_64=2-1", (A1,), "multilib_policy=all\n"),
    K("a need takes nothing back where that is off", (A1, P("x", requires=("a = 1-1",))), "x", None, (A2,), "allow_downgrade=0\n"),
    K("a request does", (A1,), "a@1", "a.x86_64=1-1", (A2,), "allow_downgrade=0\n"),
    K("what is protected may be replaced", (P("new", obsoletes=("a",)),), "new", "new.x86_64 -a.x86_64", (A1,), "protected_packages=a\n"),
    K("not just go", (P("new", conflicts=("a",)),), "new", None, (A1,), "protected_packages=a\n"),
    # the full upgrade
    Case("a better source that has only a lower version", (DNF,), {"one": (number(10), (A1,)), "two": ("", (A3,))},
         ("--upgrade",), {}, (A2,)),
    K("it fails as a whole", (P("a", "2-1", requires=("zz",)), P("b", "2-1")), "--upgrade", None, (A1, P("b", "1-1"))),
    K("in two architectures, one newer", (A2,), "--upgrade", None, (A1, P("a", "1-1", "i686"))),
    K("what something installed replaces stays", (A2, P("new", obsoletes=("a",))), "--upgrade", "",
      (A1, P("new", obsoletes=("a",)))),
    # locks
    K("one version", (A1, A2, A3), "a", "a.x86_64=2-1", f=lock("a", "evr = 0:2-1")),
    K("without an epoch", (A1, A2, A3), "a", "a.x86_64=2-1", f=lock("a", "evr = 2-1")),
    K("without a release equals nothing", (A1, A2, A3), "a", None, f=lock("a", "evr = 2")),
    K("and is lower than any", (A1, A2, A3), "a", "a.x86_64=1-1", f=lock("a", "evr <= 2")),
    K("between two", (A1, A2, A3), "a", "a.x86_64=2-1", f=lock("a", "evr > 1-1", "evr < 3-1")),
    K("by a glob", (A1, A2, A3), "a", "a.x86_64=2-1", f=lock("a*", "evr = 2-1")),
    K("by architecture", (A1, P("a", "9-1", "i686")), "a", "a.i686=9-1", f=lock("a", "arch = i686")),
    K("by epoch", (A1, P("a", "1:1-1")), "a", "a.x86_64=1-1", f=lock("a", "epoch = 0")),
    K("an unknown key has no effect", (A1, A2), "a", "a.x86_64=2-1", f=lock("a", "colour = 1")),
    K("nor a file of another version", (A1, A2), "a", "a.x86_64=2-1", f=lock("a", "evr = 1-1", version='"9"')),
    K("a need is held as well", (A1, A2, P("x", requires=("a",))), "x", "x.x86_64 a.x86_64=1-1", f=lock("a", "evr = 1-1")),
    K("what replaces it is kept out", (A2, P("new", obsoletes=("a",))), "--upgrade", "a.x86_64=2-1", (A1,),
      f=lock("a", "evr = 2-1")),
    K("the older list is not read", (A1, A2, A3), "a", "a.x86_64=3-1", f=OLD_LIST),
    # vendors
    K("another vendor", OTHER, "a", None, MINE, FIXED),
    K("waits in an upgrade", OTHER, "--upgrade", "", MINE, FIXED),
    K("equal vendors", OTHER, "a", "a.x86_64=2-1", MINE, FIXED, f=vendors("1.0", equivalent="X;Y")),
    K("by a glob", OTHER, "a", "a.x86_64=2-1", MINE, FIXED, f=vendors("1.0", equivalent="X* GLOB;Y")),
    K("from one to the other", OTHER, "a", "a.x86_64=2-1", MINE, FIXED, f=vendors("1.0", outgoing="Y", incoming="X")),
    K("not back", OTHER, "a", None, MINE, FIXED, f=vendors("1.0", outgoing="X", incoming="Y")),
    K("a missing list is any", OTHER, "a", "a.x86_64=2-1", MINE, FIXED, f=vendors("1.1", incoming="X")),
    K("one taken out", OTHER, "a", None, MINE, FIXED, f=vendors("1.0", equivalent="X exclude;X STARTSWITH;Y")),
]  # fmt: skip


def Z(
    what: str,
    offered: tuple[P, ...],
    asked: str,
    comes: str | None,
    here: tuple[P, ...] = (),
    main: str = "",
) -> Case:
    """The same of the other layout."""
    return K(what, offered, asked, comes, here, main, ZYPP)


PATCHED = P("a", "2-1", provides=("ptf-package()",))
FOLLOWERS = (
    P("x", requires=("d >= 2",)),
    P("d", "2-1"),
    P("d", "3-1", requires=("e >= 2",)),
    P("e", "2-1"),
)
ZYPP_STATEMENTS = [
    Z("a follower that leaves others alone", FOLLOWERS, "x", "x.x86_64 d.x86_64=2-1", (*E, P("d", "1-1"))),
    Z("a patched copy does not come by itself", (A1, PATCHED), "a", "a.x86_64=1-1"),
    Z("by its version it does", (A1, PATCHED), "a@2-1", "a.x86_64=2-1"),
    Z("for a need it does", (A1, PATCHED, P("x", requires=("a >= 2",))), "x", "x.x86_64 a.x86_64=2-1"),
    Z("in an upgrade it does", (PATCHED,), "--upgrade", "a.x86_64=2-1", (A1,)),
]  # fmt: skip
