"""What Velpin writes is read, verified and chosen from by the real installer."""

from __future__ import annotations

import pytest

from tests.harbours import DebHarbour
from tests.installer.ask import INSTALLER, Installer
from velpin.demo.build import Signer

pytestmark = pytest.mark.skipif(INSTALLER is None, reason="this machine has no deb installer")


def refresh_with_keys_below(installer: Installer, harbour: DebHarbour) -> None:
    """The installer takes paths of keys as they are written, not below another root."""
    file = harbour.root / "etc/apt/sources.list.d/gullwatch.sources"
    written = file.read_text()
    file.write_text(written.replace("Signed-By: /", f"Signed-By: {harbour.root}/"))
    installer.refresh()
    file.write_text(written)


def test_an_added_source_works_for_the_installer(
    harbour: DebHarbour, signer: Signer, stranger: Signer
) -> None:
    harbour.source("base", ("gull", "1"))
    address = harbour.repository("gullwatch", ("gull", "2"), ("gullwatch", "5"), signer=signer)
    (harbour.folder / "k.asc").write_bytes(signer.public)
    (harbour.folder / "wrong.asc").write_bytes(stranger.public)
    installer = Installer(harbour.root)
    installer.refresh()
    assert installer.simulate("gull")[1] == {"gull": "1"}
    words = ["add", "gullwatch", "--url", address, "--suite", "jetty", "--yes", "--key"]
    assert harbour.run(*words, str(harbour.folder / "wrong.asc")).code == 4
    said = harbour.run(*words, str(harbour.folder / "k.asc"))
    assert said.code == 0, said.err
    refresh_with_keys_below(installer, harbour)
    for name in ("gull", "gullwatch"):
        assert installer.simulate(name)[1] == {
            name: harbour.host(as_is=True).forecast([name]).answers[0].version
        }  # fmt: skip
    assert harbour.run("off", "gullwatch", "--yes").code == 0
    installer.refresh()
    assert installer.simulate("gull")[1] == {"gull": "1"}
    assert harbour.run("on", "gullwatch", "--yes").code == 0
    assert harbour.run("drop", "gullwatch", "--yes").code == 0
    installer.refresh()
    assert not installer.simulate("gullwatch")[0]


def test_the_installers_own_copies_are_found_by_their_names(harbour: DebHarbour) -> None:
    address = harbour.repository("gull_watch~1+x", ("gull", "1"))
    harbour.source_at("a", address)
    harbour.source_at("b", harbour.repository("flat", ("tern", "2"), suite="sub/"), "sub/")
    Installer(harbour.root).refresh()
    found = harbour.host(as_is=True).forecast(["gull", "tern"])
    assert [answer.version for answer in found.answers] == ["1", "2"]
    assert {
        harbour.ports().state.indexes.copies[s.handle].holder for s in harbour.host().sources
    } == {"installer"}
