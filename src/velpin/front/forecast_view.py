"""How a forecast is shown to people: the answer, the whole transaction, or why it is refused."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from velpin.front.screen import Branch, Piece, Screen, signed
from velpin.front.words import DECIDED, role, several, shortened, size
from velpin.model.forecast import PACKAGE_FILE, Answer, BuildPlan, Change, Forecast, HeldBack
from velpin.model.reason import Reason, place_of
from velpin.model.reasons import Unknown, Unmet

_OUTCOMES = {
    "install": "new on this host",
    "upgrade": "upgrades {installed}",
    "downgrade": "replaces the newer {installed}",
    "reinstall": "replaces the installed build of the same version",
    "keep": "installed already; nothing to do",
}


_FEW = 12
"""Changes of one group that are shown, unless all are wanted."""

_GROUPS = (
    ("Asked for", "answer"),
    ("Removed", "bad"),
    ("Downgraded", "warn"),
    ("Upgraded", "name"),
    ("Same version from another source", "warn"),
    ("New", "name"),
)
_NAMES = {
    "remove": "Removed",
    "downgrade": "Downgraded",
    "upgrade": "Upgraded",
    "reinstall": "Same version from another source",
    "install": "New",
}
_ALWAYS_ALL = ("Removed", "Downgraded", "Asked for")


def show_forecast(screen: Screen, found: Forecast, *, why: bool, every: bool) -> None:
    """The answer first, then what the host has now, then the whole transaction."""
    if found.because:
        _show_refusal(screen, found)
    if why or not found.because:
        _show_answers(screen, found, why)
    if found.ok:
        _show_transaction(screen, found, every)
    elif not found.because:
        _show_refusal(screen, found)
    for plan in found.builds:
        _show_build(screen, plan)
    _show_notes(screen, found.notes)


def _show_notes(screen: Screen, notes: Sequence[Reason]) -> None:
    for note in notes:
        screen.line(("note: ", "warn"), note.text)
        for cause in note.because:
            screen.line(cause.text, indent=2)


_HOW = {
    "installed": ("installed", "quiet"), "source": ("from {source}", "source"),
    "recipe": ("to be built, from {source}", "warn"), "nowhere": ("not available anywhere", "bad"),
}  # fmt: skip
_WHEN = {"runs": "to run", "builds": "to build", "checks": "to check"}


def _show_build(screen: Screen, plan: BuildPlan) -> None:
    """What it would take to build something: the steps in their order, what each needs."""
    if not plan.steps:
        if plan.problem:
            screen.line((f"{plan.asked}: ", "name"), plan.problem.text)
        return
    last = plan.steps[-1]
    could = "cannot be built here" if plan.problem else "could be built"
    screen.head(f"{last.name} {could} (nothing is built now)")
    for number, step in enumerate(plan.steps, 1):
        if number > 1:
            screen.gap()
        screen.line(
            f"{number}. ", (f"{step.name} {step.version}", "name"), "  from ",
            (step.source, "source"), f"  ({step.file})",
        )  # fmt: skip
        rows: list[list[Piece]] = [
            [need.relation, _WHEN[need.when],
             f"{need.package} {need.version}".strip(),
             (_HOW[need.how][0].format(source=need.source), _HOW[need.how][1])]
            for need in step.needs
        ]  # fmt: skip
        screen.table(["needs", "", "met by", ""], rows)
    if plan.problem:
        screen.line(signed("not possible here: ", "bad"), plan.problem.text)
    elif plan.changes:
        names = shortened([change.name for change in plan.changes])
        screen.line("the installer would first install ", (names, "name"))


def _show_answers(screen: Screen, found: Forecast, why: bool) -> None:
    if found.because:
        screen.head("What was asked for, by itself")
    for place, answer in enumerate(found.answers):
        if why and place:
            screen.gap()
        to_build = any(plan.asked == answer.asked for plan in found.builds)
        _show_answer(screen, answer, why or len(found.answers) == 1, to_build)
        if why:
            _show_why(screen, answer)


def show_upgrade(screen: Screen, found: Forecast, *, every: bool) -> None:
    """What the full upgrade would change, and what it holds back."""
    if not found.ok:
        _show_refusal(screen, found)
    elif found.changes:
        screen.line(("the full upgrade", "name"))
        _show_totals(screen, found)
        _show_groups(screen, found.changes, every)
    else:
        screen.line(("the full upgrade changes nothing", "answer"))
    if found.held_back:
        _show_held_back(screen, found.held_back)
    _show_notes(screen, found.notes)


# -- what would be done ------------------------------------------------------------------


def _show_transaction(screen: Screen, found: Forecast, every: bool) -> None:
    changes = found.changes
    if not changes:
        return
    single = len(found.answers) == 1
    _show_groups(screen, [c for c in changes if not (single and c.role == "asked")], every)
    screen.gap()
    _show_totals(screen, found)


def _show_totals(screen: Screen, found: Forecast) -> None:
    more = "more" if found.disk_bytes >= 0 else "less"
    screen.line(
        (_counted(found.changes), "name"),
        f"; {size(found.download_bytes)} to download, {size(abs(found.disk_bytes))} {more} on disk",
    )
    _show_hands(screen, found.changes)
    if found.unneeded:
        screen.line("needed by nothing any more: ", shortened(found.unneeded, 10))


def _counted(changes: Sequence[Change]) -> str:
    words = {"install": "new", "upgrade": "upgraded", "reinstall": "replaced",
             "downgrade": "downgraded", "remove": "removed"}  # fmt: skip
    counts = [(sum(c.outcome == code for c in changes), word) for code, word in words.items()]
    parts = ", ".join(f"{count} {word}" for count, word in counts if count)
    return f"{several(len(changes), 'package')}: {parts}"


def _show_hands(screen: Screen, changes: Sequence[Change]) -> None:
    """Whose packages become somebody else's; how many only move among one publisher's sources."""
    hands: dict[tuple[str, str], list[str]] = {}
    for change in changes:
        if change.changes_hands:
            hands.setdefault((change.old_publisher, change.publisher), []).append(change.name)
    for (before, after), names in hands.items():
        screen.line(signed(f"{after} replaces packages from {before}: ", "warn"), shortened(names))
    moved = sum(change.moves for change in changes)
    if moved:
        noun = several(moved, "package moves", "packages move")
        screen.line((f"{noun} to another source of the same publisher", "quiet"))


def _group_of(change: Change) -> str:
    if change.role == "asked" and change.outcome in ("install", "upgrade", "reinstall"):
        return "Asked for"
    return _NAMES[change.outcome]


def _show_groups(screen: Screen, changes: Sequence[Change], every: bool) -> None:
    groups: list[tuple[str, list[list[Piece]]]] = []
    left: list[str] = []
    for title, style in _GROUPS:
        group = [change for change in changes if _group_of(change) == title]
        if not group:
            continue
        group.sort(key=lambda change: (not change.changes_hands, change.name))
        shown = group if every or title in _ALWAYS_ALL else _first(group)
        count = f" ({len(group)})" if len(group) > 1 else ""
        groups.append((title + count, [_row(change, style) for change in shown]))
        if len(shown) < len(group):
            left.append(f"{title.lower()}: {_rest(group[len(shown) :])}")
    if groups:
        heads = ["package", "now", "then", "source", "download", "because"]
        screen.tables(heads, groups, right=(4,))
    for text in left:
        screen.line((text, "quiet"))


def _first(group: list[Change]) -> list[Change]:
    return group if len(group) <= _FEW + 2 else group[:_FEW]


def _rest(rest: Sequence[Change]) -> str:
    counts: dict[str, int] = {}
    for change in rest:
        counts[change.source or "nowhere"] = counts.get(change.source or "nowhere", 0) + 1
    told = ", ".join(f"{count} from {source}" for source, count in sorted(counts.items()))
    return f"and {len(rest)} more ({told}); --all shows them"


def _row(change: Change, style: str) -> list[Piece]:
    arch = f":{change.arch}" if change.foreign else ""
    source: Piece = (change.source or "", "source")
    if change.changes_hands and change.old_source:
        source = (f"{change.source} (now {change.old_source})", "warn")
    elif change.new is None:
        source = ""
    return [
        (change.name + arch, style),
        change.old or "",
        change.new or "",
        source,
        size(change.download_bytes) if change.new else "",
        role(change),
    ]


def _show_held_back(screen: Screen, found: Sequence[HeldBack]) -> None:
    screen.head(f"Held back ({len(found)})")
    for held in found:
        source = f" from {held.source}" if held.source else ""
        screen.line((held.name, "name"), f" {held.installed}, not {held.version}{source}")
        for reason in held.why:
            _show_cause(screen, reason, 2)


# -- why it is refused -------------------------------------------------------------------


def _show_refusal(screen: Screen, found: Forecast) -> None:
    from velpin.model.shell import as_typed

    if found.problem is None:
        return
    if any(answer.problem for answer in found.answers):
        if len(found.answers) > 1:
            screen.gap()
            screen.line(("refused as a whole: ", "bad"), found.problem.text)
        _show_remedies(screen, found)
        return
    asked = ", ".join(dict.fromkeys(answer.asked for answer in found.answers))
    lead = (f"{asked}: ", "name") if asked else ""
    screen.line(lead, ("refused: ", "bad"), found.problem.text)
    for number, reason in enumerate(found.because, 1):
        _show_cause(screen, reason, 2, f"{number}. ")
    _show_remedies(screen, found)
    removing = any(answer.outcome == "remove" for answer in found.answers)
    from_file = any(answer.source == PACKAGE_FILE for answer in found.answers)
    if asked and isinstance(found.problem, Unmet) and not removing and not from_file:
        words = as_typed(dict.fromkeys(answer.asked for answer in found.answers))
        screen.gap()
        screen.line("rules that could give it: ", (f"velpin want {words}", "command"))


def _show_remedies(screen: Screen, found: Forecast) -> None:
    if found.remedies:
        screen.head("These would help (tried)")
        for remedy in found.remedies:
            screen.line((remedy.command, "command"))
            screen.line(remedy.what.text, indent=2)


def _show_cause(screen: Screen, reason: Reason, indent: int, lead: str = "") -> None:
    screen.line(f"{lead}{reason.text}", indent=indent)
    for cause in reason.because:
        _show_cause(screen, cause, indent + 2 + len(lead) // 3 * 3)


# -- who brings what ---------------------------------------------------------------------


def show_tree(screen: Screen, found: Forecast) -> None:
    """The transaction as a tree: below each package what comes because of it."""
    if not found.ok:
        _show_refusal(screen, found)
        return
    if not found.changes:
        screen.line("nothing changes")
        return
    children: dict[str, list[Change]] = {}
    names = {_label(change) for change in found.changes}
    for change in found.changes:
        by = change.by if change.by in names and change.by != _label(change) else ""
        children.setdefault(by or "", []).append(change)
    for branch in _branches(children, "", set()):
        screen.tree(branch)
    screen.gap()
    _show_totals(screen, found)


def _label(change: Change) -> str:
    return f"{change.name}:{change.arch}" if change.foreign else change.name


def _branches(children: dict[str, list[Change]], name: str, above: set[str]) -> Iterator[Branch]:
    for change in children.get(name, ()):
        label = _label(change)
        below: Sequence[Branch] = ()
        if label not in above:
            below = tuple(_branches(children, label, above | {label}))
        yield Branch(_tree_line(change), below)


def _tree_line(change: Change) -> tuple[Piece, ...]:
    versions = f" {change.old} -> {change.new}" if change.old else f" {change.new}"
    if change.new is None:
        return (
            (_label(change), "bad"),
            f" {change.old} is removed{f': {why}' if (why := role(change)) else ', as asked'}",
        )  # fmt: skip
    style = "answer" if change.role == "asked" else "name"
    told = f"  {change.role}" if change.role not in ("asked", "requires", "upgrade") else ""
    return ((_label(change), style), versions, (f"  {change.source or ''}", "source"), told)


# -- answers -----------------------------------------------------------------------------


def _show_answer(screen: Screen, answer: Answer, full: bool, to_build: bool) -> None:
    if answer.problem:
        screen.line((answer.asked, "name"), ": ", (answer.problem.text, "bad"))
        if answer.near:
            lead = "near names" if isinstance(answer.problem, Unknown) else "there are"
            screen.line(f"{lead}: {', '.join(answer.near)}", indent=2)
        elif isinstance(answer.problem, Unknown) and not to_build:
            screen.line(
                ("velpin find TEXT", "command"), " searches names and descriptions", indent=2
            )
        if answer.installed:
            screen.line(f"installed: {answer.installed}", indent=2)
        return
    arch = f":{answer.arch}" if answer.arch not in ("all", "") and ":" in answer.asked else ""
    if answer.version is None:
        gone = f"{answer.installed} is removed, as asked"
        told = gone if answer.outcome == "remove" else "is not installed; nothing to do"
        screen.line((f"{answer.package}{arch}", "answer"), f" {told}")
        return
    told = _OUTCOMES[answer.outcome].format(installed=answer.installed)
    origin: tuple[Piece, ...] = ("  from ", (answer.source or "", "source"), f"  {told}")
    if answer.source is None:
        origin = ("  ", ("installed, in no source now", "warn"), "; nothing to do")
    screen.line((f"{answer.package}{arch} {answer.version}", "answer"), *origin)
    if full:
        because = DECIDED.get(answer.decided_by, answer.decided_by)
        places = [place for reason in answer.reasons if (place := place_of(reason))]
        because += f" at {places[0]}" if places and answer.decided_by == "rule" else ""
        passed = len(answer.passed_over)
        others = f"; {several(passed, 'other offer')} passed over" if passed else ""
        decided = f"{because}{others}"
        if passed and answer.decided_by == "only offer":
            decided = f"no other offer may come ({several(passed, 'offer')} passed over)"
        now = f"{answer.installed} installed now" if answer.installed else "not installed now"
        screen.line(f"{now}; {decided}", indent=2)
        if answer.url:
            screen.line((answer.url, "quiet"), indent=2)
    if answer.outcome != "keep" or answer.stays.until:
        _show_stays(screen, answer, full)


def _show_stays(screen: Screen, answer: Answer, full: bool) -> None:
    """How long the version stays; that it does, only where there is room."""
    stays = answer.stays
    if not stays.until:
        if full:
            newer = answer.source if answer.source not in (None, PACKAGE_FILE) else "a source"
            screen.line(f"stays until {newer} has a newer version", indent=2)
        return
    told: list[Piece] = [signed("the next upgrade would ", "warn")]
    if stays.replaced_by:
        told += ["put ", (stays.replaced_by, "name"), " in its place"]
    elif stays.version is None:
        told += ["remove it"]
    else:
        told += ["replace it by ", (stays.version, "name")]
    if stays.source:
        told += [" from ", (stays.source, "source")]
    screen.line(*told, indent=2)
    if stays.rule:
        screen.line("to keep it (tried): ", (stays.rule, "command"), indent=2)


def _show_reasons(screen: Screen, head: str, reasons: Sequence[Reason]) -> None:
    if reasons:
        screen.line((head, "head"), indent=2)
        for number, reason in enumerate(reasons, 1):
            screen.line(f"{number}. {reason.text}", indent=2)


def _show_why(screen: Screen, answer: Answer) -> None:
    _show_reasons(screen, "why", answer.reasons)
    _show_reasons(screen, "why the next upgrade replaces it", answer.stays.reasons)
    if answer.passed_over:
        screen.line(("passed over", "head"), indent=2)
        rows: list[list[Piece]] = [
            [
                "  " + passed.version,
                (passed.source or "(only installed)", "source"),
                passed.why.text,
            ]
            for passed in answer.passed_over
        ]
        screen.table(["  version", "source", "why"], rows)
