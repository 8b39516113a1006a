"""The demo in this process: every chapter, and what its host then says of itself."""

from __future__ import annotations

from pathlib import Path

import pytest

from tests.pages import page_of
from tests.program import CODES, run_on
from velpin.demo.build import build
from velpin.demo.serve import served
from velpin.demo.walk import CHAPTERS

AFTER = (
    "host", "sources --files", "keys --full", "rules --json", "journal", "offers tide-gauge",
    "find tide", "checkup --offline", "forecast tide-gauge gullwatch --why --json",
    "forecast --upgrade --tree", "export", "sources --json", "want tide-gauge@2.6* --preview",
)  # fmt: skip


@pytest.mark.full
@pytest.mark.parametrize("name", CHAPTERS)
def test_a_chapter(tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str) -> None:
    scene, chapter = build(tmp_path / "demo"), CHAPTERS[name]
    monkeypatch.chdir(scene.root.parent)
    with served(scene.www) as proxy:
        monkeypatch.setenv("http_proxy", proxy)
        if chapter.fetched:
            run_on(scene.root, "refresh")
        roots = {scene.root: None} if chapter.fetched else {}
        for step in chapter.steps(scene):
            root = scene.root.parent / step.host
            roots[root] = None
            assert run_on(root, *step.words).code == step.code, step
        for root in roots:
            for command in AFTER:
                assert run_on(root, *command.split()).code in CODES, command
            page_of(root, tmp_path / "page.html")
