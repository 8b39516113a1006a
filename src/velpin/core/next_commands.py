"""What to type next: the commands of the host's own installer that give what a forecast says.

A request that the installer cannot be asked for in the same words is put in its own; that the
transaction is then the same is tried on the forecast, and if it is not, the rule is named with
which a plain request gives it.
"""

from __future__ import annotations

from itertools import islice, zip_longest
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from velpin.errors import VelpinError
from velpin.model.forecast import PACKAGE_FILE
from velpin.model.reasons import InstallerMustRefresh
from velpin.model.rule import Pin, command_of
from velpin.model.shell import as_typed
from velpin.ports.commands import InstallWords

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping, Sequence

    from velpin.model.forecast import Answer, Change, Forecast
    from velpin.model.request import Request
    from velpin.ports.bundle import Ports
    from velpin.ports.commands import AskedAs, Words

_MOST_WAYS = 4
_MOST_RULES = 8
"""More requests than these are not made into rules, one for each."""


def commands_for(
    ports: Ports,
    requests: Sequence[Request],
    found: Forecast,
    *,
    upgrade: bool = False,
    files: Mapping[str, str] | None = None,
) -> tuple[str, ...]:
    """Return what to type for the transaction of some requests, a line each; nothing if the
    forecast changes nothing, or if no command and no rule gives it.

    `files` are the package files that the texts of some requests stand for.
    """
    if not (found.ok and found.changes):
        return ()
    first = refresh_first(ports, found)
    without, older = _going(requests, found), _goes_back(requests, found)
    if files and without:
        return ()
    if files:
        return as_lines(*first, *_with_files(ports, requests, found.answers, files))
    for way in islice(_ways(ports, requests, found.answers), _MOST_WAYS):
        wanted = InstallWords(
            [asked.word for asked in way], upgrade, without, older, _options(found)
        )
        commands = ports.transactions.commands.install(wanted)
        if commands and _does_the_same(ports, requests, way, found, upgrade=upgrade):
            return as_lines(*first, *commands)
    if without:
        return as_lines(*first, *_one_after_the_other(ports, requests, found, upgrade=upgrade))
    return _with_rules(ports, requests, found, upgrade=upgrade)


def _one_after_the_other(
    ports: Ports, requests: Sequence[Request], found: Forecast, *, upgrade: bool
) -> Sequence[Words]:
    """The removal and then the installation, where no one command does both; none if they come to
    something else than both together."""
    from velpin.core.staying import amendment

    commands = ports.transactions.commands
    removal = commands.remove(_going(requests, found))
    going = [request for request in requests if request.removes]
    rest = [request for request in requests if not request.removes]
    if upgrade or not removal:
        return ()
    gone = ports.transactions.predict(going).forecast
    if not gone.ok or any(one.new for one in gone.changes):
        return ()  # a removal alone takes away what needs it, and brings nothing in its place
    after = ports.seen(ports.view.amended(amendment(ports, gone.changes)))
    coming = after.transactions.predict(rest).forecast
    if not coming.ok or _essence((*gone.changes, *coming.changes)) != _essence(found.changes):
        return ()
    for way in islice(_ways(ports, rest, found.answers), _MOST_WAYS):
        if _does_the_same(after, rest, way, coming, upgrade=False):
            return (removal, *commands.install(InstallWords([asked.word for asked in way])))
    return ()


def commands_for_upgrade(
    ports: Ports, found: Forecast, *, realign: bool = False, source: str = ""
) -> tuple[str, ...]:
    """Return what to type for the full upgrade; nothing if it changes nothing."""
    if not (found.ok and found.changes):
        return ()
    commands = ports.transactions.commands
    command = commands.upgrade_from(source) if source else commands.upgrade(realign=realign)
    return as_lines(*refresh_first(ports, found), command)


def with_questions(ports: Ports, found: Forecast, *, upgrade: bool = False) -> Forecast:
    """Return a forecast with what the installer asks before it does that."""
    if not (found.ok and found.changes):
        return found
    asked = ports.transactions.commands.questions(found, _refreshed(found), upgrade=upgrade)
    return found._replace(questions=(*found.questions, *asked))


def refresh_first(ports: Ports, found: Forecast) -> tuple[Words, ...]:
    """Return the refresh of the installer's own indexes if the forecast needs newer ones."""
    return (ports.transactions.commands.refresh(),) if _refreshed(found) else ()


def _refreshed(found: Forecast) -> set[str]:
    """The sources of which the installer lacks the indexes that a forecast uses."""
    behind = (note.sources for note in found.notes if isinstance(note, InstallerMustRefresh))
    return {source for sources in behind for source in sources if source != PACKAGE_FILE}


def as_lines(*commands: Words) -> tuple[str, ...]:
    """Return commands as they are typed."""
    return tuple(as_typed(words) for words in commands if words)


def _with_files(
    ports: Ports, requests: Sequence[Request], answers: Sequence[Answer], files: Mapping[str, str]
) -> Iterator[Words]:
    """The command for package files, with names as they are; what the installer does not fetch by
    its address is fetched first."""
    words = []
    for request in requests:
        file = files.get(request.text)
        if file is None:
            words += [asked.word for asked in islice(_ways_of(ports, request, answers), 1)]
        elif "://" in file and not ports.transactions.commands.takes_addresses:
            yield ("curl", "-fLO", file)
            words.append(f"./{urlsplit(file).path.rpartition('/')[2]}")
        else:
            words.append(f"./{file}" if file.startswith("-") else file)
    yield from ports.transactions.commands.install_files(words)


def _ways(
    ports: Ports, requests: Sequence[Request], answers: Sequence[Answer]
) -> Iterator[Sequence[AskedAs]]:
    """All requests in the installer's words: each in its first way, then each in its second; one
    that another overrules has no answer, and is left out."""
    told = {answer.asked for answer in answers}
    asked = [each for each in requests if each.text in told and not each.removes]
    each = [list(_ways_of(ports, request, answers)) for request in asked]
    if not asked:
        yield ()
    if not all(each):
        return
    for way in zip_longest(*each):
        yield [asked or ways[-1] for asked, ways in zip(way, each, strict=True)]


def _goes_back(requests: Sequence[Request], found: Forecast) -> bool:
    """Whether a version that is asked for takes the place of a newer one."""
    may = any(request.allows_older for request in requests)
    return may and any(answer.outcome == "downgrade" for answer in found.answers)


def _options(found: Forecast) -> list[str]:
    """The options without which the installer would not even ask."""
    return [question.allowed_by for question in found.questions if question.default == "stops"]


def _going(requests: Sequence[Request], found: Forecast) -> list[str]:
    """The installed packages that are asked to go, as their installer knows them."""
    going = {answer.asked for answer in found.answers if answer.outcome == "remove"}
    return [
        request.name + (f":{request.arch}" if request.arch else "")
        for request in requests
        if request.removes and request.text in going
    ]


def _ways_of(ports: Ports, request: Request, answers: Sequence[Answer]) -> Iterator[AskedAs]:
    mine = [answer for answer in answers if answer.asked == request.text]
    for answer in mine[:1]:
        for asked in ports.transactions.commands.ways_to_ask(request, answer):
            if not asked.word.startswith("-"):  # whoever named it so wants it read as an option
                yield asked


def _does_the_same(
    ports: Ports,
    requests: Sequence[Request],
    way: Sequence[AskedAs],
    found: Forecast,
    *,
    upgrade: bool,
) -> bool:
    going = [request for request in requests if request.removes]
    again = [*(asked.request for asked in way), *going]
    if {_meant(request) for request in again} == {_meant(request) for request in requests}:
        return True
    return _gives(ports, again, found, upgrade=upgrade)


def _meant(request: Request) -> Request:
    return request._replace(text="")


def _gives(ports: Ports, requests: Sequence[Request], found: Forecast, *, upgrade: bool) -> bool:
    """Whether some requests give the very same transaction; nobody is told the steps of that."""
    ports = ports.with_edits({}) if ports.view.trace else ports
    if upgrade:
        predicted = ports.transactions.predict_with_upgrade(requests)
    else:
        predicted = ports.transactions.predict(requests)
    if predicted is None or not predicted.forecast.ok:
        return False
    return _essence(predicted.forecast.changes) == _essence(found.changes)


def _essence(changes: Sequence[Change]) -> set[tuple[str | None, ...]]:
    return {(change.name, change.arch, change.old, change.new, change.source) for change in changes}


def _with_rules(
    ports: Ports, requests: Sequence[Request], found: Forecast, *, upgrade: bool
) -> tuple[str, ...]:
    """The rules that tie packages to their sources, then the plain request; nothing unless the
    forecast under these rules is the same."""
    from velpin.core.rule_plans import considering, plan_rules

    tied = [request for request in requests if request.source]
    if not 0 < len(tied) <= _MOST_RULES:
        return ()
    sources = {answer.asked: answer.source or "" for answer in found.answers}
    rules = [Pin((request.name,), source=sources.get(request.text, "")) for request in tied]
    plain = [request._replace(source="") for request in requests]
    try:
        plan = plan_rules(ports, rules)
        if plan.why_not():
            return ()
        after = considering(ports, plan)
        ways = next(iter(_ways(after, plain, found.answers)), None)
        if ways is None or not _gives(after, plain, found, upgrade=upgrade):
            return ()
    except VelpinError:
        return ()
    wanted = InstallWords([asked.word for asked in ways], upgrade)
    commands = ports.transactions.commands.install(wanted)
    return (*map(command_of, rules), *as_lines(*refresh_first(ports, found), *commands))
