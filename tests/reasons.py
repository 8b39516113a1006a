"""Every reason there is, and one of each with made-up facts."""

from __future__ import annotations

import typing
from collections.abc import Iterator
from importlib import import_module
from pathlib import Path

import velpin
from velpin.model.reason import Place, Reason

SOURCE = Path(velpin.__file__).parent
for declared in (*SOURCE.rglob("*reasons.py"), SOURCE / "model/findings.py"):
    import_module(".".join(declared.relative_to(SOURCE.parent).with_suffix("").parts))


def kinds_of(kind: type[Reason]) -> Iterator[type[Reason]]:
    """All classes below one."""
    for each in kind.__subclasses__():
        yield each
        yield from kinds_of(each)


ALL_REASONS = sorted(
    {kind for kind in kinds_of(Reason) if kind.says and kind.__module__.startswith("velpin.")},
    key=lambda kind: (kind.code, kind.__module__),
)
SAMPLES = {str: "X", int: 7, Place: Place("etc/x", 3), tuple[str, ...]: ("a", "b")}


def sample_of(kind: type[Reason]) -> Reason:
    """A reason of a kind with a value for each fact."""
    facts: dict[str, object] = {}
    for name, hint in typing.get_type_hints(kind).items():
        if typing.get_origin(hint) is typing.ClassVar or name == "because":
            continue
        if isinstance(hint, type) and issubclass(hint, Reason):
            facts[name] = sample_of(next(kinds_of(hint)))
            continue
        known = [SAMPLES[each] for each in (hint, *typing.get_args(hint)) if each in SAMPLES]
        facts[name] = known[0]
    return kind(**facts)
