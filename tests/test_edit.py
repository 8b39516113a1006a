"""The smallest edits of source files: what changes, and what must not."""

from __future__ import annotations

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.harbours import DebHarbour
from velpin import Host

LINE = "# first\ndeb http://a.example/x jetty main # why\n\n# deb http://b.example/y quay main\n"
STANZA = """# head
Types: deb
URIs: http://a.example/x
Suites: jetty quay
# inside
Components: main
Signed-By: /k.gpg

# second
Types: deb
URIs: http://b.example/y
Suites: ./
"""
MATRIX = "Types: deb\nURIs: http://a.example/x http://b.example/y\nSuites: jetty quay\nComponents: main\n"


def edited(host: Host, plan_of: str, handle: str) -> str | None:
    plan = {
        "off": lambda: host.sources.plan_switch(handle, False),
        "on": lambda: host.sources.plan_switch(handle, True),
        "drop": lambda: host.sources.plan_drop(handle),
    }[plan_of]()
    (data,) = plan.edits.values()
    after = host.with_edits(plan.edits)
    states = {s.handle: s.on for s in after.sources}
    others = {s.handle: s.on for s in host.sources if s.handle != handle}
    assert {h: on for h, on in states.items() if h != handle} == others
    assert states.get(handle) == {"off": False, "on": True, "drop": None}[plan_of]
    return None if data is None else data.decode()


@pytest.mark.parametrize(
    ("what", "handle", "after"),
    [
        ("off", "x", LINE.replace("deb http://a", "# deb http://a")),
        ("on", "y", LINE.replace("# deb http://b", "deb http://b")),
        ("drop", "x", "# first\n\n# deb http://b.example/y quay main\n"),
        ("drop", "y", "# first\ndeb http://a.example/x jetty main # why\n\n"),
    ],
)
def test_one_line_form(harbour: DebHarbour, what: str, handle: str, after: str) -> None:
    harbour.put("etc/apt/sources.list", LINE)
    assert edited(harbour.host(), what, handle) == after


@pytest.mark.parametrize(
    ("what", "handle", "after"),
    [
        ("off", "y", STANZA.replace("# second\nTypes", "# second\nEnabled: no\nTypes")),
        ("drop", "y", STANZA.partition("\n# second")[0] + "\n# second\n"),
        ("off", "x-quay", STANZA.replace("Suites: jetty quay\n", "Suites: jetty\n").replace(
            "Signed-By: /k.gpg\n", "Signed-By: /k.gpg\n\nEnabled: no\nTypes: deb\nURIs: http://a.example/x\n"
            "Suites: quay\nComponents: main\nSigned-By: /k.gpg\n", 1)),
        ("drop", "x-jetty", STANZA.replace("Suites: jetty quay", "Suites: quay")),
    ],
)  # fmt: skip
def test_stanza_form(harbour: DebHarbour, what: str, handle: str, after: str) -> None:
    harbour.put("etc/apt/sources.list.d/a.sources", STANZA)
    host = harbour.host()
    if handle == "x-jetty":
        plan = host.sources.plan_drop(handle)
        assert plan.edits["etc/apt/sources.list.d/a.sources"] == after.encode()
        return
    assert edited(host, what, handle) == after


@pytest.mark.parametrize("handle", ["x-jetty", "x-quay", "y-jetty", "y-quay"])
@pytest.mark.parametrize("what", ["off", "drop"])
def test_one_of_several_addresses_and_suites(harbour: DebHarbour, what: str, handle: str) -> None:
    harbour.put("etc/apt/sources.list.d/a.sources", MATRIX)
    host = harbour.host()
    plan = (
        host.sources.plan_switch(handle, False) if what == "off" else host.sources.plan_drop(handle)
    )
    after = host.with_edits(plan.edits)
    pairs = {(s.address, s.release) for s in after.sources if s.on}
    gone = host.sources.find(handle)
    assert pairs == {(s.address, s.release) for s in host.sources} - {(gone.address, gone.release)}
    assert sum(not s.on for s in after.sources) == (what == "off")


def test_enabled_is_rewritten_in_place(harbour: DebHarbour) -> None:
    text = "Types: deb\nenabled:   off\nURIs: http://a.example/x\nSuites: ./\n"
    harbour.put("etc/apt/sources.list.d/a.sources", text)
    assert edited(harbour.host(), "on", "x") == text.replace("enabled:   off", "enabled: yes")


def test_line_ends_and_a_missing_one_are_kept(harbour: DebHarbour) -> None:
    harbour.put("etc/apt/sources.list", "# a\r\ndeb http://a.example/x jetty main\r\n")
    harbour.put(
        "etc/apt/sources.list.d/b.sources", "Types: deb\r\nURIs: http://b.example/y\r\nSuites: ./"
    )
    assert edited(harbour.host(), "off", "x") == "# a\r\n# deb http://a.example/x jetty main\r\n"
    assert edited(harbour.host(), "off", "y") == (
        "Enabled: no\r\nTypes: deb\r\nURIs: http://b.example/y\r\nSuites: ./"
    )  # fmt: skip


def test_a_source_named_twice_goes_from_both_places(harbour: DebHarbour) -> None:
    harbour.put("etc/apt/sources.list", "deb http://a.example/x jetty main\n")
    harbour.put("etc/apt/sources.list.d/b.list", "deb http://a.example/x jetty extra\n# keep\n")
    plan = harbour.host().sources.plan_drop("x")
    assert plan.edits == {
        "etc/apt/sources.list": None,
        "etc/apt/sources.list.d/b.list": b"# keep\n",
    }


def test_switching_to_what_is_so_changes_nothing(harbour: DebHarbour) -> None:
    harbour.put("etc/apt/sources.list", LINE)
    assert harbour.host().sources.plan_switch("x", True).unchanged
    said = harbour.run("on", "x")
    assert (said.code, "unchanged" in said.out) == (0, True)


@pytest.mark.parametrize(
    ("line", "after"),
    [
        (
            "deb http://a.example/x jetty main",
            "deb [signed-by=/n.asc] http://a.example/x jetty main",
        ),
        (
            "deb [arch=amd64] http://a.example/x jetty main",
            "deb [arch=amd64 signed-by=/n.asc] http://a.example/x jetty main",
        ),
        (
            "deb [signed-by=/o.gpg] http://a.example/x jetty main",
            "deb [signed-by=/n.asc] http://a.example/x jetty main",
        ),
    ],
)
def test_naming_a_key_in_a_line(harbour: DebHarbour, line: str, after: str) -> None:
    from velpin.kinds.deb.edit import set_key

    harbour.put("etc/apt/sources.list", line + "\n")
    host = harbour.host()
    assert set_key(host.tree, host.sources.find("x"), "/n.asc") == {
        "etc/apt/sources.list": after.encode() + b"\n"
    }


def test_naming_a_key_in_a_stanza(harbour: DebHarbour) -> None:
    from velpin.kinds.deb.edit import set_key

    harbour.put("etc/apt/sources.list.d/a.sources", STANZA)
    host = harbour.host()
    edits = set_key(host.tree, host.sources.find("y"), "/n.asc")
    after = host.with_edits(edits)
    assert after.sources.find("y").signed_by == "/n.asc"
    assert after.sources.find("x-quay").signed_by == "/k.gpg"
    (data,) = edits.values()
    assert data == STANZA.encode() + b"Signed-By: /n.asc\n"


lines = st.lists(
    st.sampled_from(["deb http://a.example/x jetty main", "# note", "", "deb http://b.example/y quay main",
                     "  deb [arch=amd64]  http://c.example/z s m", "#", "# deb http://d.example/w s m"]),
    min_size=1, max_size=8, unique=True,
)  # fmt: skip


@settings(
    max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture]
)
@given(lines, st.booleans())
def test_off_and_on_again_touches_only_that_line(
    harbour: DebHarbour, rows: list[str], end: bool
) -> None:
    text = "\n".join(rows) + ("\n" if end else "")
    harbour.put("etc/apt/sources.list", text)
    host = harbour.host()
    for source in (source for source in host.sources if source.on):
        off = host.sources.plan_switch(source.handle, False).edits
        away = host.with_edits(off)
        back = away.with_edits(away.sources.plan_switch(source.handle, True).edits)
        was, now = (
            text.split("\n"),
            (back.tree.read("etc/apt/sources.list") or b"").decode().split("\n"),
        )
        assert [line.strip() for line in was] == [line.strip() for line in now]
        changed = [
            line
            for line, other in zip(
                was,
                (away.tree.read("etc/apt/sources.list") or b"").decode().split("\n"),
                strict=True,
            )
            if line != other
        ]
        assert len(changed) == 1


@pytest.mark.parametrize(
    ("text", "left"),
    [
        ("# by hand\n{0}\n{1}", "# by hand\n\n{1}"), ("{0}{1}", "{1}"), ("{0}# by hand\n", "# by hand\n"),
        ("{0}\n", None), ("# by hand\n{0}# {1}", "# by hand\n# {1}"), ("{1}\n{0}", "{1}\n"),
    ],
)  # fmt: skip
def test_a_file_goes_with_the_last_that_is_said_in_it(
    harbour: DebHarbour, text: str, left: str | None
) -> None:
    lines = [f"deb http://{name}.example/apt jetty main\n" for name in ("one", "two")]
    harbour.put("etc/apt/sources.list.d/a.list", text.format(*lines))
    host = harbour.host()
    (handle,) = (source.handle for source in host.sources if "//one." in source.address)
    data = host.sources.plan_drop(handle).edits["etc/apt/sources.list.d/a.list"]
    assert (data and data.decode()) == (left and left.format(*lines))
