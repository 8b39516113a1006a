"""How deb hosts of the newer generation choose, statement by statement: small hosts, and what
comes on each (as `tests/test_deb_found_rules.py` writes them)."""

from __future__ import annotations

from tests.harbours import AUTOMATIC, automatic_marks

NEWER = "apt 3.3 [Source=tool]; "
"""The installed package that makes a host one of the newer generation."""


def automatic(*names: str) -> dict[str, str]:
    """The file that says which packages were installed for others."""
    return {AUTOMATIC: automatic_marks(names)}


Statement = tuple[str, str, str, dict[str, str | None], dict[str, str]]
"""What it shows, what is offered, what is installed, answers by request, more files."""

STATEMENTS: list[Statement] = [
    # which way
    ("the first way as written", "x 1 [Depends=a | b]; a 1; b 1", "", {"x": "a=1 x=1"}, {}),
    ("what is installed before that, also where it must be upgraded",
     "x 1 [Depends=a | b (>= 2)]; a 1; b 2", "b 1", {"x": "b=2 x=1"}, {}),
    ("the real package, then names in byte order",
     "x 1 [Depends=v]; zz 1 [Provides=v]; aa 1 [Provides=v]; y 1 [Depends=w]; w 1; aw 1 [Provides=w]", "",
     {"x": "aa=1 x=1", "y": "w=1 y=1"}, {}),
    ("by priority before the name",
     "x 1 [Depends=v]; aa 1 [Provides=v] [Priority=extra]; zz 1 [Provides=v] [Priority=important]", "",
     {"x": "x=1 zz=1"}, {}),
    ("what can be met in one way only is drawn first",
     "x 1 [Depends=a | b, y]; y 1 [Depends=b]; a 1; b 1", "", {"x": "b=1 x=1 y=1"}, {}),
    ("its own groups before those of what it needs",
     "x 1 [Depends=y, a | b]; y 1 [Depends=b | a]; a 1; b 1", "", {"x": "a=1 x=1 y=1"}, {}),
    ("a way that needs a package removed is passed over",
     "x 1 [Depends=a | b]; a 1 [Conflicts=m]; b 1; m 1", "m 1", {"x": "b=1 x=1"}, {}),
    ("an automatic one that nothing needs does not protect",
     "x 1 [Depends=a | b]; a 1 [Conflicts=m]; b 1; m 1", "m 1", {"x": "a=1 -m x=1"}, automatic("m")),
    ("a way that nothing meets is found out in its turn",
     "x 1 [Depends=a | b]; a 1 [Depends=gone]; b 1", "", {"x": "b=1 x=1"}, {}),
    ("another way for a kept package whose need goes",
     "x 1 [Conflicts=y]; y 1; w 1; z 1 [Depends=y | w]", "y 1; z 1 [Depends=y | w]",
     {"x": "w=1 x=1 -y"}, automatic("y")),
    ("no other way: the package goes", "x 1 [Conflicts=m]; m 1", "m 1", {"x": "-m x=1"}, {}),
    ("but not where it is essential", "x 1 [Conflicts=m]; m 1 [Essential=yes]", "m 1 [Essential=yes]",
     {"x": None}, {}),
    ("two requests that exclude each other", "x 1 [Conflicts=y]; y 1", "", {"x y": None}, {}),
    ("a need of any architecture where the package serves none",
     "x 1 [Depends=b:any | c]; b 1; c 1", "", {"x": "c=1 x=1"}, {}),
    # versions and siblings
    ("a request upgrades only what it must", "x 1 [Depends=a]; a 2", "a 1", {"x": "x=1"}, {}),
    ("siblings come along", "a 2 [Source=s]; b 2 [Source=s]", "a 1 [Source=s]; b 1 [Source=s]",
     {"a": "a=2 b=2"}, {}),
    ("not what is held", "a 2 [Source=s]; b 2 [Source=s]", "a 1 [Source=s]; b 1 [Source=s] [Status=hold ok installed]",
     {"a": "a=2"}, {}),
    ("not where it would break a kept one",
     "a 2 [Source=s]; b 2 [Source=s] [Breaks=m]; m 1", "a 1 [Source=s]; b 1 [Source=s]; m 1", {"a": "a=2"}, {}),
    ("what stays brings no sibling of another build",
     "a 1 [Source=s]; b 1 [Source=s] [Depends=q]; q 1; x 1", "a 1 [Source=s]; b 1 [Source=s]; q 1", {"x": "x=1"}, {}),
    # recommendations
    ("new ones come", "x 1 [Recommends=r]; r 1", "", {"x": "r=1 x=1"}, {}),
    ("not where a kept package is in the way", "x 1 [Recommends=r]; r 1 [Conflicts=m]; m 1", "m 1", {"x": "x=1"}, {}),
    ("of two that exclude each other the first", "x 1 [Recommends=b, a]; a 1 [Conflicts=b]; b 1", "",
     {"x": "b=1 x=1"}, {}),
    ("one that needs something newer of a kept package stays out",
     "x 1 [Recommends=a (>= 2)]; a 2", "a 1", {"x": "x=1"}, {}),
    ("an automatic one is upgraded for it",
     "x 1 [Recommends=a (>= 2)]; a 2", "a 1", {"x": "a=2 x=1"}, automatic("a")),
    ("what the installed build did without stays out, new words come",
     "x 2 [Recommends=r, s]; r 1; s 1", "x 1 [Recommends=r]", {"x": "s=1 x=2"}, {}),
    ("switched off: nothing", "x 1 [Recommends=r]; r 1", "", {"x": "x=1"},
     {"etc/apt/apt.conf": 'APT::Install-Recommends "0";\n'}),
    # the full upgrade
    ("an upgrade does not remove what was installed for itself",
     "a 2 [Conflicts=m]; m 1", "a 1; m 1", {"--upgrade": ""}, {}),
    ("but what was not", "a 2 [Conflicts=m]; m 1", "a 1; m 1", {"--upgrade": "a=2 -m"}, automatic("m")),
    ("a met recommendation is a need there",
     "y 2; z 1 [Recommends=y (<< 2)]", "y 1; z 1 [Recommends=y (<< 2)]", {"--upgrade": "", "y": "y=2"}, {}),
    ("of an installed version the sources tell what it recommends",
     "y 2; z 1", "y 1; z 1 [Recommends=y (<< 2)]", {"--upgrade": "y=2"}, {}),
    ("a new essential package must come",
     "e 1 [Essential=yes]; a 2", "a 1", {"--upgrade": "a=2 e=1"}, {}),
    ("and where it cannot, all fails",
     "e 1 [Essential=yes] [Depends=gone]; a 2", "a 1", {"--upgrade": None}, {}),
    ("what is obsolete goes last",
     "x 2 [Depends=old | new]; new 1", "x 1; old 1", {"--upgrade": "new=1 x=2"}, automatic("old")),
    ("packages of several architectures are looked at first, then priorities",
     "a 2 [Conflicts=b (>= 2)]; b 2 [Multi-Arch=same]", "a 1; b 1 [Multi-Arch=same]", {"--upgrade": "b=2"}, {}),
    # what selects the way
    ("the settings bring the older way back",
     "x 1 [Depends=v]; aa 1 [Provides=v]; zz 1 [Provides=v]", "", {"x": "x=1 zz=1"},
     {"etc/apt/apt.conf": 'APT::Solver "internal";\n'}),
    ("as an older interface does",
     "x 1 [Depends=v]; aa 1 [Provides=v]; zz 1 [Provides=v]", "", {"x": "x=1 zz=1"},
     {"etc/apt/apt.conf": 'APT::Version "3.0";\n'}),
    ("only candidates may come", "x 1 [Depends=a (<< 2)]; a 1; a 2", "", {"x": None}, {}),
    ("unless that is switched off", "x 1 [Depends=a (<< 2)]; a 1; a 2", "", {"x": "a=1 x=1"},
     {"etc/apt/apt.conf": 'APT::Solver::Strict-Pinning "false";\n'}),
    ("another word refuses everything", "x 1", "", {"x": None}, {"etc/apt/apt.conf": 'APT::Solver "other";\n'}),
    ("pins by the version of the source package",
     "a 2 [Source=s (5)]; a 1 [Source=s (4)]", "", {"a": "a=1"},
     {"etc/apt/preferences": "Package: a\nPin: source-version 4\nPin-Priority: 900\n"}),
    ("which mean nothing for all packages",
     "a 2 [Source=s (5)]; a 1 [Source=s (4)]", "", {"a": "a=2"},
     {"etc/apt/preferences": "Package: *\nPin: source-version 4\nPin-Priority: 900\n"}),
]  # fmt: skip
