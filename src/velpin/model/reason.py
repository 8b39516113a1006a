"""Causes as data: each has a class that declares its code, its facts and its sentence.

    class NoVersion(Reason):
        says = "{name} is not available in version {version}"
        name: str
        version: str

The code is the name of the class in lower case (`no-version`). A type checker holds each place
that gives a reason against its declaration.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from typing import Annotated, ClassVar, Literal, NamedTuple, NoReturn, Self, dataclass_transform

from velpin.model.shell import shell_word


class Place(NamedTuple):
    """Where something stands: a file under the root (no leading slash) and a 1-based line."""

    file: str
    line: int

    def __str__(self) -> str:
        return f"{self.file}:{self.line}" if self.line else self.file


NoteCode = Literal["", "refused", "listed-twice", "for-people"]
"""What a note is: one that the installer refuses everything for, one of something that stands
twice, one that only tells how a file is kept; else something that is ignored."""


class Note(NamedTuple):
    """Something found while reading that does not stop the work."""

    place: Place
    text: str
    code: NoteCode = ""


Fact = str | int | Place | tuple[str, ...]
"""One fact of a reason."""

_WORDS = re.compile(r"(?<=[a-z])(?=[A-Z])|(?<=[A-Z])(?=[A-Z][a-z])")
_MOST_NAMED = 6
"""How many names one sentence lists."""


@dataclass_transform(kw_only_default=True, frozen_default=True)
class _Declared:
    """What makes the annotations of a class the named arguments of its constructor."""

    def __init__(self, **facts: object) -> None:
        self.__dict__.update(facts)


class Reason(_Declared):
    """One cause of a decision."""

    code: ClassVar[str] = ""
    """Stable; what others may rely on."""
    says: ClassVar[str] = ""
    """The sentence, with `{fact}` where a fact stands, `{fact:word}` where it is one word of a
    command."""
    because: tuple[Reason, ...] = ()
    """The causes of this one."""

    def __init_subclass__(cls) -> None:
        super().__init_subclass__()
        cls.code = _WORDS.sub("-", cls.__name__).lower()

    @property
    def text(self) -> str:
        """The sentence."""
        return self.says.format_map(_Wording(self))

    @property
    def facts(self) -> Mapping[str, Fact]:
        """What it tells, by name; a fact that is a reason itself brings its own facts."""
        return dict(self._facts())

    def _facts(self) -> Iterator[tuple[str, Fact]]:
        for name, value in self.__dict__.items():
            if name == "because":
                continue
            if isinstance(value, Reason):
                yield from value._facts()
                yield name, value.code
            else:
                yield name, value

    def with_causes(self, because: Sequence[Reason]) -> Self:
        """The same with its causes."""
        return type(self)(**{**self.__dict__, "because": tuple(because)})

    def __eq__(self, other: object) -> bool:
        return type(self) is type(other) and self.__dict__ == other.__dict__

    def __hash__(self) -> int:
        return hash((type(self), *self.__dict__.items()))

    def __repr__(self) -> str:
        told = ", ".join(f"{name}={value!r}" for name, value in self.__dict__.items())
        return f"{type(self).__name__}({told})"

    def __setattr__(self, name: str, value: object) -> NoReturn:
        raise AttributeError(f"{name}: a reason does not change")


class FromSource(Reason):
    """A reason that may tell from which source something comes."""

    source: str = ""

    @property
    def from_source(self) -> str:
        """The source for the end of a sentence; empty if there is none."""
        return f" from {self.source}" if self.source else ""


def place_of(reason: Reason) -> Place | None:
    """Return where in the host's files the rule stands that a reason is about."""
    found = reason.facts.get("place")
    return found if isinstance(found, Place) else None


class _Wording:
    """The facts of a reason as they stand in its sentence."""

    def __init__(self, reason: Reason) -> None:
        self._reason = reason

    def __getitem__(self, name: str) -> object:
        value = getattr(self._reason, name)
        if isinstance(value, str):
            return _Word(value)
        if isinstance(value, Place):
            return str(value)
        return listed(value) if isinstance(value, tuple) else value


class _Word(str):
    """A fact in a sentence; as `{fact:word}` it is one word of a command, quoted for the shell."""

    def __format__(self, spec: str) -> str:
        return shell_word(self) if spec == "word" else super().__format__(spec)


def listed(names: Sequence[str]) -> str:
    """Names in a sentence: those that matter, which stand first, and how many more there are."""
    if len(names) <= _MOST_NAMED + 1:
        return ", ".join(names)
    return f"{', '.join(names[:_MOST_NAMED])} and {len(names) - _MOST_NAMED} more"


AsText = Literal["as text"]
"""Mark of a reason whose JSON is its sentence alone."""
Inline = Literal["inline"]
"""Mark of a value whose fields stand, in JSON, among those of the value it belongs to."""
Sentence = Annotated[Reason, AsText]
