"""What is said of an addition that gives this host nothing, or more than was asked for."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.checkup_hosts import Post
from tests.harbours import DEB, DNF, RPM, Item
from velpin.demo.rpm_files import DemoRpm, write_rpm_repository
from velpin.demo.signer import Signer

on_deb = pytest.mark.parametrize("post", [DEB], indirect=True)
on_rpm = pytest.mark.parametrize("post", RPM, indirect=True)


def key_of(post: Post, signer: Signer) -> str:
    path = post.root.parent / "key.asc"
    path.write_bytes(signer.public)
    return str(path)


def snippet(post: Post, text: str, ending: str) -> str:
    path: Path = post.root.parent / f"given{ending}"
    path.write_text(text)
    return str(path)


# -- nothing ---------------------------------------------------------------------------------


@on_deb
@pytest.mark.parametrize(
    ("line", "told"),
    [
        ("deb [arch=armhf] http://other/apt quay main",
         "other would give this host nothing: it is limited to armhf, and this host takes amd64"),
        ("deb http://other/apt quay contrib",
         "other has nothing for this host: it has no component contrib; it has main"),
        ("deb http://other/apt jetty main", "other has no suite jetty; it has quay"),
        ("deb http://other/apt quay main", ""),
        ("deb [arch=armhf,amd64] http://other/apt quay main", ""),
        ("deb http://other/apt quay contrib main", ""),
    ],
)  # fmt: skip
def test_what_gives_this_host_nothing_is_refused_with_what_there_is(
    post: Post, signer: Signer, line: str, told: str
) -> None:
    post.publish("other", Item("auk", "3"), suite="quay", signer=signer)
    words = ["add", snippet(post, f"{line}\n", ".list"), "--key", key_of(post, signer), "--yes"]
    before = post.files()
    said = post.run(*words)
    assert (said.code, told in said.err) == (1 if told else 0, True), said.err
    assert (post.files() == before) == bool(told)
    if told:
        assert post.run(*words, "--anyway").code == 0
        assert post.files() != before


@on_deb
def test_a_suite_that_may_be_made_for_another_release_is_told(post: Post, signer: Signer) -> None:
    post.publish("other", Item("auk", "3"), suite="quay", signer=signer)
    words = ["--key", key_of(post, signer), "--preview"]
    line = "deb http://other/apt {} main\n"
    told = post.run("add", snippet(post, line.format("quay"), ".list"), *words).out
    assert "note: other has no suite called jetty; quay may be made for another release" in told
    post.publish("other", Item("auk", "3"), suite="jetty", signer=signer)
    told = post.run("add", snippet(post, line.format("jetty"), ".list"), *words).out
    assert "another release" not in told


def section(name: str, on: int) -> str:
    return f"[{name}]\nname={name}\nbaseurl=http://other/4/x86_64\nenabled={on}\n\n"


@on_rpm
def test_what_is_off_in_a_snippet_takes_nothing_over(post: Post, signer: Signer) -> None:
    post.publish("other", Item("gull", "3"), signer=signer)
    key = key_of(post, signer)
    file = snippet(post, section("one", 0), ".repo")
    said = post.run("add", file, "--key", key, "--yes")
    assert (said.code, "one is switched off in what you gave" in said.err) == (1, True)
    assert "take over" not in said.out
    file = snippet(post, section("one", 0) + section("two", 1) + section("three", 0), ".repo")
    said = post.run("add", file, "--key", key, "--preview")
    assert said.code == 0, said.err
    if post.kind == DNF:  # the other keeps to the vendor of what is installed
        assert said.out.splitlines()[-3].startswith("✕ two would take over gull")
    assert "of these sources two would be on, and 2 off: one, three" in said.out
    assert said.out.count("To be written") == 2, "one key, one file of sources"
    assert said.out.count(signer.fingerprint[-4:]) == 2, "shown once, and once as a file"


@on_rpm
def test_all_on_is_not_told_as_some(post: Post, signer: Signer) -> None:
    post.publish("other", Item("auk", "3"), signer=signer)
    file = snippet(post, section("one", 1) + section("two", 1), ".repo")
    said = post.run("add", file, "--key", key_of(post, signer), "--preview")
    assert (said.code, "off" in said.out.partition("To be written")[0]) == (0, False), said.out


# -- more than was asked for -----------------------------------------------------------------


@pytest.mark.parametrize("post", [DNF], indirect=True)
@pytest.mark.parametrize("command", ["add", "checkup"])
def test_what_a_source_would_remove_is_said_last_and_the_advice_prevents_it(
    post: Post, signer: Signer, command: str
) -> None:
    repository = post.www / "repl/4/x86_64"
    sign = {"sign": signer.detached, "sign_packages": signer.detached_binary}
    write_rpm_repository(repository, [DemoRpm("newgull", "3-1", obsoletes=("gull",))], **sign)
    file = snippet(post, "[repl]\nname=r\nbaseurl=http://repl/4/x86_64\n", ".repo")
    words = ["add", file, "--key", key_of(post, signer)]
    *_, verdict, then, count = post.run(*words, "--preview").out.splitlines()
    assert verdict == "✕ repl would remove gull, which you did not name"
    assert count.endswith(
        "the next upgrade would change 1 more installed package (1 of them removed)"
    )
    advice = then.removeprefix("  to prevent that: ")
    assert advice == "velpin bar newgull --from repl"
    assert post.run(*words, "--yes").code == 0
    post.run("refresh")
    if command == "checkup":
        found = post.finding("would-take-over")
        assert "gull" in found["text"]
        advice = found["mend"]
    assert post.command(advice, "--yes").code == 0
    assert "would-take-over" not in post.codes()
    assert "removed" not in post.run("forecast", "--upgrade").out
