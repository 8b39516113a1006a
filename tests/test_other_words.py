"""Words that people type out of habit: each is answered with the command that is meant."""

from __future__ import annotations

import pytest

from tests.program import run_on
from velpin.front.commands import read_commands
from velpin.front.other_words import _ANSWERS, no_such_command


@pytest.mark.parametrize(
    ("words", "meant"),
    [
        (("install", "gull", "tern"), "velpin forecast gull tern: "),
        (("install", "-y", "gull"), "velpin forecast gull: "),
        (("search", "two words"), "velpin find 'two words': "), (("upgrade",), "velpin forecast --upgrade: "),
        (("update",), "velpin refresh: "), (("update", "gull"), "velpin refresh: "),
        (("policy", "gull"), "velpin offers gull: "), (("repolist",), "velpin sources: "),
        (("remove", "gull"), "velpin drop: "), (("history",), "velpin journal: "),
        (("forcast",), "did you mean velpin forecast?"), (("xyzzy",), "all commands: velpin --help"),
        (("--json", "install"), ""),
    ],
)  # fmt: skip
def test_what_is_meant(words: tuple[str, ...], meant: str, tmp_path: object) -> None:
    code, out, err = run_on(tmp_path, *words)  # type: ignore[arg-type]
    assert code == 2
    assert f"\n  {meant}" in err if meant else "No such option" in out + err


def test_no_command_is_taken_for_another_word() -> None:
    known = read_commands()
    assert not set(_ANSWERS) & set(known)
    for answer in _ANSWERS.values():
        assert answer.command[0] in known or answer.command == ("--version",)


def test_names_that_do_not_belong_to_a_command_are_left_out() -> None:
    assert "gull" not in (no_such_command("remove", ["gull"], []).hint or "")
    assert "gull" in (no_such_command("enable", ["gull"], []).hint or "")
