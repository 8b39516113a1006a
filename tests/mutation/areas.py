"""What the code is divided into, so that a figure stands for each part."""

from __future__ import annotations

from pathlib import Path

ROOT = Path(__file__).parents[2]
PACKAGE = ROOT / "src/velpin"

AREAS: dict[str, tuple[str, ...]] = {
    "search": (
        "kinds/deb/engine/search.py", "kinds/deb/transaction/clauses.py",
        "kinds/deb/transaction/solving.py",
    ),
    "choice": (
        "kinds/deb/choice.py", "kinds/deb/requests.py", "kinds/deb/preferences.py",
        "kinds/deb/phasing.py", "kinds/deb/version.py", "kinds/deb/relations.py",
        "kinds/rpm/solve/policy.py", "kinds/rpm/version.py", "kinds/rpm/relation.py",
        "kinds/alpm/version.py", "kinds/alpm/relation.py", "model/precedence.py",
    ),
    "transaction": (
        "kinds/deb/engine/*.py", "kinds/deb/transaction/*.py", "kinds/deb/forecast.py",
        "kinds/deb/reasons.py", "kinds/deb/sentences.py",
    ),
    "solve": (
        "kinds/rpm/solve/*.py", "kinds/rpm/forecast.py", "kinds/rpm/transaction.py",
        "kinds/rpm/pool.py", "kinds/rpm/reasons.py", "kinds/rpm/explain.py",
        "kinds/rpm/remedies.py", "kinds/rpm/sentences.py",
    ),
    "alpm": ("kinds/alpm/*.py",),
    "rpm": ("kinds/rpm/*.py", "kinds/rpm/record/*.py", "kinds/rpm_*/*.py"),
    "deb": ("kinds/deb/*.py",),
    "rules": (
        "core/rule_*.py", "core/takeover.py", "files/own_settings.py", "kinds/*/rules/*.py",
        "kinds/*/rules.py", "kinds/*/edit.py", "kinds/*/*lock*.py", "model/rule.py",
        "model/request.py",
    ),
    "checkup": ("core/checkup/*.py", "kinds/*/checkup.py", "kinds/*/next_release.py"),
    "hostfile": (
        "core/hostfile/*.py", "core/snapshot.py", "kinds/*/describe.py", "model/hostfile.py",
        "recipes/*.py", "kinds/*/recipes.py",
    ),
    "catalog": ("core/catalog/*.py", "model/catalog.py"),
    "journal": ("change/*.py",),
    "trust": ("trust/*.py", "kinds/*/trust.py", "kinds/*/key*.py", "core/host_keys.py",
              "kinds/rpm/package_signature.py"),
    "fetch": ("fetch/*.py", "kinds/*/refresh.py", "store/source_fetch.py", "core/refreshing.py",
              "apart.py"),
    "store": ("store/*.py", "files/*.py", "forked.py"),
    "report": ("core/report.py", "front/report/*.py", "model/report.py"),
    "shift": (
        "core/shift.py", "core/host_diff.py", "kinds/*/host_diff.py", "model/shift.py",
        "core/generations.py",
    ),
    "instructions": (
        "instructions/*.py", "instructions/commands/*.py", "core/instructions.py",
        "core/named_keys.py", "front/instructions_view.py", "model/instruct*.py",
    ),
    "core": (
        "core/*.py", "host/*.py", "ports/*.py", "kinds/*/add.py", "model/*.py", "errors.py",
        "kinds/__init__.py",
    ),
    "front": ("front/*.py",),
}  # fmt: skip
"""The modules of each area. One that several name belongs to the first of them, but for those of
a kind as a whole, which are what is left."""

REST = ("alpm", "rpm", "deb", "core")

ELSEWHERE: dict[str, tuple[str, ...]] = {
    "apart.py": ("tests/test_apart.py",),
    "fetch/download.py": ("tests/test_download.py", "tests/test_fetch_limits.py"),
    "files/tree.py": ("tests/test_tree.py",),
    "forked.py": ("tests/test_damage.py", "tests/test_whole_host.py"),
    "front/completion.py": ("tests/test_completion.py",),
    "front/report/figures.py": ("tests/test_report.py::test_what_draws",),
    "front/start.py": ("tests/test_first_words.py", "tests/test_running.py"),
    "front/running.py": ("tests/test_running.py",),
    "store/index.py": ("tests/test_apart.py",),
}
"""Tests that run a module in processes of their own, where it is not seen what they come by."""

ACCEPTED: dict[tuple[str, str, str], str] = {
    ("kinds/deb/edit.py", "statements", "without sorted"):
        "the order of options in a statement: both sides are read by the same code, and no edit"
        " moves an option",
    ("kinds/deb/engine/repair.py", "_try_again", "without Cause('upgrade')"):
        "what was marked for installation has a cause; the other is there for its type",
    ("kinds/deb/engine/repair.py", "_put_back", "without Cause('upgrade')"):
        "what was marked for installation has a cause; the other is there for its type",
    ("kinds/deb/engine/search.py", "_brought", "the first became the last"):
        "there is one alone",
    ("kinds/deb/engine/search.py", "_lost_way", "the first became the last"):
        "there is one alone",
    ("kinds/deb/engine/search.py", "_restore_work", "Gt became GtE"):
        "a heap from which nothing is taken is built anew as it is",
    ("store/index.py", "_write_parts", "not done: gc.disable()"): "a matter of time alone",
    ("store/index.py", "_lines", "without steps.get(half)"):
        "a step that is worked out anew is the same",
    ("files/text.py", "beginning_with", "Break became Continue"):
        "names are sorted: behind the first that does not fit none does",
    ("fetch/package.py", "_of_cpio", "Break became Continue"):
        "it goes round in one place until its bound, and then ends",
    ("kinds/rpm/solve/policy.py", "without_obsoleted", "never: if len(builds) < 2"):
        "a short way: the long one gives the same",
    ("kinds/deb/transaction/seen.py", "in_order_of_sight", "never: if len(waiting) <= 1"):
        "a short way: the last one is found in its turn, or is the last anyway",
    ("kinds/alpm/archive.py", "batches", "never: if len(held) == _IN_BLOCK"):
        "how many are kept in one block is a matter of memory",
    ("kinds/rpm/record/berkeley.py", "number", "the first became the last"):
        "there is one alone",
    ("kinds/deb/engine/draft.py", "_is_barred", "without not self._barred"):
        "a short way: without anything barred no relation is looked at",
    ("kinds/deb/transaction/solving.py", "_facts", "without unit.installed is not None"):
        "the units gone through are installed, asked for or removed, and the last two came before",
    ("kinds/alpm/pool.py", "_linked", "without the filter package is not None"):
        "each name comes from a row of the index; the filter is there for the type",
    ("kinds/rpm/pattern.py", "near", "never: if length > len(text)"):
        "a short way: what is longer than the text begins as nothing in it does",
    ("core/checkup/order.py", "check_takeovers", "without here is None"):
        "the upgrade tells of installed packages alone; the condition is there for the type",
    ("core/checkup/order.py", "_same_content", "without bool(mine)"):
        "a name of an index has a version in it",
    ("kinds/deb/host_diff.py", "_changed_indexes",
     "without the filter one.get(path) != other.get(path)"):
        "a short way: more names are asked, and answered alike",
    ("kinds/rpm/host_diff.py", "_changed", "without the filter handle not in changed"):
        "a short way: more names are asked, and answered alike",
    ("apart.py", "_serve", "not done: _load(libraries)"): "a matter of time alone",
    ("apart.py", "_work", "not done: signal.signal(signal.SIGCHLD, signal.SIG_DFL)"):
        "for what a library may start in a worker; none does today",
    ("front/plan_view.py", "_show_binary", "without old != new"):
        "a file that stays as it is stands in no plan",
    ("forked.py", "end_with_parent", "never: if os.getppid() != parent"):
        "the parent has to end between two steps of its child",
    ("kinds/deb/requests.py", "_providers",
     "never: if provider == name and package.arch == arch"):
        "what the package itself has was looked for before, and was not it",
    ("kinds/rpm/solve/policy.py", "_goes_before", "Lt became LtE"):
        "no two builds have the same number",
    ("kinds/deb/phasing.py", "draw", "Lt became LtE"):
        "one state of two thousand million is on the bound",
    ("kinds/alpm/version.py", "compare", "never: if one == other"):
        "a short way: versions that are the same compare as equal part by part",
    ("kinds/deb/stanzas.py", "_pieces", "Sub became Add"):
        "where a text is cut decides how long its parts take, not what is read",
    ("store/index.py", "_write_parts", "not done: gc.enable()"): "a matter of time alone",
    ("store/index.py", "_as_text", "not done: found.byteswap()"):
        "for machines of the other byte order",
    ("core/shift.py", "shift_between", "not done: parse_all(ports.indexes)"):
        "a matter of time alone: they are opened where they are first asked",
    ("core/host_diff.py", "changed_answers", "max became min"):
        "into which ranges the names are divided decides how long it takes",
    ("front/screen.py", "_spread", "LtE became Lt"):
        "with just that much room the longer way gives each column its width as well",
    ("kinds/rpm/namespaces.py", "implied_supplements", "the first became the last"):
        "there is one alone",
    ("change/journal.py", "_state_in", "not done: of_kind(value, dict)"):
        "what is no table has no keys, which is told in the same way",
    ("core/catalog/shelf.py", "read_shelf", "without b''"):
        "a file that goes between being listed and being read",
    ("kinds/deb/key_files.py", "why_barred_by_folder", "Continue became Break"):
        "below a folder that is not there is none that is",
    ("core/checkup/trust.py", "_renewed", "without not old.revoked"):
        "what was seen revoked is refused a second time where the key would be named",
}  # fmt: skip
"""Faults that no test can notice, by file, function and what was done, and why."""


def modules() -> dict[str, list[str]]:
    """The modules of each area, by their paths below the package."""
    found: dict[str, list[str]] = {name: [] for name in AREAS}
    placed: set[str] = set()
    for name in sorted(AREAS, key=lambda one: one in REST):
        for pattern in AREAS[name]:
            for path in sorted(PACKAGE.glob(pattern)):
                module = str(path.relative_to(PACKAGE))
                if module not in placed:
                    placed.add(module)
                    found[name].append(module)
    return found
