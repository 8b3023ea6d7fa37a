"""What `report.json` holds, as types.

The schema in docs/report.schema.json is made of them, and every report fits them.
"""

from __future__ import annotations

from typing import Annotated, Any

import msgspec
from msgspec import Meta

from cutkey.core.model.finding import Finding, Severity
from cutkey.core.model.printer import Printer

Millimetres = Annotated[float, Meta(description="mm")]
Place = tuple[float, float, float]


class PieceReport(msgspec.Struct, frozen=True):
    """A body of one filament."""

    name: str
    filament: str
    colour: Annotated[str, Meta(pattern="^#[0-9a-f]{6}$")]
    volume_mm3: float
    file: Annotated[str, Meta(description="its STL, from the folder of the report")]
    shape: Annotated[str, Meta(description="digest of its form, the same whichever way up it lies")]


class UnitReport(msgspec.Struct, frozen=True):
    """What lies on the bed as one: a section with its colours, or a loose key, inlay or spacer."""

    name: str
    key: bool
    copies: Annotated[int, Meta(ge=1)]
    size_mm: Place
    assembled_at_mm: Annotated[Place, Meta(description="where its lower corner is in the finished thing")]
    to_finished: Annotated[
        list[float],
        Meta(
            min_length=12,
            max_length=12,
            description=(
                "3 x 4, row by row: from points of its files to where they are in the finished thing, mm"
            ),
        ),
    ]
    down: Annotated[Place, Meta(description="out of the side that lies on the bed, in the finished thing")]
    lies: Annotated[str, Meta(description="the same in words")]
    pieces: list[PieceReport]


class KeyReport(msgspec.Struct, frozen=True):
    """A key of a joint."""

    kind: str
    size_mm: float
    depth_mm: float
    clearance_mm: Annotated[float, Meta(description="a side")]
    at_mm: Place


class JointReport(msgspec.Struct, frozen=True):
    """Two sections that meet at a cut."""

    cut: str
    axis: Annotated[str, Meta(pattern="^[xyz]$")]
    at_mm: float
    normal: Place
    sections: tuple[str, str]
    keys: list[KeyReport]
    glue_mm2: float
    note: str


class StepReport(msgspec.Struct, frozen=True):
    """A push of the assembly, in order."""

    push: list[str]
    to: list[str]
    way: Annotated[Place, Meta(description="unit vector")]


class ChangeReport(msgspec.Struct, frozen=True, rename={"before": "from", "after": "to"}):
    """Before a layer is printed the filament is changed."""

    load: int
    layer: int
    height_mm: float
    before: str
    after: str


class SpacerReport(msgspec.Struct, frozen=True):
    """A spacer of loose islands."""

    number: int
    islands: list[str]
    peg_mm: tuple[float, ...]


class BoughtReport(msgspec.Struct, frozen=True):
    """Something to buy."""

    name: str
    count: int


class AgainReport(msgspec.Struct, frozen=True):
    """Beside the kit before: pieces to be printed again, new, gone, and those that can stay."""

    changed: list[str]
    new: list[str]
    gone: list[str]
    same: list[str]
    text: str


#: A finding as its `row` has it: worded, and as the code and the arguments that were worded.
FindingReport = msgspec.defstruct(
    "FindingReport",
    [
        ("kind", str),
        ("severity", Severity),
        ("title", str),
        ("text", str),
        ("code", Annotated[str, Meta(description="what is said, in whatever language")]),
        ("args", Annotated[dict[str, Any], Meta(description="what is put into the words")]),
        *(
            (f.name, f.type, f.default)
            for f in msgspec.structs.fields(Finding)
            if f.default is not msgspec.NODEFAULT
        ),
    ],
    frozen=True,
)


class Report(msgspec.Struct, frozen=True):
    """A kit. Lengths are mm.

    Of a series, units are those of its first kit, and each has a report of its own.
    """

    made_by: str
    title: str
    printer: Printer
    design_volume_mm3: float
    piece_volume_mm3: float
    clearance_volume_mm3: float
    bed_loads: int
    units: list[UnitReport]
    joints: list[JointReport]
    assembly: list[StepReport]
    changes: list[ChangeReport]
    spacers: list[SpacerReport]
    to_buy: list[BoughtReport]
    findings: list[FindingReport]  # type: ignore[valid-type]
    files: Annotated[dict[str, str], Meta(description="digest (BLAKE2b, 160 bit) of every file of the kit")]
    left: Annotated[
        list[str], Meta(description="files of an earlier kit that were changed since, and stayed")
    ]
    again: AgainReport | None = None
    series: list[tuple[str, str]] = []  # values and folders


def schema() -> dict[str, Any]:
    """JSON schema of the report."""
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **msgspec.json.schema(Report)}
