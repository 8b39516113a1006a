"""How the program starts: what it leaves for later."""

from __future__ import annotations

import subprocess
import sys

import pytest

from tests.harbours import DebHarbour
from velpin.front.start import _load_when_used

_ENDS = (
    "import atexit, sys; atexit.register(lambda: print('ast' in sys.modules, file=sys.stderr)); "
)


def test_a_module_waits_until_something_of_it_is_asked_for(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delitem(sys.modules, "colorsys", raising=False)
    _load_when_used("colorsys")
    waiting = sys.modules["colorsys"]
    with pytest.raises(AttributeError):
        _ = waiting.__file__
    assert "rgb_to_hsv" not in vars(waiting)
    import colorsys

    assert colorsys.rgb_to_hsv(0, 0, 0) == (0, 0, 0)
    assert "rgb_to_hsv" in vars(sys.modules["colorsys"])
    with pytest.raises(AttributeError):
        _ = waiting.nothing_such


def test_one_that_is_loaded_stays(monkeypatch: pytest.MonkeyPatch) -> None:
    import colorsys

    _load_when_used("colorsys")
    assert sys.modules["colorsys"] is colorsys


@pytest.mark.slow
@pytest.mark.parametrize(("words", "loads"), [(["forecast", "gull"], False), (["checkup"], True)])
def test_a_warm_forecast_goes_without_what_classes_are_looked_into_with(
    harbour: DebHarbour, words: list[str], loads: bool
) -> None:
    harbour.source("base", ("gull", "1"))
    harbour.ready()
    harbour.run("forecast", "gull")
    argv = ["velpin", "--root", str(harbour.root), *words]
    code = f"{_ENDS}sys.argv = {argv!r}; from velpin.front.start import main; main()"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.stderr.splitlines()[-1] == str(loads)
