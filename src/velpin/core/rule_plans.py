"""Rules as a person says them, made, taken back and dropped: planned and read back."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from velpin.change.plan import Plan
from velpin.change.readback import check_rules
from velpin.core.rule_planner import RulePlanner
from velpin.errors import Refusal, UsageError
from velpin.files.text import has_control, whole_number
from velpin.model.reason import Place
from velpin.model.request import Request, parse_request
from velpin.model.rule import Bar, Pin, Rule, RuleInForce, sources_in

if TYPE_CHECKING:
    from velpin.ports.bundle import Ports
    from velpin.ports.packages import Packages


def considering(ports: Ports, plan: Plan) -> Ports:
    """The same host as a plan would leave it."""
    return ports.with_edits(plan.edits, plan.modes)


def plan_rules(ports: Ports, rules: Sequence[Rule], *, foremost: bool = False) -> Plan:
    """What making some rules would write; UsageError for one with a text that is no name."""
    for rule in rules:
        _check_texts(rule)
    plan = _read_back(ports, RulePlanner(ports, foremost=foremost).made(rules))
    plan.notes += [*ports.editor.edit_notes(plan.edits), *ports.rule_writer.notes(plan)]
    return plan


def _check_texts(rule: Rule) -> None:
    """Each text of a rule becomes one word of a line of the host's files."""
    components = rule.components if isinstance(rule, Bar) else ()
    for text in (*rule.names, rule.version, *sources_in(rule), *components):
        if has_control(text) or any(char.isspace() for char in text):
            raise UsageError(f"{text!r} is no name: it holds a blank or a control character")


def plan_lift(ports: Ports, rules: Sequence[Rule]) -> Plan:
    """What taking back some rules would write; Refusal where none such stands."""
    return _read_back(ports, RulePlanner(ports).lifted(rules))


def plan_rule_drop(ports: Ports, place: Place) -> Plan:
    """What taking away the rule at a place would write, whoever wrote it."""
    return _read_back(ports, RulePlanner(ports).dropped(place))


def _read_back(ports: Ports, plan: Plan) -> Plan:
    """A plan of rules, unless it would touch more than what rules are written in."""
    if plan.edits and not plan.unchanged:
        check_rules(ports.editor, ports.with_edits(plan.edits).editor, ports.editor.rule_fields)
    return plan


# -- several rules dropped at once ---------------------------------------------------------


def plan_rule_drops(ports: Ports, texts: Sequence[str]) -> Plan:
    """What taking away several rules would write, each by its number in the list or its place."""
    in_force = ports.rules.in_force()
    own = {rule.place: rule.rule for rule in in_force if rule.rule}
    places = sorted({_place_of(in_force, text) for text in texts}, reverse=True)
    lifted = list(dict.fromkeys(own[place] for place in places if place in own))
    whole, after = Plan("", ""), ports
    for place in places:  # from the end of each file on, so that no other place moves
        if place not in own:
            whole = whole.then(plan_rule_drop(after, place))
            after = considering(ports, whole)
    return whole.then(plan_lift(after, lifted)) if lifted else whole


def _place_of(in_force: Sequence[RuleInForce], text: str) -> Place:
    chosen = whole_number(text)
    if chosen is not None:
        if not 0 < chosen <= len(in_force):
            raise Refusal(f"there is no rule {text}", "velpin rules numbers them")
        return in_force[chosen - 1].place
    fitting = [rule.place for rule in in_force if f"/{rule.place}".endswith("/" + text.lstrip("/"))]
    if len(fitting) == 1:
        return fitting[0]
    file, _, line = text.lstrip("/").rpartition(":")
    at = whole_number(line)
    if not file or at is None:
        raise UsageError(f"{text!r} is not a rule", "a number of velpin rules, or FILE:LINE")
    return Place(file, at)


# -- what is typed -------------------------------------------------------------------------


def pins(
    packages: Packages, texts: Sequence[str], source: str = "", *, allow_older: bool = False,
    unbound: bool = False,
) -> list[Pin]:  # fmt: skip
    """The pins that texts such as NAME@VERSION express; UsageError where one pins nothing,
    unless `unbound`: a pin that is to be lifted need not say what it pinned."""
    found = []
    for text in texts:
        request = _requested(packages, text, source)
        if not (request.operator or request.source or unbound):
            raise UsageError(
                f"pin {text} to what?", "velpin pin NAME@VERSION, or velpin pin NAME --from SOURCE"
            )
        found.append(Pin(_named(request), _version(request), request.source, allow_older))
    return found


def bars(
    packages: Packages, texts: Sequence[str], source: str = "", *, pre_releases: bool = False,
    components: Sequence[str] = (),
) -> list[Bar]:  # fmt: skip
    """The bars that texts such as NAME@VERSION express; UsageError where one bars nothing."""
    whole = pre_releases or components
    if (whole and not source) or not (texts or whole):
        raise UsageError(
            "bar what from where?",
            "velpin bar NAME... --from SOURCE; velpin bar NAME@VERSION; or, with --from SOURCE,"
            " --pre-releases or --component COMPONENT",
        )
    requests = [_requested(packages, text, source) for text in texts]
    for request in requests:
        if not (request.source or request.operator):
            raise UsageError(f"bar {request.text} from where?", "add --from SOURCE, or a version")
    if whole:
        names = tuple(name for request in requests for name in _named(request))
        rule = Bar(names, source=source, pre_releases=pre_releases, components=tuple(components))
        return [rule]
    return [Bar(_named(request), _version(request), request.source) for request in requests]


def _requested(packages: Packages, text: str, source: str) -> Request:
    """What a text asks for, also where it is written as this host's installer alone writes it."""
    request = parse_request(text, packages.knows, source)
    if packages.knows(request.name):
        return request
    for name, version, arch in packages.taken_apart(request.name):
        if not (version and request.operator):
            told = request._replace(name=name, arch=arch or request.arch)
            return told._replace(operator="=", version=version) if version else told
    return request


def _named(request: Request) -> tuple[str]:
    return (f"{request.name}:{request.arch}" if request.arch else request.name,)


def _version(request: Request) -> str:
    return request.version if request.operator == "=" else request.operator + request.version
