"""Commands that make texts and change them."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence

from velpin.instructions.commands.alpm_sections import edits_sections
from velpin.instructions.commands.options import said
from velpin.instructions.data import NOT_KNOWN, NOTHING, Data, Effect, joined
from velpin.instructions.machine import Call, Command, Machine, Result
from velpin.instructions.patterns import Pattern, basic, characters, extended
from velpin.instructions.words import UNKNOWN, is_known, unescaped


def _made(text: str, call: Call) -> Result:
    return Result(0, Data(text, spots=(call.spot,)))


def input_of(machine: Machine, call: Call, names: Sequence[str]) -> Data:
    """What a command reads: some files, or its input."""
    if not names:
        return call.stdin
    found = [call.stdin if name == "-" else machine.file(name) or NOTHING for name in names]
    return joined(found)


def _text(machine: Machine, call: Call, names: Sequence[str]) -> str:
    return machine.text(input_of(machine, call, names), call.spot)


def _echo(machine: Machine, call: Call) -> Result:
    args, escaped, ended = list(call.args), False, True
    while args and re.fullmatch(r"-[neE]+", args[0]):
        flags = args.pop(0)
        escaped |= "e" in flags
        ended &= "n" not in flags
    text = " ".join(args)
    return _made((unescaped(text, "0[0-7]{0,3}") if escaped else text) + "\n" * ended, call)


_FORMAT = re.compile(r"%(?:%|-?\d{0,3}(?:\.\d+)?([sdiubqcxX]))")


def _printf(machine: Machine, call: Call) -> Result:
    args = list(call.args)
    if args[:1] == ["--"]:
        args.pop(0)
    if args[:1] == ["-v"]:
        machine.assign(args[1], _formatted(args[2:]))
        return Result()
    return _made(_formatted(args), call)


_PLAIN_NUMBER = re.compile(r"-?(?:0|[1-9]\d*)|")


def _formatted(args: Sequence[str]) -> str:
    if not args:
        return ""
    form, rest = unescaped(args[0]), list(args[1:])
    needed = sum(1 for found in _FORMAT.finditer(form) if found.group(1))
    printed = []
    while True:

        def one(found: re.Match[str]) -> str:
            if not found.group(1):
                return "%"
            value = rest.pop(0) if rest else ""
            flags = found.group()[1:-1]
            if found[1] == "b":
                value = unescaped(value)
            elif found[1] in "xXoc" or (found[1] in "diu" and not _PLAIN_NUMBER.fullmatch(value)):
                return UNKNOWN
            elif found[1] in "diu" and flags.startswith("0"):
                return value.zfill(int(flags or 0))
            return f"%{flags}s" % value

        printed.append(_FORMAT.sub(one, form))
        if not rest or not needed or len(printed) > 1000:
            return "".join(printed)


def _cat(machine: Machine, call: Call) -> Result:
    names = said(call.args).operands
    missing = any(name != "-" and machine.file(name) is None for name in names)
    return Result(int(missing), input_of(machine, call, names))


def _tee(machine: Machine, call: Call) -> Result:
    found = said(call.args)
    for name in found.operands:
        machine.write(name, call.stdin, call.spot, behind=found.has("a", "append"))
    return Result(0, call.stdin)


# -- sed -------------------------------------------------------------------------------------


def _sed(machine: Machine, call: Call) -> Result:
    found = said(_in_place(call.args), ("e", "expression", "f", "file"))
    scripts = [*found.options.get("e", ()), *found.options.get("expression", ())]
    operands = list(found.operands)
    if not scripts and operands:
        scripts = [operands.pop(0)]
    edit = _edits(
        "\n".join(scripts), quiet=found.has("n", "quiet", "silent"),
        wide=found.has("E", "r", "regexp-extended"),
    )  # fmt: skip
    if not found.has("i", "in-place"):
        return _made(_edited(edit, _text(machine, call, operands)), call)
    for name in operands:
        data = machine.file(name)
        if data is None:
            continue
        text = machine.text(data, call.spot)
        new = _edited(edit, text)
        written = machine.overlay.files.get(machine.path(name))
        if not is_known(text) or (written is not None and written.has_more):
            if edits_sections(machine, call, machine.path(name), "\n".join(scripts)):
                continue
            what = f"changes {machine.path(name)} in place"
            machine.tell(Effect("not-followed", call.spot, what, may_change=True))
        elif new != text:
            machine.write(name, Data(new, spots=data.every_spot), call.spot)
    return Result()


def _edited(edit: Callable[[str], str] | None, text: str) -> str:
    if edit is None or not is_known(text):
        return UNKNOWN
    try:
        return edit(text)
    except re.error:
        return UNKNOWN


def _in_place(args: Sequence[str]) -> list[str]:
    """`-i.bak` is `-i`; what is kept under another name matters to nobody here."""
    return ["-i" if re.fullmatch(r"-i\..+|-i~|--in-place=.*", arg) else arg for arg in args]


_SED = re.compile(
    r"\s*(?:(\d+|\$)|/((?:\\.|[^/\\])*)/)?(?:,(\d+|\$|/(?:\\.|[^/\\])*/))?(!?)\s*"
    r"(?:s(?P<sep>[^\w\s\\])(?P<old>(?:\\.|(?!(?P=sep)).)*)(?P=sep)(?P<new>(?:\\.|(?!(?P=sep)).)*)(?P=sep)"
    r"(?P<flags>[gpiIE\d]*)|(?P<plain>[dpq])|(?P<add>[aic])\s*\\?\n?(?P<text>[^\n]*))\s*(?:[;\n]|$)",
    re.DOTALL,
)  # fmt: skip


class _Quit(Exception):
    """An edit ends before the text does."""


def _edits(script: str, *, quiet: bool, wide: bool) -> Callable[[str], str] | None:
    """What a script makes of a text; None for one that is not understood."""
    steps, at = [], 0
    script = script.strip()
    while at < len(script):
        found = _SED.match(script, at)
        if not found or found.end() == at:
            return None
        if found.group(3) and not found.group(2) and found.group(1) is None:
            return None
        try:
            steps.append((found, *_patterns(found, wide=wide)))
        except re.error:
            return None
        at = found.end()

    def edit(text: str) -> str:
        done: list[str] = []
        inside = [False] * len(steps)
        lines = text.splitlines()
        for number, line in enumerate(lines, 1):
            shown: list[str] = []
            current: str | None = line
            for at, (step, address, end, old) in enumerate(steps):
                if current is None:
                    break
                fits = _fits(step, address, number, len(lines), current)
                if step.group(3):
                    if inside[at]:
                        fits = True
                        inside[at] = not _fits_end(step.group(3), end, number, len(lines), current)
                    elif fits:
                        inside[at] = True
                if fits == (step.group(4) == "!"):
                    continue
                try:
                    current = _stepped(step, old, current, shown)
                except _Quit:
                    return "".join(
                        f"{each}\n" for each in [*done, *shown, *[current] * (not quiet)]
                    )
            if current is not None and not quiet:
                shown.append(current)
            done += shown
        return "".join(line + "\n" for line in done)

    return edit


def _patterns(
    found: re.Match[str], *, wide: bool
) -> tuple[Pattern | None, Pattern | None, Pattern | None]:
    address = (
        Pattern((extended if wide else basic)(found.group(2)))
        if found.group(2) is not None
        else None
    )
    end = found.group(3)
    ended = Pattern(basic(end[1:-1])) if end and end.startswith("/") else None
    if found.group("old") is None:
        return address, ended, None
    ignored = re.IGNORECASE if "i" in found.group("flags").lower() else 0
    return address, ended, Pattern((extended if wide else basic)(found.group("old")), ignored)


def _fits(step: re.Match[str], address: Pattern | None, number: int, last: int, line: str) -> bool:
    if address is not None:
        return address.search(line) is not None
    if step.group(1) is None:
        return True
    return number == (last if step.group(1) == "$" else int(step.group(1)))


def _fits_end(text: str, end: Pattern | None, number: int, last: int, line: str) -> bool:
    if end is not None:
        return end.search(line) is not None
    return number >= (last if text == "$" else int(text))


def _stepped(step: re.Match[str], old: Pattern | None, line: str, shown: list[str]) -> str | None:
    plain, add = step.group("plain"), step.group("add")
    if plain == "d":
        return None
    if plain == "q":
        raise _Quit
    if plain == "p":
        shown.append(line)
    elif add == "i":
        shown.append(step.group("text"))
    elif add == "c":
        return step.group("text")
    elif add == "a":
        shown.append(line)
        return step.group("text")
    elif old is not None:
        flags = step.group("flags")
        which = re.search(r"\d+", flags)
        if which and int(which.group()) > 1:
            raise re.error("only the first, or all")
        new, changed = old.replaced(step.group("new"), line, 0 if "g" in flags else 1)
        if changed and "p" in flags:
            shown.append(new)
        return new
    return line


# -- looking into texts ------------------------------------------------------------------------


def _grep(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("e", "m", "A", "B", "C", "f", "regexp", "include"))
    operands = list(found.operands)
    patterns = [*found.options.get("e", ()), *found.options.get("regexp", ())]
    if not patterns and operands:
        patterns = [operands.pop(0)]
    data = input_of(machine, call, operands)
    if operands and all(machine.file(name) is None for name in operands):
        return Result(1)
    text = machine.text(data, call.spot)
    if not is_known(text):
        return Result(None, NOT_KNOWN.by(call.spot))
    how = 0 if not found.has("i", "ignore-case", "y") else re.IGNORECASE
    try:
        if found.has("F", "fixed-strings") or call.name == "fgrep":
            wanted = [Pattern(re.escape(each), how) for each in patterns]
        elif found.has("E", "extended-regexp", "P", "perl-regexp") or call.name == "egrep":
            wanted = [Pattern(extended(each), how) for each in patterns]
        else:
            wanted = [Pattern(basic(each), how) for each in patterns]
        kept = _kept(text, wanted, inverted=found.has("v", "invert-match"), only=found.has("o"))
    except re.error:
        return Result(None, NOT_KNOWN.by(call.spot))
    status = int(not kept)
    if found.has("q", "quiet", "silent"):
        return Result(status)
    if found.has("c", "count"):
        return Result(status, Data(f"{len(kept)}\n", spots=(call.spot,)))
    return Result(status, Data("".join(f"{line}\n" for line in kept), spots=(call.spot,)))


def _kept(text: str, wanted: Sequence[Pattern], *, inverted: bool, only: bool) -> list[str]:
    kept = []
    for line in text.splitlines():
        hits = [hit for pattern in wanted if (hit := pattern.search(line))]
        if bool(hits) != inverted:
            kept.append(hits[0].group() if only and hits else line)
    return kept


def _tr(machine: Machine, call: Call) -> Result:
    text = machine.text(call.stdin, call.spot)
    found = said(call.args)
    if not is_known(text) or not found.operands:
        return Result(0, NOT_KNOWN.by(call.spot))
    sets = [list(characters(unescaped(each))) for each in found.operands]
    if found.has("d", "delete"):
        return _made("".join(char for char in text if char not in sets[0]), call)
    if len(sets) < 2:
        return _made(re.sub(f"([{re.escape(''.join(sets[0]))}])\\1+", r"\1", text), call)
    last = sets[1][-1:] or [""]
    table = dict(zip(sets[0], [*sets[1], *last * len(sets[0])], strict=False))
    return _made("".join(table.get(char, char) for char in text), call)


def _cut(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("d", "f", "c", "delimiter", "fields"))
    text = _text(machine, call, found.operands)
    if not is_known(text):
        return Result(0, NOT_KNOWN.by(call.spot))
    characters = found.value("c")
    sign = found.value("d", "delimiter") or "\t"
    done = []
    for line in text.splitlines():
        parts = list(line) if characters else line.split(sign)
        if not characters and len(parts) == 1:
            done.append(line)
            continue
        kept = _ranges(parts, characters or found.value("f", "fields"))
        done.append(("" if characters else sign).join(kept))
    return _made("".join(f"{line}\n" for line in done), call)


def _ranges(parts: Sequence[str], wanted: str) -> list[str]:
    kept: list[str] = []
    for each in wanted.split(","):
        first, dash, last = each.partition("-")
        begin = int(first) if first.isdigit() else 1
        end = int(last) if last.isdigit() else len(parts) if dash else begin
        kept += parts[begin - 1 : end]
    return kept


def _awk(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("F", "v", "f"))
    operands = list(found.operands)
    program = operands.pop(0).strip() if operands else ""
    text = _text(machine, call, operands)
    printed = re.fullmatch(
        r"(?:/((?:\\.|[^/\\])*)/|(?:NR\s*==\s*(\d+)))?\s*"
        r"\{\s*print\s+\$(\d+|NF)\s*;?\s*(?:exit)?\s*\}",
        program,
    )
    if not printed or not is_known(text):
        return Result(0, NOT_KNOWN.by(call.spot))
    sign = found.value("F") or None
    done = []
    for number, line in enumerate(text.splitlines(), 1):
        if printed.group(2) and number != int(printed.group(2)):
            continue
        try:
            if printed.group(1) is not None and not Pattern(extended(printed.group(1))).search(
                line
            ):
                continue
            parts = _split(line, sign)
        except re.error:
            return Result(0, NOT_KNOWN.by(call.spot))
        place = printed.group(3)
        at = len(parts) if place == "NF" else int(place)
        done.append(line if at == 0 else parts[at - 1] if at <= len(parts) else "")
    return _made("".join(f"{line}\n" for line in done), call)


def _split(line: str, sign: str | None) -> list[str]:
    """A line's fields; a sign of several characters is a set of them in brackets, or stands for
    itself."""
    if sign and (found := re.fullmatch(r"\[([^]^\\-]+)\](\+?)", sign)):
        return re.split(f"[{re.escape(found.group(1))}]{found.group(2)}", line)
    return line.split(sign)


def _head(machine: Machine, call: Call) -> Result:
    args = [re.sub(r"^-(\d+)$", r"-n\1", arg) for arg in call.args]
    found = said(args, ("n", "lines", "c"))
    text = _text(machine, call, found.operands)
    count = found.value("n", "lines") or "10"
    lines = text.splitlines(keepends=True)
    if not is_known(text) or not count.lstrip("+").isdigit():
        return Result(0, NOT_KNOWN.by(call.spot))
    if call.name == "head":
        return _made("".join(lines[: int(count)]), call)
    number = int(count.lstrip("+"))
    kept = lines[number - 1 :] if count.startswith("+") else lines[-number:] if number else []
    return _made("".join(kept), call)


def _sorted(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("k", "t"))
    text = _text(machine, call, found.operands)
    if not is_known(text) or found.has("k", "n", "V", "version-sort"):
        return Result(0, NOT_KNOWN.by(call.spot))
    lines = text.splitlines()
    if call.name == "sort":
        lines = sorted(set(lines) if found.has("u") else lines, reverse=found.has("r"))
    else:
        lines = [line for at, line in enumerate(lines) if not at or line != lines[at - 1]]
    return _made("".join(f"{line}\n" for line in lines), call)


def _basename(machine: Machine, call: Call) -> Result:
    if not call.args:
        return Result(1)
    head, _, tail = call.args[0].rstrip("/").rpartition("/")
    if call.name == "dirname":
        return _made((head or ("/" if call.args[0][:1] == "/" else ".")) + "\n", call)
    return _made(tail.removesuffix(call.args[1] if len(call.args) > 1 else "") + "\n", call)


def _xargs(machine: Machine, call: Call) -> Result:
    found = said(call.args, ("n", "I", "L", "P", "d"))
    text = machine.text(call.stdin, call.spot)
    if not is_known(text):
        what = f"runs {' '.join(found.operands)} with words that are not known"
        machine.tell(Effect("not-followed", call.spot, what, may_change=True))
        return Result(None, NOT_KNOWN.by(call.spot))
    return machine.call([*(found.operands or ["echo"]), *text.split()], NOTHING, call.spot)


COMMANDS: dict[str, Command] = {
    "echo": _echo, "printf": _printf, "cat": _cat, "tee": _tee, "sed": _sed, "grep": _grep,
    "egrep": _grep, "fgrep": _grep, "tr": _tr, "cut": _cut, "awk": _awk, "gawk": _awk, "mawk": _awk,
    "head": _head, "tail": _head, "sort": _sorted, "uniq": _sorted, "basename": _basename,
    "dirname": _basename, "xargs": _xargs,
}  # fmt: skip
