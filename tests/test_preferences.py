"""Preference records: what they select, which number they give, what the host refuses."""

from __future__ import annotations

import pytest

from tests.harbours import DebHarbour
from velpin.errors import HostFileError
from velpin.kinds.deb.preferences import (
    NEVER,
    OWN_RECORD,
    Preferences,
    Site,
    expression_matches,
    parse_preferences,
    release_pin,
    version_matches,
)
from velpin.kinds.deb.rules.selector import text_of

SITE = Site("steady", "jetty", "Mooring Linux", "Mooring", "4.2", "main", "amd64", "deb.x.example")
FLAT = Site(None, None, None, None, None, "", None, "")


def read(text: str) -> Preferences:
    found = Preferences()
    parse_preferences(text, "etc/apt/preferences", found)
    return found


def record(package: str, pin: str, number: str = "600") -> str:
    return f"Package: {package}\nPin: {pin}\nPin-Priority: {number}\n"


@pytest.mark.parametrize(
    ("text", "number"),
    [("600x", 600), ("600 # why", 600), ("+600", 600), ("600.5", 600), ("-1", -1),
     ("-32768", -32767), ("32767", 32767)],
)  # fmt: skip
def test_numbers_are_read_as_far_as_they_go(text: str, number: int) -> None:
    assert read(record("gull", "version 1", text)).records[0].priority == number


@pytest.mark.parametrize("text", ["0", "", "high", "0x300", "32768", "-32769", "never"])
def test_numbers_the_host_refuses(text: str) -> None:
    with pytest.raises(HostFileError, match=r"etc/apt/preferences:\d+: "):
        read(record("gull", "version 1", text))


def test_never_is_for_all_packages_only() -> None:
    assert read(record("*", "release a=steady", "never")).records[0].priority == NEVER


def test_a_record_without_package_is_refused_with_its_line() -> None:
    with pytest.raises(HostFileError) as problem:
        read("\nPackage: a\nPin: version 1\nPin-Priority: 1\n\nExplanation: x\n")
    assert problem.value.line == 6


@pytest.mark.parametrize(
    "text",
    ["Package: a\nPin-Priority: 5\n", record("a", "sky blue"), record("*", "version 1*")],
)
def test_records_without_effect_are_told(text: str) -> None:
    found = read(text)
    assert found.records == []
    assert len(found.notes) == 1


@pytest.mark.parametrize(
    ("pin", "selects"),
    [
        ("a=steady", True), ("a=STEADY", True), ("a=ste*", True), ("a=/^st/", True), ("a=ste", False),
        ("n=jetty, o=Mooring Linux", True), ("n=jetty,o=mooring linux", True), ('o="Mooring Linux"', False),
        ("n=jetty, o=Other", False), ("o= Mooring Linux", False), ("l=Mooring", True),
        ("v=4", False), ("v=4*", True), ("v=4.2", True), ("c=main", True), ("b=amd64", True),
        ("steady", True), ("jetty", True), ("Mooring", False), ("4.2", True), ("4*", True),
        ("*", True), ("", False), ("z=1", False), ("o=", False), ("v=*", False), ("a=st[de]ady", True), ("a=st[xy]ady", False),
        ("a=[rs]teady", True), ("l=/[[:upper:]]oor/", True),
    ],
)  # fmt: skip
def test_release_pins(pin: str, selects: bool) -> None:
    assert release_pin(pin).selects_site(SITE) is selects


@pytest.mark.parametrize(
    ("pin", "selects"),
    [("a=now", True), ("a=*", True), ("c=*", True), ("*", True), ("", True), ("z=1", True),
     ("o=", True), ("v=*", True), ("o=*", False), ("l=*", False), ("n=*", False), ("b=*", False)],
)  # fmt: skip
def test_the_hosts_own_record_of_packages(pin: str, selects: bool) -> None:
    assert release_pin(pin).selects_site(OWN_RECORD) is selects


@pytest.mark.parametrize(("pin", "selects"), [("c=*", True), ("b=amd64", False), ("o=*", False)])
def test_flat_sources(pin: str, selects: bool) -> None:
    assert release_pin(pin).selects_site(FLAT) is selects


@pytest.mark.parametrize(
    ("text", "local", "remote", "own"),
    [('origin ""', True, False, False), ("origin", True, False, False), ("origin *", True, True, False),
     ('origin "deb.x.example"', False, True, False), ("origin deb.*", False, True, False)],
)  # fmt: skip
def test_origin_pins(text: str, local: bool, remote: bool, own: bool) -> None:
    pin = read(record("*", text)).records[0].pin
    told = [pin.selects_site(site) for site in (FLAT, SITE, OWN_RECORD)]
    assert told == [local, remote, own]


@pytest.mark.parametrize(
    ("wanted", "had", "fits"),
    [("1", "1", True), ("1", "0:1", False), ("1", "1-0", False), ("1.*", "1.2-3", True),
     ("*2", "1.2", True), ("*2*", "1.2-3", False), ("*2*", "1.2", True), ("/^1/", "1.2", True),
     ("1?2", "1.2", True), ("[12]*", "1.2", False), ("[12].2", "1.2", True), ("*", "1", True)],
)  # fmt: skip
def test_versions(wanted: str, had: str, fits: bool) -> None:
    assert version_matches(wanted, had) is fits


def test_a_missing_text_never_matches() -> None:
    assert not expression_matches("*", None)


@pytest.mark.parametrize(
    ("names", "native", "foreign"),
    [("gull", True, False), ("gull:any", True, True), ("gull:amd64", True, False),
     ("gull:i386", False, True), ("gull:all", False, False), ("gull:native", False, False),
     ("g*", True, False), ("g*:any", True, True), ("/^gu/", True, False), ("GULL", False, False),
     ("G*", True, False), ("^gull", False, False), ("gull,", False, False), ("tern gull", True, False),
     ("src:nest", True, False), ("src:ne*", True, False), ("src:gull", False, False), ("* tern", True, False)],
)  # fmt: skip
def test_package_names(names: str, native: bool, foreign: bool) -> None:
    matcher = read(record(names, "version 1")).matcher("amd64")
    told = [bool(matcher.records_of("gull", arch, "nest")) for arch in ("amd64", "i386")]
    assert told == [native, foreign]


def test_both_places_in_byte_order_and_names_passed_over(harbour: DebHarbour) -> None:
    for name in ("preferences", "preferences.d/9", "preferences.d/10.pref", "preferences.d/a-b.pref",
                 "preferences.d/a.pref", "preferences.d/B", "preferences.d/x.bak", "preferences.d/x~"):  # fmt: skip
        harbour.put(f"etc/apt/{name}", record("gull", "version 1"))
    host = harbour.host()
    records = harbour.ports().state.configuration.preferences.records
    files = [record.place.file.removeprefix("etc/apt/") for record in records]
    assert files == ["preferences", "preferences.d/10.pref", "preferences.d/9", "preferences.d/B",
                     "preferences.d/a-b.pref", "preferences.d/a.pref"]  # fmt: skip
    assert [file for file, _ in host.checkup.skipped()] == [
        "etc/apt/preferences.d/x.bak", "etc/apt/preferences.d/x~",
    ]  # fmt: skip


@pytest.mark.parametrize(
    "line", ['origin "a.example"', 'origin ""', "version 1*", "release o=x, a=y", "release n=jetty"]
)
def test_a_pin_is_written_as_it_is_read(line: str) -> None:
    found = Preferences()
    parse_preferences(f"Package: gull\nPin: {line}\nPin-Priority: 500\n", "file", found)
    again = Preferences()
    told = text_of(found.records[0].pin)
    parse_preferences(f"Package: gull\nPin: {told}\nPin-Priority: 500\n", "file", again)
    assert again.records[0].pin == found.records[0].pin
