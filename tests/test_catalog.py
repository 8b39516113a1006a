"""Catalogs of known sources: read strictly, filled in for a host, added from, fetched, written."""

from __future__ import annotations

import json
import os
import re
import time
from collections.abc import Callable

import pytest

from tests.catalogs import FOLDER, HEAD, SOURCE, catalog_for, without_vendor
from tests.checkup_hosts import HOME, THEIRS, Post, days_ago
from tests.harbours import ALPM, DEB, KINDS, RPM, Item
from velpin.core.catalog.format import read_catalog
from velpin.core.catalog.shelf import why_doubted
from velpin.demo.signer import Signer
from velpin.errors import HostFileError
from velpin.files.tree import Tree
from velpin.kinds import KINDS as ALL_KINDS
from velpin.trust.openpgp import read_keys

WHERE = "http://catalog.harbour.example/harbour.toml"
PRINT = "A" * 40
each_kind = pytest.mark.parametrize("post", KINDS, indirect=True)
on_deb = pytest.mark.parametrize("post", [DEB], indirect=True)

PLACE = '\n[[source.place]]\nkind = "deb"\naddress = "http://x.example/apt"\nsuite = "{codename}"\n'


# -- adding by name ------------------------------------------------------------------------


@each_kind
def test_a_source_is_added_by_its_name(post: Post, signer: Signer) -> None:
    without_vendor(post)
    before = post.files()
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer))
    said = post.run("catalog")
    assert (said.code, "gulls" in said.out, "counts gulls" in said.out) == (0, True, True)
    assert "add it: velpin add gulls" in post.run("catalog", "gulls").out
    said = post.run("add", "gulls", "--yes")
    assert said.code == 0, said.out + said.err
    assert "its fingerprint is the one you gave" in said.out
    handle = "vendor" if post.kind == ALPM else "gulls"
    assert f"here as {handle}" in post.run("catalog").out
    answer = json.loads(post.run("forecast", "gullwatch", "--json").out)["answers"][0]
    assert answer["source"] == handle
    assert post.run("undo", "--yes").code == 0
    (post.root / FOLDER / "h.toml").unlink()
    assert post.files() == before


@on_deb
def test_a_key_with_another_fingerprint_is_refused(
    post: Post, signer: Signer, stranger: Signer
) -> None:
    without_vendor(post)
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer))
    (post.www / THEIRS / "key.asc").write_bytes(stranger.public)
    said = post.run("add", "gulls", "--yes")
    assert (said.code, "the catalog names other fingerprints" in said.err) == (4, True)


@on_deb
def test_an_embedded_key(post: Post, signer: Signer) -> None:
    without_vendor(post)
    text = catalog_for(post, signer).replace(
        f'"http://{THEIRS}/key.asc"', f'"""\n{signer.public.decode()}"""'
    )
    post.put(f"{FOLDER}/h.toml", text)
    (post.www / THEIRS / "key.asc").unlink()
    assert post.run("add", "gulls", "--yes").code == 0
    assert "in the catalog" in post.run("catalog", "gulls").out


@on_deb
def test_a_release_that_is_not_listed_is_told_and_can_be_overruled(
    post: Post, signer: Signer
) -> None:
    without_vendor(post)
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer, place='releases = ["quay", "pier"]\n'))
    said = post.run("catalog")
    assert "1 more source is not for this host" in said.out
    assert (
        "it is for the releases quay, pier, this host is jetty" in post.run("catalog", "--all").out
    )
    said = post.run("add", "gulls", "--yes")
    assert (said.code, "quay, pier" in said.err, "--anyway" in said.err) == (1, True, True)
    assert post.run("add", "gulls", "--yes", "--anyway").code == 0


@on_deb
@pytest.mark.parametrize(
    ("place", "told"),
    [
        ('hosts = ["other"]\n', "it is for other, this host is mooring"),
        ('architectures = ["riscv64"]\n', "it is for riscv64, this host is amd64"),
        ('releases = ["4", "5"]\nhosts = ["mooring"]\narchitectures = ["amd64"]\n', "counts gulls"),
    ],
)
def test_what_is_not_for_this_host_says_why(
    post: Post, signer: Signer, place: str, told: str
) -> None:
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer, place=place))
    assert told in post.run("catalog", "--all").out


@on_deb
def test_another_kind_of_host(post: Post, signer: Signer) -> None:
    text = catalog_for(post, signer).replace('kind = "deb"', 'kind = ["rpm-dnf", "alpm"]')
    post.put(f"{FOLDER}/h.toml", text)
    assert "it is for hosts of kind rpm-dnf, alpm" in post.run("catalog", "--all").out
    said = post.run("add", "gulls", "--yes")
    assert (said.code, "hosts of kind rpm-dnf" in said.err) == (1, True)


@on_deb
def test_channels(post: Post, signer: Signer) -> None:
    without_vendor(post)
    post.publish("early.example", Item("gullwatch", "9"), signer=signer)
    text = catalog_for(post, signer, channels='["steady", "early"]', place='channel = "steady"\n')
    text += (
        '\n[[source.place]]\nkind = "deb"\nchannel = "early"\ncomponents = ["main"]\n'
        'address = "http://{channel}.example/apt"\nsuite = "{codename}"\n'
    )
    post.put(f"{FOLDER}/h.toml", text)
    assert THEIRS in post.run("catalog", "gulls").out
    assert "http://early.example/apt" in post.run("catalog", "gulls", "--channel", "early").out
    said = post.run("add", "gulls", "--channel", "late")
    assert (said.code, "it has steady, early" in said.err) == (2, True)
    assert post.run("add", "gulls", "--channel", "early", "--yes").code == 0
    assert "gullwatch 9-1" in post.run("forecast", "gullwatch").out


@on_deb
def test_names_with_parts(post: Post, signer: Signer) -> None:
    post.publish("yard.example/ann/tides", Item("tides", "1"), signer=signer)
    text = catalog_for(post, signer).replace('name = "gulls"', 'name = "yard/OWNER/NAME"')
    text = text.replace(f"http://{THEIRS}/apt", "http://yard.example/{owner}/{name}/apt")
    post.put(f"{FOLDER}/h.toml", text)
    said = post.run("add", "yard/ann/tides", "--yes")
    assert said.code == 0, said.out + said.err
    assert "http://yard.example/ann/tides/apt" in post.read(f"{SOURCES}/yard-ann-tides.sources")
    for wrong in ("yard", "yard/ann", "yard/ann/a/b", "yard/../x"):
        said = post.run("add", wrong)
        assert (said.code, "yard/OWNER/NAME" in said.err) == (2, True), wrong


def test_a_name_with_parts_as_catalogs_once_had_it_is_read() -> None:
    text = GOOD.replace('"gulls"', '"yard:OWNER/NAME"')
    (source,) = read_catalog(text.encode(), "x", list(ALL_KINDS)).sources
    assert source.name == "yard/OWNER/NAME"


SOURCES = "etc/apt/sources.list.d"


@each_kind
def test_mirrors_are_tried_and_the_choice_is_shown(post: Post, signer: Signer) -> None:
    """The first is gone, the second behind, the third good."""
    without_vendor(post)
    for name, date in (("behind.example", days_ago(9)), ("good.example", time.time() - 99)):
        post.publish(name, Item("gullwatch", "5"), signer=signer, date=date, called="vendor")
    text = catalog_for(post, signer).replace(THEIRS, "gone.example", 1)
    text = re.sub(rf'(address = ".*){THEIRS}', r"\1gone.example", text)
    (address,) = re.findall(r'address = "(.*)"', text)
    text = text.replace("http://gone.example/key.asc", f"http://{THEIRS}/key.asc")
    mirrors = [address.replace("gone.example", name) for name in ("behind.example", "good.example")]
    post.put(f"{FOLDER}/h.toml", text + f"mirrors = {mirrors}\n")
    said = post.run("add", "gulls", "--preview")
    assert said.code == 0, said.out + said.err
    chosen = "behind.example" if post.kind == ALPM else "good.example"
    assert f"taken from http://{chosen}" in said.out
    said = post.run("add", "gulls", "--mirror", "2", "--yes")
    assert said.code == 0, said.out + said.err
    assert any(b"behind.example" in data for name, (data, _) in post.files().items()
               if not name.startswith(FOLDER))  # fmt: skip
    said = post.run("add", "gulls", "--mirror", "7")
    assert (said.code, "is none of its mirrors" in said.err) == (2, True)


@on_deb
def test_the_confinement_it_suggests_is_offered(post: Post, signer: Signer) -> None:
    without_vendor(post)
    more = {"packages": '["gull*"]', "confine": "true"}
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer, **more))
    assert "velpin add gulls --only 'gull*'" in post.run("catalog", "gulls").out
    said = post.run("add", "gulls", "--preview")
    assert "the catalog suggests to let it give only gull*: --only 'gull*'" in said.out
    assert "suggests" not in post.run("add", "gulls", "--only", "gull*", "--preview").out


@on_deb
@pytest.mark.parametrize(
    ("words", "code", "told"),
    [
        (["add", "gulls", "--suite", "quay"], 2, "which says that itself"),
        (["add", "terns", "--channel", "early"], 2, "no catalog has a source 'terns'"),
        (["catalog", "nothing"], 1, "no catalog has anything called nothing"),
        (["catalog", "--key", "x"], 2, "for adding a catalog"),
        (["catalog", "add", WHERE], 2, "signed by which key?"),
        (["catalog", "refresh"], 1, "no catalog of this host is fetched"),
        (["catalog", "write"], 2, "for which sources?"),
    ],
)
def test_words_that_make_no_sense(
    post: Post, signer: Signer, words: list[str], code: int, told: str
) -> None:
    without_vendor(post)
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer))
    said = post.run(*words)
    assert (said.code, told in said.err) == (code, True), said.err


# -- whom to believe -----------------------------------------------------------------------


@on_deb
def test_a_catalog_that_others_may_write_is_not_believed(post: Post, signer: Signer) -> None:
    without_vendor(post)
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer), 0o666)
    said = post.run("catalog")
    assert ("gulls" in said.out, "others may write it" in said.err) == (False, True)
    assert post.run("add", "gulls").code == 2
    assert post.codes() == ["catalog-unread"]


@on_deb
def test_a_catalog_that_is_not_understood_hides_no_other(post: Post, signer: Signer) -> None:
    post.put(f"{FOLDER}/a.toml", "velpin-catalog = 2\n")
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer))
    said = post.run("catalog")
    assert ("gulls" in said.out, "a.toml:1: is no catalog of this version" in said.err) == (
        True, True,
    )  # fmt: skip


@on_deb
def test_catalogs_that_do_not_count_hide_no_other(post: Post, signer: Signer) -> None:
    without_vendor(post)
    text = catalog_for(post, signer)
    for name in ("h", "z"):
        post.put(f"{FOLDER}/{name}.toml", text.replace("gulls", f"gulls-{name}"))
    post.put(f"{FOLDER}/a.toml", text.replace(HEAD, f"{HEAD}expires = 2026-11-01\n"))
    post.put(f"{FOLDER}/i.toml", text, 0o666)
    said = post.run("catalog")
    assert ("gulls-h" in said.out, "gulls-z" in said.out) == (True, True)


@on_deb
@pytest.mark.parametrize(("owner", "is_believed"), [(0, True), (7, True), (8, False)])
def test_whose_catalogs_are_believed(
    post: Post, signer: Signer, monkeypatch: pytest.MonkeyPatch, owner: int, is_believed: bool
) -> None:
    """Those of the user who runs, and of root."""
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer))
    tree = Tree(post.root)
    found = tree.stat(f"{FOLDER}/h.toml")
    assert found is not None
    told = os.stat_result((*found[:4], owner, *found[5:]))
    monkeypatch.setattr(Tree, "stat", lambda _tree, _file: told)
    monkeypatch.setattr(os, "geteuid", lambda: 7)
    said = why_doubted(tree, f"{FOLDER}/h.toml")
    assert said == ("" if is_believed else "belongs to user 8")


# -- from an address -----------------------------------------------------------------------


def publish(post: Post, text: str, signer: Signer) -> None:
    folder = post.www / "catalog.harbour.example"
    folder.mkdir(exist_ok=True)
    (folder / "harbour.toml").write_text(text)
    (folder / "harbour.toml.asc").write_bytes(signer.detached(text.encode()))


@on_deb
def test_a_catalog_is_fetched_and_kept_current(post: Post, signer: Signer, home: Signer) -> None:
    without_vendor(post)
    before = post.files()
    key = post.root.parent / "master.asc"
    key.write_bytes(home.public)
    text = catalog_for(post, signer)
    publish(post, text, home)
    words = ["catalog", "add", WHERE, "--key", str(key)]
    said = post.run(*words, "--fingerprint", home.fingerprint, "--yes")
    assert said.code == 0, said.out + said.err
    assert post.run(*words).code == 1, "it is there already"
    assert "unchanged" in post.run("catalog", "refresh").out
    publish(post, text.replace("2026-11-20", "2026-11-21").replace("counts", "watches"), home)
    assert post.run("catalog", "refresh", "--yes").code == 0
    assert "watches gulls" in post.run("catalog").out
    publish(post, text, home)
    said = post.run("catalog", "refresh", "--yes")
    assert (said.code, "is not newer than the one here" in said.err) == (4, True)
    for _ in range(2):
        assert post.run("undo", "--yes").code == 0
    assert post.files() == before


SERIAL_7 = "issued = 2026-11-20\nserial = 7"
REFUSED = [
    ("serial = 6", "serial number 6, and number 7 was seen"),
    ("serial = 7", "serial number 7, and number 7 was seen"),
    ("", "serial number (none), and number 7 was seen"),
    ('serial = 8\nsummary = "x"\nexpires = 2026-11-01', "expired on 2026-11-01"),
]


@on_deb
@pytest.mark.parametrize(("line", "told"), REFUSED)
def test_an_older_day_of_a_catalog_is_not_taken(
    post: Post, signer: Signer, home: Signer, line: str, told: str
) -> None:
    text = add_catalog(post, signer, home, SERIAL_7)
    later = text.replace(SERIAL_7, f"issued = 2026-11-29\n{line}").replace("counts", "sells")
    publish(post, later, home)
    said = post.run("catalog", "refresh", "--yes")
    assert (said.code, told in said.err) == (4, True), said.err
    assert "counts gulls" in post.run("catalog").out
    # A number that was seen stays seen, though the file is put back by hand.
    post.put(f"{FOLDER}/harbour.toml", text.replace("serial = 7", "serial = 5"))
    assert post.run("catalog", "refresh", "--yes").code == 4
    publish(post, text.replace("serial = 7", "serial = 8").replace("counts", "watches"), home)
    assert post.run("catalog", "refresh", "--yes").code == 0
    assert "watches gulls" in post.run("catalog").out


@on_deb
def test_a_serial_number_that_was_seen_is_not_forgotten(
    post: Post, signer: Signer, home: Signer
) -> None:
    """Neither where the file of an older day was put back by hand and the server gives the same."""
    text = add_catalog(post, signer, home, SERIAL_7)
    older = text.replace("serial = 7", "serial = 5")
    post.put(f"{FOLDER}/harbour.toml", older)
    publish(post, older, home)
    post.run("catalog", "refresh", "--yes")
    publish(post, text.replace("serial = 7", "serial = 6"), home)
    said = post.run("catalog", "refresh", "--yes")
    assert (said.code, "number 7 was seen already" in said.err) == (4, True), said.err


@on_deb
def test_another_catalog_by_the_same_key_is_not_taken(
    post: Post, signer: Signer, home: Signer
) -> None:
    text = add_catalog(post, signer, home, SERIAL_7)
    other = text.replace('name = "harbour"', 'name = "lighthouse"')
    publish(post, other.replace("serial = 7", "serial = 8"), home)
    said = post.run("catalog", "refresh", "--yes")
    assert (said.code, "another catalog by the same key" in said.err) == (4, True)


@on_deb
@pytest.mark.parametrize(("days", "is_believed"), [(-1, False), (0, True), (1, True)])
def test_a_catalog_counts_until_the_day_it_names(
    post: Post, signer: Signer, days: int, is_believed: bool
) -> None:
    day = time.strftime("%Y-%m-%d", time.gmtime(days_ago(-days)))
    text = catalog_for(post, signer)
    post.put(f"{FOLDER}/h.toml", text.replace(HEAD, f"{HEAD}expires = {day}\n"))
    said = post.run("catalog")
    assert ("gulls" in said.out, f"expired on {day}" in said.err) == (is_believed, not is_believed)


def add_catalog(post: Post, signer: Signer, home: Signer, line: str) -> str:
    """Add the catalog that is published, with a line in it; its text."""
    key = post.root.parent / "master.asc"
    key.write_bytes(home.public)
    text = catalog_for(post, signer).replace("issued = 2026-11-20", line)
    publish(post, text, home)
    said = post.run("catalog", "add", WHERE, "--key", str(key), "--yes")
    assert said.code == 0, said.err
    return text


@on_deb
def test_a_catalog_that_has_expired_is_not_added(
    post: Post, signer: Signer, home: Signer, stranger: Signer
) -> None:
    """Of several keys only the one that signed it is kept."""
    key = post.root.parent / "master.asc"
    key.write_bytes(stranger.public + home.public)
    words = ["catalog", "add", WHERE, "--key", str(key), "--yes"]
    text = catalog_for(post, signer)
    publish(post, text.replace(HEAD, f"{HEAD}expires = 2026-11-01\n"), home)
    before = post.files()
    said = post.run(*words)
    assert (said.code, "expired on 2026-11-01" in said.err) == (4, True), said.err
    assert post.files() == before
    publish(post, text, home)
    assert post.run(*words).code == 0
    kept = read_keys((post.root / FOLDER / "harbour.asc").read_bytes(), "")
    assert [one.fingerprint for one in kept] == [home.fingerprint]


@on_deb
def test_only_catalogs_that_were_fetched_can_be_fetched_again(
    post: Post, signer: Signer, home: Signer
) -> None:
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer))
    for words, hint in (([], "velpin catalog add URL"), (["h"], "velpin catalog add URL")):
        said = post.run("catalog", "refresh", *words)
        assert (said.code, hint in said.err) == (1, True), said.err
    add_catalog(post, signer, home, SERIAL_7)
    said = post.run("catalog", "refresh", "h")
    assert (said.code, "there are harbour" in said.err) == (1, True), said.err


@on_deb
def test_a_catalog_without_a_name_does_not_replace_one_with(
    post: Post, signer: Signer, home: Signer
) -> None:
    text = add_catalog(post, signer, home, SERIAL_7)
    nameless = text.replace('name = "harbour"', "").replace("serial = 7", "serial = 8")
    assert 'name = "harbour"' in text
    publish(post, nameless, home)
    said = post.run("catalog", "refresh", "--yes")
    assert (said.code, "it calls itself nothing, not harbour" in said.err) == (4, True), said.err


@on_deb
def test_a_catalog_signed_by_another_is_refused(
    post: Post, signer: Signer, home: Signer, stranger: Signer
) -> None:
    key = post.root.parent / "master.asc"
    key.write_bytes(home.public)
    publish(post, catalog_for(post, signer), stranger)
    said = post.run("catalog", "add", WHERE, "--key", str(key), "--yes")
    assert said.code == 4
    (post.www / "catalog.harbour.example/harbour.toml.asc").unlink()
    said = post.run("catalog", "add", WHERE, "--key", str(key), "--yes")
    assert (said.code, "is not signed" in said.err) == (4, True)
    said = post.run("catalog", "add", WHERE, "--key", str(key), "--fingerprint", PRINT)
    assert (said.code, "does not agree" in said.err) == (4, True)


@on_deb
def test_a_new_version_never_changes_the_host_but_is_told(
    post: Post, signer: Signer, renewed: Signer
) -> None:
    post.put(f"{FOLDER}/h.toml", catalog_for(post, signer))
    assert post.codes() == []
    before = post.files()
    text = catalog_for(post, renewed).replace(f"http://{THEIRS}/apt", f"http://{THEIRS}/apt")
    post.put(f"{FOLDER}/h.toml", text)
    found = post.finding("catalog-differs")
    assert renewed.fingerprint in found["text"]
    assert found["mend"] == (
        f"velpin add vendor --key http://{THEIRS}/key.asc --fingerprint {renewed.fingerprint}"
    )
    moved = catalog_for(post, signer).replace('name = "gulls"', 'name = "vendor"')
    post.put(f"{FOLDER}/h.toml", moved.replace(f"{THEIRS}/apt", f"{HOME}/gulls"))
    found = post.finding("catalog-differs")
    assert f"http://{HOME}/gulls jetty" in found["text"]
    (post.root / FOLDER / "h.toml").unlink()
    del before[f"{FOLDER}/h.toml"]
    assert post.files() == before


NO_KEY = re.compile(r"^(key|fingerprints) = .*\n", re.MULTILINE)
PRINTS = re.compile(r"fingerprints = \[(.*)\]")


@pytest.mark.parametrize(
    ("catalog", "source", "differs"),
    [
        pytest.param(lambda text: text, lambda text: text, [], id="the same"),
        pytest.param(
            lambda text: NO_KEY.sub("", text), lambda text: text, [], id="no key in the catalog"
        ),
        pytest.param(
            lambda text: PRINTS.sub(rf'fingerprints = ["{"A" * 40}", \1]', text),
            lambda text: text,
            [],
            id="one of two keys, the second",
        ),
        pytest.param(
            lambda text: PRINTS.sub(rf'fingerprints = [\1, "{"A" * 40}"]', text),
            lambda text: text,
            [],
            id="one of two keys, the first",
        ),
        pytest.param(
            lambda text: PRINTS.sub(f'fingerprints = ["{"A" * 40}"]', text),
            lambda text: text,
            ["key"],
            id="another key",
        ),
        pytest.param(
            lambda text: PRINTS.sub(f'fingerprints = ["{"A" * 40}"]', text),
            lambda text: text.replace("Signed-By", "Trusted: yes\nX-Was"),
            [],
            id="another key, and the source names none",
        ),
        pytest.param(
            lambda text: text.replace("/apt", "/deb"),
            lambda text: text,
            ["address"],
            id="another address",
        ),
        pytest.param(
            lambda text: text.replace("{codename}", "quay"),
            lambda text: text,
            ["address"],
            id="another suite",
        ),
        pytest.param(
            lambda text: text.replace("{codename}", "quay"),
            lambda text: text.replace("jetty", "quay"),
            [],
            id="the suite of the source",
        ),
        pytest.param(
            lambda text: (
                text.replace(f"{THEIRS}/apt", f"{HOME}/new")
                + f'mirrors = ["http://m.example/x", "http://{THEIRS}/apt"]\n'
            ),
            lambda text: text,
            [],
            id="an address that is a mirror there, the second",
        ),
        pytest.param(
            lambda text: text.replace(f"{THEIRS}/apt", f"{HOME}/$new"),
            lambda text: text,
            [],
            id="an address with a variable of the host's",
        ),
        pytest.param(
            lambda text: PRINTS.sub(f'fingerprints = ["{"A" * 40}"]', text.replace("/apt", "/deb")),
            lambda text: text,
            ["address", "key"],
            id="another address and another key",
        ),
    ],
)
@on_deb
def test_when_a_catalog_differs(
    post: Post, signer: Signer, catalog: Callable[[str], str], source: Callable[[str], str],
    differs: list[str],
) -> None:  # fmt: skip
    text = catalog_for(post, signer).replace('name = "gulls"', 'name = "vendor"')
    post.put(f"{FOLDER}/h.toml", catalog(text))
    post.put(post.source_file, source(post.read(post.source_file)))
    said = post.run("checkup", "--offline", "--json").out
    found = [one for one in json.loads(said)["findings"] if one["code"] == "catalog-differs"]
    whats = ["key" if re.search("[0-9A-F]{40}", one["text"]) else "address" for one in found]
    assert whats == differs


# -- written from a host -------------------------------------------------------------------


@pytest.mark.parametrize("post", [DEB, *RPM], indirect=True)
def test_an_entry_made_from_a_source_adds_that_source(post: Post) -> None:
    written = post.run("catalog", "write", "vendor")
    assert written.code == 0, written.err
    variable = "{codename}" if post.kind == DEB else "{release}"
    assert variable in written.out
    forecast = post.forecast("gullwatch")
    without_vendor(post)
    post.put(f"{FOLDER}/own.toml", written.out)
    said = post.run("add", "vendor", "--yes")
    assert said.code == 0, said.out + said.err
    again = post.forecast("gullwatch")
    asked = [found.pop("questions") for found in (forecast, again)]
    assert again == forecast
    prints = [[question.get("fingerprint") for question in questions] for questions in asked]
    assert prints[0] == prints[1]  # the key has another file now


# -- the format ----------------------------------------------------------------------------


GOOD = HEAD + SOURCE + PLACE
BAD = [
    ("", 1, "says no version", "velpin-catalog = 1"),
    ("velpin-catalog = 2\n", 1, "no catalog of this version", ""),
    ("# h\n\nvelpin-catalog = 2\n", 3, "no catalog of this version", ""),
    ("velpin-catalog = 1\nname = 3\n", 2, "name is not a text", 'name = "..."'),
    ("velpin-catalog = 1\nissued = 3\n", 2, "issued is not a day", ""),
    ("velpin-catalog = 1\nsauce = 3\n", 2, "sauce means nothing here", "did you mean source?"),
    ("velpin-catalog = 1\nname = \n", 2, "Invalid value", "TOML"),
    ("velpin-catalog = 1\nsource = 1\n", 2, "not a list of tables", "[[source]]"),
    (HEAD + "\n[[source]]\n" + PLACE, 5, "name is missing", ""),
    (GOOD.replace('"gulls"', '"Gulls!"'), 6, "cannot be a name", ""),
    (GOOD.replace('"gulls"', '"refresh"'), 6, "cannot be a name", ""),
    (GOOD.replace('"gulls"', '"yard/owner"'), 6, "its parts are no names", "yard/OWNER/NAME"),
    (GOOD.replace('"gulls"', '"yard/OWNER/OWNER"'), 6, "its parts are no names", ""),
    (GOOD + SOURCE + PLACE, 14, "stands at line 5 already", ""),
    (HEAD + SOURCE, 5, "gulls says no place", "[[source.place]]"),
    (GOOD.replace('kind = "deb"\n', ""), 8, "kind is missing", "alpm"),
    (GOOD.replace('"deb"', '"dep"'), 9, "no kind of host is called 'dep'", ""),
    (GOOD.replace("http://x.example", "x.example"), 10, "is not an address", ""),
    (GOOD.replace("{codename}", "{release}{year}"), 11, "{year} is no variable", "{codename}"),
    (GOOD + 'components = "main"\n' + 'suite2 = "x"\n', 13, "suite2 means nothing", "suite?"),
    (GOOD.replace("{codename}", "./") + 'components = ["main"]\n', 12, "takes no components", ""),
    (GOOD + 'channel = "early"\n', 12, "is no channel of it", ""),
    (GOOD + "mirrors = [1]\n", 12, "not a list of texts", ""),
    (HEAD + SOURCE + 'key = "http://x.example/k"\n' + PLACE, 7, "without its fingerprint", ""),
    (HEAD + SOURCE + 'fingerprints = ["abc"]\n' + PLACE, 7, "is no fingerprint", "40"),
    (HEAD + SOURCE + f'fingerprints = ["{PRINT}"]\nkey = "k.asc"\n' + PLACE, 8,
     "neither an address nor an armoured key", ""),
    (HEAD + SOURCE + "confine = true\n" + PLACE, 7, "confined to which packages?", ""),
    (HEAD + SOURCE + 'confine = "yes"\n' + PLACE, 7, "neither true nor false", ""),
    (HEAD + SOURCE + 'channels = ["a b"]\n' + PLACE, 7, "cannot be the name of a channel", ""),
]  # fmt: skip


def test_a_good_catalog_is_read() -> None:
    found = read_catalog(GOOD.encode(), "h.toml", list(ALL_KINDS))
    assert (found.name, found.issued, len(found.sources)) == ("harbour", "2026-11-20", 1)
    assert found.sources[0].channels == ("steady",)


@pytest.mark.parametrize(("text", "line", "what", "hint"), BAD)
def test_what_is_wrong_in_a_catalog_is_told_with_its_line(
    text: str, line: int, what: str, hint: str
) -> None:
    with pytest.raises(HostFileError) as found:
        read_catalog(text.encode(), "h.toml", list(ALL_KINDS))
    assert (found.value.line, what in found.value.what) == (line, True), found.value
    assert hint in found.value.hint
