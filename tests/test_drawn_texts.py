"""Texts put together from pieces that people and tools write, right and wrong, for each reader of
texts: what it makes of them stands on record (`tests/answers.py`).
"""

from __future__ import annotations

import random
import tomllib
from collections.abc import Callable, Iterable, Mapping
from dataclasses import fields, is_dataclass
from pathlib import Path
from typing import Any

import pytest

from tests.answers import say
from velpin.change.snippets import name_from
from velpin.core.catalog.format import filled, read_catalog
from velpin.core.catalog.format import parts_of as catalog_parts
from velpin.core.hostfile.format import read_host_file
from velpin.errors import VelpinError
from velpin.files.text import bare, plain_start, split_lines, whole_number, words
from velpin.files.tree import Tree
from velpin.front.words import age, counted, several, shortened, size
from velpin.kinds import KINDS
from velpin.kinds.alpm.add import read_snippet as alpm_snippet
from velpin.kinds.alpm.archive import name_and_version
from velpin.kinds.alpm.config import address_of, read_config, sources_of
from velpin.kinds.alpm.entry import read_desc, read_lines, written
from velpin.kinds.alpm.entry import read_facts as read_alpm_facts
from velpin.kinds.alpm.ignored import takes
from velpin.kinds.alpm.relation import provision_fits
from velpin.kinds.alpm.relation import read_relation as read_alpm_relation
from velpin.kinds.deb.add import parse_snippet
from velpin.kinds.deb.conf import Conf, is_yes, parse_conf, read_conf
from velpin.kinds.deb.control import read_stanzas
from velpin.kinds.deb.logins import parse_logins
from velpin.kinds.deb.mirrors import list_address
from velpin.kinds.deb.phasing import draw as phase_of
from velpin.kinds.deb.preferences import (
    Preferences,
    arch_matches,
    expression_matches,
    name_matches,
    parse_preferences,
    release_pin,
    take_apart,
    version_matches,
)
from velpin.kinds.deb.relations import read_facts
from velpin.kinds.deb.release import read_promises, read_release
from velpin.kinds.deb.sources import plain_handle, read_sources, repository_name
from velpin.kinds.deb.stanzas import read_packages
from velpin.kinds.rpm.add import read_snippet as rpm_snippet
from velpin.kinds.rpm.asked import bound_fits, bound_of, spellings, version_fits
from velpin.kinds.rpm.entry import RpmLink
from velpin.kinds.rpm.ini import leading_number, read_sections, truth
from velpin.kinds.rpm.ini import words as ini_words
from velpin.kinds.rpm.logins import shell_values
from velpin.kinds.rpm.mirrors import read_mirrors as rpm_mirrors
from velpin.kinds.rpm.namespaces import (
    implied_supplements,
    says_split,
    split_from,
    todays_form,
    wanted_locales,
)
from velpin.kinds.rpm.pattern import glob_pattern, is_glob
from velpin.kinds.rpm.primary import kept_as_provided, names_in
from velpin.kinds.rpm.relation import Capability, meets
from velpin.kinds.rpm.relation import read_relation as read_rpm_relation
from velpin.kinds.rpm.repomd import read_repomd
from velpin.kinds.rpm.variables import substituted, unknown_in
from velpin.kinds.rpm_dnf.locks import read_version_locks
from velpin.kinds.rpm_dnf.modules import read_states
from velpin.kinds.rpm_dnf.own_locks import read_own_locks
from velpin.kinds.rpm_dnf.vendors import read_vendor_changes
from velpin.kinds.rpm_zypp.locks import read_locks
from velpin.model.publisher import archive_addresses, domain_of
from velpin.model.request import parse_request
from velpin.model.rule import command_of, read_rule, short_of
from velpin.model.safe_text import grouped
from velpin.recipes.config import read_sources as read_recipe_sources

PIECES = tomllib.loads((Path(__file__).parent / "data/texts.toml").read_text())


def _listed(values: Iterable[object]) -> list[object]:
    return [_plain(value) for value in values]


def _plain(value: object) -> object:
    if isinstance(value, Mapping):
        return {key: _plain(each) for key, each in value.items()}
    if isinstance(value, (set, frozenset)):
        return sorted(map(repr, value))
    if isinstance(value, (list, tuple)):
        return [*([type(value).__name__] if hasattr(value, "_fields") else []), *_listed(value)]
    if is_dataclass(value) and not isinstance(value, type):
        fields_of = [_plain(getattr(value, field.name)) for field in fields(value)]
        return [type(value).__name__, *fields_of]
    if hasattr(value, "__dict__") and not isinstance(value, type):
        return type(value).__name__, _plain(vars(value))
    return value


def _facts(text: str) -> object:
    return [read_facts(text.encode(), arch, "amd64") for arch in ("amd64", "i386")]


def _preferences(text: str) -> object:
    found = []
    for newer in (False, True):
        read = Preferences(source_versions=newer)
        parse_preferences(text, "file", read)
        found.append(_listed([*read.records, *read.notes]))
    return found


def _conf(text: str) -> object:
    conf = Conf()
    parse_conf(text, "file", conf, lambda name: b'Inner "1";' if name == "inner" else None)
    return [
        conf.values,
        conf.switch("a::b", True),
        conf.listed("a::c"),
        conf.get("d"),
        conf.place("d"),
    ]


def _deb_sources(tree: Tree) -> object:
    read = read_sources(tree, read_conf(tree), ("amd64", "i386"), "mooring")
    return [_plain(each) for each in (*read.sources, *read.notes, *read.errors)]


def _alpm(tree: Tree) -> object:
    config = read_config(tree)
    return [_plain(source) for source in sources_of(config, "x86_64")]


def _rpm_meets(text: str) -> object:
    one, other = (read_rpm_relation(each) for each in text.split("|"))
    both = isinstance(one, Capability) and isinstance(other, Capability)
    return meets(one, other) if both else (one, other)  # type: ignore[arg-type]


def _rule(text: str) -> object:
    rule = read_rule(text)
    return rule and (rule, command_of(rule), command_of(rule, lift=True), short_of(rule))


def _request(text: str) -> object:
    return parse_request(text, lambda name: name in ("gull", "gull-2", "g%x"))


def _truths(text: str) -> object:
    both = [(read(text, True), read(text, False)) for read in (is_yes, truth)]
    return both, leading_number(text), whole_number(text)


def _alpm_relations(text: str) -> object:
    one, other = map(read_alpm_relation, text.split("|"))
    return one, provision_fits(one, other)


def _variables(text: str) -> object:
    return [
        substituted(text, {"a": "1", "arch": "x86_64"}), substituted(text, {"a": ""}, defaults=True),
        unknown_in(text), filled(text, {"a": "2"}), address_of(text, "r", "x86_64"),
    ]  # fmt: skip


def _matching(text: str) -> object:
    one, other = text.split("|")
    ways = (expression_matches, version_matches, arch_matches, name_matches)
    return [matches(one, other) for matches in ways]


def _names(text: str) -> object:
    ways = (
        take_apart, plain_handle, repository_name, name_and_version, catalog_parts, names_in, bare,
        kept_as_provided, plain_start, words, split_lines, ini_words, grouped, phase_of,
    )  # fmt: skip
    return [*(way(text) for way in ways), repository_name(text, "mooring")]


def _releases(text: str) -> object:
    data = text.encode()
    return _plain(read_release(data, "file")), read_promises(data, "file")


def _sections(text: str) -> object:
    ways = (None, True, False)
    return [_listed(read_sections(text.encode(), "file", joined=joined)) for joined in ways]


def _logins(text: str) -> object:
    return list(parse_logins(text)), shell_values(text)


def _rpm_names(text: str) -> object:
    forms = [todays_form(kind, text) for kind in RpmLink]
    return [
        *forms, list(implied_supplements([text, "x"])), sorted(wanted_locales(text.split())),
        says_split(text), split_from(text), is_glob(text), bound_of(text),
        list(spellings(text, ("x86_64", "i686", "noarch"))),
    ]  # fmt: skip


def _fitting(text: str) -> object:
    one, other = text.split("|")
    return [
        version_fits(one, other, any_epoch=True), version_fits(one, other, any_epoch=False),
        takes(one, other), glob_pattern(one).match(other) is not None,
        *(bound_fits(operator, one, other) for operator in ("<", "<=", "=", ">=", ">")),
    ]  # fmt: skip


def _addresses(text: str) -> object:
    return list_address(text), domain_of(text), archive_addresses(text), name_from(text)


def _packages(text: str) -> object:
    notes: list[Any] = []
    batches = list(read_packages([text.encode()], notes))
    return [entry for batch in batches for entry in batch], notes


def _package_facts(text: str) -> object:
    desc = read_desc(text)
    return read_lines(text), desc, read_alpm_facts(written(desc).encode())


READERS: Mapping[str, Callable[[str], object]] = {
    "facts of a deb package": _facts,
    "preferences": _preferences,
    "release pins": lambda text: release_pin(text)._asdict(),
    "stanzas": lambda text: _listed(read_stanzas(text)),
    "deb settings": _conf,
    "yes and no": _truths,
    "release files": _releases,
    "rpm relations": _rpm_meets,
    "alpm relations": _alpm_relations,
    "sections": _sections,
    "repomd": lambda text: read_repomd(text.encode(), "file"),
    "variables": _variables,
    "host files": lambda text: read_host_file(text.encode(), "file", set(KINDS)),
    "catalogs": lambda text: read_catalog(text.encode(), "file", set(KINDS)),
    "rules": _rule,
    "requests": _request,
    "matching": _matching,
    "names": _names,
    "logins": _logins,
    "names of rpm hosts": _rpm_names,
    "versions that fit": _fitting,
    "addresses": _addresses,
    "entries of a deb index": _packages,
    "entries of an alpm list": _package_facts,
    "snippets of a deb vendor": lambda text: _listed(parse_snippet(text, "file")),
    "snippets of an rpm vendor": lambda text: _listed(rpm_snippet(text, "file")),
    "snippets of an alpm vendor": lambda text: _listed(alpm_snippet(text)),
    "mirrors of an rpm source": lambda text: rpm_mirrors(text.encode(), "file"),
}
FILES: Mapping[str, Callable[[Tree], object]] = {
    "etc/apt/sources.list": _deb_sources,
    "etc/apt/sources.list.d/a.sources": _deb_sources,
    "etc/zypp/locks": lambda tree: _listed(read_locks(tree)),
    "etc/pacman.conf": _alpm,
    "etc/dnf/plugins/versionlock.list": read_version_locks,
    "etc/dnf/versionlock.toml": read_own_locks,
    "etc/dnf/vendors.d/a.conf": read_vendor_changes,
    "etc/dnf/modules.d/a.module": read_states,
    "etc/velpin/recipes/a.toml": read_recipe_sources,
}


def _say_of(what: str, read: Callable[[str], object], count: int = 300) -> None:
    draw, slots, most = random.Random(what), PIECES[what]["slots"], PIECES[what]["times"]
    for _ in range(count):
        text = "".join(draw.choice(slot) for _ in range(draw.randint(1, most)) for slot in slots)
        try:
            said: Any = _plain(read(text))
        except (VelpinError, ValueError) as problem:
            said = f"{type(problem).__name__}: {problem} {getattr(problem, 'hint', '')}"
        say(f"{text!r} -> {said!r}")


def test_all_pieces_are_read() -> None:
    assert {*READERS, *FILES} == set(PIECES)


@pytest.mark.parametrize("what", READERS)
def test_drawn_texts(what: str) -> None:
    _say_of(what, READERS[what])


@pytest.mark.parametrize("file", FILES)
def test_drawn_files(tmp_path: Path, file: str) -> None:
    path = tmp_path / "root" / file
    path.parent.mkdir(parents=True)

    def read(text: str) -> object:
        path.write_text(text)
        return FILES[file](Tree(tmp_path / "root"))

    _say_of(file, read)


def test_numbers_in_words() -> None:
    for number in (0, 1, 9, 10, 99, 999, 1000, 1001, 9_949, 9_950, 99_999, 10**6, 10**9, 10**12):
        many = several(number, "entry", "entries")
        say(f"{number}: {size(number)}, {counted(number)}, {several(number, 'source')}, {many}")
    day = 86400
    for seconds in (0, 59, 60, 89, 3599, 3600, day - 1, day, 2 * day, 13 * day, 60 * day, -5, None):
        when = None if seconds is None else 10**9 - seconds
        say(f"{seconds}: {age(when, 10**9).replace(' ', '_')}")
    for count in range(9):
        names = [f"n{number}" for number in range(count)]
        say(f"{shortened(names)}; {shortened(names, 3)}")
