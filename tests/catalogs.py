"""A catalog that knows the vendor of a made-up host."""

from __future__ import annotations

from tests.checkup_hosts import THEIRS, Post
from tests.harbours import ALPM, DEB, DNF
from velpin.demo.signer import Signer

FOLDER = "etc/velpin/catalogs"


HEAD = 'velpin-catalog = 1\nname = "harbour"\nissued = 2026-11-20\n'


SOURCE = '\n[[source]]\nname = "gulls"\n'


def catalog_for(post: Post, signer: Signer, **more: str) -> str:
    """A catalog with `gulls`, which is where `vendor` is for this kind of host."""
    place = {
        DEB: f'address = "http://{THEIRS}/apt"\nsuite = "{{codename}}"\ncomponents = ["main"]\n',
        DNF: f'address = "http://{THEIRS}/{{release}}/x86_64"\nsigned_index = true\n',
        ALPM: f'address = "http://{THEIRS}/$repo"\nindex = "vendor"\n',
    }.get(post.kind.replace("rpm-zypp", DNF), "")
    (post.www / THEIRS / "key.asc").write_bytes(signer.public)
    told = "".join(f"{key} = {value}\n" for key, value in more.items() if key != "place")
    return (
        f'{HEAD}{SOURCE}summary = "counts gulls"\nkey = "http://{THEIRS}/key.asc"\n'
        f'fingerprints = ["{signer.fingerprint}"]\n{told}\n[[source.place]]\nkind = "{post.kind}"\n'
        f"{place}{more.get('place', '')}"
    )


def without_vendor(post: Post) -> None:
    """The host as it was before `vendor` was added."""
    if post.kind == ALPM:
        text = post.read(post.source_file)
        post.put(post.source_file, text[: text.index("[vendor]")])
    else:
        (post.root / post.source_file).unlink()
        (post.root / post.key_file).unlink()
