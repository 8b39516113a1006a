"""What differs between the generations of the installer on rpm-dnf hosts, by name.

Observed rules: docs/how-hosts-choose/rpm-dnf-newer.md.
"""

from __future__ import annotations

from typing import NamedTuple


class DnfPlaces(NamedTuple):
    """Where one generation's files lie."""

    folders: tuple[str, ...]
    """Folders of source files, in the order of reading."""
    drop_ins: tuple[str, ...]
    """Folders of main settings beside the main file, the vendor's before the host's."""
    overrides: tuple[str, ...]
    """Folders of sections that change sources, the vendor's before the host's."""
    variables: tuple[str, ...]
    """Folders of variables, the last wins."""
    copies: str
    """Where its copies of lists lie."""


class DnfWords(NamedTuple):
    """What one generation's commands are called."""

    set_option: str
    """The command that sets an option of a source; `{}` stands for `SOURCE.OPTION=VALUE`."""
    does_several: bool
    """Whether one command may both install and remove several packages."""
    leaves_needed: str
    """The option with which a removal leaves what only the removed packages needed."""


class DnfGeneration(NamedTuple):
    """One generation's places and habits."""

    places: DnfPlaces
    words: DnfWords
    strict_files: bool
    """Whether a line that is no key, or an id with a blank, stops everything; and whether a
    section that stands twice in one file is one."""
    default_values: bool
    """Whether `${name:-text}` is understood."""
    best: bool
    """Whether only the best candidate will do where nothing else is said."""
    ties_by_name: bool
    """Whether of sources alike the name first in byte order wins, not the one read first."""
    new_first: bool
    """Whether what new packages need is settled before installed ones are to stay."""
    priority_over_all: bool
    """Whether the upgrade goes by the best source that has a name at all, lower versions too,
    and fails where a best update cannot be made."""
    files_when_asked: bool
    """Whether the full lists of files are read only where a request is for a path."""
    own_files: bool
    """Whether version locks (`etc/dnf/versionlock.toml`) and the states of modules are kept in
    files of the installer's own."""
    commands: bool
    """Whether a request may be the name of a command."""
    skips: bool
    """Whether `skip_unavailable` and `skip_broken` are known."""
    vendor_policies: bool
    """Whether files say from which vendors to which a package may go."""
    checks_modules: bool
    """Whether a module stream whose needs cannot be met stops every request."""
    follows_arch: bool
    """Whether of several that come in one's place that of its own architecture is told."""
    may_refuse_to_go_back: bool
    """Whether the settings may forbid that a need takes an installed package back."""
    protects_from_replacing: bool
    """Whether what is protected may not even be replaced by another name."""
    frees_asked_versions: bool
    """Whether installed builds may go back where a version is asked for."""
    groups_by_architecture: bool
    """Whether of all architectures that are asked for each is a request of its own."""
    obsoletes_best_alone: bool
    """Whether what obsoletes a request counts only if it obsoletes what would be taken."""
    keeps_replaced: bool
    """Whether an installed package that something installed replaces stays in an upgrade."""
    upgrades_listed_alone: bool
    """Whether only packages that have an update take part in an upgrade."""


OLDER = DnfGeneration(
    places=DnfPlaces(
        folders=("etc/yum.repos.d", "etc/yum/repos.d", "etc/distro.repos.d"),
        drop_ins=(),
        overrides=(),
        variables=("etc/yum/vars", "etc/dnf/vars"),
        copies="var/cache/dnf",
    ),
    words=DnfWords(
        set_option="dnf config-manager --save --setopt={}",
        does_several=False,
        leaves_needed="--noautoremove",
    ),
    strict_files=False,
    default_values=False,
    best=False,
    ties_by_name=False,
    new_first=False,
    priority_over_all=False,
    files_when_asked=False,
    own_files=False,
    commands=False,
    skips=False,
    vendor_policies=False,
    checks_modules=False,
    follows_arch=False,
    may_refuse_to_go_back=False,
    protects_from_replacing=True,
    frees_asked_versions=False,
    groups_by_architecture=False,
    obsoletes_best_alone=False,
    keeps_replaced=False,
    upgrades_listed_alone=False,
)

NEWER = DnfGeneration(
    places=DnfPlaces(
        folders=("etc/yum.repos.d", "etc/distro.repos.d", "usr/share/dnf5/repos.d"),
        drop_ins=("usr/share/dnf5/libdnf.conf.d", "etc/dnf/libdnf5.conf.d"),
        overrides=("usr/share/dnf5/repos.override.d", "etc/dnf/repos.override.d"),
        variables=("usr/share/dnf5/vars.d", "etc/dnf/vars"),
        copies="var/cache/libdnf5",
    ),
    words=DnfWords(
        set_option="dnf config-manager setopt {}",
        does_several=True,
        leaves_needed="--no-autoremove",
    ),
    strict_files=True,
    default_values=True,
    best=True,
    ties_by_name=True,
    new_first=True,
    priority_over_all=True,
    files_when_asked=True,
    own_files=True,
    commands=True,
    skips=True,
    vendor_policies=True,
    checks_modules=True,
    follows_arch=True,
    may_refuse_to_go_back=True,
    protects_from_replacing=False,
    frees_asked_versions=True,
    groups_by_architecture=True,
    obsoletes_best_alone=True,
    keeps_replaced=True,
    upgrades_listed_alone=True,
)
