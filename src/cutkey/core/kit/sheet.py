"""The assembly sheet: which section goes where, level by level.

What is in the kit, and in which order it goes together.
"""

from __future__ import annotations

import io
from collections.abc import Sequence

import shapely
from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas

from cutkey.core.geometry.areas import intersection, union
from cutkey.core.kit.contents import KitContents
from cutkey.core.kit.readme import order_of
from cutkey.core.kit.sheet_pages import beds_pages, parts_pages, steps_pages
from cutkey.core.kit.sheet_views import apart_page, joints_pages, title_page
from cutkey.core.paper.pdf import (
    GREY,
    INK,
    MM,
    Flow,
    begin_sheet,
    fitted,
    head,
    outline_path,
    width_of,
    write,
)
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.split.cutting import Section
from cutkey.core.split.joint import Joint
from cutkey.core.split.proofs.order import Assembly
from cutkey.core.units import format_size

RED, BLUE, PAPER, PALE = (HexColor(c) for c in ("#B5123E", "#2B4FB8", "#EFECE4", "#C9C6BD"))
#: Sections that cover this share of the smaller one of two, seen from above, lie over one another.
_OVER = 0.05


def sheet_pdf(kit: KitContents, notes: Sequence[str] = (), changes: Sequence[str] = ()) -> bytes:
    """PDF, landscape: the finished thing, everything pulled apart, and all of its pages.

    A plan of every level, parts, beds, steps and joints.

    Parameters
    ----------
    kit : KitContents
    notes : sequence of str
        What else is to be known, such as what was mended.
    changes : sequence of str
        Of filament, by height, a line each.
    """
    title, sections = kit.title, kit.sections
    outlines = {s.name: s.outline() for s in sections}
    levels = _levels(sections, outlines)
    bounds = union(list(outlines.values())).bounds
    buffer = io.BytesIO()
    line = "Seen from above; red: cuts, blue: keys"
    page, w, h = begin_sheet(buffer, f"{title}: assembly sheet", title, "Assembly sheet", kit.paper)
    title_page(page, kit, notes, changes)
    if kit.assembly.steps:
        apart_page(page, kit)
    beside = 100 * MM if len(levels) == 1 else 28 * MM
    for n, level in enumerate(levels):
        page.showPage()
        head(page, title, f"{line}{_of(levels, n)}")
        _plan(
            page, sections, outlines, level, kit.joints, (14 * MM, 14 * MM, w - beside, h - 42 * MM), bounds
        )
    if len(levels) > 1:
        flow = Flow.on_new_page(page, title, "Assembly sheet: lists")
    else:
        flow = Flow(page, w - 80 * MM, h - 17 * MM + 8, 70 * MM, title, "Assembly sheet, continued")
    _list(flow, kit.units, kit.joints)
    _stuck(flow, sections, kit.assembly)
    parts_pages(page, title, kit.units, kit.spots, order_of(kit.units, sections, kit.assembly))
    beds_pages(page, title, kit.units, kit.spots, kit.printer)
    if kit.assembly.steps:
        steps_pages(page, title, sections, outlines, kit.assembly)
    joints_pages(page, kit)
    page.showPage()
    page.save()
    return buffer.getvalue()


def _of(levels: Sequence[Sequence[int]], n: int) -> str:
    return f". Level {n + 1} of {len(levels)}, from below" if len(levels) > 1 else ""


def _levels(sections: Sequence[Section], outlines: dict[str, shapely.Geometry]) -> list[list[int]]:
    """Sections in levels, from below, so that within one none hides another."""
    middles = [float(sum(b[2] for b in s.bounds())) / 2 for s in sections]
    order = sorted(
        (n for n, s in enumerate(sections) if s.name in outlines), key=lambda n: round(middles[n], 2)
    )
    levels: list[list[int]] = []
    for n in order:
        mine = outlines[sections[n].name]
        # It lies over everything below that it covers: one level above the highest of these.
        above = 0
        for k, level in enumerate(levels):
            if any(_covers(mine, outlines[sections[m].name]) for m in level):
                above = k + 1
        if above == len(levels):
            levels.append([])
        levels[above].append(n)
    return levels or [[]]


def _covers(a: shapely.Geometry, b: shapely.Geometry) -> bool:
    if not shapely.intersects(a, b):
        return False
    return bool(float(intersection(a, b).area) > _OVER * min(a.area, b.area))


def _plan(
    page: Canvas,
    sections: Sequence[Section],
    outlines: dict[str, shapely.Geometry],
    level: Sequence[int],
    joints: Sequence[Joint],
    box: tuple[float, float, float, float],
    bounds: tuple[float, float, float, float],
) -> None:
    at, scale = fitted(box, bounds)
    page.setLineWidth(0.4)
    page.setStrokeColor(PALE)
    for name, outline in outlines.items():
        if name not in {sections[n].name for n in level}:
            page.drawPath(outline_path(page, outline, at), fill=0, stroke=1)
    # All areas before all lines: an area would cover half of its neighbour's line.
    for fill, stroke in ((1, 0), (0, 1)):
        page.setFillColor(PAPER)
        page.setStrokeColor(RED)
        page.setLineWidth(0.8)
        for n in level:
            page.drawPath(
                outline_path(page, outlines[sections[n].name], at), fill=fill, stroke=stroke, fillMode=0
            )
    page.setFillColor(BLUE)
    for joint in joints:
        if set(joint.numbers) & set(level):
            for key in joint.keys:
                page.circle(*at(key.centre[0], key.centre[1]), 2.2, stroke=0, fill=1)
    for n in level:
        name, outline = sections[n].name, outlines[sections[n].name]
        # In the middle of its widest place, as large as there is room.
        circle = shapely.maximum_inscribed_circle(outline, tolerance=max(0.1, (bounds[2] - bounds[0]) / 500))
        x, y = at(*circle.coords[0])
        size = max(5.0, min(16.0, 2.4 * float(circle.length) * scale / max(1, len(name))))
        if width_of(name, size, True) > 0:
            write(page, x, y - 0.35 * size, name, size, True, align="middle")


def _list(flow: Flow, units: Sequence[PrintUnit], joints: Sequence[Joint]) -> None:
    flow.title("In this kit")
    for unit in units:
        name = f"{unit.copies} × {unit.name}" if unit.copies > 1 else unit.name
        pieces = unit.pieces if not unit.is_key else []
        flow.line(f"{name}: {format_size(unit.size)} mm", keep=10.0 * min(len(pieces), 4))
        for piece in pieces:
            flow.line(piece.filament.name, GREY, swatch=piece.filament.colour)
    if joints:
        flow.title("Joints")
    for joint in sorted(joints, key=lambda j: (len(j.letter), j.letter, j.name)):
        counted: dict[str, int] = {}
        for key in joint.keys:
            counted[key.form.described()] = counted.get(key.form.described(), 0) + 1
        keys = ", ".join(f"{n} × {what}" for what, n in sorted(counted.items())) or "glue only"
        flow.line(
            f"{joint.letter}–{joint.letter}  {joint.name}: {keys}, {joint.glue_area:.0f} mm² to glue", INK
        )


def _stuck(flow: Flow, sections: Sequence[Section], assembly: Assembly) -> None:
    """What cannot be put together."""
    for stuck in assembly.stuck:
        flow.line(
            f"No way was found to push together {', '.join(sections[k].name for k in stuck)}: {assembly.why}"
        )
