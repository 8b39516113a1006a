"""Where the keys of a host file are: named by the package that brings them, beside it, in it."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.checkup_hosts import BASE, SOURCES, VENDOR, Post
from tests.harbours import DEB, RPM, Item
from velpin.demo.signer import Signer

on_deb = pytest.mark.parametrize("post", [DEB], indirect=True)
RING = "usr/share/keyrings/base.asc"
BEGIN = "-----BEGIN PGP PUBLIC KEY BLOCK-----"


def brings(post: Post, package: str, file: str) -> None:
    """An installed package has a file in its list."""
    post.put(f"var/lib/dpkg/info/{package}.list", f"/.\n/usr\n/{file}\n")


def with_keyring(post: Post) -> None:
    """The distribution's keyring is brought by a package of its own."""
    keyring = Item("base-keyring", "1")
    post.publish("base", *BASE, keyring)
    post.install(*BASE, keyring)
    brings(post, "base-keyring", RING)
    post.refreshed()


def exported(post: Post, *words: str) -> str:
    said = post.run("export", *words)
    assert said.code == 0, said.err
    return said.out


@on_deb
def test_a_keyring_that_a_package_of_the_distribution_brings_is_named(post: Post) -> None:
    with_keyring(post)
    text = exported(post)
    assert f'keyring = {{ package = "base-keyring", file = "/{RING}" }}' in text
    assert text.count(BEGIN) == 1, "the vendor's"
    assert exported(post, "--self-contained").count(BEGIN) == 2


@on_deb
def test_of_a_keyring_only_the_keys_that_signed_are_named(post: Post, stranger: Signer) -> None:
    post.put(RING, post.signers["base"].public + stranger.public)
    with_keyring(post)
    table = exported(post).partition('name = "vendor"')[0]
    assert table.count("fingerprints") == 1
    assert f'fingerprints = ["{post.signers["base"].fingerprint}"]' in table


@on_deb
@pytest.mark.parametrize("how", ["vendor", "other file", "longer name"])
def test_no_other_package_is_named(post: Post, how: str) -> None:
    """One of a vendor would come from the very source that the file is needed for."""
    keyring = Item("base-keyring", "1")
    post.publish("vendor" if how == "vendor" else "base", *VENDOR, *BASE, keyring)
    post.install(*BASE, keyring)
    brings(
        post,
        "base-keyring",
        {"other file": "usr/other", "longer name": f"{RING}.old"}.get(how, RING),
    )
    post.refreshed()
    if how == "vendor":
        post.publish("base", *BASE)
        post.refreshed()
    assert "keyring = " not in exported(post)


@on_deb
def test_keys_lie_beside_a_file_each_once(post: Post, tmp_path: Path) -> None:
    post.put(
        f"{SOURCES}/more.sources",
        post.read(f"{SOURCES}/base.sources")
        .replace("jetty", "quay")
        .replace("Handle: base", "Handle: more"),
    )
    out = tmp_path / "host.toml"
    assert post.run("export", "--out", str(out)).code == 0
    text = out.read_text()
    assert BEGIN not in text
    assert text.count('key_file = "keys/base.asc"') == 2
    assert sorted(path.name for path in (tmp_path / "keys").iterdir()) == ["base.asc", "vendor.asc"]
    assert post.run("conform", str(out), "--preview").code == 0, "what it wrote it reads"
    assert post.run("export", "--out", str(out), "--keys-beside").code == 0, "a second time"
    (tmp_path / "keys/base.asc").write_text("a text of mine\n")
    said = post.run("export", "--out", str(out))
    assert (said.code, "left alone" in said.err) == (3, True), said.err
    assert (tmp_path / "keys/base.asc").read_text() == "a text of mine\n"


@on_deb
@pytest.mark.parametrize("words", [["--keys-beside"], ["--keys-beside", "--self-contained"],
                                   ["--keys-beside", "--out", "/dev/stdout"]])  # fmt: skip
def test_keys_beside_need_a_file(post: Post, words: list[str]) -> None:
    assert post.run("export", *words).code == 2


def conformed(post: Post, text: str) -> dict[str, Any]:
    file = post.folder / "host.toml"
    file.write_text(text)
    said = post.run("conform", str(file), "--yes", "--json")
    found: dict[str, Any] = json.loads(said.out)
    return found


@on_deb
def test_a_host_made_anew_names_the_keyring(post: Post) -> None:
    with_keyring(post)
    text = exported(post)
    (post.root / SOURCES / "base.sources").unlink()
    found = conformed(post, text)
    states = {each["name"]: each["state"] for each in found["items"]}
    assert states == {"base": "added", "vendor": "same"}
    assert f"Signed-By: /{RING}\n" in post.read(f"{SOURCES}/base.sources")
    assert not (post.root / "etc/apt/keyrings/base.asc").exists()
    assert conformed(post, text)["changed"] is False


@on_deb
def test_a_source_that_names_other_keys_gets_the_keyring(post: Post) -> None:
    with_keyring(post)
    text = exported(post)
    post.put("etc/apt/keyrings/own.asc", post.signers["base"].public)
    post.edit(f"{SOURCES}/base.sources", f"/{RING}", "/etc/apt/keyrings/own.asc")
    found = conformed(post, text)
    assert next((each["name"], each["state"]) for each in found["items"]) == ("base", "changed")
    assert f"Signed-By: /{RING}\n" in post.read(f"{SOURCES}/base.sources")


@on_deb
@pytest.mark.parametrize("what", ["gone", "other key"])
def test_a_keyring_that_is_not_as_described_stops_it(
    post: Post, what: str, stranger: Signer
) -> None:
    with_keyring(post)
    text = exported(post)
    (post.root / SOURCES / "base.sources").unlink()
    if what == "gone":
        (post.root / RING).unlink()
    else:
        post.put(RING, stranger.public)
    before = post.files()
    problem = conformed(post, text)
    assert problem["exit_code"] == 4
    assert "base-keyring" in problem["hint"]
    assert f"/{RING}" in problem["error"]
    assert post.files() == before


@on_deb
@pytest.mark.parametrize(
    ("old", "new", "told"),
    [
        ('file = "/', 'file = "', "is no whole path"), ("/usr/share", "/usr/../share", "is no whole path"),
        ('package = "base-keyring", ', "", "package"), ("fingerprints", "# ", "which of its keys?"),
        ("keyring = {", 'key = """\n-----BEGIN PGP PUBLIC KEY BLOCK-----\n"""\nkeyring = {', "the key is given twice"),
        (" }\nfinger", ", x = 1 }\nfinger", "x"),
    ],
)  # fmt: skip
def test_a_keyring_is_read_strictly(post: Post, old: str, new: str, told: str) -> None:
    with_keyring(post)
    text = exported(post)
    assert old in text
    problem = conformed(post, text.replace(old, new, 1))
    assert (problem["exit_code"], told in problem["error"]) == (3, True), problem


@pytest.mark.parametrize("post", RPM, indirect=True)
def test_an_rpm_host_names_the_package_too(post: Post) -> None:
    from velpin.demo.rpm_files import DemoRpm, write_record

    file = "etc/pki/rpm-gpg/base.asc"
    ring = Item("base-keyring", "1")
    post.publish("base", *BASE, ring)
    made = DemoRpm("base-keyring", "1-1", "noarch", vendor="Base", files=(f"/{file}",))
    write_record(
        post.root / "var/lib/rpm/rpmdb.sqlite", [*(item.rpm("Base") for item in BASE), made]
    )
    post.refreshed()
    text = exported(post)
    assert f'keyring = {{ package = "base-keyring", file = "/{file}" }}' in text
    folder = post.source_file.rpartition("/")[0]
    (post.root / folder / "base.repo").unlink()
    assert conformed(post, text)["changed"] is True
    assert f"gpgkey=file:///{file}\n" in post.read(f"{folder}/base.repo")
