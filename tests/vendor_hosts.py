"""Hosts of kind rpm-zypp on which vendors decide."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from tests.harbours import ZYPP, RpmHarbour
from velpin.demo.rpm_files import DemoRpm as P

M = "[main]\nvendors="
ONE, APART = "2-1", None
GROUPS = [
    ("no group", {}, APART),
    ("one group", {"p.conf": M + "Base,Packhouse\n"}, ONE),
    ("a comment first", {"p.conf": "# said by hand\n" + M + "Base,Packhouse\n"}, ONE),
    ("a file of any name", {"p": M + "Base,Packhouse\n"}, ONE),
    ("even a put-away one", {"p.conf.rpmsave": M + "Base,Packhouse\n"}, ONE),
    ("but a hidden one", {".p.conf": M + "Base,Packhouse\n"}, APART),
    ("beginnings in any case", {"p.conf": M + "base,PACK\n"}, ONE),
    ("no beginning of it", {"p.conf": M + "Base,Packhouses\n"}, APART),
    ("blanks", {"p.conf": "[main]\nvendors = Base , Packhouse\n"}, ONE),
    ("a name left empty", {"p.conf": M + "Base,,Packhouse\n"}, ONE),
    ("one of both", {"p.conf": M + "Packhouse\n"}, APART),
    ("joined by a third", {"a.conf": M + "Base,Other\n", "b.conf": M + "Other,Packhouse\n"}, ONE),
    ("joined in another order", {"a.conf": M + "Other,Packhouse\n", "b.conf": M + "Base,Other\n"}, ONE),
    ("joined by two more", {"a.conf": M + "Base,X\n", "b.conf": M + "Y,Packhouse\n", "c.conf": M + "X,Y\n"}, ONE),
    ("joined in any case", {"a.conf": M + "BASE,other\n", "b.conf": M + "OTHER,packhouse\n"}, ONE),
    ("alone and in a group", {"a.conf": M + "Base\n", "b.conf": M + "Base,Packhouse\n"}, ONE),
    ("in two groups", {"a.conf": M + "Base,Other\n", "b.conf": M + "Base,Packhouse\n"}, ONE),
    ("not joined by a beginning", {"a.conf": M + "Base,Oth\n", "b.conf": M + "Other,Packhouse\n"}, APART),
    ("the longest beginning", {"a.conf": M + "Ba,X\n", "b.conf": M + "Base,Packhouse\n"}, ONE),
    ("the longest first", {"a.conf": M + "Base,Packhouse\n", "b.conf": M + "Ba,X\n"}, ONE),
    ("not the shorter", {"a.conf": M + "Ba,Packhouse\n", "b.conf": M + "Base,X\n"}, APART),
    ("nor where it is last", {"a.conf": M + "Base,X\n", "b.conf": M + "Ba,Packhouse\n"}, APART),
    ("a key before any section", {"p.conf": "x=1\n" + M + "Base,Packhouse\n"}, ONE),
    ("a group before any section", {"p.conf": "vendors=Base,Packhouse\n"}, APART),
    ("another section", {"p.conf": "[other]\nvendors=Base,Packhouse\n"}, APART),
    ("a second section", {"p.conf": M + "X,Y\n[more]\nvendors=Base,Packhouse\n"}, APART),
    ("a section in another case", {"p.conf": "[Main]\nvendors=Base,Packhouse\n"}, APART),
    ("a key in another case", {"p.conf": "[main]\nVendors=Base,Packhouse\n"}, APART),
    ("the last of two keys", {"p.conf": M + "Base,Q\nvendors=Base,Packhouse\n"}, ONE),
    ("not the first", {"p.conf": M + "Base,Packhouse\nvendors=Base,Q\n"}, APART),
]  # fmt: skip
"""What files of `etc/zypp/vendors.d` say, and which version of gull a request for it brings where
1-1 is installed."""


def vendor_host(folder: Path, groups: Mapping[str, str] | None = None) -> RpmHarbour:
    """gull and tern of Base, and of Packhouse a newer gull; groups of vendors by file."""
    harbour = RpmHarbour(folder, ZYPP)
    harbour.source("base", P("gull", "1-1", vendor="Base"), P("tern", "1-1", vendor="Base"))
    harbour.source("packhouse", P("gull", "2-1", vendor="Packhouse"),
                   P("tern", "1-1", vendor="Packhouse"), P("skua", "1-1", vendor="Packhouse"))  # fmt: skip
    harbour.installed(P("gull", "1-1", vendor="Base"), P("tern", "1-1", vendor="Base"))
    for name, text in (groups or {}).items():
        harbour.put(f"etc/zypp/vendors.d/{name}", text)
    return harbour.refresh()
