"""Pieces of configuration of each kind of host, as people and their tools write them, right and wrong.

By file: what stands above, and pieces of which some are drawn. `{at}` is where repositories are; a
piece that makes a host refuse everything begins with `!` and is drawn seldom.
"""

from __future__ import annotations

import random
from collections.abc import Mapping, Sequence
from typing import NamedTuple

from tests.harbours import ALPM, DEB, DNF, ZYPP


class Settings(NamedTuple):
    """The pieces of one file."""

    file: str
    above: str
    pieces: Sequence[str]


_SELECTORS = (
    "release a=jetty", "release n=jetty, o=base", "release o=vend*", "release l=, v=4", "release c=main",
    "release b=amd64", "release o=/^v/", "release v=4*", "release a=", "origin \"\"", "origin *.example",
    "origin localhost", "version 1*", "version 2", "version /^[12]/", "version *", "release x=1", "nonsense a=b",
    "release o=base, c=other",
)  # fmt: skip
_NAMES = ("gull", "tern", "*", "g*", "/^t/", "gull tern", "src:gull", "gull:any", "gull:i386", "skua", "^gull",
          "?ull", "gull, tern", "src:g*", "[gt]*")  # fmt: skip
_NUMBERS = ("500", "-1", "100", "990", "1001", "1", "99", "600x", "1000", "+700", "-32768")
_PLACES = ("deb {at}/base jetty main", "deb {at}/vendor jetty main", "deb {at}/flat ./")

_DEB = (
    Settings("etc/apt/preferences.d/50-mine", "", tuple(
        f"# {name}\nPackage: {name}\nPin: {_SELECTORS[n % len(_SELECTORS)]}\n"
        f"Pin-Priority: {_NUMBERS[n * 5 % len(_NUMBERS)]}\n\n"
        for n, name in enumerate((*_NAMES, *reversed(_NAMES)))
    )),
    Settings("etc/apt/preferences", "", (
        "Package: gull\nPin: version 1*\nPin-Priority: 1001\n\n", "Explanation: mine\nPackage: *\n"
        "Pin: release o=vendor\nPin-Priority: 50\n\n", "!Package: tern\nPin: release o=base\n\n",
        "package: skua\npin: version 2\npin-priority: 700\npin-priority: -1\n\n", "!Pin: version 1\nPin-Priority: 3\n\n",
        "!Package: gull\nPin: version 1\nPin-Priority: 0\n\n", "!Package: gull\nPin: version 1\nPin-Priority: never\n\n", "!Package: gull\nPin: version 1\nPin-Priority: 32768\n\n", "Package: gull\r\nPin: origin \"\"\r\nPin-Priority: 800\r\n\r\n", "Package: *\nPin: release a=jetty\n"
        "Pin-Priority: never\n\n", "Package: gull\n tern\nPin: release c=main\nPin-Priority: 900\n\n",
    )),
    Settings("etc/apt/apt.conf.d/50mine", "", (
        'APT::Default-Release "jetty";\n', 'APT::Install-Recommends "false";\n', 'APT { Install-Suggests "1"; };\n',
        '#clear APT::Install-Recommends;\n', "// nothing\n/* nor\n here */\n", 'APT::Architectures { "amd64"; "i386"; };\n',
        'APT::Get::Upgrade-Allow-New "true";\n', 'apt::default-release "o=vendor";\n', 'Dir::Etc::Parts "none";\n',
        'Acquire::Languages { "none"; };\n', 'APT::Never-MarkAuto-Sections:: "metapackages";\n', 'APT::Default-Release "n=quay*";\n',
        'Binary::apt::APT::Install-Recommends "false";\n', "APT::Solver \"3.0\";\n", 'APT::Get::Never-Include-Phased-Updates "true";\n',
    )),
    Settings("etc/apt/sources.list.d/own.list", "", (
        *(f"{place.replace('deb ', 'deb [trusted=yes] ')}\n" for place in _PLACES),
        "deb [trusted=yes arch=amd64,i386] {at}/vendor jetty main\n", "# deb {at}/vendor jetty main\n",
        "deb [arch-=i386 trusted=yes] {at}/base jetty main other # why\n", "deb-src {at}/base jetty main\n",
        "deb [trusted=yes] {at}/vendor jetty main  \n", "deb [trusted=no] {at}/vendor jetty main\n", "!deb {at}/base\n",
        "deb [signed-by=/etc/apt/keyrings/none.gpg] {at}/vendor jetty main\n", "!rpm {at}/base jetty main\n",
        "deb [target=Packages trusted=yes lang=none] {at}/vendor jetty main\n", "!deb [trusted=yes {at}/x jetty main\n",
    )),
    Settings("etc/apt/sources.list.d/more.sources", "", (
        "Types: deb\nURIs: {at}/vendor\nSuites: jetty\nComponents: main\nTrusted: yes\n\n",
        "Types: deb deb-src\nURIs: {at}/base {at}/vendor\nSuites: jetty\nComponents: main other\nTrusted: yes\n\n",
        "Enabled: no\nTypes: deb\nURIs: {at}/flat\nSuites: ./\nTrusted: yes\n\n", "# a comment\n\n",
        "Types: deb\nURIs: {at}/vendor\nSuites: jetty\nComponents: main\nTrusted: yes\nInclude: gull\n\n",
        "Types: deb\nURIs: {at}/vendor\nSuites: jetty\nComponents: main\nTrusted: yes\nExclude: gull skua\nEnabled: yes\n\n",
        "Types: deb\nURIs: {at}/vendor\nSuites: jetty\nComponents: main\nTrusted: yes\nArchitectures-Remove: amd64\n\n",
        "!Types: deb\nURIs: {at}/flat\nSuites: ./\nTrusted: yes\nArchitectures: i386\nComponents: main\n\n",
        "types: deb\nuris: {at}/base\nsuites: jetty\ncomponents:\n main\n other\ntrusted: yes\nX-Mine: yes\n\n",
    )),
)  # fmt: skip

_SECTIONS = (
    "[one]\nname=One\nbaseurl={at}/vendor\n{extra}", "[two]\nname=Two $releasever\nbaseurl={at}/base\nenabled=1\n{extra}",
    "[three]\nbaseurl={at}/flat\n{at}/vendor\n{extra}", "[off]\nname=Off\nbaseurl={at}/flat\nenabled=0\n{extra}",
    "[one]\nname=Again\nbaseurl={at}/flat\n{extra}", "[no address]\nname=x\n{extra}", "; nothing\n# nor here\n",
    "[list]\nmirrorlist={at}/mirrors\n{extra}", "!broken line\n", "![long]\nname = Long\nbaseurl = {at}/vendor,\n  {at}/flat\n{extra}",
)  # fmt: skip
_EXTRAS = (
    "priority=10\n", "priority=150\n", "priority=x\n", "cost=50\n", "exclude=gull\n", "excludepkgs=g*,tern\n",
    "includepkgs=tern skua\n", "enabled=true\n", "enabled=Off\n", "gpgcheck=0\n", "gpgcheck=1\ngpgkey=file:///etc/k.asc\n",
    "repo_gpgcheck=1\n", "module_hotfixes=1\n", "skip_if_unavailable=1\n", "metadata_expire=never\n", "", "priority=99\n",
    "autorefresh=1\nkeeppackages=0\n", "type=rpm-md\n", "username=a\npassword=b\n", "priority=0\n", "priority=10 # mine\n",
)  # fmt: skip


def _sections(file: str) -> Settings:
    return Settings(file, "", tuple(
        section.replace("{extra}", _EXTRAS[(n * 7 + m * 3) % len(_EXTRAS)] + _EXTRAS[(n + m * 5) % len(_EXTRAS)])
        for n, section in enumerate(_SECTIONS) for m in range(4)
    ))  # fmt: skip


_DNF = (
    _sections("etc/yum.repos.d/own.repo"),
    Settings("etc/dnf/dnf.conf", "[main]\n", (
        "best=1\n", "best=0\n", "install_weak_deps=False\n", "exclude=tern\n", "excludepkgs=gull-2*, skua\n", "strict=0\n",
        "obsoletes=0\n", "multilib_policy=all\n", "installonlypkgs=gull\n", "installonly_limit=2\n", "protected_packages=tern\n",
        "allow_vendor_change=0\n", "gpgcheck=1\n", "varsdir=/etc/dnf/vars\n", "reposdir=/etc/other\n", "disable_excludes=all\n",
        "arch=i686\n", "proxy=http://proxy.example:3128\n", "skip_broken=1\n", "deltarpm=0\n", "\n# none\n", "module_obsoletes=1\n",
        "includepkgs=gull tern\n", "allow_downgrade=0\n", "exclude_from_weak=auk\n", "clean_requirements_on_remove=0\n",
    )),
    Settings("etc/dnf/vars/releasever", "", ("4\n", "5\n", "4\n")),
    Settings("etc/dnf/plugins/versionlock.list", "", (
        "gull-0:1-1.*\n", "# tern\n", "tern-0:2-1.x86_64\n", "!skua-0:1-1.*\n", "gull\n", "auk-1-1\n", "g*-0:2-1.*\n",
    )),
)  # fmt: skip
_ZYPP = (
    _sections("etc/zypp/repos.d/own.repo"),
    Settings("etc/zypp/zypp.conf", "[main]\n", (
        "solver.onlyRequires = true\n", "solver.allowVendorChange = true\n", "solver.dupAllowVendorChange = false\n",
        "multiversion = provides:multiversion(kernel)\n", "multiversion = gull\n", "solver.cleandepsOnRemove = true\n", "gpgcheck = off\n",
        "repo_gpgcheck = on\n", "arch = i686\n", "## nothing\n", "solver.dupAllowDowngrade = false\n", "solver.focus = Job\n", "reposdir = /x\n",
        "vendordir = /etc/zypp/vendors.d\n", "solver.focus = Installed\n", "refresh.delay = 5\n",
    )),
    Settings("etc/zypp/locks", "", (
        "\ntype: package\nmatch_type: glob\ncase_sensitive: on\nsolvable_name: gull\n", "\ntype: package\nmatch_type: glob\n"
        "case_sensitive: on\nsolvable_name: t*\nversion: >= 2\n", "\ntype: package\nmatch_type: exact\nsolvable_name: skua\nrepo: one\n",
        "\ntype: pattern\nmatch_type: glob\nsolvable_name: base\n", "\nsolvable_name: SKUA\ncase_sensitive: off\nmatch_type: glob\n",
        "\ntype: package\nmatch_type: regex\nsolvable_name: ^a.k$\n", "\ntype: package\nsolvable_name: tern\nsolvable_arch: i686\n", "# none\n",
        "\ntype: package\nmatch_type: glob\nsolvable_name: gull\nversion: == 2-1\n", "\ntype: package\nmatch_type: glob\nversion: 1-1\n",
    )),
    Settings("etc/zypp/vendors.d/own", "", ("[main]\nvendors = Harbour Crew,Gullwatch\n", "[main]\n", "!vendors = x\n")),
)  # fmt: skip
_ALPM = (
    Settings("etc/pacman.conf", "[options]\nArchitecture = x86_64\nSigLevel = Never\n", (
        "[base]\nServer = {at}/base\n", "[vendor]\nServer = {at}/vendor\n", "[vendor]\nUsage = Sync Search\nServer = {at}/vendor\n",
        "[base]\nUsage = Install Upgrade\nUsage = Sync\nServer = {at}/base\n", "[base]\nServer = {at}/$repo\nServer = {at}/none/$arch\n",
        "[options]\nIgnorePkg = gull\n", "[options]\nIgnorePkg = t* skua\nIgnoreGroup = birds\n", "[options]\nHoldPkg = tern\n",
        "[options]\nNoUpgrade = etc/x\nColor\n", "[flat]\nInclude = /etc/pacman.d/mirrors\n", "[base]\nSigLevel = Optional TrustAll\nServer = {at}/base\n",
        "[options]\nArchitecture = auto\n", "# nothing\n", "!Server = {at}/vendor\n", "![vendor]\nUsage = Never\nServer = {at}/vendor\n", "[empty]\n",
        "[options]\nSigLevel = Required DatabaseOptional\nLocalFileSigLevel = Optional\n", "[vendor]\nCacheServer = {at}/x\nServer = {at}/vendor # mine\n",
        "[options]\nDBPath = /var/lib/pacman/\nCheckSpace\n", "  [base]\n  Server={at}/base\n", "![options]\nInclude = /etc/pacman.d/none\n", "!nonsense\n",
        "[vendor]\nUsage = All\nServer = {at}/vendor\n[base]\nServer = {at}/base\n", "[options]\nParallelDownloads = 5\nUseDelta\n",
    )),
    Settings("etc/pacman.d/mirrors", "", ("Server = {at}/flat\n", "#Server = {at}/x\n", "Server = {at}/$repo\n", "Usage = Sync\n")),
)  # fmt: skip
SETTINGS: Mapping[str, Sequence[Settings]] = {DEB: _DEB, DNF: _DNF, ZYPP: _ZYPP, ALPM: _ALPM}


def drawn_settings(kind: str, draw: random.Random, at: str) -> dict[str, str]:
    """Files of a host with some pieces in each."""
    found = {}
    for settings in SETTINGS[kind]:
        if draw.random() < 0.75:
            right = [piece for piece in settings.pieces if piece[0] != "!"]
            some = draw.sample(right, min(draw.randint(1, 5), len(right)))
            wrong = [piece[1:] for piece in settings.pieces if piece[0] == "!"]
            if wrong and draw.random() < 0.12:
                some[0] = draw.choice(wrong)
            found[settings.file] = (settings.above + "".join(some)).replace("{at}", at)
    return found
