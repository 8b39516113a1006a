"""Refreshing: every link of the chain of trust, and what a failure leaves behind."""

from __future__ import annotations

import hashlib
import lzma
import re
import shutil
import time
from pathlib import Path

import pytest

from tests.harbours import DNF, DebHarbour, RpmHarbour, weaken
from velpin.demo.rpm_files import DemoRpm
from velpin.demo.signer import Signer
from velpin.errors import VelpinError
from velpin.kinds.deb.copies import list_name
from velpin.kinds.deb.refresh import DebRefreshed

DAY = 86400.0


@pytest.fixture
def signed(harbour: DebHarbour, signer: Signer) -> DebHarbour:
    """A source `gullwatch`, signed and its key named."""
    address = harbour.repository("gullwatch", ("gull", "1"), signer=signer)
    harbour.put("usr/share/keyrings/gullwatch.asc", signer.public)
    harbour.source_at("gullwatch", address, signed_by="/usr/share/keyrings/gullwatch.asc")
    return harbour


def dists(harbour: DebHarbour) -> Path:
    return harbour.folder / "repos/gullwatch/dists/jetty"


def fetched(harbour: DebHarbour, now: float | None = None) -> DebRefreshed:
    return harbour.refreshed(now)["gullwatch"]


def failed(harbour: DebHarbour, kind: str, said: str, now: float | None = None) -> VelpinError:
    """The refresh fails so, and what was known before is still known."""
    before = harbour.host().packages.offers(["gull"])
    error = fetched(harbour, now).error
    assert error is not None
    assert type(error).__name__ == kind, error
    assert said in error.message, error.message
    assert harbour.host().packages.offers(["gull"]) == before
    return error


def version(harbour: DebHarbour) -> str | None:
    return harbour.host().forecast(["gull"]).answers[0].version


def test_new_then_unchanged_then_new(signed: DebHarbour, signer: Signer) -> None:
    assert fetched(signed).outcome == "new"
    assert version(signed) == "1"
    again = fetched(signed)
    assert (again.outcome, again.bytes) == ("unchanged", 0)
    signed.repository("gullwatch", ("gull", "2"), signer=signer)
    assert fetched(signed).outcome == "new"
    assert version(signed) == "2"
    (folder,) = (signed.root / "var/cache/velpin/fetched").iterdir()
    assert len(list(folder.iterdir())) == 3


@pytest.mark.parametrize("form", ["InRelease", "Release"])
def test_either_form_of_signature(signed: DebHarbour, form: str) -> None:
    for name in {"InRelease": ["Release", "Release.gpg"], "Release": ["InRelease"]}[form]:
        (dists(signed) / name).unlink()
    assert fetched(signed).error is None
    assert version(signed) == "1"


def test_a_key_that_is_not_named(signed: DebHarbour, stranger: Signer) -> None:
    fetched(signed)
    signed.repository("gullwatch", ("gull", "2"), signer=stranger)
    error = failed(signed, "MissingKey", "names the key ")
    assert "velpin add gullwatch --key FILE-or-URL" in error.hint


@pytest.mark.parametrize(
    ("how", "works"),
    [("file", True), ("binary", True), ("fingerprint", True), ("embedded", True), ("common", True),
     ("none", False), ("missing", False), ("other fingerprint", False), ("junk", False)],
)  # fmt: skip
def test_the_ways_to_name_a_key(
    harbour: DebHarbour, signer: Signer, stranger: Signer, how: str, works: bool
) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"), signer=signer)
    import pysequoia

    binary = bytes(pysequoia.Cert.from_bytes(signer.public))
    value = {"file": "/k.asc", "binary": "/k.gpg", "missing": "/no.gpg", "junk": "/junk.gpg",
             "fingerprint": signer.fingerprint, "other fingerprint": stranger.fingerprint}.get(how, "")  # fmt: skip
    harbour.put("k.asc", signer.public)
    harbour.put("k.gpg", binary)
    harbour.put("junk.gpg", "no key at all")
    if how in ("fingerprint", "other fingerprint", "common"):
        harbour.put("etc/apt/trusted.gpg.d/a.asc", stranger.public)
        harbour.put("etc/apt/trusted.gpg.d/b.gpg", binary)
    if how == "embedded":
        value = "\n " + signer.public.decode().strip().replace("\n\n", "\n.\n").replace("\n", "\n ")
    lines = f"Types: deb\nURIs: {address}\nSuites: jetty\nComponents: main\n"
    harbour.put(
        "etc/apt/sources.list.d/x.sources", lines + (f"Signed-By: {value}\n" if value else "")
    )
    error = fetched(harbour).error
    assert (error is None) is works, error
    assert error is None or type(error).__name__ == "MissingKey"


def test_a_changed_release_file(signed: DebHarbour) -> None:
    path = dists(signed) / "InRelease"
    path.write_bytes(path.read_bytes().replace(b"Suite: jetty", b"Suite: wreck"))
    failed(signed, "BadSignature", "changed after it was signed")


@pytest.mark.parametrize("what", ["flip", "cut", "longer", "inside"])
def test_an_index_that_is_not_what_was_promised(
    signed: DebHarbour, signer: Signer, what: str
) -> None:
    fetched(signed)
    signed.repository("gullwatch", ("gull", "2"), signer=signer)
    folder = dists(signed) / "main/binary-amd64"
    xz = folder / "Packages.xz"
    data = xz.read_bytes()
    if what == "inside":
        hurt = lzma.compress(b"Package: evil\nVersion: 9\nArchitecture: all\n")
        release = (dists(signed) / "Release").read_text()
        release = release.replace(
            hashlib.sha256(data).hexdigest(), hashlib.sha256(hurt).hexdigest()
        )
        release = release.replace(
            f" {len(data)} main/binary-amd64/Packages.xz",
            f" {len(hurt)} main/binary-amd64/Packages.xz",
        )
        (dists(signed) / "InRelease").write_bytes(signer.clear(release.encode()))
    else:
        hurt = {"flip": data[:-9] + b"x" + data[-8:], "cut": data[:-9], "longer": data + b"x"}[what]
    xz.write_bytes(hurt)
    (folder / "Packages.gz").write_bytes(hurt)
    failed(signed, "ChecksumMismatch", "Packages")
    assert version(signed) == "1"


@pytest.mark.slow
def test_an_index_that_unpacks_without_end(signed: DebHarbour, signer: Signer) -> None:
    bomb = lzma.compress(b"x" * 30_000_000)
    release = (dists(signed) / "Release").read_text().partition("SHA256:")[0] + "SHA256:\n"
    release += f" {hashlib.sha256(bomb).hexdigest()} {len(bomb)} main/binary-amd64/Packages.xz\n"
    (dists(signed) / "InRelease").write_bytes(signer.clear(release.encode()))
    (dists(signed) / "main/binary-amd64/Packages.xz").write_bytes(bomb)
    failed(signed, "ChecksumMismatch", "unpacked it is not")


def test_another_form_serves_where_one_is_missing(signed: DebHarbour) -> None:
    for end in (".xz", ".gz"):
        (dists(signed) / f"main/binary-amd64/Packages{end}").unlink()
    assert fetched(signed).error is None
    assert version(signed) == "1"
    (dists(signed) / "main/binary-amd64/Packages").unlink()
    shutil.rmtree(signed.root / "var/cache/velpin")
    failed(signed, "NotThere", "the server has none of its forms")


def test_by_hash(harbour: DebHarbour, signer: Signer) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"), by_hash=True)
    harbour.source_at("gullwatch", address)
    for path in (dists(harbour) / "main/binary-amd64").glob("Packages*"):
        path.unlink()
    assert fetched(harbour).error is None
    assert version(harbour) == "1"


@pytest.mark.parametrize(
    ("said", "where", "promised", "works"),
    [
        ("", "option", "yes", True), ("", "option", "no", False), ("force", "option", "no", True),
        ("no", "option", "yes", False), ("yes", "option", "no", False), ("force", "conf", "no", True),
        ("no", "conf", "yes", False),
    ],
)  # fmt: skip
def test_whether_files_are_asked_for_by_digest(
    harbour: DebHarbour, said: str, where: str, promised: str, works: bool
) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"), by_hash=True)
    harbour.source_at(
        "gullwatch",
        address,
        trusted="yes",
        **({"by_hash": said} if said and where == "option" else {}),
    )
    if where == "conf":
        harbour.put("etc/apt/apt.conf", f'Acquire::By-Hash "{said}";')
    release = dists(harbour) / "Release"
    release.write_text(release.read_text().replace("By-Hash: yes", f"By-Hash: {promised}"))
    for path in (dists(harbour) / "main/binary-amd64").glob("Packages*"):
        path.unlink()
    assert (fetched(harbour).error is None) == works


@pytest.mark.parametrize(
    ("until", "conf", "option", "works"),
    [
        ("past", 'Min-ValidTime "99999999";', "", True),
        ("past", 'Min-ValidTime "99999999"; Max-ValidTime "60";', "", False),
        ("", 'Max-ValidTime "60"; Min-ValidTime "99999999";', "", False),
        ("", 'Max-ValidTime::G "60";', "", False),
        ("", 'Max-ValidTime::other "60";', "", True),
        ("", 'Max-ValidTime "60"; Max-ValidTime::G "0";', "", True),
        ("", 'Max-ValidTime::G "60";', "99999999", True),
        ("past", 'Min-ValidTime::G "99999999";', "", True),
    ],
)
def test_how_long_a_release_file_holds(
    harbour: DebHarbour, until: str, conf: str, option: str, works: bool
) -> None:
    fields = {"Label": "G"} | ({"Valid-Until": "Mon, 01 Jan 2024 00:00:00 UTC"} if until else {})
    address = harbour.repository("gullwatch", ("gull", "1"), fields=fields)
    harbour.source_at(
        "gullwatch", address, trusted="yes", **({"valid_until_max": option} if option else {})
    )
    harbour.put("etc/apt/apt.conf", f"Acquire {{ {conf} }};")
    assert (fetched(harbour).error is None) == works


CHANGES = "Acquire::AllowReleaseInfoChange"


@pytest.mark.parametrize(
    ("field", "conf", "works"),
    [
        ("Label", f'{CHANGES} "true";', True), ("Label", f'{CHANGES}::Label "true";', True),
        ("Label", f'{CHANGES}::Origin "true";', False), ("Suite", f'{CHANGES}::Suite "false";', False),
        ("Label", f'{CHANGES} "true"; {CHANGES}::Label "false";', False),
        ("NotAutomatic", "", False), ("NotAutomatic", f'{CHANGES}::DefaultPin "true";', True),
    ],
)  # fmt: skip
def test_what_a_source_may_change_of_itself(
    harbour: DebHarbour, field: str, conf: str, works: bool
) -> None:
    head = {"Label": "G", "Suite": "jetty", "NotAutomatic": "no"}
    harbour.source_at("gullwatch", harbour.repository("gullwatch", ("gull", "1"), fields=head))
    fetched(harbour)
    harbour.put("etc/apt/apt.conf", conf)
    harbour.repository("gullwatch", ("gull", "2"), fields={**head, field: "yes"})
    assert (fetched(harbour).error is None) == works


def test_each_change_is_asked_about(harbour: DebHarbour) -> None:
    """One that may change does not speak for the next."""
    head = {"Label": "G", "Suite": "jetty", "Codename": "jetty", "Origin": "o"}
    harbour.source_at("gullwatch", harbour.repository("gullwatch", ("gull", "1"), fields=head))
    fetched(harbour)
    harbour.put("etc/apt/apt.conf", f'{CHANGES}::Origin "true";')
    harbour.repository("gullwatch", ("gull", "2"), fields={**head, "Origin": "p"})
    assert fetched(harbour).warnings[0] == "changed its origin from 'o' to 'p'"
    harbour.repository("gullwatch", ("gull", "3"), fields={**head, "Origin": "q", "Label": "H"})
    error = fetched(harbour).error
    assert error is not None
    assert "label from 'G' to 'H'" in error.message


@pytest.mark.parametrize(
    ("theirs", "falls"),
    [
        ((), False),
        (("Release",), False),
        (("Release", "Release.gpg"), True),
        (("InRelease",), True),
    ],
)
def test_what_the_installer_has_seen_signed_may_not_be_unsigned_now(
    harbour: DebHarbour, signer: Signer, theirs: tuple[str, ...], falls: bool
) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"), signer=signer)
    harbour.source_at("gullwatch", address, allow_insecure="yes")
    harbour.put("etc/apt/apt.conf", 'Acquire::AllowInsecureRepositories "true";')
    for name in theirs:
        place = list_name(f"{address}/dists/jetty", "jetty")
        harbour.put(f"var/lib/apt/lists/{place}{name}", (dists(harbour) / name).read_bytes())
    harbour.repository("gullwatch", ("gull", "2"))
    for name in ("InRelease", "Release.gpg"):
        (dists(harbour) / name).unlink(missing_ok=True)
    assert (fetched(harbour).error is not None) == falls


@pytest.mark.parametrize(
    ("fields", "now", "kind", "said"),
    [
        (
            {"Valid-Until": "Mon, 01 Jan 2024 00:00:00 UTC"},
            None,
            "ReleaseRefused",
            "expired on 2024-01-01",
        ),
        ({}, time.time() - 30 * DAY, "ReleaseRefused", "not valid yet"),
        ({"Valid-Until": "someday"}, None, "HostFileError", "is not a date"),
    ],
    ids=["expired", "from the future", "no date"],
)
def test_dates(
    harbour: DebHarbour, fields: dict[str, str], now: float | None, kind: str, said: str
) -> None:
    harbour.source_at("gullwatch", harbour.repository("gullwatch", ("gull", "1"), fields=fields))
    failed(harbour, kind, said, now)


@pytest.mark.parametrize("where", ["option", "conf"])
def test_dates_may_be_let_pass(harbour: DebHarbour, where: str) -> None:
    fields = {"Valid-Until": "Mon, 01 Jan 2024 00:00:00 UTC"}
    address = harbour.repository("gullwatch", ("gull", "1"), fields=fields)
    if where == "option":
        harbour.source_at("gullwatch", address, trusted="yes", check_valid_until="no")
    else:
        harbour.source_at("gullwatch", address)
        harbour.put("etc/apt/apt.conf", 'Acquire::Check-Valid-Until "false";')
    assert fetched(harbour).error is None


def test_a_longest_time_of_validity(harbour: DebHarbour) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"))
    harbour.source_at("gullwatch", address, trusted="yes", valid_until_max="86400")
    assert fetched(harbour).error is None
    failed(harbour, "ReleaseRefused", "expired", time.time() + 2 * DAY)


def test_an_older_release_file_is_not_taken(signed: DebHarbour, signer: Signer) -> None:
    fetched(signed)
    signed.repository("gullwatch", ("gull", "0.1"), signer=signer, date=time.time() - 9 * DAY)
    result = fetched(signed)
    assert (result.outcome, result.error) == ("unchanged", None)
    (warning,) = result.warnings
    assert re.fullmatch(
        r"the server gave a release file of \S+ \S+ UTC,"
        r" older than the one of \S+ \S+ UTC seen before; the newer one stays",
        warning,
    )
    assert version(signed) == "1"


@pytest.mark.parametrize(
    ("field", "refused"),
    [("Origin", True), ("Label", True), ("Codename", True), ("Suite", False), ("Version", False)],
)
def test_a_source_that_calls_itself_something_else(
    signed: DebHarbour, signer: Signer, field: str, refused: bool
) -> None:
    head = {"Origin": "G", "Label": "G", "Suite": "jetty", "Codename": "jetty", "Version": "1"}
    signed.repository("gullwatch", ("gull", "1"), signer=signer, fields=head)
    fetched(signed)
    signed.repository("gullwatch", ("gull", "2"), signer=signer, fields={**head, field: "other"})
    if refused:
        error = failed(signed, "ReleaseRefused", f"changed its {field.lower()}")
        assert "--accept-changed" in error.hint
        said = signed.run("refresh", "gullwatch", "--accept-changed")
        assert said.code == 0, said.err
    else:
        result = fetched(signed)
        assert f"changed its {field.lower()}" in " ".join(result.warnings)
    assert version(signed) == "2"


def test_a_suite_that_is_not_the_one_asked_for(harbour: DebHarbour) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"), fields={"Suite": "x", "Codename": "y"})
    harbour.source_at("gullwatch", address)
    assert fetched(harbour).warnings[0] == "asked for jetty, but it calls itself x or y"


def test_what_a_source_does_not_have_is_told(harbour: DebHarbour) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"))
    harbour.put("etc/apt/sources.list", f"deb [trusted=yes] {address} jetty main extra\n")
    result = fetched(harbour)
    assert result.outcome == "new"
    assert result.warnings == [
        "has no component extra; it has main",
        "has nothing for i386; it has amd64",
    ]
    harbour.put("etc/apt/sources.list", f"deb [trusted=yes] {address} jetty extra\n")
    shutil.rmtree(harbour.root / "var/cache/velpin")
    failed(harbour, "NotThere", "no index for this host")


@pytest.mark.parametrize(
    ("option", "works"), [("trusted", True), ("allow-insecure", True), ("arch", False)]
)
def test_unsigned_sources(harbour: DebHarbour, option: str, works: bool) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"))
    value = "amd64" if option == "arch" else "yes"
    harbour.put("etc/apt/sources.list", f"deb [{option}={value}] {address} jetty main\n")
    if works:
        assert fetched(harbour).error is None
    else:
        failed(harbour, "NotSigned", "is not signed")


def test_a_trusted_flat_source_without_any_release_file(harbour: DebHarbour) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"), suite="./")
    for name in ("Release", "Packages.xz"):
        (harbour.folder / "repos/gullwatch" / name).unlink()
    harbour.source_at("gullwatch", address, "./")
    result = fetched(harbour)
    assert result.error is None
    assert "no release file" in result.warnings[0]
    assert version(harbour) == "1"


def test_weak_digests_are_refused(signed: DebHarbour, signer: Signer) -> None:
    weaken(dists(signed), signer)
    failed(signed, "ReleaseRefused", "too weak")


@pytest.mark.parametrize(
    ("options", "setting", "works"),
    [
        ("", "", False), ("allow-weak=yes", "", True), ("allow-insecure=yes", "", True),
        ("allow-weak=no", "", False), ("", "AllowWeakRepositories", True),
        ("", "AllowInsecureRepositories", True), ("allow-weak=no", "AllowWeakRepositories", True),
        ("", "AllowDowngradeToInsecureRepositories", False), ("trusted=yes", "", True),
        ("allow-downgrade-to-insecure=yes", "", False),
    ],
)  # fmt: skip
def test_what_allows_weak_digests(
    signed: DebHarbour, signer: Signer, options: str, setting: str, works: bool
) -> None:
    """What may be unsigned may be weak as well, and that is told."""
    weaken(dists(signed), signer)
    line = f"deb [signed-by=/usr/share/keyrings/gullwatch.asc {options}]"
    address = f"file://{signed.folder}/repos/gullwatch"
    signed.put("etc/apt/sources.list.d/gullwatch.list", f"{line} {address} jetty main\n")
    signed.put("etc/apt/apt.conf", f'Acquire::{setting} "true";' if setting else "")
    found = fetched(signed)
    assert (found.error is None) == works
    told = [text for text in found.warnings if "too weak; its configuration allows that" in text]
    assert len(told) == (works and options != "trusted=yes")


def test_an_index_of_weak_digests_is_read_again(harbour: DebHarbour, signer: Signer) -> None:
    address = harbour.repository("gullwatch", ("gull", "1"))
    harbour.source_at("gullwatch", address, trusted="yes")
    for now in ("1", "1", "2"):
        harbour.repository("gullwatch", ("gull", now))
        weaken(dists(harbour), signer)
        found = fetched(harbour)
        assert found.error is None
        assert not [text for text in found.warnings if "as it was fetched" in text]
        assert version(harbour) == now


@pytest.mark.parametrize("line", [" abc 12", " abc x main/Packages", " abc 5 a b"])
def test_a_broken_list_of_digests(signed: DebHarbour, signer: Signer, line: str) -> None:
    release = (dists(signed) / "Release").read_text() + line + "\n"
    (dists(signed) / "InRelease").write_bytes(signer.clear(release.encode()))
    failed(signed, "HostFileError", "digest size name")


def test_one_failing_source_never_hurts_the_others(signed: DebHarbour) -> None:
    signed.source("good", ("tern", "1"))
    fetched(signed)
    shutil.rmtree(dists(signed))
    signed.source("good", ("tern", "2"))
    said = signed.run("refresh")
    assert said.code == 5
    assert "neither InRelease nor Release" in said.err
    found = signed.host().forecast(["gull", "tern"])
    assert [a.version for a in found.answers] == ["1", "2"]
    assert "neither InRelease nor Release" in signed.run("sources").out
    assert signed.run("refresh", "good").code == 0


def test_only_named_sources_also_one_that_is_off(harbour: DebHarbour) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.source("two", ("gull", "2"))
    harbour.put(
        "etc/apt/sources.list.d/two.list", "# " + harbour.read("etc/apt/sources.list.d/two.list")
    )
    assert harbour.run("refresh", "two").code == 0
    host = harbour.host()
    assert [(o.source, o.state) for o in host.packages.offers(["gull"])] == [("two", "source off")]
    states = {one.source.handle: one.state for one in host.sources.statuses()}
    assert states["one"] == "not fetched"
    assert harbour.run("refresh", "three").code == 1


def test_odd_entries_are_told(harbour: DebHarbour) -> None:
    rows = [{"Package": f"p{n}", "Architecture": "all"} for n in range(5)]
    harbour.source("one", ("gull", "1"), *rows)
    said = harbour.run("refresh")
    assert said.code == 0
    assert said.err.count("a stanza without Version") == 3
    assert "2 more odd entries" in said.err


def test_a_source_file_that_is_not_understood_is_named(harbour: DebHarbour) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.put("etc/apt/sources.list", "deb http://x.example/y\n")
    said = harbour.run("sources")
    assert said.code == 3
    assert "one" in said.out
    assert said.err.count("etc/apt/sources.list:1: no suite after the address") == 1


@pytest.mark.parametrize("text", ["[refresh]\nat_once = 2\nretries = 0\n", "[other]\nx = 1\n"])
def test_settings(harbour: DebHarbour, text: str) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.put("etc/velpin/velpin.toml", text)
    assert harbour.run("refresh").code == 0


@pytest.mark.parametrize(
    "text",
    [
        "[refresh]\nspeed = 2\n",
        "[refresh]\nretries = -1\n",
        "nonsense",
        "[refresh]\nretries = true\n",
    ],
)
def test_settings_that_are_not_understood(harbour: DebHarbour, text: str) -> None:
    harbour.source("one", ("gull", "1"))
    harbour.put("etc/velpin/velpin.toml", text)
    said = harbour.run("refresh")
    assert said.code == 3
    assert "etc/velpin/velpin.toml" in said.err


# -- lists of mirrors ----------------------------------------------------------------------


@pytest.mark.parametrize(
    ("lines", "taken"),
    [
        ("@one\tpriority:2\n@two\tpriority:1\n", "2"),
        ("# @two\n@one/\n@two\n", "1"),
        ("@one\n@two\tpriority:7\n", "2"),
        ("@gone\tpriority:1\n@one\n", "1"),
        ("@two\ttype:deb\n@one\ttype:index type:deb\n", "1"),
        ("@two\tarch:s390x\n@one\tarch:amd64 arch:s390x\n", "1"),
        ("@two\tsuite:pier\n@one\tsuite:jetty codename:jetty\n", "1"),
    ],
)
def test_a_list_of_mirrors(harbour: DebHarbour, lines: str, taken: str) -> None:
    for name, number in (("one", "1"), ("two", "2")):
        base = harbour.repository(name, ("gull", number)).removesuffix(name)
    listed = harbour.folder / "gullwatch.list"
    listed.write_text(lines.replace("@", base))
    harbour.source_at("gullwatch", f"mirror+file:{listed}")
    assert fetched(harbour).error is None
    assert version(harbour) == taken


def test_a_list_without_a_mirror_for_this_source(harbour: DebHarbour) -> None:
    listed = harbour.folder / "gullwatch.list"
    listed.write_text("# none\nhttp://one.example\ttype:deb\n")
    harbour.source_at("gullwatch", f"mirror+file:{listed}")
    failed(harbour, "FetchError", "names no mirror for this source")


def test_an_address_that_only_the_installer_can_fetch(harbour: DebHarbour) -> None:
    harbour.source_at("gullwatch", "tor+https://gullwatch.example")
    error = failed(harbour, "FetchError", "addresses with tor+https: cannot be fetched")
    assert error.hint == "velpin uses the copy that the host's installer has"


def test_sources_of_one_address_are_fetched_one_after_another(tmp_path: Path) -> None:
    harbour = RpmHarbour(tmp_path, DNF)
    place = harbour.repository("birds", *(DemoRpm(f"gull{number}") for number in range(300)))
    for name in "abcde":
        harbour.put(f"etc/yum.repos.d/{name}.repo", f"[{name}]\nname=x\nbaseurl=file://{place}\n")
    found = harbour.host().sources.refresh(["b", "a", "c", "b", "e", "d"])
    assert [(one.handle, one.error) for one in found] == [(name, None) for name in "baced"]
    assert [one.outcome for one in found] == ["new", *["unchanged"] * 4]
