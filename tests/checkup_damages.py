"""What can be wrong with a host, one function each, and what a checkup finds of it."""

from __future__ import annotations

import os
import random
import re
from collections.abc import Callable
from typing import NamedTuple

from tests.checkup_hosts import (
    BASE,
    HOME,
    SOURCES,
    THEIRS,
    VENDOR,
    Post,
    add_source,
    days_ago,
    index_old,
)
from tests.harbours import ALPM, DEB, DNF, KINDS, RPM, ZYPP, Item
from velpin.demo.signer import new_signer

Damage = Callable[[Post], None]
PREFERENCES = "etc/apt/preferences.d"


class Case(NamedTuple):
    """One kind of damage."""

    code: str
    kinds: tuple[str, ...]
    damage: Damage
    mend: str = ""
    """A pattern of the command that mends it; empty where none of Velpin's does, a star where that
    depends on the kind."""
    says: str = ""
    """A pattern of what is said."""
    beside: tuple[str, ...] = ()
    """Other findings that come with it."""
    left: tuple[str, ...] = ()
    """What its mend leaves to be done by another."""


# -- damages -------------------------------------------------------------------------------


def expired(days: int) -> Damage:
    """Signed by a key that is good for some more days; below 0: was."""

    def damage(post: Post) -> None:
        worn = new_signer("Gullwatch Old <old@gullwatch.example>", max(days, 1))
        post.signers["vendor"] = worn
        post.publish("vendor", *VENDOR)
        post.put(post.key_file, worn.public)
        post.ring("base", "vendor")
        post.refreshed()

    return damage


def without_key(post: Post) -> None:
    (post.root / post.key_file).unlink()


def signed_by_other(post: Post) -> None:
    """The vendor signs with another key, which lies in a folder of the host."""
    other = new_signer("Gullwatch Packages 2 <packages@gullwatch.example>")
    post.publish("vendor", Item("gullwatch", "6"), signer=other)
    place = "usr/share/keyrings/new.asc" if post.kind == DEB else "etc/pki/rpm-gpg/new.asc"
    post.put(place, other.public)
    post.refreshed()


def unnamed(post: Post) -> None:
    if post.kind == DEB:
        post.edit(post.source_file, f"Signed-By: /{post.key_file}\n", "")
        post.put("etc/apt/trusted.gpg.d/base.asc", post.signers["base"].public)
        post.put("etc/apt/trusted.gpg.d/vendor.asc", post.signers["vendor"].public)
    else:
        post.edit(post.source_file, "gpgkey=file:///etc/pki/rpm-gpg/vendor.asc\n", "")


def common_key(post: Post) -> None:
    """Both sources name no key; the vendor's lies in the common folder."""
    for name in ("base", "vendor"):
        text = post.read(f"{SOURCES}/{name}.sources")
        post.put(f"{SOURCES}/{name}.sources", re.sub(r"Signed-By: .*\n", "", text))
        post.put(f"etc/apt/trusted.gpg.d/{name}.asc", post.signers[name].public)


def old_place(post: Post) -> None:
    post.edit(post.source_file, f"Signed-By: /{post.key_file}\n", "")
    post.put("etc/apt/trusted.gpg", post.signers["vendor"].public)


def unchecked(post: Post) -> None:
    if post.kind == DEB:
        post.edit(post.source_file, "Components", "Check-Valid-Until: no\nComponents")
    elif post.kind == ALPM:
        post.put(post.source_file, post.read(post.source_file) + "SigLevel = Optional TrustAll\n")
    else:
        post.edit(post.source_file, "gpgcheck=1\nrepo", "gpgcheck=0\nrepo")


def index_unchecked(post: Post) -> None:
    """The index comes as it may, and its packages are checked."""
    post.edit(post.source_file, "repo_gpgcheck=1", "repo_gpgcheck=0")


def common_in_wrong_form(post: Post) -> None:
    """An armored key under the ending of binary ones, for all sources that name none."""
    post.put("etc/apt/trusted.gpg.d/vendor.gpg", post.signers["vendor"].public)


def misspelt_variable(post: Post) -> None:
    post.edit(post.source_file, "/4/", "/$relesever/")
    post.refreshed()


def medium(post: Post) -> None:
    post.put("etc/apt/sources.list", "deb cdrom:[Mooring 4 _Jetty_]/ jetty main\n")
    post.refreshed()


def two_records_in_one(post: Post) -> None:
    """The first is lost: the last of each field counts."""
    rule = "Package: {}\nPin: version 1*\nPin-Priority: 700\n"
    post.put("etc/apt/preferences.d/two.pref", rule.format("gull") + rule.format("tern"))


def trusted(post: Post) -> None:
    post.edit(post.source_file, "Components", "Trusted: yes\nComponents")


def unsigned(post: Post) -> None:
    if post.kind == ALPM:
        post.edit(post.source_file, "SigLevel = Required", "SigLevel = Never")
    elif post.kind == DNF:
        post.put("etc/dnf/dnf.conf", "[main]\nbest=1\n")
        text = re.sub(r"(repo_)?gpgcheck=1\n", "", post.read(post.source_file))
        post.put(post.source_file, text.replace("http:", "https:"))


def rights(name: str, mode: int) -> Damage:
    def damage(post: Post) -> None:
        path = name.format(key=post.key_file, source=post.source_file)
        (post.root / path).chmod(mode)

    return damage


def login(post: Post) -> None:
    if post.kind == DEB:
        post.put("etc/apt/auth.conf.d/v.conf", f"machine {THEIRS} login gull password secret\n")
    elif post.kind == ALPM:
        post.edit(post.source_file, f"http://{THEIRS}", f"http://gull:secret@{THEIRS}")
    else:
        post.edit(post.source_file, "enabled=1", "enabled=1\nusername=gull\npassword=secret")


def other_release(post: Post) -> None:
    if post.kind == DEB:
        post.publish("vendor", *VENDOR, suite="quay")
        post.edit(post.source_file, "Suites: jetty", "Suites: quay")
    else:
        built = [Item(name, f"1-1.mr{number}") for name, number in (("gull", 4), ("tern", 4))]
        post.publish("base", *built)
        post.install(*built)
        post.publish("vendor", Item("gullwatch", "5-1.mr3"), suite="3")
        post.publish("vendor", Item("gullwatch", "5-1.mr4"))
        post.edit(post.source_file, "/4/", "/3/")
    post.refreshed()


def other_arch(post: Post) -> None:
    post.publish("vendor", Item("gullwatch", "5", arch="riscv64"))
    if post.kind == DEB:
        post.edit(post.source_file, "Components", "Architectures: riscv64\nComponents")
    post.refreshed()


def gone(post: Post) -> None:
    """The suite is no longer there; another one is, or the release's own number."""
    if post.kind == DEB:
        post.edit(post.source_file, "Suites: jetty", "Suites: quay")
    elif post.kind == ALPM:
        post.edit(post.source_file, f"http://{THEIRS}/$repo", f"http://{THEIRS}/gone")
    else:
        post.edit(post.source_file, "/4/", "/3/")
    post.refreshed()


def moving(post: Post) -> None:
    post.publish("base", *BASE, suite="jetty", Suite="steady")
    write = post.www / HOME / "apt/dists"
    os.symlink("jetty", write / "steady")
    post.edit(f"{SOURCES}/base.sources", "Suites: jetty", "Suites: steady")
    post.refreshed()


def component(post: Post) -> None:
    post.edit(post.source_file, "Components: main", "Components: main extra")


def twice(post: Post) -> None:
    if post.kind == DEB:
        post.put("etc/apt/sources.list", f"# all\ndeb [signed-by=/{post.key_file}]"
                 f" http://{THEIRS}/apt jetty main\n")  # fmt: skip
    elif post.kind == ALPM:
        post.put(post.source_file, f"{post.read(post.source_file)}\n[vendor]\nServer = http://x\n")
    else:
        folder = post.source_file.rpartition("/")[0]
        post.put(f"{folder}/z.repo", f"# again\n[vendor]\nbaseurl=http://{THEIRS}/4/x86_64\n")


def foreign_file(post: Post) -> None:
    folder = post.source_file.rpartition("/")[0]
    name = "vendor.repo" if post.kind == DEB else "vendor.list"
    post.put(f"{folder}/{name}", "something\n")


def never_fetched(post: Post) -> None:
    add_source(post, "other", "new.example")
    post.publish("new.example", Item("skua-tools", "1"), called="other")


def unreachable(post: Post) -> None:
    """What the server sends is not what it promises."""
    post.publish("vendor", Item("gullwatch", "7"))
    for path in post.www.glob(f"{THEIRS}/**/*"):
        if path.is_file() and path.name.endswith(
            (".xz", ".xml.gz", "Packages.gz", "Packages", ".sig")
        ):
            path.write_bytes(b"damaged")
    post.refreshed()


def index_expired(post: Post) -> None:
    """The installer's own copy has expired, and there is no other."""
    from email.utils import formatdate

    until = formatdate(days_ago(2), usegmt=True)
    post.publish("vendor", *VENDOR, date=days_ago(9), **{"Valid-Until": until})
    copy = post.www / THEIRS / "apt/dists/jetty"
    for name, stored in (("InRelease", ""), ("main/binary-amd64/Packages", "main_binary-amd64_")):
        stem = f"var/lib/apt/lists/{THEIRS}_apt_dists_jetty_{stored}"
        post.put(stem + name.rpartition("/")[2], (copy / name).read_bytes())
    for path in (post.root / "var/cache/velpin/fetched").glob("*gullwatch*/*"):
        path.unlink()
    post.publish("vendor", *VENDOR)


def damaged(post: Post) -> None:
    cache = post.root / "var/cache/velpin"
    for path in cache.glob("fetched/*gullwatch*/*"):
        if path.name != "state.json" and not path.name.startswith(("Release", "repomd")):
            path.write_bytes(b"\x1f\x8bdamaged")
    for path in cache.glob("parsed/*"):
        path.unlink()


def mirror(post: Post) -> None:
    post.publish("base", *BASE, Suite="jetty", date=days_ago(9))
    post.publish("mirror.example", *BASE, signer=post.signers["base"], Origin="Base")
    add_source(post, "mirror", "mirror.example")
    post.edit(f"{SOURCES}/mirror.sources", post.key_file, "usr/share/keyrings/base.asc")
    for path in (post.root / "var/cache/velpin/fetched").glob("*mooring*/*"):
        path.unlink()
    post.refreshed()


def same_content(post: Post) -> None:
    items = [Item(f"gullwatch-{number}", "5") for number in range(20)]
    post.publish("vendor", *items)
    post.publish("copy.example", *items, called="other")
    add_source(post, "other", "copy.example")
    post.refreshed()


def overlap(post: Post) -> None:
    post.publish("vendor", *VENDOR, Item("skua-tools", "2"))
    post.publish("base", *BASE, Item("skua-tools", "1"))
    post.refreshed()


def take_over(post: Post) -> None:
    post.publish("vendor", *VENDOR, Item("libtide", "2"))
    if post.kind == ALPM:
        text = post.read(post.source_file)
        head, base = text.index("[base]"), text.index("[vendor]")
        post.put(post.source_file, f"{text[:head]}{text[base:]}\n{text[head:base]}")
    if post.kind == DNF:
        post.put("etc/dnf/dnf.conf", "[main]\ngpgcheck=1\nbest=1\nallow_vendor_change=1\n")
    if post.kind == ZYPP:
        post.put("etc/zypp/vendors.d/all.conf", "[main]\nvendors=Base,Vendor\n")
    post.refreshed()


def taken_over(post: Post) -> None:
    take_over(post)
    post.install(*(item for item in BASE if item.name != "libtide"), Item("libtide", "2"))


def support_over(post: Post) -> None:
    text = post.read("etc/os-release")
    post.put("etc/os-release", f"{text}NAME=Mooring\nSUPPORT_END=2020-02-29\n")


def would_leave(post: Post) -> None:
    taken_over(post)
    post.publish("base", *(i for i in BASE if i.name != "libtide"), Item("libtide", "3"))
    if post.kind == ALPM:
        text = post.read(post.source_file)
        head, base = text.index("[vendor]"), text.index("[base]")
        post.put(post.source_file, f"{text[:head]}{text[base:]}\n{text[head:base]}")
    post.refreshed()


def early(post: Post) -> None:
    post.publish("vendor", *VENDOR)
    post.publish("early.example", Item("gullwatch", "6~rc1"), suite="nightly", Origin="Vendor")
    add_source(post, "nightly", "early.example", "nightly")
    if post.kind in RPM:
        post.publish("early.example", Item("gullwatch", "6~rc1"), signer=post.signers["vendor"])
        rewritten = post.source_file.rpartition("/")[0] + "/nightly.repo"
        post.edit(rewritten, "name=nightly", "name=nightly builds")
    post.refreshed()


def dead_rule(post: Post) -> None:
    if post.kind == DEB:
        post.put(f"{PREFERENCES}/x.pref", "Package: gull\nPin: version 77\nPin-Priority: 900\n")
    elif post.kind == ALPM:
        post.edit(post.source_file, "SigLevel", "IgnorePkg = nobody\nSigLevel")
    elif post.kind == DNF:
        post.edit(post.source_file, "enabled=1", "enabled=1\nexcludepkgs=nobody*")
    else:
        post.put("etc/zypp/locks", "type: package\nmatch_type: glob\nsolvable_name: nobody\n")


def overruled(post: Post) -> None:
    post.put(f"{PREFERENCES}/x.pref",
             "Package: *\nPin: origin \"" + THEIRS + "\"\nPin-Priority: 400\n\n"
             "Package: *\nPin: origin \"" + THEIRS + "\"\nPin-Priority: 300\n")  # fmt: skip


def contradiction(post: Post) -> None:
    """A rule of Velpin's, and behind it one of somebody else's that wins."""
    said = post.run("prefer", "base", "--over", "vendor", "--yes")
    assert said.code == 0, said.out + said.err
    post.put(f"{PREFERENCES}/00-first.pref",
             f"Package: *\nPin: origin \"{THEIRS}\"\nPin-Priority: 990\n")  # fmt: skip


def target(post: Post) -> None:
    post.put("etc/apt/apt.conf.d/50target", 'APT::Default-Release "nobody";\n')


def left_behind(post: Post) -> None:
    post.install(*BASE, Item("puffin", "1"))


def dropped(post: Post) -> None:
    post.install(*BASE, *VENDOR)
    said = post.run("drop", "vendor", "--yes")
    assert said.code == 0, said.out + said.err


def too_new(post: Post) -> None:
    post.install(*BASE[1:], Item("gull", "9"))


def held(post: Post) -> None:
    post.publish("base", *BASE[1:], Item("gull", "2"))
    if post.kind == DEB:
        post.install(*BASE, states={"gull": "hold ok installed"})
    elif post.kind == ALPM:
        post.edit(post.source_file, "SigLevel", "IgnorePkg = gull\nSigLevel")
    elif post.kind == ZYPP:
        post.put("etc/zypp/locks", "type: package\nmatch_type: glob\nsolvable_name: gull\n")
    else:
        post.put("etc/dnf/plugins/versionlock.conf", "[main]\nenabled=1\n")
        post.put("etc/dnf/plugins/versionlock.list", "gull-0:1-1.*\n")
    post.refreshed()


def kept_by_rule(post: Post) -> None:
    said = post.run("keep", "gull", "--yes")
    assert said.code == 0, said.out + said.err
    post.publish("base", *BASE[1:], Item("gull", "2"))
    post.refreshed()


def half(post: Post) -> None:
    if post.kind == DEB:
        post.install(*BASE, states={"gull": "install ok half-configured"})
    else:
        post.install(*BASE, Item("gull", "2"))


def mixed(post: Post) -> None:
    parts = [
        Item("rook", "2", built_from="rookery"),
        Item("rook-server", "1", built_from="rookery"),
    ]
    post.publish("base", *BASE, Item("rook-server", "1", built_from="rookery"))
    post.publish("vendor", *VENDOR, Item("rook", "2", built_from="rookery"))
    post.install(*BASE, *parts)
    post.refreshed()


def kept_back(post: Post) -> None:
    need = {DEB: "puffin (>= 9)", ALPM: "puffin>=9"}.get(post.kind, "puffin >= 9")
    post.publish("base", *BASE[1:], Item("gull", "2", needs=need))
    post.refreshed()


def unmet(post: Post) -> None:
    post.install(*BASE, Item("puffin", "1", needs="nobody"))


def malformed(post: Post) -> None:
    if post.kind == DEB:
        post.put("etc/apt/sources.list", "deb http://x.example\n")
    elif post.kind == ALPM:
        post.put(post.source_file, f"Server = http://x\n{post.read(post.source_file)}")
    else:
        folder = post.source_file.rpartition("/")[0]
        post.put(f"{folder}/a.repo", "no section\n")


def odd_entry(post: Post) -> None:
    if post.kind == DEB:
        post.edit(post.source_file, "Components", "Colour: blue\nComponents")
    elif post.kind == ALPM:
        post.put(post.source_file, f"{post.read(post.source_file)}Colour = blue\n")
    else:
        post.edit(post.source_file, "enabled=1", "enabled=1\npriority=high")


def skipped(post: Post) -> None:
    folder = post.source_file.rpartition("/")[0]
    name = "my gulls.list" if post.kind == DEB else "gulls"
    text = "# nothing yet\n" if post.kind != DEB else f"# deb http://{THEIRS}/apt quay main\n"
    post.put(f"{folder}/{name}", text)


def leftover(post: Post) -> None:
    ending = {DEB: ".dpkg-old", ALPM: ".pacnew"}.get(post.kind, ".rpmsave")
    post.put(post.source_file + ending, "old\n")


def interrupted(post: Post) -> None:
    if post.kind == ALPM:
        post.put("var/lib/pacman/db.lck", "")


CASES = [
    Case("key-missing", (DEB, *RPM), without_key, "", r"vendor.asc is not there"),
    Case("key-missing", (ALPM,), without_key, "", r"holds no keyring"),
    Case("key-expiring", KINDS, expired(9), "", r"expires on \d{4}-\d\d-\d\d"),
    Case("other-key", (DEB, *RPM), signed_by_other, r"^velpin add vendor --key /\S+new.asc",
         r"names the key [0-9A-F]{40}"),
    Case("key-unnamed", (DEB,), unnamed, r"^velpin add vendor --key /\S+/vendor.asc"),
    Case("key-unnamed", RPM, unnamed, r"^velpin checkup --mend key-unnamed"),
    Case("key-for-all", (DEB,), common_key, r"--mend key-for-all", r"it signs vendor",
         beside=("key-unnamed",)),
    Case("key-old-place", (DEB,), old_place, r"--mend key-old-place", beside=("key-unnamed",)),
    Case("checks-off", (DEB, DNF, ZYPP), unchecked, r"--mend checks-off"),
    Case("checks-off", (ALPM,), unchecked, r"--mend checks-off", beside=("plain-http", "plain-index")),
    Case("plain-http", (DEB,), trusted, r"--mend plain-http", beside=("checks-off",)),
    Case("unsigned", (DNF,), unsigned, "", beside=("refresh-failed", "checks-off", "never-fetched")),
    Case("key-form", (DEB,), common_in_wrong_form, r"--mend key-form", r"reads from a .asc file",
         beside=("key-unnamed", "key-missing", "other-key", "refresh-failed")),
    Case("plain-index", (DNF, ZYPP), index_unchecked, r"--mend plain-index", "can hide new versions",
         beside=("checks-off",)),
    Case("key-writable", KINDS, rights("{key}", 0o666), r"--mend key-writable", r"0666"),
    Case("login-readable", KINDS, login, r"--mend login-readable", r"0644",
         beside=("never-fetched",)),
    Case("other-release", (DEB,), other_release, r"--mend other-release", r"quay.*jetty"),
    Case("other-release", RPM, other_release, r"--mend other-release", r"mr3.*mr4"),
    Case("other-arch", KINDS, other_arch, r"^velpin off vendor", r"riscv64", beside=("never-fetched",)),
    Case("suite-gone", (DEB, *RPM), gone, r"--mend suite-gone", beside=("never-fetched", "installer-refuses")),
    Case("suite-gone", (ALPM,), gone, ""),
    Case("unknown-variable", RPM, misspelt_variable, r"--mend unknown-variable", r"\$relesever",
         beside=("refresh-failed", "installer-refuses", "never-fetched"), left=("never-fetched",)),
    Case("install-medium", (DEB,), medium, r"^velpin off mooring-4-jetty", r"cdrom:"),
    Case("moving-name", (DEB,), moving, r"--mend moving-name", r"steady.*jetty"),
    Case("component-gone", (DEB,), component, r"--mend component-gone", r"has no extra"),
    Case("other-kind", (DEB, *RPM), foreign_file, r"--mend other-kind"),
    Case("never-fetched", KINDS, never_fetched, r"^velpin refresh other"),
    Case("refresh-failed", KINDS, unreachable, ""),
    Case("index-expired", (DEB,), index_expired, r"^velpin refresh vendor"),
    Case("support-ends", KINDS, support_over, "", r"support for Mooring ended on 2020-02-29"),
    Case("index-old", (DEB, DNF, ZYPP), index_old, r"^velpin refresh (base|vendor)", r"90 days"),
    Case("index-damaged", KINDS, damaged, r"^velpin refresh vendor"),
    Case("mirror-behind", (DEB,), mirror, "", r"8 days behind mirror",
         beside=("same-content", "overlap")),
    Case("listed-twice", KINDS, twice, r"--mend listed-twice"),
    Case("same-content", KINDS, same_content, r"^velpin off (other|vendor)", beside=("overlap",)),
    Case("overlap", (DEB, *RPM), overlap, r"^velpin prefer base --over vendor", r"skua-tools"),
    Case("would-take-over", KINDS, take_over, r"^velpin (confine|bar|prefer) ", r"libtide",
         beside=("overlap",)),
    Case("would-leave", KINDS, would_leave, r"^velpin (pin|keep|prefer) ", r"lose libtide to base",
         beside=("overlap",)),
    Case("taken-over", KINDS, taken_over, "", r"libtide", beside=("overlap",)),
    Case("early-wins", (DEB,), early, r"^velpin prefer vendor --over nightly", r"nightly"),
    Case("rule-dead", KINDS, dead_rule, r"^velpin rules drop \S+:\d+"),
    Case("rule-overruled", (DEB,), overruled, r"^velpin rules drop \S+x.pref:5"),
    Case("rules-contradict", (DEB,), contradiction, r"^velpin prefer base --over vendor --lift"),
    Case("target-missing", (DEB,), target, r"^velpin rules drop \S+50target:1",
         beside=("rule-dead",)),
    Case("in-no-source", KINDS, left_behind, "", r"puffin"),
    Case("in-no-source", KINDS, dropped, "", r"from vendor, which change 1 dropped"),
    Case("newer-than-sources", KINDS, too_new, "", r"gull"),
    Case("waits-held", KINDS, held, "*", r"gull 1-1 \((0:)?2-1 waits\)"),
    Case("waits-held", KINDS, kept_by_rule, r"^velpin keep gull --lift"),
    Case("half-installed", (DEB, *RPM), half, "", r"gull", beside=("newer-than-sources",)),
    Case("mixed-set", KINDS, mixed, "", r"rook 2-1 \(vendor\)",
         beside=("taken-over",)),
    Case("upgrade-refused", (DNF,), kept_back, ""),
    Case("kept-back", (DEB, ZYPP), kept_back, "", r"gull.*base"),
    Case("installer-refuses", (DEB,), unmet, "", r"every request", beside=("in-no-source",)),
    Case("malformed", KINDS, malformed, r"--mend malformed"),
    Case("odd-entry", KINDS, odd_entry, r"--mend odd-entry", beside=("rule-dead",)),
    Case("odd-entry", (DEB,), two_records_in_one, "", r"is a blank line missing"),
    Case("skipped-file", (DEB, *RPM), skipped, r"--mend skipped-file"),
    Case("file-writable", KINDS, rights("{source}", 0o666), r"--mend file-writable", r"0666"),
    Case("leftover", KINDS, leftover, r"--mend leftover"),
    Case("interrupted", (ALPM,), interrupted, ""),
]  # fmt: skip


# -- what is no damage, and changes what follows from one ---------------------------------

MORE = (
    Item("gull", "2"), Item("tern", "0.5"), Item("libtide", "2"), Item("skua-tools", "1"),
    Item("skua-tools", "2"), Item("gullwatch", "6~rc1"), Item("puffin", "1"), Item("rook", "1", built_from="rookery"),
    Item("rook-server", "2", built_from="rookery"), Item("gull-doc", "1", needs="gull"), Item("auk", "1", arch="riscv64"),
)  # fmt: skip
RULES = (
    "pin gull@1*", "pin gull --from base", "pin tern --from vendor", "confine vendor gullwatch", "keep skua",
    "bar libtide --from vendor", "prefer base --over vendor", "prefer vendor --over base", "bar gull@2*", "off vendor",
    "prefer vendor --over-all", "pin puffin@1*", "confine vendor gull*", "bar --pre-releases --from vendor",
)  # fmt: skip


def published(post: Post, draw: random.Random) -> None:
    """The repositories get and lose some packages; some are installed."""
    post.publish(
        "base", *draw.sample(BASE, draw.randint(2, 4)), *draw.sample(MORE, draw.randint(0, 4))
    )
    post.publish("vendor", *VENDOR, *draw.sample(MORE, draw.randint(0, 4)))
    here = {
        item.name: item for item in (*draw.sample(MORE, draw.randint(0, 3)), *draw.sample(BASE, 3))
    }
    post.install(*here.values())
    post.refreshed()


def ruled(post: Post, draw: random.Random) -> None:
    for rule in draw.sample(RULES, draw.randint(1, 3)):
        post.run(
            *rule.split(),
            "--yes",
            *(["--anyway"] if rule[0] in "pbc" and rule[:6] != "prefer" else []),
        )
