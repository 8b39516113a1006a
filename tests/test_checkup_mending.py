"""A checkup beyond single findings: keys that changed, mending several at once, silence, words."""

from __future__ import annotations

import json
import stat
import time
from datetime import UTC, datetime
from pathlib import Path
from types import SimpleNamespace

import pysequoia
import pytest

from tests.checkup_hosts import BASE, SOURCES, THEIRS, VENDOR, Post
from tests.harbours import ALPM, DEB, DNF, KINDS, RPM, Item
from velpin import open_host
from velpin.core.checkup.silence import read_silences
from velpin.demo.signer import Signer
from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.model.finding import SEVERITIES
from velpin.model.findings import FINDINGS
from velpin.trust.certifications import is_certified_by
from velpin.trust.openpgp import read_keys

CERTIFICATIONS = Path(__file__).parent / "data" / "certifications.json"
SETTINGS = "etc/velpin/velpin.toml"
each_kind = pytest.mark.parametrize("post", KINDS, indirect=True)
on_deb = pytest.mark.parametrize("post", [DEB], indirect=True)


def rotate(post: Post, signer: Signer, offered: bytes) -> str:
    """The vendor signs with another key, which is offered at an address its files name."""
    post.publish("vendor", Item("gullwatch", "6"), signer=signer)
    (post.www / THEIRS / "key.asc").write_bytes(offered)
    address = f"http://{THEIRS}/key.asc"
    text = post.read(post.source_file)
    if post.kind == DEB:
        post.put(post.source_file, f"# key: {address}\n{text}")
    else:
        post.put(post.source_file, text.replace("gpgkey=", f"gpgkey={address} "))
    post.refreshed()
    return address


def certified(new: Signer, old: Signer) -> bytes:
    """A certificate with a certification by another's."""
    bare = new.secret.extract_certificate()
    return str(bare.add_user_id(bare.user_ids[0].__str__(), old.secret.certifier())).encode()


# -- keys that changed ---------------------------------------------------------------------


@pytest.mark.parametrize("post", [DEB, *RPM], indirect=True)
@pytest.mark.parametrize("vouched", [True, False])
def test_a_new_key_is_found_where_the_source_names_it(
    post: Post, signer: Signer, renewed: Signer, vouched: bool
) -> None:
    offered = certified(renewed, signer) if vouched else renewed.public
    address = rotate(post, renewed, offered)
    found = post.finding("other-key")
    told = post.run("checkup").out
    assert found["mend"] == (
        f"velpin add vendor --key {address} --fingerprint {renewed.fingerprint}"
    )
    assert found["is_choice"], "a key that is not known yet is never taken unasked"
    assert ("has certified it" if vouched else "no key named until now vouches for it") in told
    before = post.files()
    assert post.command(found["mend"], "--yes").code == 0
    assert "other-key" not in post.codes()
    assert post.run("undo", "--yes").code == 0
    assert post.files() == before


@pytest.mark.parametrize("post", [DEB], indirect=True)
def test_offline_no_server_is_asked(post: Post, renewed: Signer) -> None:
    rotate(post, renewed, renewed.public)
    found = post.checkup("--offline")
    (finding,) = (each for each in found["findings"] if each["code"] == "other-key")
    assert (finding["mend"], found["asked"]) == (None, [])
    assert "velpin add vendor --key" in finding["advice"]
    assert post.checkup()["asked"] == ["vendor"]


@on_deb
def test_a_renewed_key_needs_no_choice(
    post: Post, signer: Signer, monkeypatch: pytest.MonkeyPatch
) -> None:
    later = datetime.fromtimestamp(time.time() + 2000 * 86400, UTC)
    certificate = signer.secret.extract_certificate()
    longer = certificate.set_expiration(later, signer.secret.certifier())
    (post.www / THEIRS / "key.asc").write_bytes(str(longer).encode())
    post.put(post.source_file, f"# http://{THEIRS}/key.asc\n{post.read(post.source_file)}")
    soon = time.time() + 1085 * 86400
    clock = SimpleNamespace(time=lambda: soon, strftime=time.strftime, gmtime=time.gmtime)
    monkeypatch.setattr("velpin.core.checkup.examination.time", clock)
    found = post.finding("key-expiring", "vendor")
    assert found["mend"].startswith(f"velpin add vendor --key http://{THEIRS}/key.asc")
    assert not found["is_choice"]
    expired = time.time() + 1200 * 86400
    clock.time = lambda: expired
    assert post.finding("key-expired", "vendor")["mend"] == found["mend"]


@pytest.mark.parametrize("post", KINDS, indirect=True)
def test_a_revoked_key(post: Post, signer: Signer) -> None:
    bare = signer.secret.extract_certificate()
    revoked = bytes(bare) + bytes(bare.revoke(signer.secret.certifier()))
    data = revoked if post.kind == ALPM else str(pysequoia.Cert.from_bytes(revoked)).encode()
    rest = b"" if post.kind != ALPM else bytes(
        read_keys(post.signers["base"].public, "base")[0].cert
    )  # fmt: skip
    post.put(post.key_file, rest + data)
    found = post.finding("key-revoked")
    assert (found["source"], found["severity"]) == ("vendor", "error")


@on_deb
def test_a_weak_key(post: Post, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("velpin.core.checkup.trust._LEAST_RSA", 4096)
    keys = json.loads(CERTIFICATIONS.read_text())
    post.put(post.key_file, keys["old rsa"])
    post.edit(post.source_file, "Components", "Trusted: no\nComponents")
    found = post.finding("key-weak")
    assert "RSA 2048" in found["text"]


def test_who_certified_whom() -> None:
    """Certificates made by another program: the older owner vouches for the newer one."""
    keys = {
        name: read_keys(text.encode(), name)[0]
        for name, text in json.loads(CERTIFICATIONS.read_text()).items()
    }
    holds = {("new rsa", "old rsa"), ("new rsa", "old eddsa"), ("new ecdsa", "old ecdsa")}
    for new, newer in keys.items():
        for old, older in keys.items():
            if new != old:
                assert is_certified_by(newer, older) == ((new, old) in holds), (new, old)


def test_a_certification_that_was_tampered_with_counts_for_nothing(
    signer: Signer, renewed: Signer
) -> None:
    good = pysequoia.Cert.from_bytes(certified(renewed, signer))
    data = bytearray(bytes(good))
    at = bytes(data).rindex(bytes.fromhex(signer.fingerprint))
    data[at + 40] ^= 1
    (old,) = read_keys(signer.public, "old")
    assert is_certified_by(read_keys(bytes(good), "new")[0], old)
    assert not is_certified_by(read_keys(bytes(data), "new")[0], old)


# -- several at once -----------------------------------------------------------------------


def neglected(post: Post) -> None:
    """Four things wrong: three that take no choice, one that does."""
    post.edit(f"{SOURCES}/vendor.sources", "Components: main", "Components: extra main attic")
    post.put("etc/apt/sources.list", f"deb [signed-by=/{post.key_file}] http://{THEIRS}/apt jetty"
             " main\n# the rest\n", 0o666)  # fmt: skip
    post.put(f"{SOURCES}/vendor.repo", "for others\n")


@on_deb
def test_mending_all_is_one_change(post: Post) -> None:
    neglected(post)
    before = post.files()
    free = {each["code"] for each in post.checkup()["findings"] if not each["is_choice"]}
    assert free == {"component-gone", "listed-twice", "file-writable"}
    said = post.run("checkup", "--mend", "--preview")
    assert (said.code, post.files()) == (0, before)
    assert "0644 (rw-r--r--)" in said.out
    assert post.run("checkup", "--mend", "--yes").code == 0
    assert post.codes() == ["other-kind"]
    assert stat.S_IMODE(post.files()["etc/apt/sources.list"][1]) == 0o644
    assert len(json.loads(post.run("journal", "--json").out)["entries"]) == 1
    assert post.run("undo", "--yes").code == 0
    assert post.files() == before


@on_deb
def test_mending_one_by_its_number(post: Post) -> None:
    neglected(post)
    found = post.finding("other-kind")
    said = post.run("checkup", "--mend", str(found["number"]), "--yes")
    assert said.code == 0, said.err
    assert "other-kind" not in post.codes()
    assert "listed-twice" in post.codes()


@on_deb
@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        (["--mend", "99"], 2, "the checkup has no finding 99"),
        (["--mend", "listed-twise"], 2, "did you mean listed-twice"),
        (["--mend", "listed-twice"], 1, "the checkup finds no listed-twice"),
        (["--mend"], 1, "nothing here can be mended without a choice"),
        (["nobody"], 1, "no source is called 'nobody'"),
        (["vendor", "--next", "pier"], 2, "--next is for the whole host"),
    ],
)
def test_what_cannot_be_mended_says_so(post: Post, words: list[str], code: int, told: str) -> None:
    said = post.run("checkup", *words)
    assert (said.code, told in said.err) == (code, True), said.err


@on_deb
def test_a_refresh_is_named_and_not_made(post: Post) -> None:
    post.publish("new.example", Item("skua-tools", "1"))
    text = post.read(post.source_file).replace(THEIRS, "new.example").replace("vendor\n", "new\n")
    post.put(f"{SOURCES}/new.sources", text)
    said = post.run("checkup", "--mend", "never-fetched")
    assert (said.code, "velpin refresh new" in said.err) == (1, True)


@each_kind
def test_without_consent_nothing_is_mended(post: Post) -> None:
    (post.root / post.key_file).chmod(0o666)
    before = post.files()
    said = post.run("checkup", "--mend")
    assert (said.code, post.files()) == (1, before)
    assert "no terminal to ask on" in said.err


@each_kind
def test_only_some_sources_are_looked_at(post: Post) -> None:
    post.publish("vendor", *VENDOR, signer=post.signers["base"])
    (post.root / post.key_file).chmod(0o666)
    assert post.codes("base") == []


# -- silence -------------------------------------------------------------------------------


def silence(code: str, place: str, reason: str = "we know") -> str:
    return f'[[checkup.silence]]\ncode = "{code}"\nplace = "{place}"\nreason = "{reason}"\n'


@on_deb
@pytest.mark.parametrize(
    "place", ["vendor", "etc/apt/sources.list.d/vendor.sources", "*/vendor.sources:1", "*"]
)
def test_what_is_meant_is_counted_and_not_told(post: Post, place: str) -> None:
    post.edit(post.source_file, "Components: main", "Components: main extra")
    assert post.run("checkup").code == 1
    post.put(SETTINGS, silence("component-gone", place))
    said = post.run("checkup")
    assert (said.code, "1 finding silenced" in said.out) == (0, True)
    assert "we know" in post.run("checkup", "--all").out
    found = post.checkup()
    assert [each["reason"] for each in found["silenced"]] == ["we know"]
    assert post.run("checkup", "--mend").code == 1


@on_deb
def test_a_silence_of_another_place_says_nothing(post: Post) -> None:
    post.edit(post.source_file, "Components: main", "Components: main extra")
    post.put(SETTINGS, silence("component-gone", "base") + silence("key-weak", "*"))
    assert post.codes() == ["component-gone"]


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ("[checkup]\nsilent = 1\n", "no 'silent'"),
        ("[checkup]\nsilence = 1\n", "not a list of tables"),
        ("[checkup]\nsilence = [1]\n", "the 1. one: is no table"),
        (silence("key-week", "*"), "no finding is called 'key-week'"),
        (silence("key-weak", ""), "has no place"),
        (silence("key-weak", "*", " "), "has no reason"),
        (silence("key-weak", "*") + "colour = 1\n", "has no use for 'colour'"),
    ],
)
def test_settings_that_are_not_understood(tmp_path: Path, text: str, told: str) -> None:
    (tmp_path / "etc/velpin").mkdir(parents=True)
    (tmp_path / SETTINGS).write_text(text)
    with pytest.raises(HostFileError, match=r"velpin\.toml") as found:
        read_silences(Tree(tmp_path))
    assert told in found.value.message


# -- words and JSON ------------------------------------------------------------------------


@on_deb
def test_the_worst_stands_first(post: Post) -> None:
    neglected(post)
    found = post.checkup()["findings"]
    ranks = [SEVERITIES.index(each["severity"]) for each in found]
    assert ranks == sorted(ranks)
    assert [each["number"] for each in found] == sorted(each["number"] for each in found)
    out = post.run("checkup").out
    assert out.startswith("1 error, ")
    assert "why it matters: whoever may write it decides what is installed here" in out
    assert "mend it: velpin checkup --mend file-writable" in out


@on_deb
def test_json_has_what_others_rely_on(post: Post) -> None:
    neglected(post)
    found = json.loads(post.run("checkup", "--json").out)
    assert found["schema"] == 3
    for finding in found["findings"]:
        assert {"code", "severity", "place", "text", "mend"} <= set(finding)


def test_every_code_says_why_it_matters() -> None:
    assert {code.subject for code in FINDINGS.values()} == {
        "trust", "fit", "freshness", "order", "host", "files",
    }  # fmt: skip
    assert all(code.why and not code.why.endswith(".") for code in FINDINGS.values())


# -- the next release ----------------------------------------------------------------------


def coming(post: Post) -> str:
    """The distribution has a next release: one package newer, one gone. Its name."""
    items = [Item(item.name, "2") for item in BASE if item.name != "tern"]
    name = "pier" if post.kind == DEB else "5"
    post.publish("base", *items, suite=name, **({"Version": "5.0"} if post.kind == DEB else {}))
    return name


@pytest.mark.parametrize("post", [DEB, *RPM], indirect=True)
def test_a_rehearsal_asks_every_source(post: Post) -> None:
    name = coming(post)
    before = post.files()
    said = post.run("checkup", "--next", name, "--json")
    assert said.code == 1, said.err
    found = json.loads(said.out)
    assert {each["source"]: each["state"] for each in found["sources"]} == {
        "base": "has", "vendor": "lacks",
    }  # fmt: skip
    assert found["stay_behind"] == ["tern"]
    assert found["upgraded"] == 3
    assert post.files() == before
    assert len(found["files"]) == 2
    assert any(name in (text or "") for text in found["files"].values())
    shown = post.run("checkup", "--next", name).out
    assert "Ask these first" in shown
    assert "in no source then: tern" in shown


@pytest.mark.parametrize("post", [DEB, DNF], indirect=True)
def test_a_release_that_all_have(post: Post) -> None:
    name = coming(post)
    post.publish("base", *(Item(item.name, "2") for item in BASE), suite=name)
    post.publish("vendor", Item("gullwatch", "6"), suite=name)
    said = post.run("checkup", "--next", name)
    assert said.code == 0, said.out + said.err
    assert "all of them stay with their publishers" in said.out


@on_deb
def test_a_release_by_its_number(post: Post) -> None:
    coming(post)
    assert json.loads(post.run("checkup", "--next", "5", "--json").out)["release"] == "pier"
    said = post.run("checkup", "--next", "77")
    assert (said.code, "has a release 77" in said.err) == (1, True)


@on_deb
def test_rules_that_would_stop_deciding(post: Post) -> None:
    coming(post)
    post.put("etc/apt/preferences.d/x.pref",
             "Package: gull\nPin: release n=jetty\nPin-Priority: 700\n")  # fmt: skip
    said = post.run("checkup", "--next", "pier")
    assert "Rules that would stop deciding" in said.out
    assert "etc/apt/preferences.d/x.pref:1" in said.out


@pytest.mark.parametrize(
    ("post", "told"),
    [(DEB, "is jetty already"), (DNF, "is 4 already"), (ALPM, "names a release")],
    indirect=["post"],
)
def test_a_move_that_is_none(post: Post, told: str) -> None:
    said = post.run("checkup", "--next", "jetty" if post.kind == DEB else "4")
    assert (said.code, told in said.err) == (1, True), said.err


@pytest.mark.parametrize("post", [ALPM], indirect=True)
def test_versioned_addresses_where_sources_have_no_releases(post: Post) -> None:
    post.put("etc/os-release", 'ID=mooring\nVERSION_ID="4"\n')
    for number in ("4", "5"):
        post.publish(f"{THEIRS}/{number}", Item("gullwatch", number), called="vendor")
    post.edit(post.source_file, f"{THEIRS}/$repo", f"{THEIRS}/4/$repo")
    post.refreshed()
    found = json.loads(post.run("checkup", "--next", "5", "--json").out)
    states = {each["source"]: each["state"] for each in found["sources"]}
    assert states == {"base": "stays", "vendor": "has"}
    assert f"{THEIRS}/5/$repo" in found["files"]["etc/pacman.conf"]


# -- as another program asks ----------------------------------------------------------------


@each_kind
def test_the_python_interface(post: Post) -> None:
    host = open_host(post.root)
    assert not host.checkup.run(offline=True).is_wrong
    (post.root / post.key_file).chmod(0o666)
    host = open_host(post.root)
    assert host.checkup.run(offline=True).is_wrong
    plan = host.checkup.plan_mend("key-writable", offline=True)
    assert plan.modes == {post.key_file: 0o644}
    host.changes.apply(plan)
    assert not open_host(post.root).checkup.run(offline=True).is_wrong
