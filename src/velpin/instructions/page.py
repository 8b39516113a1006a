"""A page as people copy it: shell lines, and what stands loose between them."""

from __future__ import annotations

import html
import re
from dataclasses import dataclass, field
from html.parser import HTMLParser

from velpin.errors import HostFileError
from velpin.instructions.continued import Continued

MOST_TEXT = 1 << 20
"""Characters of one text of instructions."""
MOST_LINES = 20_000
_MOST_OF_ONE = 400
"""Lines of one command, with its texts."""
_MOST_LOOKED_AT = 4 << 20
"""Characters that are looked at to find where commands end."""
_LONGEST_SEEN = 2000
"""Characters by which a line is told to be a command."""

_TYPOGRAPHY = str.maketrans({
    "\u201c": '"', "\u201d": '"', "\u201e": '"', "\u201f": '"', "\u00ab": '"', "\u00bb": '"',
    "\u2018": "'", "\u2019": "'", "\u201a": "'", "\u2032": "'", "\u00a0": " ", "\u2007": " ",
    "\u202f": " ", "\u2009": " ", "\u200a": " ", "\u3000": " ", "\u2003": " ", "\u2002": " ",
    "\u200b": None, "\u200c": None, "\u200d": None, "\u2060": None, "\ufeff": None, "\u00ad": None,
    "\uf8ff": None,
})  # fmt: skip
_LONG_DASH = re.compile(r"(?<=\s)[\u2013\u2014\u2212](?=[A-Za-z]{2})")
_SHORT_DASH = re.compile(r"(?<=\s)[\u2013\u2014\u2212](?=[A-Za-z](?![A-Za-z]))")
_ENTITY = re.compile(r"&(?:quot|gt|lt|amp|apos|nbsp|#\d{1,5}|#x[0-9A-Fa-f]{1,4});")
_TAG = re.compile(
    r"</?(?:pre|code|html|body|div|span|p|br|li|ol|ul|h[1-6])\b[^>\n]*>", re.IGNORECASE
)
_PLACEHOLDER = re.compile(
    r"[<{\[]{1,2}\s*((?:your[-_ ]?)?(?:release|codename|distribution|distro|suite|version|arch)"
    r"(?:[-_ ]?(?:name|codename))?)\s*[>}\]]{1,2}", re.IGNORECASE,
)  # fmt: skip

_WORDS = frozenset([
    "sudo", "doas", "su", "curl", "wget", "gpg", "gpg2", "apt-key", "apt", "apt-get",
    "aptitude", "add-apt-repository", "dpkg", "apt-mark", "apt-cache", "debconf-set-selections",
    "dnf", "dnf4", "dnf5", "yum", "microdnf", "yum-config-manager", "rpm", "rpmkeys", "zypper",
    "pacman", "pacman-key", "tee", "printf", "echo", "sed", "awk", "mkdir", "chmod", "chown",
    "rm", "cp", "mv", "ln", "touch", "cat", "install", "bash", "sh", "dash", "zsh", "env",
    "eval", "exec", "export", "set", "unset", "source", ".", "test", "[", "[[", "command",
    "umask", "cd", "pushd", "popd", "trap", "exit", "return", "readonly", "local", "declare",
    "shift", "true", "false", ":", "if", "then", "else", "elif", "fi", "for", "while", "until",
    "do", "done", "case", "esac", "function", "{", "}", "(", "lsb_release", "uname",
    "systemctl", "service", "update-ca-certificates", "keyctl", "snap", "pip",
    "subscription-manager", "crb", "update-alternatives", "useradd", "usermod", "groupadd",
    "ca-certificates", "gunzip", "tar", "unzip", "base64", "openssl", "sha256sum", "md5sum",
    "grep", "tr", "cut", "head", "tail", "sort", "date", "hostnamectl", "ufw", "firewall-cmd",
    "modprobe", "sysctl", "ldconfig", "restorecon", "setsebool", "yes", "fetch", "http", "git",
    "make", "cmake", "npm", "go", "cargo", "docker", "flatpak",
    "python", "python3", "perl",
])  # fmt: skip
_ENGLISH = frozenset([
    "if", "for", "while", "until", "case", "then", "do", "done", "else", "set", "install",
    "source", "test", "export", "time", "cat", "date", "which", "type", "touch", "exit",
    "return", "make", "at", "find", "sort", "cut", "head", "tail", "command", "function",
    "service", "fetch", "read", "local", "shift", "true", "false", "yes", "exec", "trap",
    "declare", "python", "perl",
])  # fmt: skip
"""Of these many a sentence begins with: they need some sign of the shell behind them."""
_SIGN = re.compile(r"[$;|<>=\"'`&]|(?:^|\s)--?[A-Za-z]|/\w|\)\s*$|\{\s*$|\\$")
_LIKE_COMMAND = re.compile(
    r"[a-z][a-z0-9_.+-]*\s(?:.*\s)?(?:&&|\|\||\||>>?|--?[a-z][\w-]*)(?:\s|=|$)"
)
"""A command that is not known by its name."""
_ASSIGNED = re.compile(r"[A-Za-z_]\w*\+?=(?!=)(?:\S|$)")
_FUNCTION = re.compile(r"[A-Za-z_][\w-]*\s*\(\)\s*(?:\{|$)")
_PROMPT = re.compile(
    r"\s*(?:[\w.-]+:[~/]\S*\s*[$#>]|\[?[\w.-]+@[\w.-]+(?::|\s)?[^\s$#\]>]*\]?\s?[$#>]|[A-Za-z]*[$%\u276f]|>{1,3})\s+(?=\S)"
)
_ROOT_PROMPT = re.compile(r"\s*#\s+(?=\S)")
_NUMBER = re.compile(r"\s*(?:\d{1,3}[.:)]?|[-*\u2022])\s+(?=\S)")
_LEAD = re.compile(r"[A-Z][^:$'\"`|<>]{0,80}:\s+(?=\S)")
_HEAD = re.compile(r"\s*\[[^]\s]+\]\s*$")
_VALUE = re.compile(r"\s*(?:[#;]|[\w.]+\s*=|$)")
_INLINE = re.compile(r"`((?:sudo|curl|wget|dnf|yum|apt|apt-get|zypper|pacman|rpm) [^`]+)`")
_FENCE = re.compile(r"\s*(?:```|~~~)\w*\s*$")


@dataclass(frozen=True, slots=True)
class Line:
    """One line of a text and its number there."""

    number: int
    text: str


@dataclass(slots=True)
class Page:
    """A text of instructions, taken apart."""

    commands: list[str] = field(default_factory=list)
    """The text's lines; empty where one holds no command, so that numbers stay."""
    numbers: list[int] = field(default_factory=list)
    """The number that each line of `commands` has in the text that was given."""
    loose: list[Line] = field(default_factory=list)
    """What stands between the commands."""

    is_changed: bool = False
    """Whether markup or typography was taken out of it."""

    @property
    def shell(self) -> str:
        """All commands as one shell text."""
        return "\n".join(self.commands) + "\n"

    @property
    def is_shell(self) -> bool:
        """Whether there is any command in it."""
        return any(self.commands)


def is_script(text: str) -> bool:
    """Whether a text is a script as a whole, by its first line."""
    return re.match(r"\ufeff?\s*#!\s*\S*/(?:env\s+)?(?:ba|da|z|k)?sh\b", text) is not None


def read_page(text: str, name: str) -> Page:
    """Take a text apart; HostFileError for one without end."""
    if len(text) > MOST_TEXT:
        line = text.count("\n", 0, MOST_TEXT) + 1
        raise HostFileError(name, line, f"goes on for more than {MOST_TEXT >> 20} MB")
    if text.count("\n") > MOST_LINES:
        raise HostFileError(name, MOST_LINES, f"goes on for more than {MOST_LINES} lines")
    if is_script(text):
        lines = text.replace("\r\n", "\n").translate({0xF8FF: None}).split("\n")
        return Page(lines, list(range(1, len(lines) + 1)))
    cleaned = _cleaned(text)
    page = _Sorter(cleaned, name).page()
    plain = text.replace("\r\n", "\n").replace("\r", "\n")
    page.is_changed = [line.text for line in cleaned] != plain.split("\n")
    return page


def _cleaned(text: str) -> list[Line]:
    text = text.replace("\r\n", "\n").replace("\r", "\n")
    lines = _without_tags(text) if _TAG.search(text) else [
        Line(number, line) for number, line in enumerate(text.split("\n"), 1)
    ]  # fmt: skip
    found = []
    for line in lines:
        plain = html.unescape(line.text) if _ENTITY.search(line.text) else line.text
        plain = _SHORT_DASH.sub("-", _LONG_DASH.sub("--", plain.translate(_TYPOGRAPHY)))
        found.append(Line(line.number, _PLACEHOLDER.sub(_as_word, plain)))
    return found


def _as_word(found: re.Match[str]) -> str:
    return re.sub(r"[^A-Z]", "_", found.group(1).upper())


class _Text(HTMLParser):
    """The text of a page's markup, each line with its number."""

    def __init__(self) -> None:
        super().__init__(convert_charrefs=True)
        self.lines = [Line(1, "")]
        self._silent = self._kept = 0

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self._silent += tag in ("script", "style")
        self._kept += tag == "pre"
        if tag == "code" and not self._kept:
            self.lines[-1] = Line(self.lines[-1].number, self.lines[-1].text + "`")
        if tag in ("br", "pre", "p", "div", "li", "tr", "h1", "h2", "h3", "h4"):
            self._break()

    def handle_endtag(self, tag: str) -> None:
        if tag in ("script", "style") and self._silent:
            self._silent -= 1
        if tag == "code" and not self._kept:
            self.lines[-1] = Line(self.lines[-1].number, self.lines[-1].text + "`")
        if tag == "pre" and self._kept:
            self._kept -= 1
        if tag in ("pre", "p", "div", "li", "tr", "h1", "h2", "h3", "h4"):
            self._break()

    def handle_data(self, data: str) -> None:
        if self._silent:
            return
        first = self.getpos()[0]
        for at, part in enumerate(data.split("\n")):
            if at:
                self.lines.append(Line(first + at, part))
            else:
                last = self.lines[-1]
                self.lines[-1] = Line(last.number if last.text else first, last.text + part)

    def _break(self) -> None:
        if self.lines[-1].text:
            self.lines.append(Line(self.getpos()[0], ""))


def _without_tags(text: str) -> list[Line]:
    parser = _Text()
    parser.feed(text)
    parser.close()
    return parser.lines


def begins_command(text: str) -> bool:
    """Whether a line begins as a command does, and not as a sentence."""
    text = text.strip()[:_LONGEST_SEEN].lstrip("(").lstrip()
    word = re.split(r"[\s;|&<>]", text, maxsplit=1)[0] if text else ""
    if _ASSIGNED.match(text) or _FUNCTION.match(text):
        return True
    if word.startswith(("./", "/usr/", "/bin/", "/etc/", "/opt/", "$(", '"$', "${")):
        return len(text) > len(word) or word.startswith("./")
    if word.rstrip("()") not in _WORDS and word not in _WORDS:
        return _LIKE_COMMAND.match(text) is not None
    rest = text[len(word) :]
    if word in _ENGLISH:
        return (word in ("then", "fi", "do", "done", "else", "esac") and not rest) or bool(
            _SIGN.search(rest)
        )
    return bool(rest) or word in ("fi", "esac", "{", "}", "dnf", "bash", "sh")


class _Sorter:
    """Tells commands from what is said between them."""

    def __init__(self, lines: list[Line], name: str) -> None:
        self._lines, self._name = lines, name
        self._looked_at = 0
        bare = [line for line in lines if begins_command(line.text)]
        prompted = any(self._behind(_PROMPT, line.text) for line in lines)
        self._hash_is_prompt = prompted or not bare
        self._page = Page()
        defined = (
            re.match(r"\s*(?:function\s+)?([A-Za-z_][\w-]*)\s*\(\)", line.text) for line in lines
        )
        self._functions = {found.group(1) for found in defined if found}

    @staticmethod
    def _behind(pattern: re.Pattern[str], text: str) -> str:
        """A command behind something that is no part of it; empty where there is none."""
        found = pattern.match(text)
        rest = text[found.end() :] if found else ""
        return rest if begins_command(rest) else ""

    def page(self) -> Page:
        """Every line, as a command or as loose; HostFileError for a text of one without end."""
        at, in_section, in_key, is_apart = 0, False, False, False
        while at < len(self._lines):
            line = self._lines[at]
            in_section = bool(_HEAD.match(line.text)) or (
                in_section
                and bool(_VALUE.match(line.text))
                and not (is_apart and self._behind(_ROOT_PROMPT, line.text))
            )
            is_apart = not line.text.strip()
            in_key = in_key or "-----BEGIN PGP" in line.text
            command = "" if in_section or in_key else self._command(line.text)
            in_key = in_key and "-----END PGP" not in line.text
            if not command:
                self._loose(line)
                at += 1
                continue
            texts = self._whole(command, self._lines[at + 1 : at + 1 + _MOST_OF_ONE])
            for offset, text in enumerate(texts):
                self._take(self._lines[at + offset].number, text)
            at += len(texts)
        return self._page

    def _whole(self, command: str, following: list[Line]) -> list[str]:
        """The lines of one command; its first alone where the rest does not end it."""
        texts, state = [command], Continued()
        state.read(command)
        for line in following:
            if not state.is_open:
                return texts
            text = line.text
            if not state.is_in_text:
                text = re.sub(r"^\s*>\s+", "", text)
            texts.append(text)
            state.read(text)
            self._looked_at += len(text)
            if self._looked_at > _MOST_LOOKED_AT:
                raise HostFileError(self._name, line.number, "cannot be told apart into commands")
        if not state.is_open:
            return texts
        if state.is_in_document:
            first = following[0].number - 1 if following else self._lines[-1].number
            raise HostFileError(self._name, first, "a text begins here that does not end")
        return [command]

    def _command(self, text: str) -> str:
        if _FENCE.match(text):
            return ""
        if begins_command(text) or re.split(r"[\s;]", text.strip())[0] in self._functions:
            return text.strip()
        behind = self._behind(_PROMPT, text)
        if behind:
            return behind
        if self._hash_is_prompt and (behind := self._behind(_ROOT_PROMPT, text)):
            return behind
        numbered = _NUMBER.match(text)
        if numbered:
            return self._command(text[numbered.end() :])
        lead = _LEAD.match(text)
        if lead and begins_command(text[lead.end() :]) and " " in text[lead.end() :]:
            return text[lead.end() :]
        quoted = [each for each in _INLINE.findall(text) if begins_command(each)]
        return "; ".join(quoted)

    def _take(self, number: int, text: str) -> None:
        self._page.commands.append(text.rstrip() if not text.endswith("\\ ") else text[:-1])
        self._page.numbers.append(number)

    def _loose(self, line: Line) -> None:
        self._page.commands.append("")
        self._page.numbers.append(line.number)
        self._page.loose.append(line)


# -- what needs no reading of instructions -----------------------------------------------------

_KEY_BEGINS = "-----BEGIN PGP PUBLIC KEY BLOCK-----"
_KEY_ENDS = "-----END PGP PUBLIC KEY BLOCK-----"
_DEB_SUITE = re.compile(r"\s*deb(?:-src)?\s+(?:\[[^]]*\]\s+)?\S+\s+(\S+)")
FILLED_IN = re.compile(
    r"[<{\[(]*(?:YOUR[-_ ])?(?:RELEASE|CODENAME|DISTRO|DISTRIBUTION|SUITE|VERSION_CODENAME)"
    r"(?:[-_ ]?(?:NAME|CODENAME))?[>}\])]*\Z"
)
"""A word in the place of a release, for a person to fill in."""
KEY_ADDRESS = re.compile(
    r"https?://[^\s'\"<>)]+?(?:\.asc|\.gpg|\.key|\.pub|/key|/gpgkey|KEY[\w.-]*)(?=[\s'\"<>),;]|\.?(?:\s|$))"
)


def written_out(page: Page) -> list[list[Line]]:
    """The lines of each armoured key that stands loose in a text, and not as a source's own
    field."""
    found: list[list[Line]] = []
    block: list[Line] | None = None
    before = ""
    for line in page.loose:
        text = line.text.strip()
        if text == _KEY_BEGINS:
            block = None if before.lower().startswith("signed-by:") else []
        if block is not None:
            block.append(line)
            if text == _KEY_ENDS:
                found.append(block)
                block = None
        before = text or before
    return found


def is_plain(text: str, name: str = "") -> bool:
    """Whether a text is a source's own words and no more: no command, no markup, nothing to fill
    in, no key named beside it."""
    page = read_page(text, name)
    if page.is_shell or page.is_changed or written_out(page):
        return False
    return not any(
        ((suite := _DEB_SUITE.match(line.text)) and FILLED_IN.match(suite.group(1)))
        or (
            KEY_ADDRESS.search(line.text[:_LONGEST_SEEN])
            and not re.match(r"\s*[\w.-]+\s*[=:]", line.text)
        )
        for line in page.loose
    )
