"""Changing rpm hosts: sources added and looked at first, rules made and taken back, undo."""

from __future__ import annotations

import json
import os
import random
import shutil
import ssl
import tarfile
import threading
from collections.abc import Iterator
from functools import partial
from http.server import SimpleHTTPRequestHandler, ThreadingHTTPServer
from itertools import permutations
from pathlib import Path

import pytest

from tests.harbours import DNF, RPM, ZYPP, RpmHarbour
from tests.installer.rpm_drawn import NAMES, RpmDrawn
from velpin.core.shift import shift_between
from velpin.demo.rpm_files import DemoRpm as P
from velpin.demo.rpm_files import write_rpm_repository
from velpin.demo.signer import Signer
from velpin.fetch.download import Certificates
from velpin.files.tree import Tree
from velpin.host.host import Host
from velpin.host.opening import open_host
from velpin.kinds import open_ports
from velpin.kinds.rpm_zypp.config import library_files, read_config
from velpin.model.rule import Bar, Confine, Keep, Pin, Prefer, Rule, words_of
from velpin.model.shift import ChangedAnswer
from velpin.ports.view import View
from velpin.store.cache import open_cache

BOTH = pytest.mark.parametrize("kind", [DNF, ZYPP])
HOSTS = int(os.environ.get("VELPIN_DRAWN_HOSTS", "8"))


def opened(harbour: RpmHarbour) -> Host:
    return open_host(harbour.root)


def files_of(harbour: RpmHarbour) -> dict[str, bytes]:
    """Every file of the host's configuration."""
    return {
        str(path.relative_to(harbour.root)): path.read_bytes()
        for path in sorted((harbour.root / "etc").rglob("*"))
        if path.is_file()
    }


# -- adding ----------------------------------------------------------------------------------


@pytest.fixture(params=[DNF, ZYPP])
def vendor(request: pytest.FixtureRequest, tmp_path: Path, signer: Signer) -> RpmHarbour:
    """A host with a base; a vendor's signed repository, its key and its snippet beside it."""
    harbour = RpmHarbour(tmp_path, request.param)
    harbour.source("base", P("gull", "1-1"), P("tern", "1-1"))
    harbour.installed(P("tern", "1-1"))
    harbour.put("etc/zypp/zypp.conf", "[main]\nsolver.allowVendorChange = true\n") if (
        request.param == ZYPP
    ) else None
    made = write_rpm_repository(
        tmp_path / "vendor", [P("gull", "2-1"), P("tern", "2-1"), P("tool", "5-1")],
        sign=signer.detached,
    )  # fmt: skip
    (tmp_path / "right.asc").write_bytes(signer.public)
    (tmp_path / "vendor.repo").write_text(
        f"# from the page\n[gullwatch]\nname=Gulls\nbaseurl=file://{made}\nenabled=1\n"
        f"gpgcheck=1\nrepo_gpgcheck=1\nx-unknown = kept\ngpgkey=https://gullwatch.example/key\n"
    )
    return harbour.refresh()


def test_a_snippet_with_its_key(vendor: RpmHarbour, signer: Signer) -> None:
    before = files_of(vendor)
    snippet, key = str(vendor.folder / "vendor.repo"), str(vendor.folder / "right.asc")
    words = ["add", snippet, "--key", key, "--fingerprint", signer.fingerprint, "--for", "gull"]
    code, out, told = vendor.run(*words, "--preview")
    assert (code, files_of(vendor)) == (0, before)
    code, out, told = vendor.run(*words, "--yes")
    assert code == 0, told
    for text in ("signs the index of this source", "its fingerprint is the one you gave", "2-1 from gullwatch",
                 "gullwatch would take over tern, which you did not name", "velpin undo 1"):  # fmt: skip
        assert text in out
    written = vendor.read(f"{vendor.sources}/gullwatch.repo")
    assert written.startswith("# added by velpin\n[gullwatch]\nname=Gulls\nbaseurl=file://")
    assert "x-unknown=kept\n" in written
    assert "gpgkey=file:///etc/pki/rpm-gpg/RPM-GPG-KEY-gullwatch\n" in written
    assert vendor.forecast("tool")["answers"][0]["source"] == "gullwatch"
    code, out, _ = vendor.run("keys", "--full")
    assert (code, "may sign gullwatch" in out) == (0, True)
    assert vendor.run(*words, "--yes")[1].startswith("✓ unchanged")
    assert vendor.run("undo", "--yes")[0] == 0
    assert files_of(vendor) == before


def test_a_wrong_key_and_a_wrong_fingerprint(vendor: RpmHarbour, stranger: Signer) -> None:
    before = files_of(vendor)
    (vendor.folder / "wrong.asc").write_bytes(stranger.public)
    snippet, wrong = str(vendor.folder / "vendor.repo"), str(vendor.folder / "wrong.asc")
    code, _, told = vendor.run("add", snippet, "--key", wrong, "--yes")
    assert code == 4
    assert told.endswith(
        ", which is not named for this source\n  get that key from the vendor, and give it: --key FILE-or-URL\n"
    )
    code, _, told = vendor.run(
        "add", snippet, "--key", wrong, "--fingerprint", "A" * 40, "--yes"
    )  # fmt: skip
    assert (code, "does not agree" in told) == (4, True)
    assert files_of(vendor) == before


def test_a_changed_list_is_not_taken(vendor: RpmHarbour) -> None:
    snippet, key = str(vendor.folder / "vendor.repo"), str(vendor.folder / "right.asc")
    repodata = vendor.folder / "vendor/repodata"
    primary = next(repodata.glob("*primary*"))
    whole = primary.read_bytes()
    primary.write_bytes(whole[:-9] + b"changed!!")
    assert vendor.run("add", snippet, "--key", key, "--yes")[0] == 4
    primary.write_bytes(whole[: len(whole) // 2])
    assert vendor.run("add", snippet, "--key", key, "--yes")[0] in (4, 5)
    primary.write_bytes(whole)
    assert vendor.run("add", snippet, "--key", key, "--yes")[0] == 0
    (repodata / "repomd.xml").write_bytes((repodata / "repomd.xml").read_bytes() + b"\n")
    code, _, told = vendor.run("refresh", "gullwatch")
    assert code == 4, told
    assert vendor.forecast("tool")["ok"]


@BOTH
def test_by_address_and_what_speaks_against_it(tmp_path: Path, kind: str) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("base", P("gull"))
    harbour.installed(P("tern"))
    harbour.refresh()
    other = harbour.repository("foreign", P("gull", arch="s390x"))
    address = f"file://{other}"
    code, out, told = harbour.run("add", "foreign", "--url", address, "--yes")
    if kind == ZYPP:  # where signed indexes are asked for unless a section says otherwise
        asks = "is not signed, and foreign asks for a signed index\n"
        assert (code, asks in told) == (4, True)
        return
    assert (code, "nothing for x86_64" in out) == (1, True)
    code, out, _ = harbour.run("add", "foreign", "--url", address, "--yes", "--anyway")
    assert (code, "no key here is named for it" in out) == (0, True)
    again = harbour.run("add", "twice", "--url", address, "--yes")
    assert (again[0], "on this host already, as foreign" in again[2]) == (1, True)
    assert harbour.run("add", "base", "--url", "file:///x", "--yes")[0] == 1
    assert harbour.run("add", "x y", "--url", "file:///x", "--yes")[0] == 2
    assert harbour.run("add", "x", "--url", "file:///x", "--suite", "s", "--yes")[0] == 2
    assert harbour.run("add", "x", "--url", "no-scheme", "--yes")[0] == 2
    assert harbour.run("add", "x", "--url", "file:///nowhere", "--yes")[0] == 1


@pytest.mark.parametrize(
    ("snippet", "code", "what"),
    [
        ("[a]\nname=x\n", 3, "has no baseurl"),
        ("just words\n", 2, "names no source"),
        ("[a]\nbaseurl=http://a.example\n[a", 3, "3"),
        ("[a]\nbaseurl=http://a.example\n[b]\nbaseurl=http://b.example\n", 2, "several sources"),
    ],
)
def test_snippets_that_say_too_little(tmp_path: Path, snippet: str, code: int, what: str) -> None:
    harbour = RpmHarbour(tmp_path)
    file = tmp_path / "x.repo"
    file.write_text(snippet)
    found, _, told = harbour.run("add", str(file), "--name", "mine", "--yes")
    assert (found, what in told) == (code, True), told


def test_a_snippet_as_vendors_print_it(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    made = harbour.repository("vendor", P("tool"))
    text = f"cat > /etc/yum.repos.d/v.repo <<EOF\n[v]\nbaseurl=file://{made}\ngpgcheck=0\nEOF\n"
    (tmp_path / "page.txt").write_text(text)
    code, out, told = harbour.run("add", str(tmp_path / "page.txt"), "--yes")
    assert (code, "no signature of v is checked" in out) == (0, True), told
    assert harbour.forecast("tool")["answers"][0]["source"] == "v"


@pytest.mark.parametrize(
    ("address", "says"),
    [
        ("el$relesever", "nothing here sets $relesever; did you mean releasever?"),
        ("el${basearhc}/x", "nothing here sets $basearhc; did you mean basearch?"),
        ("$zzzzzz", "nothing here sets $zzzzzz\n"),
        ("$channel/$zzz", "nothing here sets $zzz\n"),
        ("$releasever/$basearch", "repomd.xml"),
    ],
)
def test_a_variable_in_an_address_that_nothing_sets(
    tmp_path: Path, address: str, says: str
) -> None:
    harbour = RpmHarbour(tmp_path, DNF)
    harbour.put("etc/dnf/vars/channel", "fresh\n")
    (tmp_path / "new.repo").write_text(f"[new]\nbaseurl=file://{tmp_path}/none/{address}\n")
    code, out, _ = harbour.run("add", str(tmp_path / "new.repo"), "--preview")
    assert code == 1
    assert f"new has nothing for this host: {says}" in out or (
        says == "repomd.xml" and says in out and "nothing here sets" not in out
    )


def test_a_key_for_a_source_that_is_there(tmp_path: Path, signer: Signer) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source(
        "base", P("gull"), settings="gpgcheck=1\nrepo_gpgcheck=1\n", sign=signer.detached
    )
    assert harbour.run("refresh")[0] == 4
    key = tmp_path / "key.asc"
    key.write_bytes(signer.public)
    code, out, told = harbour.run("add", "base", "--key", str(key), "--yes")
    assert (code, "signs the index of this source" in out) == (0, True), told
    assert harbour.refresh().forecast("gull")["ok"]
    found = json.loads(harbour.run("sources", "--json")[1])["sources"][0]
    assert (found["handle"], found["copy"]) == ("base", "velpin")


def test_unsigned_where_a_signature_is_asked_for(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("base", P("gull"), settings="repo_gpgcheck=1\n")
    code, _, told = harbour.run("refresh")
    assert (code, "is not signed, and base asks for a signed index\n" in told) == (4, True)


# -- rules --------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("kind", "rule", "line"),
    [
        (DNF, "prefer one --over two", "priority=98"),
        (DNF, "confine two gull 't*'", "includepkgs=gull t*"),
        (DNF, "bar gull --from two", "excludepkgs=gull"),
        (DNF, "bar gull@2", "excludepkgs=gull-2"),
        (DNF, "bar --from two --pre-releases", "excludepkgs=*-*~*-*"),
        (DNF, "keep tern", "excludepkgs=tern-[123456789]:*"),
        (DNF, "pin gull --from one", "excludepkgs=gull"),
        (ZYPP, "prefer one --over-all", "priority=98"),
        (ZYPP, "prefer two --under one", "priority=100"),
        (ZYPP, "bar gull --from two", "solvable_name: gull\nrepo: two"),
        (ZYPP, "bar 'gull@>=2'", "version: >= 2"),
        (ZYPP, "keep tern", "solvable_name: tern"),
        (ZYPP, "pin gull@1-1", "version: > 1-1\nrepo: one\nrepo: two"),
    ],
)
def test_a_rule_is_written_and_lifted(tmp_path: Path, kind: str, rule: str, line: str) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("one", P("gull", "1-1"), P("tern", "1-1"))
    harbour.source("two", P("gull", "2-1"), P("tern", "2-1"), P("gull", "3~rc1-1"))
    harbour.installed(P("tern", "1-1"))
    harbour.refresh()
    before = files_of(harbour)
    words = [one.strip("'") for one in rule.split()]
    code, out, told = harbour.run(*words, "--yes")
    assert code == 0, out + told
    text = "\n".join(data.decode() for data in files_of(harbour).values())
    assert line in text
    assert f"# velpin {rule}" in text
    assert rule in harbour.run("rules")[1]
    assert harbour.run(*words, "--yes")[1].startswith("✓ unchanged")
    assert harbour.run(*words, "--lift", "--yes")[0] == 0
    left = {name: data for name, data in files_of(harbour).items() if data.strip()}
    assert left == before
    assert harbour.run("undo", "2", "--yes")[0] == 0
    assert harbour.run("undo", "1", "--yes")[0] == 0
    assert files_of(harbour) == before


@pytest.mark.parametrize(
    ("kind", "rule", "what"),
    [
        (DNF, "pin gull@>=2", "cannot match gull by a bound"),
        (DNF, "pin gull@9", "no source has gull in version 9"),
        (DNF, "pin tern@0.5", "no rule on this kind of host downgrades it"),
        (DNF, "bar gull --from two --component x", "have no components"),
        (DNF, "keep gull", "is not installed"),
        (DNF, "prefer one --over one", "no source other than one itself"),
        (DNF, "prefer one --over two --foremost", "means nothing here"),
        (ZYPP, "confine two gull", "velpin prefer two --under one"),
        (ZYPP, "pin gull@2*", "velpin pin gull@2"),
        (ZYPP, "bar --pre-releases --from two", "cannot bar pre-releases"),
        (ZYPP, "pin gull:x86_64@2", "have no architecture"),
    ],
)
def test_what_cannot_be_said_is_refused(tmp_path: Path, kind: str, rule: str, what: str) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    harbour.source("one", P("gull", "1-1"), P("tern", "0.5-1"))
    harbour.source("two", P("gull", "2-1"))
    harbour.installed(P("tern", "1-1"))
    before = files_of(harbour.refresh())
    code, out, told = harbour.run(*rule.split(), "--yes")
    assert (code in (1, 2), what in out + told) == (True, True), out + told
    assert files_of(harbour) == before


def test_rules_that_contradict_each_other(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", P("gull", "1-1"))
    harbour.source("two", P("gull", "2-1"), settings="priority=10\n")
    harbour.refresh()
    assert harbour.run("prefer", "one", "--over", "two", "--yes")[0] == 0
    assert "priority=9\n" in harbour.read("etc/yum.repos.d/one.repo")
    code, _, told = harbour.run("prefer", "two", "--over", "one", "--yes")
    assert (code, "contradicts an earlier rule" in told) == (1, True)
    assert harbour.run("rules", "drop", "1", "--yes")[0] == 0
    assert "priority" not in harbour.read("etc/yum.repos.d/one.repo")


@pytest.mark.parametrize("kind", RPM)
@pytest.mark.parametrize("order", list(permutations(("a b", "b c", "c d"))))
def test_preferences_in_a_row_hold_in_whatever_order_they_came(
    tmp_path: Path, kind: str, order: tuple[str, ...]
) -> None:
    harbour = RpmHarbour(tmp_path, kind)
    for name in "dcba":
        harbour.source(name, P("gull", "1-1"), settings="gpgcheck=0\npriority=50\n")
    harbour.refresh()
    rules = [Prefer(pair[0], (pair[-1],)) for pair in order]
    host = harbour.host()
    after = host.considering(host.rules.plan(rules))
    ranks = {one.source.handle: one.priorities[0].priority for one in after.sources.statuses()}
    assert ranks["a"] < ranks["b"] < ranks["c"] < ranks["d"]


def test_rules_of_others_are_listed_and_dropped(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("one", P("gull"), settings="priority=7\nexcludepkgs=gull\n    nobody\n")
    harbour.put("etc/dnf/dnf.conf", "[main]\nexclude=gull*\n# mine\n")
    rules = json.loads(harbour.refresh().run("rules", "--json")[1])["rules"]
    assert [one["place"] for one in rules] == [
        "etc/yum.repos.d/one.repo:5", "etc/yum.repos.d/one.repo:6", "etc/dnf/dnf.conf:2",
    ]  # fmt: skip
    assert harbour.run("rules", "drop", "etc/yum.repos.d/one.repo:6", "--yes")[0] == 0
    assert "nobody" not in harbour.read("etc/yum.repos.d/one.repo")
    assert harbour.run("rules", "drop", "etc/dnf/dnf.conf:2", "--yes")[0] == 0
    assert harbour.read("etc/dnf/dnf.conf") == "[main]\n# mine\n"
    assert harbour.run("rules", "drop", "etc/dnf/dnf.conf:1", "--yes")[0] == 1


def drawn_rules(harbour: RpmHarbour, pick: random.Random) -> Iterator[Rule]:
    """Rules without end, most of which make sense."""
    host = opened(harbour)
    while True:
        one, other = pick.sample([source.handle for source in host.sources], 2)
        name = pick.choice([*NAMES, "a*"])
        version = f"{pick.randint(1, 4)}" + pick.choice(["", "-1", "-2"])
        yield pick.choice([
            Prefer(one, (other,)), Prefer(one, under=(other,)),
            Prefer(one, over_all=True), Confine(one, (name,)),
            Bar((name,), source=one), Bar((name,), version), Keep((name,)),
            Pin((name,), version), Pin((name,), source=one),
        ])  # fmt: skip


@pytest.mark.slow
@BOTH
@pytest.mark.parametrize("seed", range(HOSTS))
def test_made_is_shown_and_undone_is_as_before(tmp_path: Path, kind: str, seed: int) -> None:
    harbour = RpmDrawn(seed, tmp_path, kind).harbour.refresh()
    pick = random.Random(seed)
    states = [files_of(harbour)]
    for _, rule in zip(range(6), drawn_rules(harbour, pick), strict=False):
        code, out, told = harbour.run(*words_of(rule), "--yes")
        if code or out.startswith("✓ unchanged"):
            assert code in (0, 1, 2), told
            assert files_of(harbour) == states[-1]
            continue
        states.append(files_of(harbour))
        assert shown(opened(harbour), rule), rule
    for state in reversed(states[:-1]):
        assert harbour.run("undo", "--yes")[0] == 0
        assert files_of(harbour) == state


def shown(host: Host, rule: Rule) -> bool:
    """Whether offers and single answers show a rule."""
    for name in NAMES:
        offers = [
            one for one in host.packages.offers([name]) if one.state in ("chosen", "candidate")
        ]
        chosen = next((one for one in offers if one.state == "chosen" and one.source), None)
        if chosen is None or (name not in rule.names and rule.names != ("a*",) and rule.names):
            continue
        installed = name in host.packages.installed_names()
        if (
            rule.kind == "bar"
            and rule.source
            and name in rule.names
            and chosen.source == rule.source
        ):
            return installed and chosen.installed
        if rule.kind == "pin" and name in rule.names and rule.version and not chosen.installed:
            return chosen.version.startswith(rule.version)
        if rule.kind == "keep" and name in rule.names:
            return chosen.installed
    return True


@pytest.mark.slow
@BOTH
@pytest.mark.parametrize("seed", range(HOSTS))
def test_the_pass_over_all_names_is_what_single_answers_say(
    tmp_path: Path, kind: str, seed: int
) -> None:
    harbour = RpmDrawn(seed + 1000, tmp_path, kind).harbour.refresh()
    pick = random.Random(seed)
    before = opened(harbour)
    handle = before.sources[0].handle
    number = pick.choice((1, 60, 200))
    text = harbour.read(f"{harbour.sources}/{handle}.repo")
    edits: dict[str, bytes | None] = pick.choice([
        before.sources.plan_switch(handle, False).edits,
        {f"{harbour.sources}/{handle}.repo": f"{text}\npriority={number}\n".encode()},
        {"etc/dnf/dnf.conf": b"[main]\ngpgcheck=0\nexclude=a* b-2*\n",
         "etc/zypp/locks": b"solvable_name: a\n\nsolvable_name: b\nversion: < 3\n"},
    ])  # fmt: skip
    after = before.with_edits(edits)
    shift = shift_between(before._ports, after._ports)
    tree = Tree(harbour.root)
    was = open_ports(View(tree, open_cache(tree)))
    now = was.with_edits(edits)
    single = []
    for name in NAMES:
        one, other = was.answers.first(name), now.answers.first(name)
        if name not in before.packages.installed_names() and one != other:
            single.append(ChangedAnswer(name, one, other))
    assert list(shift.answers) == single


# -- files that others write ---------------------------------------------------------------


def test_a_source_of_a_service_is_named_as_such(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, ZYPP)
    harbour.source("pier:main", P("gull"), settings="gpgcheck=0\nservice=pier\n")
    harbour.source("own", P("tern"))
    harbour.refresh()
    told = "pier:main belongs to the service pier, which writes it anew"
    assert told in harbour.run("sources")[2]
    for words in (
        ("off", "pier:main"),
        ("prefer", "pier:main", "--over", "own"),
        ("drop", "pier:main"),
    ):
        code, out, _ = harbour.run(*words, "--preview")
        assert (code, "whether it is on and its signature checks survive" in out) == (0, True), (
            words
        )
    assert "belongs to" not in harbour.run("off", "own", "--preview")[1]


def test_a_file_that_a_program_manages_is_told_before_it_is_edited(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("base", P("gull"))
    harbour.refresh()
    file = "etc/yum.repos.d/base.repo"
    harbour.put(file, f"# a comment\n# Managed by the pier's registration\n{harbour.read(file)}")
    assert (
        f"{file}:2: says of this file: Managed by the pier's registration"
        in harbour.run("sources")[2]
    )
    out = harbour.run("off", "base", "--preview")[1]
    assert f"{file}:2 says: Managed by the pier's registration" in out


def test_a_main_section_in_a_source_file_is_no_source(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    harbour.source("base", P("gull"))
    harbour.put("etc/yum.repos.d/x.repo", "[main]\ngpgcheck=1\nbaseurl=file:///x\n")
    assert [
        one["handle"] for one in json.loads(harbour.run("sources", "--json")[1])["sources"]
    ] == ["base"]


# -- certificates --------------------------------------------------------------------------


@pytest.fixture
def https(tmp_path: Path) -> Iterator[tuple[Path, int]]:
    """Certificates made up for this test, and the port of a server that asks for the client's."""
    with tarfile.open(Path(__file__).parent / "data" / "certificates.tar.xz") as archive:
        archive.extractall(tmp_path / "tls", filter="data")
    context = ssl.create_default_context(ssl.Purpose.CLIENT_AUTH, cafile=tmp_path / "tls/ca.pem")
    context.verify_mode = ssl.CERT_REQUIRED
    context.load_cert_chain(tmp_path / "tls/server.pem", tmp_path / "tls/server.key")
    handler = partial(SimpleHTTPRequestHandler, directory=str(tmp_path / "host/repos"))
    handler.log_message = lambda *_: None  # type: ignore[attr-defined]
    with ThreadingHTTPServer(("127.0.0.1", 0), handler) as server:
        server.socket = context.wrap_socket(server.socket, server_side=True)
        thread = threading.Thread(target=server.serve_forever, daemon=True)
        thread.start()
        yield tmp_path / "tls", server.server_address[1]
        server.shutdown()
        thread.join()


CLIENT = "sslclientcert=/etc/tls/client.pem\nsslclientkey=/etc/tls/client.key\nsslcacert=/etc/tls/ca.pem\n"


@pytest.mark.parametrize(
    ("section", "main", "told"),
    [
        (CLIENT, "", ""),
        ("", CLIENT, ""),
        ("sslcacert=/etc/tls/ca.pem\n", "", "base"),
        ("", "", "its certificate is not accepted"),
        (CLIENT.replace("client.key", "gone.key"), "", "etc/tls/gone.key is not there"),
    ],
)
def test_a_source_that_asks_for_a_certificate(
    tmp_path: Path, https: tuple[Path, int], section: str, main: str, told: str
) -> None:
    folder, port = https
    harbour = RpmHarbour(tmp_path / "host")
    harbour.repository("base", P("gull"))
    shutil.copytree(folder, harbour.root / "etc/tls")
    harbour.put("etc/dnf/dnf.conf", f"[main]\ngpgcheck=0\n{main}")
    address = f"https://127.0.0.1:{port}/base"
    harbour.put("etc/yum.repos.d/base.repo", f"[base]\nbaseurl={address}\nenabled=1\n{section}")
    harbour.put("etc/velpin/velpin.toml", "[refresh]\nretries = 0\n")
    code, out, said = harbour.run("refresh")
    assert (code == 0) == (not told), out + said
    assert told in out + said


def test_a_host_of_the_generation_before_is_read_and_told(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path)
    shutil.rmtree(harbour.root / "etc/dnf")
    harbour.put("etc/yum.conf", "[main]\ngpgcheck=0\nexclude=tern\n")
    harbour.source("base", P("gull"), P("tern"))
    code, out, _ = harbour.refresh().run("forecast", "gull")
    assert code == 0
    assert "is of an older generation (its settings lie in etc/yum.conf)" in out
    assert "velpin rules drop etc/yum.conf:3" in harbour.run("forecast", "tern")[1]
    assert harbour.run("bar", "gull@1.0-1", "--yes")[0] == 0
    assert "excludepkgs=gull-1.0-1" in harbour.read("etc/yum.conf")


def test_a_source_of_a_type_that_is_not_read_is_told_as_such(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, ZYPP)
    harbour.source("base", P("gull"))
    harbour.source("other", P("gull", "2-1"), settings="gpgcheck=0\ntype=yast2\n")
    harbour.source("new", P("gull", "3-1"))
    code, out, told = harbour.run("refresh", "base", "other")
    assert code == 0, out + told
    assert "is of type yast2, which is not read here" in out + told
    why = "other is of type yast2, whose lists velpin does not read"
    out = harbour.run("forecast", "gull")[1]
    assert (why in out, "no index of new yet" in out, "no index of other" in out) == (
        True,
        True,
        False,
    )
    assert f"gull%other: {why}" in harbour.run("forecast", "gull%other")[1]
    assert "new has no index here yet" in harbour.run("forecast", "gull%new")[1]
    harbour.run("off", "new", "--yes")
    assert "new is switched off" in harbour.run("forecast", "gull%new")[1]
    assert "of a form that velpin does not read" in harbour.run("offers", "--from", "other")[2]


def test_settings_of_vendor_and_host(tmp_path: Path) -> None:
    tree = Tree(tmp_path)
    assert library_files(tree) == ["etc/zypp/zypp.conf"]
    for name in ("usr/share/zypp/zypp.conf", "usr/etc/zypp/zypp.conf.d/b.conf",
                 "usr/etc/zypp/zypp.conf.d/a.conf", "etc/zypp/zypp.conf.d/b.conf",
                 "etc/zypp/zypp.conf.d/x.txt"):  # fmt: skip
        (tmp_path / name).parent.mkdir(parents=True, exist_ok=True)
        (tmp_path / name).write_text("[main]\nsolver.onlyRequires = true\n")
    drops = ["usr/etc/zypp/zypp.conf.d/a.conf", "etc/zypp/zypp.conf.d/b.conf"]
    assert library_files(tree) == ["usr/share/zypp/zypp.conf", *drops]
    assert read_config(tree, {}).switch("solver.onlyRequires", False)
    (tmp_path / "etc/zypp/zypp.conf").write_text("")
    (tmp_path / drops[0]).unlink()
    (tmp_path / drops[1]).write_text("")
    assert library_files(tree) == ["etc/zypp/zypp.conf", drops[1]]
    assert not read_config(tree, {}).switch("solver.onlyRequires", False)


@pytest.mark.parametrize(
    ("url", "fits"),
    [
        ("https://pier.example/x/repodata/repomd.xml", True),
        ("https://pier.example/x", True),
        ("https://pier.example/xy", False),
        ("https://pier.example.other/x", False),
        ("http://pier.example/x", False),
    ],
)
def test_certificates_are_shown_to_their_own_address_alone(url: str, fits: bool) -> None:
    assert Certificates("https://pier.example/x").fit(url) is fits
    assert not Certificates("https://pier.example").fit("https://pier.example.other/x")
