"""Tables of a host file as text."""

from __future__ import annotations

from typing import Any

from velpin.model.safe_text import without_passwords

_LONG = 80
"""A list of texts stands in one line if it has fewer characters."""


def table_text(name: str, fields: dict[str, Any]) -> str:
    """One table of the file, with what it is for in one line."""
    import tomli_w

    lines = ["", f"[[{name}]]"]
    for key, value in fields.items():
        if isinstance(value, dict):
            inner = (tomli_w.dumps({each: text}).strip() for each, text in value.items())
            lines.append(f"{key} = {{ {', '.join(inner)} }}")
        elif isinstance(value, list) and sum(len(each) + 4 for each in value) < _LONG:
            inner = (tomli_w.dumps({"": each}).partition(" = ")[2].strip() for each in value)
            lines.append(f"{key} = [{', '.join(inner)}]")
        else:
            lines.append(tomli_w.dumps({key: value}, multiline_strings=True).rstrip("\n"))
    return without_passwords("\n".join(lines)) + "\n"
