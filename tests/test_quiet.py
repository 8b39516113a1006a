"""Quiet where nothing is wrong: whose packages are whose, keys that are in use, findings of one
cause; and loud where a name is only claimed."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from tests.checkup_hosts import BASE, HOME, SOURCES, THEIRS, VENDOR, Post
from tests.harbours import ALPM, DEB, DNF, RPM, ZYPP, DebHarbour, Item, offer
from velpin.demo.signer import Signer

on_deb = pytest.mark.parametrize("post", [DEB], indirect=True)
on_rpm = pytest.mark.parametrize("post", RPM, indirect=True)
QUIET = "1 package moves to another source of the same publisher"


def suite(post: Post, name: str, address: str, key: str, called: str = "new") -> None:
    """One more suite of a deb host; without a key the common ones count."""
    signed = f"Signed-By: /{key}\n" if key else ""
    text = f"Types: deb\nURIs: http://{address}/apt\nSuites: {called}\nComponents: main\n{signed}"
    post.put(f"{SOURCES}/{name}.sources", f"# Added by velpin.\n{text}")


def gull(post: Post) -> dict[str, Any]:
    """What the full upgrade does to one package."""
    found = json.loads(post.run("forecast", "--upgrade", "--json").out)
    return next(change for change in found["changes"] if change["name"] == "gull")


# -- whose packages are whose ----------------------------------------------------------------


@on_deb
def test_a_package_that_moves_between_channels_of_one_publisher_is_counted(post: Post) -> None:
    post.publish("base", Item("gull", "2"), suite="new")
    suite(post, "more", HOME, "usr/share/keyrings/base.asc")
    post.refreshed()
    said = post.run("forecast", "--upgrade").out
    assert QUIET in said
    assert "replaces packages" not in said
    change = gull(post)
    assert (change["old_source"], change["source"]) == ("base", "more")
    assert (change["old_publisher"], change["publisher"]) == ("", "")


@on_deb
def test_a_package_that_another_publisher_replaces_is_told(post: Post) -> None:
    post.publish("vendor", *VENDOR, Item("gull", "2"))
    post.refreshed()
    said = post.run("forecast", "--upgrade").out
    assert "▲ Vendor replaces packages from Base: gull" in said
    assert "vendor (now base)" in said
    assert "same publisher" not in said
    assert (gull(post)["old_publisher"], gull(post)["publisher"]) == ("Base", "Vendor")


@on_deb
@pytest.mark.parametrize(
    ("address", "key", "is_theirs"),
    [
        (f"mirror.{HOME.partition('.')[2]}", "etc/apt/keyrings/vendor.asc", False),
        ("mirror.pier.example", "usr/share/keyrings/base.asc", False),
        ("mirror.pier.example", "etc/apt/keyrings/vendor.asc", True),
    ],
)
def test_a_publisher_is_the_same_by_domain_or_key_and_never_by_name_alone(
    post: Post, address: str, key: str, is_theirs: bool, signer: Signer
) -> None:
    """The vendor claims to be the distribution; whoever makes an index writes its name."""
    by = post.signers["base"] if "base" in key else signer
    post.publish(address, Item("gull", "2"), suite="new", signer=by, Origin="Base")
    suite(post, "more", address, key)
    post.refreshed()
    assert json.loads(post.run("sources", "--json").out)["sources"][1]["problem"] == ""
    said = post.run("forecast", "--upgrade").out
    assert (QUIET in said) is not is_theirs
    assert ("Base (pier.example) replaces packages from Base: gull" in said) is is_theirs


@on_deb
def test_keys_that_count_for_all_sources_make_no_publisher(post: Post, signer: Signer) -> None:
    """Both sources name no key, and the keys of both are among the common ones."""
    post.put("etc/apt/trusted.gpg.d/all.asc", post.signers["base"].public + signer.public)
    post.publish("base", *BASE, Origin="Base")
    post.publish(
        "mirror.pier.example", Item("gull", "2"), suite="new", signer=signer, Origin="Base"
    )
    suite(post, "base", HOME, "", "jetty")
    suite(post, "more", "mirror.pier.example", "")
    post.refreshed()
    assert (
        "Base (pier.example) replaces packages from Base: gull"
        in post.run("forecast", "--upgrade").out
    )


@on_rpm
def test_a_vendor_of_packages_tells_whose_they_are(post: Post) -> None:
    """Within one source nothing is told, whatever the vendors are."""
    post.publish("vendor", *VENDOR, Item("gull", "2"))
    post.refreshed()
    assert "▲ Vendor replaces packages from Base: gull" in post.run("forecast", "gull%vendor").out
    post.publish("vendor", *VENDOR)
    post.publish("base", *BASE, Item("gull", "3"))
    post.refreshed()
    assert "replaces packages" not in post.run("forecast", "--upgrade").out


# -- a key that is in use --------------------------------------------------------------------


@on_deb
@pytest.mark.parametrize("common", [True, False])
def test_a_channel_of_a_known_publisher_names_the_keyring_that_is_in_use(
    post: Post, common: bool
) -> None:
    """Whether or not the key counts for all sources already."""
    if common:
        post.put("etc/apt/trusted.gpg.d/base.asc", post.signers["base"].public)
    post.publish("base", Item("gull", "2"), suite="jetty-new")
    said = post.run("add", "--name", "more", f"deb http://{HOME}/apt jetty-new main", "--yes")
    assert said.code == 0, said.err
    assert "used on this host already, for base" in said.out
    assert "compare the fingerprint" not in said.out
    assert "Signed-By: /usr/share/keyrings/base.asc\n" in post.read(f"{SOURCES}/more.sources")
    assert not (post.root / "etc/apt/keyrings/more.asc").exists()


@on_deb
def test_a_known_key_is_not_named_for_another_domain(post: Post, signer: Signer) -> None:
    """Whoever has a key of this host could answer in the place of the server that was meant."""
    post.publish("mirror.pier.example", Item("auk", "2"), suite="new", signer=signer)
    said = post.run("add", "--name", "more", "deb http://mirror.pier.example/apt new main", "--yes")
    assert said.code == 4
    assert not (post.root / SOURCES / "more.sources").exists()
    post.put("etc/apt/trusted.gpg.d/vendor.asc", signer.public)
    said = post.run("add", "--name", "more", "deb http://mirror.pier.example/apt new main", "--yes")
    assert said.code == 0, "it counts for all sources: naming its file takes that away from others"
    assert "Signed-By: /etc/apt/keyrings/vendor.asc" in post.read(f"{SOURCES}/more.sources")


@on_deb
def test_a_key_that_merely_lies_there_is_still_to_be_compared(post: Post, stranger: Signer) -> None:
    post.put("etc/apt/trusted.gpg.d/all.asc", stranger.public)
    post.publish("new.example", Item("auk", "2"), signer=stranger)
    said = post.run(
        "add", "new", "--url", "http://new.example/apt", "--suite", "jetty", "--preview"
    )
    assert said.code == 0, said.err
    assert "compare the fingerprint with the one its vendor publishes" in said.out
    assert "used on this host already" not in said.out


@on_rpm
def test_a_section_of_a_known_publisher_names_the_key_file_that_is_in_use(post: Post) -> None:
    post.publish("extra", Item("gull", "2"), signer=post.signers["base"])
    (post.www / "extra").rename(post.www / f"extra.{HOME.partition('.')[2]}")
    address = f"http://extra.{HOME.partition('.')[2]}/4/x86_64"
    said = post.run("add", "more", "--url", address, "--yes")
    assert said.code == 0, said.err
    assert "used on this host already, for base" in said.out
    folder = post.source_file.rpartition("/")[0]
    assert "gpgkey=file:///etc/pki/rpm-gpg/base.asc\n" in post.read(f"{folder}/more.repo")


# -- what a source is called -----------------------------------------------------------------


@on_deb
def test_a_source_is_called_as_its_file_or_as_an_older_file_says(post: Post) -> None:
    text = f"Types: deb\nURIs: http://{THEIRS}/apt\nSuites: jetty\nComponents: main\n"
    for file, body, handle in (
        ("pier", f"# Added by velpin.\n{text}", "pier"), ("pier", text, "apt"),
        ("pier-velpin", f"# Added by velpin.\n{text}", "pier"),
        ("pier", f"# Added by velpin.\n{text}X-Velpin-Handle: quay\n", "quay"),
    ):  # fmt: skip
        (post.root / SOURCES / "vendor.sources").unlink(missing_ok=True)
        path = post.put(f"{SOURCES}/{file}.sources", body)
        names = [
            each["handle"] for each in json.loads(post.run("sources", "--json").out)["sources"]
        ]
        assert (handle in names) or (handle == "apt" and "pier" not in names), (file, names)
        path.unlink()


@on_deb
def test_a_file_with_the_older_field_is_unchanged_by_the_same_source(
    post: Post, tmp_path: Path
) -> None:
    key = tmp_path / "vendor.asc"
    key.write_bytes(post.signers["vendor"].public)
    (post.root / SOURCES / "vendor.sources").unlink()
    words = [
        "add",
        "quay",
        "--url",
        f"http://{THEIRS}/apt",
        "--suite",
        "jetty",
        "--key",
        str(key),
        "--yes",
    ]
    assert post.run(*words).code == 0
    file = f"{SOURCES}/quay.sources"
    post.put(file, post.read(file) + "X-Velpin-Handle: quay\n")
    assert post.run(*words).out.startswith("✓ unchanged")
    assert "X-Velpin" in post.read(file), "it is not written anew for that alone"


@on_deb
def test_no_name_ends_as_files_beside_others_do(post: Post) -> None:
    said = post.run("add", "quay-velpin", "--url", f"http://{THEIRS}/apt", "--suite", "jetty")
    assert (said.code, "no name ends in -velpin" in said.err) == (2, True)


# -- findings of one cause -------------------------------------------------------------------


@on_deb
@pytest.mark.parametrize(("count", "told"), [(1, 1), (4, 4), (5, 3)])
def test_hints_of_one_cause_stand_together(post: Post, count: int, told: int) -> None:
    """One more than are shown is shown as well: a line that says so takes as much room."""
    post.refreshed()
    records = (
        f"Package: auk{number}\nPin: release o=Nobody\nPin-Priority: 600\n"
        for number in range(count)
    )
    post.put("etc/apt/preferences.d/some", "\n".join(records))
    short = post.run("checkup", "--offline").out
    assert short.count("[rule-dead]") == told
    assert (f"and {count - told} more of these; --all shows them" in short) is (count > told)
    assert "it reads as if it decided something" not in short
    whole = post.run("checkup", "--offline", "--all").out
    assert whole.count("[rule-dead]") == count
    assert whole.count("why it matters: it reads as if it decided something") == 1


@on_deb
def test_a_hint_decides_no_exit_code(post: Post) -> None:
    post.refreshed()
    post.put(
        "etc/apt/preferences.d/some", "Package: auk\nPin: release o=Nobody\nPin-Priority: 600\n"
    )
    assert {each["severity"] for each in post.checkup()["findings"]} == {"hint"}
    assert post.run("checkup", "--offline").code == 0


# -- the verdict ------------------------------------------------------------------------------


@pytest.mark.parametrize("post", [DEB, DNF, ZYPP, ALPM], indirect=True)
def test_the_verdict_is_the_last_that_is_said_and_said_once(post: Post) -> None:
    post.refreshed()
    said = post.run("keep", "gull", "--preview").out
    assert said.rstrip().endswith("the next upgrade would change no other installed package")
    post.publish("base", *(Item(item.name, "2") for item in BASE))
    post.refreshed()
    said = post.run("keep", "gull", "--preview").out.rstrip().splitlines()
    assert said[-1] == "▲ the next upgrade would end differently for 1 installed package"
    assert sum(line == said[-1] for line in said) == 1


def test_a_package_whose_version_only_gets_a_source_is_no_change(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.source("base", ("tern", "1"))
    harbour.source("vendor", ("gull", "1"))
    harbour.installed(("gull", "1"), ("tern", "1"))
    harbour.ready()
    harbour.run("off", "vendor", "--yes")
    said = harbour.run("on", "vendor", "--preview").out.rstrip().splitlines()
    assert (
        said[-1]
        == "▲ 1 installed package would have another source, in the version that it has now"
    )


def test_what_lets_another_package_upgrade_is_told(tmp_path: Path) -> None:
    harbour = DebHarbour(tmp_path)
    harbour.source("base", {**offer("tern", "2"), "Depends": "libtide (>= 2)"}, ("libtide", "1"))
    harbour.source("vendor", ("libtide", "2"), Suite="extra")
    harbour.installed(("tern", "1"), ("libtide", "1"))
    harbour.put(
        "etc/apt/preferences.d/low", "Package: *\nPin: release o=vendor\nPin-Priority: 100\n"
    )
    harbour.ready()
    said = harbour.run("pin", "libtide", "--from", "vendor", "--preview").out
    assert "tern 2 needs libtide >= 2, which vendor has" in said
    assert harbour.run("pin", "libtide@1", "--preview").out.count("which vendor has") == 0
