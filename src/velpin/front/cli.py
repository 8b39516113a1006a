"""The commands: names, options, and which piece of Velpin does the work.

Kept thin on purpose: a command imports what it needs when it runs, so that `--help` and a
forecast start fast; and only the command that is asked for is built at all.
"""

from __future__ import annotations

import sys
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from velpin.errors import Refusal, UsageError, VelpinError

if TYPE_CHECKING:
    from velpin.front.screen import Screen
    from velpin.kinds.base import Host

Root = Annotated[
    Path | None, typer.Option("--root", help="The host's root folder.", show_default="/")
]
Json = Annotated[bool, typer.Option("--json", help="Answer as JSON.")]
AsIs = Annotated[
    bool, typer.Option("--as-is", help="Use only the indexes the host's installer has now.")
]
Yes = Annotated[bool, typer.Option("--yes", "-y", help="Do not ask.")]
Preview = Annotated[bool, typer.Option("--preview", help="Show it and stop.")]


_COMMANDS: dict[str, Callable[..., None]] = {}


def _command(run: Callable[..., None]) -> Callable[..., None]:
    _COMMANDS[run.__name__] = run
    return run


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
        if word in ("-h", "--help"):
            break
        if word in _COMMANDS and (at == 0 or words[at - 1] != "--root"):
            first = word
            break
    for name, run_it in _COMMANDS.items():
        if first in ("", name):
            app.command(name)(run_it)
    return app


class _Chosen:
    root = Path("/")


def _version(wanted: bool) -> None:
    if wanted:
        from velpin import __version__

        typer.echo(f"velpin {__version__}")
        raise typer.Exit


def _main(
    root: Root = None,
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Show the version.")
    ] = False,
) -> None:
    _Chosen.root = root or Path("/")


def _open(root: Path | None, as_is: bool = False) -> Host:
    from velpin.front.session import open_at

    return open_at(root or _Chosen.root, as_is=as_is)


def _screen() -> Screen:
    from velpin.front.screen import Screen

    return Screen()


# -- looking -----------------------------------------------------------------------------


@_command
def host(root: Root = None, json: Json = False) -> None:
    """What host this is, and how fresh its indexes are."""
    facts = _open(root).facts()
    if json:
        from velpin.front import as_json

        as_json.write(as_json.of_facts(facts))
        return
    from velpin.front.views import show_facts

    show_facts(_screen(), facts)


@_command
def sources(
    files: Annotated[
        bool, typer.Option("--files", help="Show where each is written, and files passed over.")
    ] = False,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """Every source, in the order in which it wins."""
    found = _open(root, as_is)
    standings = found.standings()
    if json:
        from velpin.front import as_json

        as_json.write([as_json.of_standing(one) for one in standings])
        return
    from velpin.front.views import show_skipped, show_standings

    screen = _screen()
    show_standings(screen, standings, files)
    if files:
        show_skipped(screen, found)
    from velpin.front.session import tell

    refused = found.refused()
    for note in found.notes():
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
        bool, typer.Option("--upgrade", help="The host's full upgrade, instead of requests.")
    ] = False,
    source: Annotated[
        str, typer.Option("--from", metavar="SOURCE", help="Narrow every request to a source.")
    ] = "",
    why: Annotated[
        bool, typer.Option("--why", help="Show the reasons and every offer passed over.")
    ] = False,
    tree: Annotated[bool, typer.Option("--tree", help="Show who brings what, as a tree.")] = False,
    every: Annotated[bool, typer.Option("--all", help="Show every package.")] = False,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """What requests would give, from which sources, with what else, and why."""
    if upgrade == bool(request) or (upgrade and (source or why)):
        raise UsageError(
            "which forecast?", "velpin forecast REQUEST..., or velpin forecast --upgrade"
        )
    host = _open(root, as_is)
    found = host.forecast_upgrade() if upgrade else host.forecast(request or [], source)
    if json:
        from velpin.front import as_json

        as_json.write(as_json.of_forecast(found))
    else:
        from velpin.front import forecast_view

        if tree:
            forecast_view.show_tree(_screen(), found)
        elif upgrade:
            forecast_view.show_upgrade(_screen(), found, every=every)
        else:
            forecast_view.show_forecast(_screen(), found, why=why, every=every)
    if found.exit_code:
        raise typer.Exit(found.exit_code)


@_command
def offers(
    what: Annotated[
        list[str] | None,
        typer.Argument(metavar="[NAME...|GLOB]", help="Names, or with --from a glob."),
    ] = None,
    source: Annotated[
        str, typer.Option("--from", metavar="SOURCE", help="All that one source offers.")
    ] = "",
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """All offers of a name or of one source, newest first."""
    found = _open(root, as_is)
    names = what or []
    if source:
        if len(names) > 1:
            raise UsageError("with --from, give one glob or none")
        listed = found.offers_from(source, names[0] if names else "*")
    elif names:
        listed = found.offers(names)
    else:
        raise UsageError("which offers?", "velpin offers NAME..., or velpin offers --from SOURCE")
    if json:
        from velpin.front import as_json

        as_json.write(as_json.of_offers(listed))
    elif listed:
        from velpin.front.views import show_offers

        show_offers(_screen(), listed)
    if not listed:
        near = found.near_names(names[0]) if names and not source else ()
        what_of = f"of {' '.join(names)}" if names else "there"
        hint = f"near names: {', '.join(near)}" if near else "velpin find TEXT searches"
        raise Refusal(f"no offers {what_of}", hint)


@_command
def find(
    text: Annotated[list[str], typer.Argument(help="Words to look for.")],
    most: Annotated[int, typer.Option("--most", min=1, help="Lines to show.")] = 40,
    root: Root = None,
    as_is: AsIs = False,
    json: Json = False,
) -> None:
    """Search names and descriptions in all sources."""
    found, count = _open(root, as_is).find(" ".join(text), most)
    if json:
        from velpin.front import as_json

        as_json.write({"count": count, "found": [met._asdict() for met in found]})
        return
    if not found:
        raise Refusal(f"nothing speaks of {' '.join(text)!r}", "try fewer or other words")
    from velpin.front.views import show_found

    show_found(_screen(), found, count)


@_command
def keys(root: Root = None, json: Json = False) -> None:
    """Which key vouches for which source."""
    import time

    found = _open(root).keys()
    if json:
        from velpin.front import as_json

        as_json.write(as_json.of_keys(found))
        return
    from velpin.front.views import show_keys

    show_keys(_screen(), found, time.time())


# -- fetching ----------------------------------------------------------------------------


@_command
def refresh(
    source: Annotated[list[str] | None, typer.Argument(help="Only these.")] = None,
    accept_changed: Annotated[
        bool,
        typer.Option("--accept-changed", help="Accept a source that changed what it calls itself."),
    ] = False,
    root: Root = None,
    json: Json = False,
) -> None:
    """Fetch and check the indexes of the sources."""
    from velpin.front.refreshing import refresh_all

    code = refresh_all(_open(root), source or [], as_json=json, accept_changed=accept_changed)
    if code:
        raise typer.Exit(code)


# -- changing ----------------------------------------------------------------------------


@_command
def add(
    what: Annotated[
        str,
        typer.Argument(
            help="A name for the source; or a vendor's snippet: a file, `-`, or the quoted line."
        ),
    ],
    url: Annotated[str, typer.Option("--url", help="The repository's address.")] = "",
    suite: Annotated[str, typer.Option("--suite", help="Its release; ./ for a flat one.")] = "",
    section: Annotated[
        list[str] | None, typer.Option("--section", help="Its sections; main if none is given.")
    ] = None,
    arch: Annotated[
        list[str] | None, typer.Option("--arch", help="Only these architectures.")
    ] = None,
    key: Annotated[str, typer.Option("--key", metavar="FILE-or-URL", help="Its signing key.")] = "",
    fingerprint: Annotated[
        str, typer.Option("--fingerprint", help="The fingerprint its vendor publishes.")
    ] = "",
    name: Annotated[str, typer.Option("--name", help="A name for a snippet's source.")] = "",
    wanted: Annotated[
        list[str] | None,
        typer.Option("--for", metavar="NAME", help="Show this package before and after."),
    ] = None,
    anyway: Annotated[
        bool, typer.Option("--anyway", help="Also where it is made for another release.")
    ] = False,
    preview: Preview = False,
    yes: Yes = False,
    root: Root = None,
    json: Json = False,
) -> None:
    """Add a source, by address or from a vendor's snippet."""
    from velpin.front.changing import add_source, wish_from

    found = _open(root)
    wish = wish_from(
        what, name=name, url=url, suite=suite, sections=tuple(section or ()),
        archs=tuple(arch or ()), fingerprint=fingerprint, anyway=anyway,
    )  # fmt: skip
    add_source(found, wish, key, tuple(wanted or ()), preview=preview, yes=yes, as_json=json)


@_command
def off(
    source: str, preview: Preview = False, yes: Yes = False, root: Root = None, json: Json = False
) -> None:
    """Switch a source off."""
    from velpin.front.changing import switch_source

    switch_source(_open(root), source, False, preview=preview, yes=yes, as_json=json)


@_command
def on(
    source: str, preview: Preview = False, yes: Yes = False, root: Root = None, json: Json = False
) -> None:
    """Switch a source on again."""
    from velpin.front.changing import switch_source

    switch_source(_open(root), source, True, preview=preview, yes=yes, as_json=json)


@_command
def drop(
    source: str, preview: Preview = False, yes: Yes = False, root: Root = None, json: Json = False
) -> None:
    """Take a source away."""
    from velpin.front.changing import drop_source

    drop_source(_open(root), source, preview=preview, yes=yes, as_json=json)


@_command
def journal(root: Root = None, json: Json = False) -> None:
    """Every change velpin made to this host."""
    from velpin.front.session import journal_of

    entries = journal_of(_open(root)).entries()
    if json:
        from velpin.front import as_json

        as_json.write([as_json.of_entry(entry) for entry in entries])
        return
    from velpin.front.views import show_journal

    show_journal(_screen(), entries)


@_command
def undo(
    number: Annotated[int, typer.Argument(help="Which change; the last one if none is given.")] = 0,
    preview: Preview = False,
    yes: Yes = False,
    root: Root = None,
    json: Json = False,
) -> None:
    """Take back a change, byte for byte."""
    from velpin.front.changing import undo_change

    undo_change(_open(root), number, preview=preview, yes=yes, as_json=json)


@_command
def demo(
    keep: Annotated[
        Path | None, typer.Option("--keep", metavar="DIR", help="Leave the demo host there.")
    ] = None,
    serve: Annotated[
        Path | None,
        typer.Option("--serve", metavar="DIR", help="Serve a kept demo's repositories again."),
    ] = None,
) -> None:
    """Try it all on a made-up host."""
    from velpin.demo.walk import run_demo, serve_kept

    if serve:
        serve_kept(serve)
        return
    code = run_demo(keep)
    if code:
        raise typer.Exit(code)


def run(words: list[str]) -> int:
    """Run one command line; Velpin's errors become words and an exit code."""
    try:
        _build(words)(words, standalone_mode=True)
    except SystemExit as end:
        return end.code if isinstance(end.code, int) else 1
    except VelpinError as problem:
        from velpin.front.session import fail

        return fail(problem, "--json" in words)
    except KeyboardInterrupt:
        return 130
    return 0


def main() -> None:
    """The program."""
    import gc

    gc.disable()  # one short command; what lies in cycles goes with it
    try:
        code = run(sys.argv[1:])
        sys.stdout.flush()
    except BrokenPipeError:
        import os

        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        code = 0
    sys.exit(code)
