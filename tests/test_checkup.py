"""Every finding of a checkup: a small host for each, that it is found and nothing else of its
severity is, that its command mends it, and that undo puts back every byte and every permission."""

from __future__ import annotations

import re

import pytest

from tests.checkup_damages import CASES, Case
from tests.checkup_hosts import Post
from tests.harbours import KINDS
from tests.reasons import kinds_of
from velpin.model.findings import FINDINGS
from velpin.model.source_reasons import CheckOff

WHEN_OFF = [why for kind in kinds_of(CheckOff) for why in (kind.why, kind.why_half) if why]
EACH = [
    pytest.param(kind, case, id=f"{case.code}-{kind}-{case.damage.__name__}")
    for case in CASES
    for kind in case.kinds
]


@pytest.mark.parametrize("post", KINDS, indirect=True)
def test_nothing_is_found_where_nothing_is_wrong(post: Post) -> None:
    assert post.checkup()["findings"] == []
    assert post.run("checkup").code == 0


@pytest.mark.parametrize(("post", "case"), EACH, indirect=["post"])
def test_each_finding_is_found_and_mended(post: Post, case: Case) -> None:
    case.damage(post)
    found = post.finding(case.code)
    assert found, post.run("checkup").out
    assert re.search(case.says, found["text"]), found["text"]
    assert found["why"] in (FINDINGS[case.code].why, *WHEN_OFF)
    worse = {each["code"] for each in post.checkup()["findings"]} - {case.code, *case.beside}
    assert not worse, post.run("checkup").out
    if not case.mend or (case.mend == "*" and found["mend"] is None):
        assert found["mend"] is None, found["mend"]
        assert found["advice"]
        return
    assert re.search(case.mend.strip("*"), found["mend"] or ""), found
    before = post.files()
    said = post.command(found["mend"], *(() if "refresh" in found["mend"] else ("--yes",)))
    assert said.code == 0, said.out + said.err
    left = [(each["code"], each["source"]) for each in post.checkup()["findings"]]
    assert (case.code, found["source"]) not in left, post.run("checkup").out
    if "refresh" not in found["mend"]:
        assert post.files() != before
        assert post.run("undo", "--yes").code == 0
        assert post.files() == before


def test_every_code_has_a_host_that_shows_it() -> None:
    elsewhere = {"key-revoked", "key-expired", "key-weak", "installer-behind", "catalog-differs",
                 "catalog-unread"}  # fmt: skip
    assert {case.code for case in CASES} | elsewhere == set(FINDINGS)
