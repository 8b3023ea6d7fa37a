"""Writes the tables of kinds into docs/job-format.md, from the kinds themselves: `python
tools/kinds_table.py`."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import msgspec

from cutkey.core.addons import all_features
from cutkey.core.bodies import all_bodies
from cutkey.core.fields import fields_of
from cutkey.core.steps import all_steps

PAGE = Path(__file__).parent.parent / "docs/job-format.md"
BEGIN, END = "<!-- kinds -->\n", "<!-- end of kinds -->\n"
FAMILIES = (
    ("Made bodies", all_bodies()),
    ("Add-ons (`feature`)", all_features()),
    ("Preparation steps (`trace.steps`)", all_steps()),
)


def tables() -> str:
    """A table for each family: a row for each field of each kind."""
    out = []
    for title, kinds in FAMILIES:
        out += [
            f"### {title}",
            "",
            "| `type` | field | start | least | most | what it is |",
            "|---|---|---|---|---|---|",
        ]
        for kind in kinds:
            said = {f.name: f for f in fields_of(kind)}
            rows = [f for f in msgspec.structs.fields(kind) if f.name != "on"]
            for n, field in enumerate(rows):
                one = said.get(field.name)
                first = f"`{kind.__struct_config__.tag}`" if n == 0 else ""
                least, most = (
                    (f"{v:g}" if v is not None else "" for v in (one.least, one.most)) if one else ("", "")
                )
                what = (
                    "; ".join(t for t in (one.title, one.tip, ", ".join(k for k, _ in one.choices)) if t)
                    if one
                    else ""
                )
                out.append(
                    f"| {first} | `{field.name}` | {_start(field.default)} | {least} | {most} | {what} |"
                )
            if not rows:
                out.append(
                    f"| `{kind.__struct_config__.tag}` | | | | | {(kind.__doc__ or '').splitlines()[0]} |"
                )
        out.append("")
    return "\n".join(out) + "\n"


def _start(value: Any) -> str:
    if value is msgspec.NODEFAULT:
        return "needed"
    return (
        f"`{value}`"
        if isinstance(value, str | bool)
        else f"{value:g}"
        if isinstance(value, float | int)
        else "none"
    )


def page(text: str) -> str:
    """The page with its tables as they are now."""
    head, rest = text.split(BEGIN)
    return head + BEGIN + "\n" + tables() + END + rest.split(END)[1]


if __name__ == "__main__":
    PAGE.write_text(page(PAGE.read_text(encoding="utf-8")), encoding="utf-8")
