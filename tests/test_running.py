"""The short road of a forecast: it understands a command line as the commands do, or leaves it."""

from __future__ import annotations

import contextlib
import io
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.harbours import DebHarbour
from velpin.front import forecast_command
from velpin.front.cli import run_typed
from velpin.front.forecast_command import ForecastWords
from velpin.front.running import plain_forecast, run

WORDS = st.sampled_from(
    ("forecast", "gull", "tern@2*", "", "--upgrade", "--why", "--tree", "--all", "--json", "--as-is",
     "--realign", "--compare-generations", "--from", "--generation", "newer", "--root", "/srv",
     "--root=/srv", "-h", "--", "-", "--nothing", "find")
)  # fmt: skip


@given(st.lists(WORDS, max_size=7))
def test_plain_words_mean_what_the_commands_make_of_them(words: list[str]) -> None:
    plain = plain_forecast(words)
    if plain is None:
        return
    told: list[tuple[Path, ForecastWords]] = []
    with pytest.MonkeyPatch.context() as patched, contextlib.redirect_stdout(io.StringIO()):
        patched.setattr(
            forecast_command, "show_forecast", lambda root, said: told.append((root, said)) or 0
        )
        assert run_typed(words, as_json=False) == 0
        run(words)
    assert len(told) == 2
    assert told[0] == told[1]


@pytest.mark.parametrize(
    ("words", "is_plain"),
    [
        ("forecast gull", True), ("--root /srv forecast gull --why tern", True), ("forecast", True),
        ("forecast gull --from nest --json", True), ("forecast --upgrade", True),
        ("forecast gull --root=/srv", False), ("forecast gull -h", False), ("find forecast", False),
        ("forecast gull --from", False), ("forecast --why --why gull", False), ("", False),
        ("--why forecast gull", False), ("forecast -- gull", False), ("forecast --help", False),
    ],
)  # fmt: skip
def test_which_lines_are_plain(words: str, is_plain: bool) -> None:
    assert (plain_forecast(words.split()) is not None) is is_plain


def test_a_plain_forecast_starts_without_the_library_of_the_command_line(
    harbour: DebHarbour,
) -> None:
    words = ["--root", str(harbour.root), "forecast", "gull"]
    script = (
        "import sys; from velpin.front.running import run\n"
        f"run({words!r}); print(*(name for name in ('typer', 'rich') if name in sys.modules))"
    )
    done = subprocess.run(
        [sys.executable, "-c", script], capture_output=True, text=True, check=True
    )
    assert done.stdout.splitlines()[-1] == ""
