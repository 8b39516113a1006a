"""Source files in both formats: what is read, what is refused, how sources are named."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.harbours import DebHarbour
from velpin.errors import HostFileError
from velpin.kinds.deb.copies import list_name
from velpin.kinds.deb.sources import (
    DebSource,
    SourceFiles,
    base_url,
    parse_file,
    parse_line,
    plain_handle,
    repository_name,
)

HTTP = "http://deb.gull.example/apt"


def sources(harbour: DebHarbour, **files: str) -> list[DebSource]:
    for name, text in files.items():
        stem, _, kind = name.rpartition("_")
        harbour.put(f"etc/apt/sources.list.d/{stem}.{kind}", text)
    return harbour.host().sources


@pytest.mark.parametrize(
    ("line", "suite", "sections", "options"),
    [
        (f"deb {HTTP} jetty main extra", "jetty", ("main", "extra"), {}),
        (f"  deb   {HTTP}\tjetty  main # why", "jetty", ("main",), {}),
        (f"deb [arch=amd64,i386 Signed-By=/k.gpg] {HTTP} jetty main", "jetty", ("main",),
         {"arch": "amd64,i386", "signed-by": "/k.gpg"}),
        (f"deb [ ] {HTTP} ./", "./", (), {}),
        (f"deb {HTTP} a/b/", "a/b/", (), {}),
        ('deb "http://h/p q" s m', "s", ("m",), {}),
        ("deb http://h/p%20q s m", "s", ("m",), {}),
        ("deb http://[::1]:80/q s m", "s", ("m",), {}),
    ],
)  # fmt: skip
def test_one_line_form(
    line: str, suite: str, sections: tuple[str, ...], options: dict[str, str]
) -> None:
    entry = parse_line(line, "f.list", 1, on=True)
    assert (entry.suites, entry.components, entry.options) == ((suite,), sections, options)


@pytest.mark.parametrize(
    ("line", "what"),
    [
        ("deb http://h/p", "no suite"),
        ("deb", "no address"),
        ("deb http://h/p jetty", "no component"),
        ("deb http://h/p jetty #main", "no component"),
        ("deb http://h/p jetty/ main", "takes no components"),
        ("deb /h/p jetty main", "not an address"),
        ("rpm http://h/p jetty main", "expected `deb`"),
        ("deb [arch=amd64 http://h/p jetty main", "no closing ]"),
        ("deb [foo] http://h/p jetty main", "not name=value"),
        ("deb [arch=] http://h/p jetty main", "not name=value"),
        ("deb [arch=amd64]http://h/p jetty main", "no blank"),
        ("Types: deb", "expected `deb`"),
    ],
)
def test_one_line_refused(line: str, what: str) -> None:
    with pytest.raises(
        HostFileError, match="f.list:7: .*" + what.replace("[", r"\[").replace("]", r"\]")
    ):
        parse_line(line, "f.list", 7, on=True)


@pytest.mark.parametrize(
    ("text", "line", "what"),
    [
        ("URIs: http://h\nSuites: s\nComponents: m\n", 1, "no Types"),
        ("Types: deb\nSuites: s\nComponents: m\n", 1, "no URIs"),
        ("Types: deb\nURIs: http://h\nComponents: m\n", 1, "no Suites"),
        ("Types: deb\nURIs: http://h\nSuites: s\n", 3, "no component"),
        ("Types: deb\nURIs: http://h\nSuites: s/\nComponents: m\n", 3, "takes no components"),
        ("Types: rpm\nURIs: http://h\nSuites: s\nComponents: m\n", 1, "expected `deb`"),
        ("Types: deb\nURIs: /h\nSuites: s\nComponents: m\n", 2, "no scheme"),
        ("Types: deb\nnocolon\nURIs: http://h\nSuites: s\nComponents: m\n", 2, "nocolon"),
        ("deb http://h/p jetty main\n", 1, "no Types"),
    ],
)
def test_stanza_refused(harbour: DebHarbour, text: str, line: int, what: str) -> None:
    harbour.put("etc/apt/sources.list.d/a.sources", "\n# c\n" + text)
    harbour.source("good", ("gull", "1"))
    found = harbour.ports().state.configuration.source_files
    (problem,) = found.errors
    assert (problem.file, problem.line) == ("etc/apt/sources.list.d/a.sources", line + 2)
    assert what in problem.what
    assert [source.handle for source in found.sources] == ["good"]
    assert harbour.run("forecast", "gull").code == 3


def test_a_stanza_of_several_sources_and_their_order(harbour: DebHarbour) -> None:
    found = sources(
        harbour,
        b_list=f"deb {HTTP} other main\n",
        a_sources="Types: deb deb-src\nURIs: http://one.example/x http://two.example/y/\n"
        "Suites: jetty quay\nComponents: main extra\nX-Odd: 1\n",
    )
    assert [(s.address, s.release) for s in found] == [
        ("http://one.example/x", "jetty"), ("http://one.example/x", "quay"),
        ("http://two.example/y", "jetty"), ("http://two.example/y", "quay"), (HTTP, "other"),
    ]  # fmt: skip
    assert [s.handle for s in found] == ["x-jetty", "x-quay", "y-jetty", "y-quay", "gull"]
    (note,) = harbour.ports().state.configuration.source_files.notes
    assert str(note.place) == "etc/apt/sources.list.d/a.sources:5"


def test_a_later_mention_joins_the_first(harbour: DebHarbour) -> None:
    harbour.put("etc/apt/sources.list", f"deb {HTTP} jetty main\n")
    found = sources(harbour, a_list=f"deb http://b.example/b s m\ndeb {HTTP}/ jetty extra main\n")
    assert [(s.repository, s.components) for s in found] == [
        ("gull", ("main", "extra")),
        ("b", ("m",)),
    ]
    (note,) = harbour.ports().state.configuration.source_files.notes
    assert "already at etc/apt/sources.list:1" in note.text
    assert str(note.place) == "etc/apt/sources.list.d/a.list:2"


def test_mentions_that_disagree_on_trust_are_refused(harbour: DebHarbour) -> None:
    found = f"deb {HTTP} jetty main\ndeb [signed-by=/k] {HTTP} jetty extra\n"
    harbour.put("etc/apt/sources.list", found)
    (problem,) = harbour.ports().state.configuration.source_files.errors
    assert "signed-by" in problem.what
    assert problem.line == 2


@pytest.mark.parametrize("word", ["no", "False", "0", "off"])
def test_off_in_both_forms(harbour: DebHarbour, word: str) -> None:
    found = sources(
        harbour,
        a_sources=f"Enabled: {word}\nTypes: deb\nURIs: {HTTP}\nSuites: jetty\nComponents: main\n",
        b_list=f"# deb {HTTP} quay main\n# debating this\n#deb  {HTTP} jetty extra\n",
        c_list=f"deb {HTTP} pier main\n",
    )
    assert [(s.release, s.on) for s in found] == [("pier", True), ("jetty", False), ("quay", False)]


def test_a_commented_twin_of_a_live_source_is_not_shown(harbour: DebHarbour) -> None:
    (only,) = sources(harbour, a_list=f"# deb {HTTP} jetty main\ndeb {HTTP} jetty main\n")
    assert only.on


@pytest.mark.parametrize(
    ("name", "why"),
    [("a.list~", "characters"), ("a.list.save", ".save"), (".a.list", "hidden"), ("a", "extension"),
     ("a b.list", "characters"), ("a,.list", "characters"), ("a.LIST", ".LIST"), ("ä.list", "characters")],
)  # fmt: skip
def test_files_the_installer_passes_over(harbour: DebHarbour, name: str, why: str) -> None:
    harbour.put(f"etc/apt/sources.list.d/{name}", f"deb {HTTP} jetty main\n")
    host = harbour.host()
    assert list(host.sources) == []
    ((file, told),) = host.checkup.skipped()
    assert file.endswith(name)
    assert why in told


@pytest.mark.parametrize(
    ("options", "archs"),
    [("", ("amd64", "i386")), ("arch=i386", ("i386",)), ("arch-=i386", ("amd64",)),
     ("arch=amd64,arm64", ("amd64",)), ("arch=amd64 arch+=i386", ("amd64", "i386"))],
)  # fmt: skip
def test_architectures(harbour: DebHarbour, options: str, archs: tuple[str, ...]) -> None:
    (only,) = sources(harbour, a_list=f"deb [{options or 'trusted=yes'}] {HTTP} jetty main\n")
    assert only.archs == archs


def test_crlf_missing_newline_and_odd_bytes(harbour: DebHarbour) -> None:
    harbour.put("etc/apt/sources.list", f"# caf\xe9\r\ndeb {HTTP} jetty main\r\n".encode("latin-1"))
    harbour.put("etc/apt/sources.list.d/b.sources",
                "Types: deb\r\nURIs: http://b.example/b\r\nSuites: s\r\nComponents: m")  # fmt: skip
    assert [(s.repository, s.release, s.components) for s in harbour.host().sources] == [
        ("gull", "jetty", ("main",)), ("b", "s", ("m",)),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("address", "name"),
    [
        ("https://deb.gullwatch.example/apt", "gullwatch"),
        ("http://archive.mooring.example/mooring", "mooring"),
        ("http://archive.mooring.example/mooring-security", "mooring-security"),
        ("https://download.fogworks.example/linux/mooring", "fogworks"),
        ("https://packages.cloud.harborside.example/apt", "harborside"),
        ("file:///srv/repos/millpond", "millpond"),
        ("file:/srv/My Repo", "my-repo"),
        ("http://10.0.0.7/", "10-0-0-7"),
        ("http://user:pw@deb.tern.example:8080/deb", "tern"),
        ("http://h.example/a%20b", "a-b"),
    ],
)
def test_short_names(address: str, name: str) -> None:
    assert repository_name(address, "mooring") == name


@given(st.text(max_size=30))
def test_handles_are_plain_whatever_the_text(text: str) -> None:
    handle = plain_handle(text)
    assert handle
    assert plain_handle(handle) == handle
    assert set(handle) <= set("abcdefghijklmnopqrstuvwxyz0123456789.+-")


@given(st.lists(st.sampled_from(["a/x", "b/x", "c/y", "d.x"]), min_size=1, max_size=4, unique=True),
       st.lists(st.sampled_from(["jetty", "quay", "./"]), min_size=1, max_size=3, unique=True))  # fmt: skip
def test_handles_are_unique(addresses: list[str], suites: list[str]) -> None:
    from velpin.kinds.deb.sources import _joined

    found = SourceFiles()
    for address in addresses:
        for suite in suites:
            section = "" if suite == "./" else " main"
            parse_file(f"deb http://h.example/{address} {suite}{section}\n", "x.list", found)
    handles = [source.handle for source in _joined(found, ("amd64",), "mooring")]
    assert len(set(handles)) == len(addresses) * len(suites)


@pytest.mark.parametrize(
    ("address", "suite", "url"),
    [(HTTP, "jetty", f"{HTTP}/dists/jetty"), (HTTP, "./", HTTP), (HTTP, "/", HTTP),
     (HTTP, "sub/", f"{HTTP}/sub"), (HTTP, "./sub/", f"{HTTP}/sub")],
)  # fmt: skip
def test_base_url(address: str, suite: str, url: str) -> None:
    assert base_url(address, suite) == url


@pytest.mark.parametrize(
    ("url", "release", "name"),
    [
        ("http://u:p@a_b.example:8080/x~y", "flat/", "a%5fb.example:8080_x%7ey_flat_"),
        ("http://h/p+q=1&z", "./", "h_p+q%3d1%26z_._"),
        ("http://h/p+q=1&z", "/", "h_p+q%3d1%26z_"),
        ("http://h/p+q:1/é/dists/s/t", "s/t", "h_p+q:1_%c3%a9_dists_s_t_"),
        ("http://[::1]:80/q/dists/s", "s", "::1:80_q_dists_s_"),
        ("file:/tmp/ab_c/dists/stable", "stable", "_tmp_ab%5fc_dists_stable_"),
        ("file:///tmp//x/dists/s", "s", "_tmp__x_dists_s_"),
        ("copy:/a/b/dists/s", "s", "_a_b_dists_s_"),
        ("http://h/p q/dists/s", "s", "h_p%20q_dists_s_"),
    ],
)
def test_names_of_the_installers_own_copies(url: str, release: str, name: str) -> None:
    assert list_name(url, release) == name
