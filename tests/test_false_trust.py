"""Nobody's key counts for a source unless the host says so and a signature was verified: what a
vendor whose key is here, somebody on the path, or an address in a comment cannot bring about."""

from __future__ import annotations

import json
import os
import shutil
from pathlib import Path
from typing import Any

import pysequoia
import pytest

from tests.checkup_hosts import THEIRS, VENDOR, Post
from tests.harbours import ALPM, DEB, DNF, KINDS, RPM, Item
from velpin.demo.signer import Signer
from velpin.errors import BadKey
from velpin.trust.certifications import is_fingerprint_of
from velpin.trust.openpgp import SignedHead, known_packets, read_keys
from velpin.trust.revoked import Revocations

KEYED = (DEB, *RPM)
keyed = pytest.mark.parametrize("post", KEYED, indirect=True)
on_rpm = pytest.mark.parametrize("post", RPM, indirect=True)
on_deb = pytest.mark.parametrize("post", [DEB], indirect=True)


def place_of(post: Post, name: str) -> str:
    return f"usr/share/keyrings/{name}" if post.kind == DEB else f"etc/pki/rpm-gpg/{name}"


def head_of(post: Post) -> Path:
    """The signed head of the vendor's index, as its server gives it."""
    if post.kind == DEB:
        return post.www / THEIRS / "apt/dists/jetty/InRelease"
    return post.www / THEIRS / "4/x86_64/repodata/repomd.xml"


def status_of(post: Post) -> dict[str, Any]:
    """What is said of the vendor's source."""
    found = json.loads(post.run("sources", "--json").out)["sources"]
    return next(each for each in found if each["handle"] == "vendor")


def revoked(signer: Signer) -> bytes:
    bare = signer.secret.extract_certificate()
    data = bytes(bare) + bytes(bare.revoke(signer.secret.certifier()))
    return str(pysequoia.Cert.from_bytes(data)).encode()


# -- another vendor's key ------------------------------------------------------------------


@keyed
def test_a_strangers_key_on_this_host_is_never_named_without_a_choice(
    post: Post, stranger: Signer, signer: Signer
) -> None:
    post.put(place_of(post, "stranger.asc"), stranger.public)
    post.publish("vendor", Item("gullwatch", "6"), signer=stranger)
    post.refreshed()
    found = post.finding("other-key")
    assert found["is_choice"] is True
    assert "no key named until now vouches for it" in post.run("checkup").out
    before = post.files()
    post.run("checkup", "--mend", "--yes")
    assert post.files() == before, "mending everything does not name it"
    said = post.run("checkup", "--mend", "other-key", "--preview")
    assert "Somebody Else" in said.out, "the plan shows whose key it is"
    assert "replaces the key that vendor names now: Gullwatch Packages" in said.out


@keyed
def test_a_signature_that_does_not_hold_names_nobody(
    post: Post, stranger: Signer, signer: Signer
) -> None:
    """Somebody on the path serves another vendor's signed head with a word altered."""
    post.put(place_of(post, "stranger.asc"), stranger.public)
    post.publish("vendor", Item("gullwatch", "6"), signer=stranger)
    head = head_of(post)
    data = head.read_bytes()
    altered = data.replace(b"Codename", b"Codenamf") if post.kind == DEB else data + b"\n"
    assert altered != data
    head.write_bytes(altered)
    post.refreshed()
    found = post.finding("other-key")
    assert found["mend"] is None, "a key that did not sign is offered to nobody, not as a choice"
    assert "did not make this signature" in post.run("checkup").out
    before = post.files()
    assert post.run("checkup", "--mend", "other-key", "--yes").code == 1
    assert post.files() == before
    post.publish("vendor", *VENDOR)
    post.refreshed()
    assert "other-key" not in post.codes(), "the honest index is taken again"


def test_a_head_is_signed_by_those_alone_whose_signature_holds(
    signer: Signer, stranger: Signer
) -> None:
    text = b"Suite: jetty\n"
    keys = [*read_keys(signer.public, "a"), *read_keys(stranger.public, "b")]
    for head, other in (
        (
            SignedHead(signer.clear(text)),
            SignedHead(signer.clear(text).replace(b"jetty", b"quayy")),
        ),
        (SignedHead(text, signer.detached(text)), SignedHead(b"other", signer.detached(text))),
    ):
        assert head.verified_by(keys) == (signer.fingerprint,)
        assert head.verified_by(keys[1:]) == ()
        assert other.verified_by(keys) == ()
        assert other.claimed() == head.claimed() != ()


@on_deb
def test_the_installers_copy_tells_its_signer_only_where_the_signature_holds(
    post: Post, stranger: Signer
) -> None:
    head = head_of(post).read_bytes()
    place = f"var/lib/apt/lists/{THEIRS}_apt_dists_jetty_InRelease"
    shutil.rmtree(post.root / "var/cache/velpin")
    post.put(place, head)
    assert "Gullwatch Packages" in status_of(post)["signers"][0]
    post.put(place, head.replace(b"Codename: jetty", b"Codename: jettx"))
    found = status_of(post)
    assert found["signers"] == []
    assert "Gullwatch Packages" in found["named_keys"][0]


@on_deb
@pytest.mark.parametrize("is_gone", [False, True])
def test_who_signed_the_installers_copy_is_not_named_without_a_choice(
    post: Post, stranger: Signer, is_gone: bool
) -> None:
    """It may have come while nothing was checked, or before another key was named."""
    post.publish("vendor", Item("gullwatch", "6"), signer=stranger)
    head = head_of(post).read_bytes()
    shutil.rmtree(post.root / "var/cache/velpin")
    post.put(f"var/lib/apt/lists/{THEIRS}_apt_dists_jetty_InRelease", head)
    post.put(place_of(post, "stranger.asc"), stranger.public)
    if is_gone:
        (post.root / post.key_file).unlink()
    found = post.finding("key-missing" if is_gone else "other-key", "--offline", "vendor")
    assert found["is_choice"] is True
    before = post.files()
    post.run("checkup", "--mend", "--offline", "--yes")
    assert {name: data for name, data in post.files().items() if "keyrings" in name} == {
        name: data for name, data in before.items() if "keyrings" in name
    }
    assert post.read(post.source_file) == before[post.source_file][0].decode()


@on_deb
def test_a_common_key_that_signs_for_another_publisher_takes_a_choice(
    post: Post, signer: Signer
) -> None:
    """Vendor B's key lies in the common folder, and source A, which names none, is signed by it."""
    for name in ("base", "vendor"):
        file = f"etc/apt/sources.list.d/{name}.sources"
        lines = post.read(file).splitlines(keepends=True)
        post.put(file, "".join(line for line in lines if not line.startswith("Signed-By")))
        post.put(f"etc/apt/trusted.gpg.d/{name}.asc", post.signers[name].public)
    found = {each["source"]: each for each in post.checkup()["findings"]
             if each["code"] == "key-unnamed"}  # fmt: skip
    assert found["vendor"]["is_choice"] is False, "its own key, already accepted, named alone"
    post.publish("base", Item("gull", "1"), signer=signer)
    post.refreshed()
    found = {each["source"]: each for each in post.checkup()["findings"]
             if each["code"] == "key-unnamed"}  # fmt: skip
    assert found["base"]["is_choice"] is True
    assert found["vendor"]["is_choice"] is True


# -- revoked -------------------------------------------------------------------------------


@keyed
def test_a_revocation_is_never_taken_back(post: Post, signer: Signer) -> None:
    """An address in a comment of the source's own file gives the key without its revocation."""
    (post.www / THEIRS / "key.asc").write_bytes(signer.public)
    post.put(post.source_file, f"# http://{THEIRS}/key.asc\n{post.read(post.source_file)}")
    post.put(post.key_file, revoked(signer))
    found = post.finding("key-revoked")
    assert found["mend"] is None
    before = post.files()
    for what in ([], ["key-revoked"]):
        post.run("checkup", "--mend", *what, "--yes")
        assert post.files() == before
    said = post.run("add", "vendor", "--key", str(post.www / THEIRS / "key.asc"), "--yes")
    assert (said.code, post.files()) == (4, before)
    assert "revoked by its owner" in said.err
    assert f"/{post.key_file} shows" in said.err


@keyed
def test_once_seen_revoked_always_revoked(post: Post, signer: Signer) -> None:
    post.put(post.key_file, revoked(signer))
    post.publish("vendor", Item("gullwatch", "6"))
    assert post.run("refresh").code == 4
    post.put(post.key_file, b"")
    (post.root / "plain.asc").write_bytes(signer.public)
    said = post.run("add", "vendor", "--key", str(post.root / "plain.asc"), "--yes")
    assert (said.code, "was revoked by its owner" in said.err) == (4, True)


@keyed
@pytest.mark.parametrize("is_on", [True, False])
@pytest.mark.parametrize("is_there", [True, False])
def test_a_host_file_brings_no_key_that_was_seen_revoked(
    post: Post, signer: Signer, is_on: bool, is_there: bool
) -> None:
    """Neither for a source that is there or comes, on or off, nor for all sources."""
    text = post.run("export").out
    assert signer.fingerprint in text.replace(" ", "")
    if not is_on:
        text = text.replace('name = "vendor"\n', 'name = "vendor"\nstate = "off"\n')
    post.put(post.key_file, revoked(signer))
    post.publish("vendor", Item("gullwatch", "6"))
    assert post.run("refresh").code == 4
    post.put(post.key_file, b"")
    if not is_there:
        (post.root / post.source_file).unlink()
    host_file = post.root.parent / "host.toml"
    host_file.write_text(text)
    before = post.files()
    said = post.run("conform", str(host_file), "--yes")
    assert (said.code, post.files() == before) == (4, True), said.out + said.err
    assert "was revoked by its owner" in said.err


def test_what_is_remembered_of_revoked_keys_is_read_strictly(post_tree: Path) -> None:
    from velpin.files.tree import Tree

    tree = Tree(post_tree)
    seen = Revocations.of(tree)
    seen.note("A" * 40, "/a\nB")
    seen.remember(tree)
    again = Revocations.of(tree)
    assert (again.where("A" * 40), again.where("B" * 40)) == ("/a B", "")
    file = post_tree / "var/lib/velpin/revoked"
    file.write_text(file.read_text() + "zz\n" + "C" * 39 + " x\n" + "D" * 40 + "\n")
    again = Revocations.of(tree)
    assert [again.where(each * 40) for each in "ACD"] == ["/a B", "", ""]
    (post_tree / "var/lib/velpin").chmod(0o777)
    assert Revocations.of(tree).where("A" * 40) == "", "others could have written it"


@pytest.fixture
def post_tree(tmp_path: Path) -> Path:
    (tmp_path / "etc").mkdir()
    return tmp_path


# -- what was checked ----------------------------------------------------------------------


def added(post: Post, *words: str) -> tuple[int, str, str]:
    post.run("drop", "vendor", "--yes")
    address = f"http://{THEIRS}/4/x86_64"
    said = post.run("add", "gullwatch", "--url", address, *words)
    return said.code, said.out, said.err


@on_rpm
def test_a_strangers_key_is_refused_where_the_index_is_signed(
    post: Post, stranger: Signer, signer: Signer, tmp_path: Path
) -> None:
    (tmp_path / "stranger.asc").write_bytes(stranger.public)
    code, out, err = added(post, "--key", str(tmp_path / "stranger.asc"), "--yes")
    assert code == 4
    assert "which is not named for this source" in err
    assert "signs" not in out.replace("does NOT sign this source", "")
    (tmp_path / "right.asc").write_bytes(signer.public)
    code, out, err = added(post, "--key", str(tmp_path / "right.asc"), "--yes")
    assert (code, err.count("not signed")) == (0, 0), err
    assert "signs the index of this source" in out
    assert "repo_gpgcheck=1" in out, "the new source asks for that check too"
    assert "repo_gpgcheck=1" in post.read(post.source_file.replace("vendor", "gullwatch"))


@on_rpm
@pytest.mark.parametrize("by", ["vendor", "stranger", "nobody"])
def test_without_a_signed_index_the_packages_are_looked_at(
    post: Post, stranger: Signer, signer: Signer, tmp_path: Path, by: str
) -> None:
    post.publish(
        "vendor", *VENDOR, unsigned=True,
        packages_by={"vendor": signer, "stranger": stranger, "nobody": None}[by],
    )  # fmt: skip
    if by == "nobody":
        for package in (post.www / THEIRS).rglob("*.rpm"):
            package.unlink()
    (tmp_path / "right.asc").write_bytes(signer.public)
    text = f"[gullwatch]\nbaseurl=http://{THEIRS}/4/x86_64\ngpgcheck=1\nrepo_gpgcheck=0\n"
    (tmp_path / "page.repo").write_text(text)
    post.run("drop", "vendor", "--yes")
    said = post.run(
        "add", str(tmp_path / "page.repo"), "--key", str(tmp_path / "right.asc"), "--yes"
    )
    if post.kind != DNF:  # a check that is switched off in the snippet is left out with a key
        assert said.code == 4
        return
    told = {
        "vendor": (0, "signs its packages", "the signatures of a few of its packages were checked"),
        "stranger": (4, "does NOT sign this source", ""),
        "nobody": (0, "not seen to sign anything here yet", "no signature of gullwatch could be"),
    }[by]
    assert said.code == told[0], said.out + said.err
    assert told[1] in said.out
    assert told[2] in said.out


@on_rpm
def test_signed_by_is_said_only_of_what_was_verified(
    post: Post, stranger: Signer, signer: Signer
) -> None:
    """A stranger's key is named for a source that checks packages alone."""
    post.edit(post.source_file, "repo_gpgcheck=1", "repo_gpgcheck=0")
    post.put(post.key_file, stranger.public)
    post.publish("vendor", Item("gullwatch", "7"))
    said = post.run("refresh", "vendor")
    assert said.code == 0, "the host's installer would take the index"
    assert "whose signature does not hold" in said.err
    assert "would refuse" in said.err, "but none of its packages"
    found = status_of(post)
    assert (found["signers"], found["package_signers"]) == ([], [])
    (use,) = (use for use in json.loads(post.run("keys", "--json").out)["keys"]
              if use["fingerprint"] == stranger.fingerprint)  # fmt: skip
    assert (use["sources"], use["signs"]) == (["vendor"], [])
    post.put(post.key_file, signer.public)
    post.run("refresh", "vendor")
    found = status_of(post)
    assert "Gullwatch" in found["signers"][0]


@on_rpm
def test_a_key_at_an_address_is_what_the_installer_will_ask_about(
    post: Post, signer: Signer
) -> None:
    (post.www / THEIRS / "key.asc").write_bytes(signer.public)
    address = f"http://{THEIRS}/key.asc"
    text = post.read(post.source_file).replace("repo_gpgcheck=1", "repo_gpgcheck=0")
    post.put(post.source_file, text.replace(f"file:///{post.key_file}", address))
    said = post.run("sources")
    assert "no usable key" not in said.out
    post.publish("vendor", Item("gullwatch", "7"))
    assert post.run("refresh", "vendor").code == 0
    found = status_of(post)
    assert signer.fingerprint[-4:] in found["to_import"][0]
    assert address in found["to_import"][0]
    post.edit(post.source_file, "repo_gpgcheck=0", "repo_gpgcheck=1")
    said = post.run("refresh", "vendor")
    assert said.code == 4, "what nobody here has taken yet vouches for nothing"
    assert "will ask about that key" in said.err
    assert signer.fingerprint in said.err


# -- key files as the host's installer reads them ------------------------------------------


def forms(signer: Signer) -> dict[str, bytes]:
    binary = bytes(read_keys(signer.public, "x")[0].cert)
    return {
        "armored": signer.public, "binary": binary, "other ends": signer.public.replace(b"\n", b"\r\n"),
        "marked": b"\xef\xbb\xbf" + signer.public, "cut": signer.public[: len(signer.public) // 2],
        "text": b"no key", "around": b"the key:\n" + signer.public + b"that was it\n",
    }  # fmt: skip


NAMED = [
    # form, ending, older, newer
    ("armored", "asc", True, True), ("binary", "gpg", True, True), ("armored", "gpg", False, True),
    ("binary", "asc", False, True), ("armored", "key", True, True), ("binary", "pgp", True, True),
    ("binary", "key", True, True), ("other ends", "asc", False, True), ("marked", "asc", False, False),
    ("cut", "asc", False, False), ("text", "asc", False, False), ("around", "asc", True, True),
]  # fmt: skip
COMMON = [
    ("armored", "asc", True, True), ("binary", "gpg", True, True), ("armored", "gpg", False, False),
    ("binary", "asc", False, False), ("other ends", "asc", False, True),
]  # fmt: skip


def generation(post: Post, newer: bool) -> None:
    if newer:
        text = post.read("var/lib/dpkg/status")
        entry = "Package: apt\nStatus: install ok installed\nVersion: 3.1.12\nArchitecture: amd64\n"
        post.put("var/lib/dpkg/status", f"{text.rstrip()}\n\n{entry}")


@on_deb
@pytest.mark.parametrize("newer", [False, True])
@pytest.mark.parametrize(("form", "ending", "older_reads", "newer_reads"), NAMED)
def test_a_named_key_file_is_read_as_the_installer_reads_it(
    post: Post, signer: Signer, form: str, ending: str, older_reads: bool, newer_reads: bool,
    newer: bool,
) -> None:  # fmt: skip
    generation(post, newer)
    post.put(f"etc/apt/keyrings/it.{ending}", forms(signer)[form])
    post.edit(post.source_file, "vendor.asc", f"it.{ending}")
    reads = newer_reads if newer else older_reads
    assert post.run("refresh", "vendor").code == (0 if reads else 4)
    assert ("key-missing" in post.codes("vendor")) == (not reads)
    if form in ("armored", "binary", "other ends") and not reads:
        found = post.finding("key-missing")
        assert found["is_choice"] is False
        assert post.command(found["mend"], "--yes").code == 0
        assert post.run("refresh", "vendor").code == 0


@on_deb
@pytest.mark.parametrize("newer", [False, True])
@pytest.mark.parametrize(("form", "ending", "older_reads", "newer_reads"), COMMON)
def test_a_common_key_file_is_read_as_the_installer_reads_it(
    post: Post, signer: Signer, form: str, ending: str, older_reads: bool, newer_reads: bool,
    newer: bool,
) -> None:  # fmt: skip
    generation(post, newer)
    post.edit(post.source_file, f"Signed-By: /{post.key_file}\n", "")
    (post.root / post.key_file).unlink()
    post.put(f"etc/apt/trusted.gpg.d/it.{ending}", forms(signer)[form])
    reads = newer_reads if newer else older_reads
    assert post.run("refresh", "vendor").code == (0 if reads else 4)
    assert ("key-form" in post.codes()) == (not reads)


@on_deb
@pytest.mark.parametrize(
    ("file", "folder", "group", "reads"),
    [(0o644, 0o755, "", True), (0o600, 0o755, "", False), (0o640, 0o755, "", False),
     (0o640, 0o755, "keys", True), (0o604, 0o755, "", True), (0o604, 0o755, "keys", False),
     (0o644, 0o700, "", False), (0o644, 0o711, "", True)],
)  # fmt: skip
def test_a_key_file_must_be_readable_by_the_user_that_checks_signatures(
    post: Post, file: int, folder: int, group: str, reads: bool
) -> None:
    if os.geteuid() != 0:
        pytest.skip("files of other groups are made by root alone")
    post.put("etc/passwd", "root:x:0:0::/:/bin/sh\n_apt:x:42:65534::/nonexistent:/bin/false\n")
    post.put("etc/group", "root:x:0:\nkeys:x:77:man,_apt\n")
    path = post.root / post.key_file
    path.chmod(file)
    path.parent.chmod(folder)
    os.chown(path, 0, 77 if group else 0)
    assert post.run("refresh", "vendor").code == (0 if reads else 4)
    if not reads and folder == 0o755:
        assert post.finding("key-missing")["mend"]
        assert post.run("checkup", "--mend", "key-missing", "--yes").code == 0
        assert post.run("refresh", "vendor").code == 0
    post.put("etc/apt/apt.conf.d/root", 'APT::Sandbox::User "root";\n')
    assert post.run("refresh", "vendor").code == 0, "root reads everything"


@on_deb
@pytest.mark.parametrize("beside", ["missing", "cut", "text", "other ends"])
def test_one_bad_file_can_spoil_those_named_beside_it(
    post: Post, signer: Signer, beside: str
) -> None:
    """Observed: a missing or cut file does on both generations, a text only on the newer."""
    if beside != "missing":
        post.put("etc/apt/keyrings/bad.asc", forms(signer)[beside])
    post.edit(post.source_file, "vendor.asc", "vendor.asc /etc/apt/keyrings/bad.asc")
    older = post.run("refresh", "vendor").code
    generation(post, True)
    newer = post.run("refresh", "vendor").code
    expected = {"missing": (4, 4), "cut": (4, 4), "text": (0, 4), "other ends": (0, 0)}
    assert (older, newer) == expected[beside]


# -- what a key file is --------------------------------------------------------------------


@pytest.mark.parametrize("kind", ["empty", "page", "cut", "cut binary", "secret", "secret binary"])
def test_what_was_given_for_a_key_is_said_in_those_words(signer: Signer, kind: str) -> None:
    binary = bytes(read_keys(signer.public, "x")[0].cert)
    data, said = {
        "empty": (b" \n", "is empty"), "page": (b"\n<!DOCTYPE html><html>", "is a web page"),
        "cut": (signer.public[:300], "is cut off"), "cut binary": (binary[:90], "is cut off"),
        "secret": (str(signer.secret).encode(), "holds a secret key"),
        "secret binary": (bytes(signer.secret), "holds a secret key"),
    }[kind]  # fmt: skip
    with pytest.raises(BadKey, match=f"given: {said}"):
        read_keys(data, "given")


@pytest.mark.parametrize("post", KINDS, indirect=True)
@pytest.mark.parametrize("part", [0, 1])
def test_the_fingerprint_of_a_key_or_of_a_subkey_agrees(
    post: Post, signer: Signer, tmp_path: Path, part: int
) -> None:
    (key,) = read_keys(signer.public, "k")
    (tmp_path / "k.asc").write_bytes(signer.public)
    fingerprint = key.all_parts[part].fingerprint
    words = ["add", "vendor", "--key", str(tmp_path / "k.asc"), "--fingerprint"]
    said = post.run(*words, fingerprint, "--preview")
    assert (said.code, "does not agree" in said.err) != (4, True) or post.kind == ALPM, said.err
    said = post.run(*words, "A" * 40, "--preview")
    assert said.code != 0


def grafted(stranger: Signer, signer: Signer) -> bytes:
    """A stranger's certificate with the vendor's subkeys, and the signatures behind them, put in."""
    from pysequoia.packet import Tag

    (theirs,), (mine,) = read_keys(signer.public, "k"), read_keys(stranger.public, "k")
    data, taken = bytes(mine.cert), False
    for packet in known_packets(theirs.cert):
        taken = taken or packet.tag == Tag.PublicSubkey
        body = bytes(packet.body)
        head = bytes([0xCE if packet.tag == Tag.PublicSubkey else 0xC2, 0xFF])
        data += head + len(body).to_bytes(4, "big") + body if taken else b""
    return data


@pytest.mark.parametrize("post", KINDS, indirect=True)
@pytest.mark.parametrize("part", [1, 2])
def test_a_subkey_that_was_put_into_a_strangers_key_does_not_agree(
    post: Post, signer: Signer, stranger: Signer, tmp_path: Path, part: int
) -> None:
    (key,) = read_keys(signer.public, "k")
    (tmp_path / "k.gpg").write_bytes(grafted(stranger, signer))
    (graft,) = read_keys((tmp_path / "k.gpg").read_bytes(), "k")
    fingerprint = key.all_parts[part].fingerprint
    assert fingerprint in {each.fingerprint for each in graft.all_parts}, "it is in there"
    words = ["add", "vendor", "--key", str(tmp_path / "k.gpg"), "--fingerprint"]
    said = post.run(*words, fingerprint, "--yes", "--anyway")
    assert (said.code, "does not agree" in said.err) == (4, True), said.out + said.err
    words = ["catalog", "add", "http://c.example/c.toml", "--key", str(tmp_path / "k.gpg")]
    said = post.run(*words, "--fingerprint", fingerprint)
    assert (said.code, "does not agree" in said.err) == (4, True), said.err


def test_only_a_subkey_that_has_agreed_to_be_one_stands_for_its_key(
    signer: Signer, stranger: Signer
) -> None:
    (key,) = read_keys(signer.public, "k")
    primary, signing, encrypting = (part.fingerprint for part in key.all_parts)
    assert is_fingerprint_of(primary, key)
    assert is_fingerprint_of(signing, key)
    assert not is_fingerprint_of(encrypting, key), "it agrees to nothing"
    assert not is_fingerprint_of("A" * 40, key)
    (graft,) = read_keys(grafted(stranger, signer), "k")
    assert is_fingerprint_of(stranger.fingerprint, graft)
    assert not any(is_fingerprint_of(each, graft) for each in (primary, signing, encrypting))


def test_no_byte_of_a_back_signature_can_be_another(signer: Signer) -> None:
    (key,) = read_keys(signer.public, "k")
    signing = key.all_parts[1].fingerprint
    subkeys = [packet for packet in known_packets(key.cert) if len(bytes(packet.body)) > 300]
    (binding,) = (bytes(packet.body) for packet in subkeys)
    good = bytes(key.cert)
    start = good.index(binding)
    inner = binding.index(b"\x04\x19")
    signed = 6 + int.from_bytes(binding[inner + 4 : inner + 6], "big")
    for at in (*range(inner, inner + signed), *range(len(binding) - 20, len(binding))):
        data = bytearray(good)
        data[start + at] ^= 1
        try:
            (other,) = read_keys(bytes(data), "k")
        except BadKey:
            continue
        assert not is_fingerprint_of(signing, other), at
