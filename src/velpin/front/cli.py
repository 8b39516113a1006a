"""The commands: names, options, and which piece of Velpin does the work.

Kept thin on purpose: a command imports what it needs when it runs, so that `--help` and a
forecast start fast; and only the command that is asked for is built at all.
"""

from __future__ import annotations

import inspect
import sys
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, get_type_hints

import typer

from velpin.errors import Refusal, UsageError

if TYPE_CHECKING:
    from velpin.change.plan import Plan
    from velpin.front.changing import ChangeOptions
    from velpin.front.screen import Screen
    from velpin.host.host import Host
    from velpin.model.forecast import Offer
    from velpin.model.hostfile import KeysIn
    from velpin.model.instructions import Reading
    from velpin.model.rule import Rule
    from velpin.model.way_back import WayBack

Root = Annotated[
    Path | None, typer.Option("--root", help="The host's root folder.", show_default="/")
]
Json = Annotated[bool, typer.Option("--json", help="Answer as JSON.")]
AsIs = Annotated[
    bool, typer.Option("--as-is", help="Use only indexes the host's installer already has.")
]
Yes = Annotated[bool, typer.Option("--yes", "-y", help="Do not ask.")]
Preview = Annotated[bool, typer.Option("--preview", help="Show the plan and stop.")]
Every = Annotated[bool, typer.Option("--all", help="Show everything that changes.")]
Lift = Annotated[bool, typer.Option("--lift", help="Take the rule back.")]
Foremost = Annotated[
    bool, typer.Option("--foremost", help="Write it where no other rule wins over it.")
]
Anyway = Annotated[bool, typer.Option("--anyway", help="Accept names that do not exist yet.")]


_COMMANDS: dict[str, Callable[..., None]] = {}
_CHANGES: set[str] = set()


def _command(run: Callable[..., None]) -> Callable[..., None]:
    _COMMANDS[run.__name__] = run
    return run


def _changing(run: Callable[..., None]) -> Callable[..., None]:
    """A command that is given the host and how to go about it, and has the options for those."""
    _CHANGES.add(run.__name__)
    return _command(run)


def _with_options(run: Callable[..., None]) -> Callable[..., None]:
    """A changing command as it is typed."""

    def typed(
        every: Every = False,
        preview: Preview = False,
        yes: Yes = False,
        root: Root = None,
        json: Json = False,
        **own: Any,
    ) -> None:
        from velpin.front.changing import ChangeOptions

        run(_open(root), ChangeOptions(preview, yes, json, every), **own)

    hints = get_type_hints(run, localns={"Host": Any, "ChangeOptions": Any}, include_extras=True)
    common = get_type_hints(typed, include_extras=True)
    parameters = [
        parameter.replace(annotation=(hints | common)[parameter.name], kind=parameter.KEYWORD_ONLY)
        for parameter in (*_own_of(run, 2), *_own_of(typed, 0))
    ]
    typed.__signature__ = inspect.Signature(parameters)  # type: ignore[attr-defined]
    typed.__annotations__ = {parameter.name: parameter.annotation for parameter in parameters}
    typed.__doc__ = run.__doc__
    return typed


def _own_of(run: Callable[..., None], given: int) -> list[inspect.Parameter]:
    """The parameters of a function behind the first few, without the one for all others."""
    found = list(inspect.signature(run).parameters.values())[given:]
    return [parameter for parameter in found if parameter.kind is not parameter.VAR_KEYWORD]


def _build(words: list[str]) -> typer.Typer:
    """The program with the one command that is asked for, all where that cannot be told."""
    app = typer.Typer(
        name="velpin",
        help="Which source and version a host's packages will come from, and why - before"
        " anything is changed.",
        no_args_is_help=True,
        add_completion=False,
        rich_markup_mode=None,
        pretty_exceptions_enable=False,
        context_settings={"help_option_names": ["-h", "--help"]},
    )
    app.callback()(_main)
    first = ""
    for at, word in enumerate(words):
        if word in _HELP:
            break
        if word in _COMMANDS and (at == 0 or words[at - 1] != "--root"):
            first = word
            break
    for name, run_it in _COMMANDS.items():
        if first in ("", name):
            examples = _examples(name) if first and _HELP & set(words) else None
            app.command(name, epilog=examples)(
                _with_options(run_it) if name in _CHANGES else run_it
            )
    return app


_HELP = {"-h", "--help"}
_ROOT_ALONE = 2
"""Words of a command line that names a root and nothing else."""


def _examples(name: str) -> str:
    from velpin.front.usage import epilog

    return epilog(name)


class _Chosen:
    root = Path("/")


def _version(wanted: bool) -> None:
    if wanted:
        from velpin.version import __version__

        typer.echo(f"velpin {__version__}")
        raise typer.Exit


def _main(
    root: Root = None,
    debug: Annotated[
        bool, typer.Option("--debug", help="Show a traceback for internal errors.")
    ] = False,
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Show the version.")
    ] = False,
) -> None:
    _Chosen.root = root or Path("/")


def _open(root: Path | None, as_is: bool = False) -> Host:
    from velpin.front.session import open_at

    return open_at(root or _Chosen.root, as_is=as_is)


def _write(value: object) -> None:
    from velpin.front import json_values

    json_values.write(value)


def _write_rows(name: str, rows: Sequence[object]) -> None:
    from velpin.front import json_values

    json_values.write_rows(name, rows)


def _screen() -> Screen:
    from velpin.front.screen import Screen

    return Screen()


# -- looking -----------------------------------------------------------------------------


@_command
def host(root: Root = None, json: Json = False) -> None:
    """Show what host this is and how fresh its indexes are."""
    from velpin.front import debugging

    facts = _open(root).facts()
    if json:
        _write(facts)
        return
    from velpin.front.views import show_facts

    show_facts(_screen(), facts)
    if debugging.is_on:
        from velpin import apart

        _screen().line(f"read outside  {apart.how()}")


@_command
def sources(
    files: Annotated[
        bool, typer.Option("--files", help="Show where each is defined, and ignored files.")
    ] = False,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """List the sources in the order in which they win."""
    found = _open(root, as_is)
    statuses = found.sources.statuses()
    if json:
        _write_rows("sources", statuses)
        refused = found.checkup.refused()
        if refused is not None:
            raise typer.Exit(refused.exit_code)
        return
    from velpin.front.views import show_skipped, show_source_statuses

    screen = _screen()
    show_source_statuses(screen, statuses, files)
    if files:
        show_skipped(screen, found)
    from velpin.front.session import tell

    refused = found.checkup.refused()
    for note in found.checkup.notes():
        if refused is None or str(note.place) != f"{refused.file}:{refused.line}":
            tell(f"{note.place}: {note.text}")
    if refused is not None:
        raise refused


@_command
def forecast(
    request: Annotated[
        list[str] | None,
        typer.Argument(metavar="[REQUEST...]", help="NAME, NAME:ARCH, NAME@VERSION, NAME%SOURCE"),
    ] = None,
    upgrade: Annotated[
        bool,
        typer.Option(
            "--upgrade",
            help="Forecast the full upgrade; on deb hosts and alpm hosts also along with requests.",
        ),
    ] = False,
    realign: Annotated[
        bool,
        typer.Option(
            "--realign",
            help="With --upgrade, on rpm-zypp hosts: every installed package goes to the best"
            " source.",
        ),
    ] = False,
    source: Annotated[
        str,
        typer.Option(
            "--from",
            metavar="SOURCE",
            help="Take every request from this source; with --upgrade alone, on rpm-zypp hosts:"
            " every installed package that it has.",
        ),
    ] = "",
    without: Annotated[
        list[str] | None,
        typer.Option("--without", metavar="NAME", help="Remove this package along with it."),
    ] = None,
    older: Annotated[
        bool,
        typer.Option(
            "--allow-older",
            help="On rpm-zypp hosts: an asked version may take the place of a newer one.",
        ),
    ] = False,
    why: Annotated[
        bool, typer.Option("--why", help="Show the reasons and the offers passed over.")
    ] = False,
    tree: Annotated[
        bool, typer.Option("--tree", help="Show what pulls in what, as a tree.")
    ] = False,
    every: Annotated[bool, typer.Option("--all", help="Show every package.")] = False,
    generation: Annotated[
        str,
        typer.Option(
            "--generation",
            metavar="older|newer",
            help="Forecast for this generation of the host's installer.",
        ),
    ] = "",
    compare: Annotated[
        bool,
        typer.Option(
            "--compare-generations",
            help="Show what the other generation of the installer would do differently.",
        ),
    ] = False,
    debug_steps: Annotated[
        bool,
        typer.Option(
            "--debug-steps", help="Show on stderr each step by which the answer was found."
        ),
    ] = False,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """Predict what would be installed, from where, and why."""
    from velpin.front.forecast_command import ForecastWords, show_forecast

    words = ForecastWords(
        request=tuple(request or ()), upgrade=upgrade, realign=realign, source=source,
        without=tuple(without or ()), older=older, why=why, tree=tree, every=every,
        generation=generation, compare=compare, as_is=as_is, debug_steps=debug_steps, json=json,
    )  # fmt: skip
    code = show_forecast(root or _Chosen.root, words)
    if code:
        raise typer.Exit(code)


@_command
def offers(
    what: Annotated[
        list[str] | None,
        typer.Argument(metavar="[NAME...|GLOB]", help="Names, or with --from a glob."),
    ] = None,
    source: Annotated[
        str, typer.Option("--from", metavar="SOURCE", help="List what this source offers.")
    ] = "",
    at: Annotated[
        str,
        typer.Option(
            "--at",
            metavar="ADDRESS",
            help="Look at a repository that is no source of this host; nothing is kept.",
        ),
    ] = "",
    suite: Annotated[
        str, typer.Option("--suite", metavar="SUITE", help="With --at, this suite of it.")
    ] = "",
    component: Annotated[
        list[str] | None,
        typer.Option("--component", metavar="COMPONENT", help="With --at, these components."),
    ] = None,
    full: Annotated[
        bool,
        typer.Option(
            "--full", help="With each offer its description, license, sizes and relations."
        ),
    ] = False,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """List all offers of a name or of one source, newest first."""
    found = _open(root, as_is)
    names = what or []
    if (source or at) and len(names) > 1:
        raise UsageError(f"with --{'from' if source else 'at'}, give one glob or none")
    if at:
        from velpin.front.look_view import show_look
        from velpin.front.session import busy

        if source or full:
            raise UsageError(f"--at cannot be combined with {'--from' if source else '--full'}")
        glob = names[0] if names else "*"
        with busy("looking at what is there"):
            look = found.packages.look_at(at, suite=suite, components=component or (), glob=glob)
        _write(look) if json else show_look(_screen(), look, glob)
        return
    if suite or component:
        raise UsageError("--suite and --component say which part of --at is looked at")
    if full and source:
        raise UsageError("--full tells of single names", "velpin offers NAME... --full")
    if source:
        listed = found.packages.offers_from(source, names[0] if names else "*")
    elif names:
        listed = found.packages.offers(names, full=full)
    else:
        raise UsageError("which offers?", "velpin offers NAME..., or velpin offers --from SOURCE")
    if json and listed:
        _write_rows("offers", listed)
    elif listed:
        _show_offers(listed, full=full)
    if not listed:
        near = found.packages.near_names(names[0]) if names and not source else ()
        what_of = f"of {' '.join(names)}" if names else f"from {source}"
        hint = f"similar names: {', '.join(near)}" if near else "velpin find TEXT searches"
        raise Refusal(f"no offers {what_of}", hint)


def _show_offers(listed: list[Offer], *, full: bool) -> None:
    if full:
        from velpin.front.details_view import show_offers_in_full

        show_offers_in_full(_screen(), listed)
        return
    from velpin.front.views import show_offers

    show_offers(_screen(), listed)


@_command
def find(
    text: Annotated[list[str], typer.Argument(help="Words to search for.")],
    most: Annotated[int, typer.Option("--most", min=1, help="Results to show.")] = 40,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """Search names and descriptions in all sources."""
    packages = _open(root, as_is).packages
    found, count = packages.find(" ".join(text), most)
    if json:
        from velpin.front.documents import Hits

        _write(Hits(count, found))
        return
    if not found:
        near = packages.near_names(text[0]) if len(text) == 1 else ()
        hint = f"similar names: {', '.join(near)}" if near else "try fewer or other words"
        raise Refusal(f"nothing matches {' '.join(text)!r}", hint)
    from velpin.front.views import show_found

    show_found(_screen(), found, count)


@_command
def keys(
    full: Annotated[
        bool, typer.Option("--full", help="Show whole fingerprints, in groups.")
    ] = False,
    root: Root = None,
    json: Json = False,
) -> None:
    """Show which key signs for which source."""
    import time

    host = _open(root)
    found = host.sources.keys()
    if json:
        _write_rows("keys", found)
        return
    from velpin.front.session import tell
    from velpin.front.views import show_keys

    show_keys(_screen(), found, time.time(), full=full)
    for text in host.sources.key_problems():
        tell(text)


# -- fetching ----------------------------------------------------------------------------


@_command
def refresh(
    source: Annotated[list[str] | None, typer.Argument(help="Only these sources.")] = None,
    accept_changed: Annotated[
        bool,
        typer.Option("--accept-changed", help="Accept a source whose identity has changed."),
    ] = False,
    files: Annotated[
        bool,
        typer.Option("--files", help="Also fetch file lists, where they are separate."),
    ] = False,
    root: Root = None,
    json: Json = False,
) -> None:
    """Fetch and check the indexes of the sources."""
    from velpin.front.refresh_command import refresh_all

    code = refresh_all(
        _open(root), source or [], as_json=json, accept_changed=accept_changed, files=files
    )
    if code:
        raise typer.Exit(code)


# -- changing ----------------------------------------------------------------------------


@_changing
def add(
    host: Host,
    how: ChangeOptions,
    what: Annotated[
        str,
        typer.Argument(
            help="A name for the source; or a vendor's snippet: a file, `-`, or the quoted line."
        ),
    ],
    url: Annotated[str, typer.Option("--url", help="The repository's address.")] = "",
    suite: Annotated[
        str, typer.Option("--suite", help="Its suite; ./ for a flat repository.")
    ] = "",
    component: Annotated[
        list[str] | None,
        typer.Option("--component", help="Its components; default main."),
    ] = None,
    arch: Annotated[
        list[str] | None, typer.Option("--arch", help="Limit it to these architectures.")
    ] = None,
    key: Annotated[
        str,
        typer.Option(
            "--key",
            metavar="FILE-or-URL",
            help="Its signing key; also a whole fingerprint or a mail address.",
        ),
    ] = "",
    fingerprint: Annotated[
        str, typer.Option("--fingerprint", help="The fingerprint its vendor publishes.")
    ] = "",
    name: Annotated[str, typer.Option("--name", help="A name for the source in a snippet.")] = "",
    recipes: Annotated[
        str,
        typer.Option(
            "--recipes", metavar="ADDRESS", help="Add a folder or archive of build recipes."
        ),
    ] = "",
    over: Annotated[
        list[str] | None,
        typer.Option("--over", metavar="SOURCE", help="Prefer it over this source."),
    ] = None,
    wanted: Annotated[
        list[str] | None,
        typer.Option("--for", metavar="NAME", help="Show this package before and after."),
    ] = None,
    only: Annotated[
        list[str] | None,
        typer.Option("--only", metavar="GLOB", help="Confine it to these packages."),
    ] = None,
    channel: Annotated[
        str, typer.Option("--channel", help="From a catalog: this channel of it.")
    ] = "",
    mirror: Annotated[
        str,
        typer.Option("--mirror", metavar="NUMBER-or-URL", help="From a catalog: this mirror."),
    ] = "",
    way: Annotated[
        int,
        typer.Option(
            "--way", metavar="NUMBER", help="Of instructions with several outcomes, take this one."
        ),
    ] = 0,
    anyway: Annotated[
        bool,
        typer.Option(
            "--anyway",
            help="Add it even if it is made for another release, or a line was not followed.",
        ),
    ] = False,
) -> None:
    """Add a source, from whatever its vendor gives you."""
    from velpin.front.changing import decide, planned

    if recipes:
        if url or suite or component or key or only or over:
            raise UsageError(
                "--recipes cannot be combined with these options",
                "velpin add NAME --recipes ADDRESS",
            )
        plan = planned(lambda: host.sources.plan_add_recipes(what, recipes), "reading the recipes")
        decide(host, plan, how, anyway=anyway)
        return

    chosen: list[Reading] = []

    def make() -> Plan:

        if not url and host.catalog.entry(what, channel):
            if suite or component or arch or key or fingerprint or name:
                raise UsageError(
                    f"{what} is in a catalog, which says that itself",
                    "leave these options away; --url adds another source of that name",
                )
            return host.catalog.plan_add_entry(
                what, channel=channel, mirror=mirror, only=only or (), over=over or ()
            )
        if channel or mirror:
            raise UsageError(
                f"no catalog has a source {what!r}",
                "--channel and --mirror are for sources of a catalog; velpin catalog lists them",
            )

        new = host.sources.given(
            what, name=name, url=url, suite=suite, components=component or (), archs=arch or (),
            key=key, fingerprint=fingerprint,
            standard_input=sys.stdin.read() if what == "-" else None,
        )  # fmt: skip
        reading = None
        if new.snippet and (new.arguments or not new.files):
            from velpin.front.instructions_view import reading_of

            reading = reading_of(host, new, way)
        if reading is not None:
            chosen.append(reading)
            return host.sources.plan_instructions(
                reading, name=name, suite=suite, key=new.key, fingerprint=new.fingerprint,
                only=only or (), over=over or (),
            )  # fmt: skip
        return host.sources.plan_add(new, only=only or (), over=over or ())

    decide(
        host, planned(make, "looking at the source"), how, names=wanted or (), anyway=anyway,
        reading=chosen[0] if chosen else None,
    )  # fmt: skip


@_changing
def off(host: Host, how: ChangeOptions, source: str) -> None:
    """Switch a source off."""
    from velpin.front.changing import decide

    decide(host, host.sources.plan_switch(source, False), how)


@_changing
def on(host: Host, how: ChangeOptions, source: str) -> None:
    """Switch a source on again."""
    from velpin.front.changing import decide

    decide(host, host.sources.plan_switch(source, True), how)


@_changing
def drop(
    host: Host,
    how: ChangeOptions,
    source: str,
    back: Annotated[
        bool,
        typer.Option(
            "--back",
            help="Take the rules about it back too, and show how the packages that came from it"
            " go back to the other sources.",
        ),
    ] = False,
) -> None:
    """Remove a source."""
    from velpin.front.changing import decide, planned

    if back:
        found: list[WayBack] = []

        def make() -> Plan:
            plan, way = host.changes.plan_drop_and_back(source)
            found.append(way)
            return plan

        plan = planned(make, "looking for the way back")
        decide(host, plan, how, back=found[0])
        return
    plan = host.sources.plan_drop(source)
    decide(host, plan, how, came=host.packages.came_from(plan.handles[0]))


# -- rules ------------------------------------------------------------------------------


@_changing
def prefer(
    host: Host,
    how: ChangeOptions,
    source: Annotated[str, typer.Argument(help="The source that should win.")],
    over: Annotated[
        list[str] | None,
        typer.Option("--over", metavar="SOURCE", help="Prefer it over this source."),
    ] = None,
    under: Annotated[
        list[str] | None,
        typer.Option("--under", metavar="SOURCE", help="Keep it below this source."),
    ] = None,
    over_all: Annotated[
        bool, typer.Option("--over-all", help="Prefer it over every other source.")
    ] = False,
    lift: Lift = False,
    foremost: Foremost = False,
) -> None:
    """Prefer a source over another, whatever the versions."""
    from velpin.model.rule import Prefer

    rule = Prefer(source, tuple(over or ()), under=tuple(under or ()), over_all=over_all)
    _make(host, [rule], how, lift=lift, foremost=foremost)


@_changing
def confine(
    host: Host,
    how: ChangeOptions,
    source: Annotated[str, typer.Argument(help="The source.")],
    name: Annotated[
        list[str] | None, typer.Argument(metavar="[NAME...]", help="Names or globs it may provide.")
    ] = None,
    lift: Lift = False,
    foremost: Foremost = False,
    anyway: Anyway = False,
) -> None:
    """Let a source provide only some packages."""
    if not (name or lift):
        from velpin.model.shell import shell_word

        raise UsageError(
            "confine it to which packages?", f"velpin confine {shell_word(source)} 'GLOB'..."
        )
    from velpin.model.rule import Confine

    rule = Confine(source, tuple(name or ()))
    _make(host, [rule], how, lift=lift, foremost=foremost, anyway=anyway)


@_changing
def pin(
    host: Host,
    how: ChangeOptions,
    what: Annotated[
        list[str], typer.Argument(metavar="NAME[@VERSION]...", help="Names, each with a version.")
    ],
    source: Annotated[
        str, typer.Option("--from", metavar="SOURCE", help="Only from this source.")
    ] = "",
    allow_older: Annotated[bool, typer.Option("--allow-older", help="Allow a downgrade.")] = False,
    lift: Lift = False,
    foremost: Foremost = False,
    anyway: Anyway = False,
) -> None:
    """Pin packages to a version or to a source."""

    rules = host.rules.pins(what, source, allow_older=allow_older, unbound=lift)
    _make(host, rules, how, lift=lift, foremost=foremost, anyway=anyway)


@_changing
def bar(
    host: Host,
    how: ChangeOptions,
    name: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[NAME[@VERSION]...]", help="Names or globs, optionally with a version."
        ),
    ] = None,
    source: Annotated[
        str, typer.Option("--from", metavar="SOURCE", help="Never from this source.")
    ] = "",
    pre_releases: Annotated[
        bool,
        typer.Option("--pre-releases", help="Only pre-releases, and components made for them."),
    ] = False,
    component: Annotated[
        list[str] | None, typer.Option("--component", help="Only these components of the source.")
    ] = None,
    lift: Lift = False,
    foremost: Foremost = False,
    anyway: Anyway = False,
) -> None:
    """Bar packages, versions or components from being installed."""

    rules = host.rules.bars(
        name or [], source, pre_releases=pre_releases, components=component or ()
    )
    _make(host, rules, how, lift=lift, foremost=foremost, anyway=anyway)


@_changing
def keep(
    host: Host,
    how: ChangeOptions,
    name: Annotated[list[str], typer.Argument(help="Installed packages, or globs.")],
    lift: Lift = False,
    foremost: Foremost = False,
) -> None:
    """Keep installed packages as they are."""
    from velpin.model.rule import Keep

    _make(host, [Keep(tuple(name))], how, lift=lift, foremost=foremost)


@_changing
def rules(
    host: Host,
    how: ChangeOptions,
    drop: Annotated[
        list[str] | None,
        typer.Argument(metavar="[drop RULE...]", help="Drop rules, by number or FILE:LINE."),
    ] = None,
) -> None:
    """List the rules in force and what each of them decides."""
    if drop:
        from velpin.front.changing import decide

        if drop[0] != "drop" or len(drop) == 1:
            raise UsageError("which rules?", "velpin rules, or velpin rules drop RULE...")
        decide(host, host.rules.plan_drops(drop[1:]), how)
        return
    in_force = host.rules.in_force()
    if how.as_json:
        _write_rows("rules", in_force)
        return
    from velpin.front.rules_view import show_rules

    show_rules(_screen(), in_force, every=how.every)


@_changing
def want(
    host: Host,
    how: ChangeOptions,
    what: Annotated[
        list[str], typer.Argument(metavar="NAME[@VERSION]...", help="What you want to get.")
    ],
    source: Annotated[
        str, typer.Option("--from", metavar="SOURCE", help="The source it should come from.")
    ] = "",
    take: Annotated[int, typer.Option("--take", min=0, help="Apply this option.")] = 0,
) -> None:
    """Find the smallest change that gives you the packages you want."""
    from velpin.front import want_command

    want_command.want(host, what, source, take, how)


@_command
def shift(
    watch: Annotated[
        list[str] | None,
        typer.Argument(metavar="[NAME...]", help="With --save: names to follow, installed or not."),
    ] = None,
    save: Annotated[
        Path | None, typer.Option("--save", metavar="FILE", help="Save a snapshot of the host.")
    ] = None,
    since: Annotated[
        Path | None, typer.Option("--since", metavar="FILE", help="Compare with a saved snapshot.")
    ] = None,
    every: Every = False,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """Save a snapshot of the host, or show what has changed since."""
    if (save is None) == (since is None) or (since and watch):
        raise UsageError(
            "which shift?", "velpin shift --save FILE [NAME...], later velpin shift --since FILE"
        )
    from velpin.front import shift_command

    found = _open(root, as_is)
    if save:
        shift_command.save_host(found, save, watch or [], json)
    elif since:
        code = shift_command.show_drift(found, since, every=every, as_json=json)
        if code:
            raise typer.Exit(code)


def _make(
    host: Host,
    rules: Sequence[Rule],
    how: ChangeOptions,
    *,
    lift: bool,
    foremost: bool,
    anyway: bool = False,
) -> None:
    from velpin.front.changing import decide, planned

    plan = planned(
        lambda: host.rules.plan_lift(rules) if lift else host.rules.plan(rules, foremost=foremost)
    )
    decide(host, plan, how, anyway=anyway)


@_changing
def catalog(
    host: Host,
    how: ChangeOptions,
    what: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[NAME|TEXT...|add URL|refresh [NAME...]|write SOURCE...]",
            help="A source to show, words to search for, or what to do with catalogs.",
        ),
    ] = None,
    channel: Annotated[str, typer.Option("--channel", help="Show this channel.")] = "",
    key: Annotated[
        str, typer.Option("--key", metavar="FILE-or-URL", help="The key that signs a catalog.")
    ] = "",
    fingerprint: Annotated[
        str, typer.Option("--fingerprint", help="The fingerprint that its publisher gives.")
    ] = "",
    name: Annotated[str, typer.Option("--name", help="A name for the catalog.")] = "",
) -> None:
    """List the sources that catalogs know; keep catalogs."""
    from velpin.front import catalog_command

    catalog_command.run(
        host, what or [], how, channel=channel, key=key, fingerprint=fingerprint, name=name
    )


@_command
def export(
    out: Annotated[
        Path | None,
        typer.Option(
            "--out", metavar="FILE", help="Write it into this file, and its keys beside that."
        ),
    ] = None,
    beside: Annotated[
        bool, typer.Option("--keys-beside", help="Write the keys into files beside it.")
    ] = False,
    self_contained: Annotated[
        bool, typer.Option("--self-contained", help="Write all keys into the file itself.")
    ] = False,
    root: Root = None,
) -> None:
    """Write sources, keys and rules as a file for conform."""
    from velpin.front import hostfile_command

    if beside and self_contained:
        raise UsageError("--keys-beside and --self-contained exclude each other")
    plain = out is not None and hostfile_command.is_plain(out)
    keys: KeysIn = "inside" if self_contained else "beside" if beside or plain else "named"
    hostfile_command.export(_open(root), out, keys)


@_changing
def conform(
    host: Host,
    how: ChangeOptions,
    file: Annotated[Path, typer.Argument(help="A file that describes the host.")],
    prune: Annotated[
        bool, typer.Option("--prune", help="Remove what velpin added and the file does not name.")
    ] = False,
    anyway: Annotated[
        bool, typer.Option("--anyway", help="Make it so although an expectation would fail.")
    ] = False,
) -> None:
    """Make the host as a file says; a second time changes nothing."""
    from velpin.front import hostfile_command

    code = hostfile_command.conform(host, file, how, prune=prune, anyway=anyway)
    if code:
        raise typer.Exit(code)


@_command
def expect(
    what: Annotated[
        list[str], typer.Argument(metavar="FILE|NAME...", help="A file; with --from-now, names.")
    ],
    from_now: Annotated[
        bool, typer.Option("--from-now", help="Write what is so today as expectations.")
    ] = False,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """Check what must be true of the forecast."""
    from velpin.front import hostfile_command

    if not from_now and len(what) != 1:
        raise UsageError("which file?", "velpin expect FILE, or velpin expect --from-now NAME...")
    host = _open(root, as_is)
    if from_now:
        hostfile_command.write_expectations(host, what)
        return
    code = hostfile_command.expect(host, Path(what[0]), as_json=json)
    if code:
        raise typer.Exit(code)


@_changing
def checkup(
    host: Host,
    how: ChangeOptions,
    source: Annotated[
        list[str] | None, typer.Argument(metavar="[SOURCE...]", help="Look only at these sources.")
    ] = None,
    mend: Annotated[
        str,
        typer.Option(
            "--mend",
            metavar="[CODE|NUMBER]",
            help="Mend all that takes no choice, the findings of one code, or one finding.",
        ),
    ] = "",
    following: Annotated[
        str,
        typer.Option(
            "--next", metavar="RELEASE", help="Rehearse the move to another release of the host."
        ),
    ] = "",
    offline: Annotated[bool, typer.Option("--offline", help="Ask no server.")] = False,
) -> None:
    """Find what is wrong, and the command that mends it."""
    from velpin.front import checkup_command

    if following:
        if source or mend or offline:
            raise UsageError("--next is for the whole host", "velpin checkup --next RELEASE")
        code = checkup_command.rehearse(host, following, how)
        if code:
            raise typer.Exit(code)
        return
    code = checkup_command.check(host, source or [], mend, how, offline=offline)
    if code:
        raise typer.Exit(code)


@_command
def report(
    out: Annotated[
        Path | None, typer.Option("--out", metavar="FILE.html", help="Write the page here.")
    ] = None,
    png: Annotated[
        Path | None,
        typer.Option("--png", metavar="FILE.png", help="Write the picture of the tiers here."),
    ] = None,
    since: Annotated[
        Path | None,
        typer.Option("--since", metavar="FILE", help="Also show what changed since a snapshot."),
    ] = None,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """Write the whole host as one page, to look at and keep."""
    if not (out or png or json):
        raise UsageError("where to?", "velpin report --out FILE.html, or --png FILE.png")
    from velpin.front import report_command

    report_command.write_report(_open(root, as_is), out, png, since, as_json=json)


# -- the journal -------------------------------------------------------------------------


@_command
def journal(root: Root = None, json: Json = False) -> None:
    """List every change velpin made to this host."""
    host = _open(root)
    entries, damaged = host.changes.journal(), host.changes.damaged()
    if json:
        from velpin.front.documents import JournalRecord

        _write_rows("entries", [JournalRecord.of(entry) for entry in entries])
    else:
        from velpin.front.views import show_journal

        show_journal(_screen(), entries)
    if damaged:
        from velpin.front.session import fail

        # With --json too on standard error: standard output holds one JSON value.
        raise typer.Exit(max([fail(problem, as_json=False) for problem in damaged]))


@_changing
def undo(
    host: Host,
    how: ChangeOptions,
    number: Annotated[int, typer.Argument(help="The change to undo; default: the last one.")] = 0,
) -> None:
    """Undo a change, byte for byte."""
    from velpin.front.changing import decide

    decide(host, host.changes.plan_undo(number), how)


@_command
def demo(
    chapter: Annotated[
        str, typer.Argument(metavar="[CHAPTER]", help="A chapter; without, the short tour.")
    ] = "",
    listed: Annotated[bool, typer.Option("--list", help="List the chapters.")] = False,
    every: Annotated[bool, typer.Option("--all", help="Go through all chapters.")] = False,
    keep: Annotated[
        Path | None,
        typer.Option("--keep", metavar="DIR", help="Keep the demo's hosts in this folder."),
    ] = None,
    serve: Annotated[
        Path | None,
        typer.Option("--serve", metavar="DIR", help="Serve the repositories of a kept demo."),
    ] = None,
) -> None:
    """Try it on a made-up host: a short tour, or a chapter."""
    from velpin.demo import walk

    if serve:
        walk.serve_kept(serve)
        return
    if listed:
        walk.list_chapters()
        return
    if every and (chapter or keep):
        raise UsageError("--all stands alone", "velpin demo --all")
    code = walk.run_demo(list(walk.CHAPTERS) if every else [chapter or walk.TOUR], keep)
    if code:
        raise typer.Exit(code)


@_command
def help(
    topic: Annotated[str, typer.Argument(help="A topic or a command.")] = "",
) -> None:
    """Explain a topic: requests, rules, tiers, formats."""
    from velpin.front import topics_command
    from velpin.front.completion import TOPICS

    if topic in _COMMANDS and topic not in TOPICS:
        run_typed([topic, "--help"], as_json=False)
    elif topic:
        topics_command.show_topic(_screen(), topic)
    else:
        topics_command.list_topics(_screen())


@_command
def completion(
    shell: Annotated[str, typer.Argument(metavar="bash|fish|zsh", help="The shell.")],
) -> None:
    """Print what makes a shell complete velpin's command lines."""
    from velpin.front.completion import script

    typer.echo(script(shell), nl=False)


def _with_mend_of_all(words: list[str]) -> list[str]:
    """The words with what `--mend` means where nothing is said behind it."""
    found: list[str] = []
    for word, following in zip(words, [*words[1:], "-"], strict=False):
        found += [word, "all"] if word == "--mend" and following.startswith("-") else [word]
    return found


def command_of(words: Sequence[str]) -> str:
    """The command that some words call, empty where there is none."""
    return next((word for word in words if word in _COMMANDS), "")


def _refuse_other_words(words: list[str]) -> None:
    """Raise UsageError if the first word is no command, with the one that is meant."""
    rest = words[_ROOT_ALONE:] if words[:1] == ["--root"] else words
    if not rest or rest[0].startswith("-"):
        return
    from velpin.front.commands import read_commands

    known = read_commands()
    if rest[0] not in known:
        from velpin.front.other_words import no_such_command

        raise no_such_command(rest[0], rest[1:], list(known))


def run_typed(words: list[str], *, as_json: bool) -> int:
    """Hand the words to the commands; the exit code.

    What they cannot make sense of is a usage error, raised only where the answer is wanted as
    JSON.
    """
    if not words or (words[0] == "--root" and len(words) == _ROOT_ALONE):
        from velpin.front.topics_command import welcome

        welcome(_screen(), words)
        return 0
    from typer.exceptions import TyperException

    words = _with_mend_of_all(words)
    try:
        code: object = _build(words)(words, standalone_mode=False)
    except typer.Abort:
        return 130
    except typer.Exit as end:
        return end.exit_code
    except TyperException as problem:
        _refuse_other_words(words)
        if as_json:
            raise UsageError(problem.format_message(), "velpin --help") from problem
        if hasattr(problem, "show"):
            problem.show()
        return int(getattr(problem, "exit_code", 2))
    return code if isinstance(code, int) else 0
