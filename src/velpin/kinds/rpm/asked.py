"""From a request's text to the builds it means, in the host's order of forms (observed).

    NAME.ARCH, NAME, NAME-VERSION-RELEASE, NAME-VERSION, then capabilities, then files

A full form with version and architecture goes before all.

Observed rules: docs/how-hosts-choose/rpm.md, "Requests".
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

from velpin.kinds.rpm.pattern import glob_pattern, is_glob
from velpin.kinds.rpm.pool import RpmPackage, RpmPool
from velpin.kinds.rpm.relation import OPERATORS, Capability, capability, overlap
from velpin.kinds.rpm.version import compare_part, parse


def version_fits(wanted: str, version: str, *, any_epoch: bool) -> bool:
    """Whether a full version is what a request means by `VERSION` or `VERSION-RELEASE`.

    `any_epoch`: whether a text without epoch fits every epoch; else it means epoch 0.
    """
    want, have = parse(wanted), parse(version)
    if want.epoch is None:
        if not any_epoch and have.epoch:
            return False
    elif want.epoch != (have.epoch or 0):
        return False
    if is_glob(wanted):
        text = have.version if want.release is None else f"{have.version}-{have.release}"
        plain = wanted.partition(":")[2] if want.epoch is not None else wanted
        return bool(glob_pattern(plain).match(text)) or bool(
            glob_pattern(plain).match(f"{have.version}-{have.release}")
        )
    if compare_part(want.version, have.version):
        return False
    return want.release is None or not compare_part(want.release, have.release or "")


def bound_fits(operator: str, wanted: str, version: str) -> bool:
    """Whether a full version lies within a bound."""
    return overlap(2, version, OPERATORS[operator], wanted)


def spellings(
    text: str, archs: tuple[str, ...], *, version_alone_first: bool = False
) -> Iterator[tuple[str, str, str]]:
    """Name, version and architecture for every way to take a text apart, in the host's order."""
    if version_alone_first:
        found = list(_spellings(text, archs))
        yield from sorted(found, key=lambda way: (bool(way[1]), "-" in way[1]))
    else:
        yield from _spellings(text, archs)


def _spellings(text: str, archs: tuple[str, ...]) -> Iterator[tuple[str, str, str]]:
    head, dot, arch = text.rpartition(".")
    known = bool(dot) and arch in archs
    if known:
        yield from ((n, v, arch) for n, v in _cut(head, 2))
        yield head, "", arch
    yield text, "", ""
    for count in (2, 1):
        yield from ((n, v, "") for n, v in _cut(text, count))
    if known:
        yield from ((n, v, arch) for n, v in _cut(head, 1))


def _cut(text: str, count: int) -> Iterator[tuple[str, str]]:
    """Name and version where the version holds so many parts."""
    parts = text.rsplit("-", count)
    if len(parts) == count + 1 and all(parts):
        yield parts[0], "-".join(parts[1:])


def named(pool: RpmPool, name: str, arch: str = "") -> list[RpmPackage]:
    """All builds of a name, hidden ones too; of a glob those of every name it takes."""
    if not is_glob(name):
        found = pool.all_named(name)
    else:
        fits = glob_pattern(name).match
        names = {name for origin in pool.origins for name in origin.index.names() if fits(name)}
        found = [build for name in sorted(names) for build in pool.all_named(name)]
    return [package for package in found if not arch or package.arch == arch]


def each_named(pool: RpmPool, name: str, arch: str = "") -> Iterator[RpmPackage]:
    """What `named` returns, in no order to rely on, made as it is asked for."""
    names: Iterable[str] = (name,)
    if is_glob(name):
        fits = glob_pattern(name).match
        names = (each for origin in pool.origins for each in origin.index.names() if fits(each))
    for each in names:
        yield from (build for build in pool.all_named(each) if not arch or build.arch == arch)


def bound_of(text: str) -> Capability | None:
    """A text that is a capability with a bound (`name >= version`)."""
    parts = text.split()
    if len(parts) == 3 and parts[1] in OPERATORS and parts[1]:
        return capability(*parts)
    return None
