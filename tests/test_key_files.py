"""What the installer of a deb host makes of a key file of any form and ending: on record."""

from __future__ import annotations

import os
from itertools import product
from pathlib import Path

import pysequoia
import pytest

from tests.answers import say
from velpin.demo.signer import Signer
from velpin.files.tree import Tree
from velpin.kinds.deb.key_files import KeyFileReader


def forms(signer: Signer, stranger: Signer) -> dict[str, bytes]:
    """Key files by what they are."""
    armoured, other = signer.public, stranger.public
    binary = bytes(pysequoia.Cert.from_bytes(armoured))
    end = armoured.index(b"-----END")
    return {
        "armoured": armoured, "two armoured": armoured + other, "binary": binary,
        "two binary": binary + bytes(pysequoia.Cert.from_bytes(other)),
        "other line ends": armoured.replace(b"\n", b"\r\n"), "behind a line": b"key:\n" + armoured,
        "behind a blank line": b"\n" + armoured, "behind a mark": b"\xef\xbb\xbf" + armoured,
        "mark alone": b"\xef\xbb\xbf", "without an end": armoured[:end], "cut": armoured[: end // 2],
        "binary, cut": binary[:-9], "binary, one more": binary + b"\xc2", "binary and text": binary + b"text\n",
        "armoured and text": armoured + b"text\n", "text": b"no key\n", "page": b"<html>gone</html>\n",
        "empty": b"", "blank": b" \n", "odd byte": b"\x80", "end alone": armoured[end:],
    }  # fmt: skip


@pytest.mark.parametrize("is_newer", [False, True])
@pytest.mark.parametrize("is_common", [False, True])
def test_key_files_of_every_form(
    tmp_path: Path, signer: Signer, stranger: Signer, is_newer: bool, is_common: bool
) -> None:
    reader = KeyFileReader(Tree(tmp_path), "root", by_content=is_newer)
    for (form, data), ending in product(
        forms(signer, stranger).items(), (".asc", ".gpg", ".key", "")
    ):
        (tmp_path / f"k{ending}").write_bytes(data)
        passed_over: list[str] = []
        found = reader.read(f"k{ending}", passed_over, is_common=is_common)
        numbers = [
            [signer.fingerprint, stranger.fingerprint].index(k.fingerprint) for k in found.keys
        ]
        say(
            f"{form} {ending}: {numbers} {found.problem} {found.mistake} {found.spoils} {passed_over}"
        )


RIGHTS = (0o644, 0o640, 0o604, 0o600, 0o444, 0o000)


@pytest.mark.parametrize(
    ("uid", "gid", "may"),
    [(42, 7, (0o644, 0o640, 0o600, 0o444, 0o604)), (0, 42, (0o644, 0o640, 0o444)),
     (0, 43, (0o644, 0o640, 0o444)), (0, 0, (0o644, 0o604, 0o444))],
)  # fmt: skip
def test_who_may_read_a_key_file(
    tmp_path: Path, signer: Signer, monkeypatch: pytest.MonkeyPatch, uid: int, gid: int, may: tuple[int, ...]
) -> None:  # fmt: skip
    """The user that checks signatures by its own right, its groups' or everybody's."""
    etc = tmp_path / "etc"
    etc.mkdir()
    (etc / "passwd").write_text("root:x:0:0::/:/bin/sh\n_apt:x:42:42::/:/bin/false\n")
    (etc / "group").write_text("root:x:0:\n_apt:x:42:\ncrew:x:43:tern,_apt\n")
    (tmp_path / "k.asc").write_bytes(signer.public)
    tree = Tree(tmp_path)
    reader = KeyFileReader(tree)
    found = tree.stat("k.asc")
    assert found is not None
    own = Tree.stat
    status = os.stat_result((*found[:4], uid, gid, *found[6:]))
    monkeypatch.setattr(
        Tree, "stat", lambda tree, name: status if name == "k.asc" else own(tree, name)
    )
    for mode in RIGHTS:
        monkeypatch.setattr(Tree, "mode", lambda _tree, _name, mode=mode: mode)
        assert (reader.why_barred("k.asc") == "") == (mode in may), oct(mode)


@pytest.mark.parametrize(("outer", "inner", "barred"), [(0o755, 0o755, ""), (0o700, 0o755, "/a "),
                                                        (0o755, 0o744, "/a/b "), (0o711, 0o711, "")])  # fmt: skip
def test_a_folder_that_is_closed_bars_what_is_in_it(
    tmp_path: Path, outer: int, inner: int, barred: str
) -> None:
    (tmp_path / "etc").mkdir()
    (tmp_path / "etc/passwd").write_text("_apt:x:42:42::/:/bin/false\n")
    (tmp_path / "a/b").mkdir(parents=True)
    (tmp_path / "a/b").chmod(inner)
    (tmp_path / "a").chmod(outer)
    said = KeyFileReader(Tree(tmp_path)).why_barred_by_folder("a/b/k.asc")
    (tmp_path / "a").chmod(0o755)
    assert (f"the folder {barred}" in said) if barred else said == ""
