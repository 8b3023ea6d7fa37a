"""Pages of the assembly sheet that show the thing as it is seen.

The title, everything pulled apart, joints at 1:1.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NamedTuple

import cv2
import numpy as np
import shapely
from reportlab.lib.colors import HexColor
from reportlab.pdfgen.canvas import Canvas

from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.kit.contents import KitContents
from cutkey.core.kit.pictures import AT_AN_ANGLE, Picture, picture_of
from cutkey.core.paper.pdf import (
    GREY,
    INK,
    MM,
    Flow,
    head,
    outline_path,
    put_picture,
    size_of,
    width_of,
    wrapped,
    write,
)
from cutkey.core.split.joint import Joint
from cutkey.core.split.proofs.order import shifts_apart
from cutkey.core.split.setting.forms import cross_section, footprint
from cutkey.core.split.setting.keying import solids_in_place
from cutkey.core.units import format_mm, format_size

BLUE, BOUGHT = HexColor("#2B4FB8"), "#9aa0a3"
_LOOSE = "#2b4fb8"
#: Pixels of a picture to a point.
_FINE = 1.6
#: What a step brings together is drawn this share of the whole apart, within so many mm.
_APART, _NEAR, _FAR = 0.14, 10.0, 70.0
#: This share of a page is much for one face.
_MUCH = 0.3
#: Room between drawings at 1:1, and of the words under each, points.
_ROOM, _WORDS = 7 * MM, 30.0


class _Scene(NamedTuple):
    bodies: list[tuple[Mesh, str]]
    sections: list[int]  # section of each body, -1 for a key


def title_page(page: Canvas, kit: KitContents, notes: Sequence[str], changes: Sequence[str]) -> None:
    """The finished thing, and what there is to know before one begins.

    Parameters
    ----------
    page : Canvas
    kit : KitContents
    notes : sequence of str
        What else is to be known.
    changes : sequence of str
        Of filament, by height, a line each.
    """
    w, h = size_of(page)
    _draw(page, _scene(kit, 0.0), (14 * MM, 14 * MM, w - 104 * MM, h - 42 * MM), kit)
    flow = Flow(page, w - 84 * MM, h - 17 * MM + 8, 72 * MM, kit.title, "Assembly sheet, continued")
    low = np.min([s.bounds()[0] for s in kit.sections], axis=0)
    high = np.max([s.bounds()[1] for s in kit.sections], axis=0)
    x, y, z = (float(v) for v in high - low)
    loads = 1 + max((s.load for s in kit.spots), default=-1)
    flow.title("The finished thing")
    count = len(kit.sections)
    flow.line(
        f"{format_size((x, y, z), 1)} mm, {count} section{'s' if count > 1 else ''}, {loads} bed"
        f" load{'s' if loads > 1 else ''}"
    )
    flow.title("Filaments")
    grams: dict[tuple[str, str], float] = {}
    for unit in kit.units:
        for p in unit.pieces:
            key = (p.filament.name, p.filament.colour)
            grams[key] = grams.get(key, 0.0) + p.filament.grams(p.volume) * unit.copies
    for (name, colour), mass in grams.items():
        flow.line(f"{name}, {format_mm(mass, 0 if mass >= 10 else 1)} g if solid", swatch=colour)
    if kit.hints:
        flow.title("For the slicer")
        for text in map(str, kit.hints):
            flow.line(text)
    if kit.hardware:
        flow.title("To buy")
        for name, number in kit.hardware:
            flow.line(f"{number} × {name}")
    for heading, lines in (("Filament changes", changes), ("Please note", notes)):
        if lines:
            flow.title(heading)
            for text in lines:
                flow.line(text)


def apart_page(page: Canvas, kit: KitContents) -> None:
    """Everything pulled apart in the order of the assembly, sections with their names, keys between them."""
    page.showPage()
    head(page, kit.title, "Pulled apart; blue: keys that are printed, grey: what is bought")
    w, h = size_of(page)
    box = (14 * MM, 16 * MM, w - 28 * MM, h - 44 * MM)
    scene = _scene(kit, 1.0)
    picture = _draw(page, scene, box, kit)
    hidden = _names(page, kit, scene, picture, box)
    if hidden:
        write(
            page,
            14 * MM,
            9 * MM,
            wrapped(f"Behind others: {', '.join(hidden)}", 8, w - 28 * MM)[0],
            8,
            colour=GREY,
        )


def _scene(kit: KitContents, share: float) -> _Scene:
    """Bodies where they are when the assembly is undone by a share."""
    names = {s.name: n for n, s in enumerate(kit.sections)}
    low = np.min([s.bounds()[0] for s in kit.sections], axis=0)
    high = np.max([s.bounds()[1] for s in kit.sections], axis=0)
    apart = float(np.clip(_APART * np.linalg.norm(high - low), _NEAR, _FAR))
    shifts = shifts_apart(len(kit.sections), kit.assembly, share, apart)
    bodies: list[tuple[Mesh, str]] = []
    owner: list[int] = []
    for unit in kit.units:
        n = names.get(unit.name, -1) if not unit.is_key else -1
        for p in unit.pieces if n >= 0 else ():
            bodies.append(
                (Mesh(unit.assembled(p.mesh.vertices) + shifts[n], p.mesh.triangles), p.filament.colour)
            )
            owner.append(n)
    for joint in kit.joints if share else ():
        shift = (shifts[joint.numbers[0]] + shifts[joint.numbers[1]]) / 2
        for key in joint.keys:
            if key.form.loose:
                colour = _LOOSE if key.form.of.printed(key.form) else BOUGHT
                for solid in solids_in_place(joint.plane, key).loose:
                    mesh = mesh_of(solid)
                    bodies.append((Mesh(mesh.vertices + shift, mesh.triangles), colour))
                    owner.append(-1)
    return _Scene(bodies, owner)


def _draw(page: Canvas, scene: _Scene, box: tuple[float, float, float, float], kit: KitContents) -> Picture:
    picture = picture_of(scene.bodies, (round(_FINE * box[2]), round(_FINE * box[3])), AT_AN_ANGLE)
    put_picture(page, picture.rgba, box)
    return picture


def _names(
    page: Canvas, kit: KitContents, scene: _Scene, picture: Picture, box: tuple[float, float, float, float]
) -> list[str]:
    """Write the names of sections where they are seen; gives those of which next to nothing is."""
    of = np.append(np.array(scene.sections), -1)[picture.bodies]
    hidden, written = [], [(0.0, 0.0, 0.0, 0.0)]
    order = sorted(range(len(kit.sections)), key=lambda n: -int((of == n).sum()))
    for n in order:
        name = kit.sections[n].name
        mine = np.pad((of == n).astype(np.uint8), 1)
        inside = cv2.distanceTransform(mine, cv2.DIST_L2, 3)[1:-1, 1:-1]
        row, column = np.unravel_index(int(np.argmax(inside)), inside.shape)
        room = float(inside[row, column]) / _FINE
        if room < 1.5:
            hidden.append(name)
            continue
        x, y = box[0] + float(column) / _FINE, box[1] + box[3] - float(row) / _FINE
        size = float(np.clip(1.1 * room, 6.5, 13))
        half = width_of(name, size, True) / 2 + 2
        at = _free((x, y), half, size / 2 + 1.5, written, box)
        if math.dist(at, (x, y)) > 1:
            page.setStrokeColor(INK)
            page.setLineWidth(0.5)
            page.line(x, y, *at)
            page.setFillColor(INK)
            page.circle(x, y, 1.2, stroke=0, fill=1)
        page.setFillColor(HexColor("#FFFFFF"))
        page.setStrokeColor(GREY)
        page.setLineWidth(0.4)
        page.roundRect(at[0] - half, at[1] - size / 2 - 1.5, 2 * half, size + 3, 2, stroke=1, fill=1)
        write(page, at[0], at[1] - 0.35 * size, name, size, True, align="middle")
        written.append((at[0] - half, at[1] - size / 2 - 1.5, at[0] + half, at[1] + size / 2 + 1.5))
    return hidden


def _free(
    at: tuple[float, float],
    half: float,
    high: float,
    taken: Sequence[tuple[float, float, float, float]],
    box: tuple[float, float, float, float],
) -> tuple[float, float]:
    """The nearest place for a name to where it belongs, over no other."""
    for far in range(40):
        for k in range(8 if far else 1):
            x = at[0] + 6 * far * math.cos(k * math.pi / 4)
            y = at[1] + 6 * far * math.sin(k * math.pi / 4)
            inside = box[0] + half < x < box[0] + box[2] - half and box[1] + high < y < box[1] + box[3] - high
            if inside and not any(
                a < x + half and c > x - half and b < y + high and d > y - high for a, b, c, d in taken
            ):
                return x, y
    return at


class _Drawing(NamedTuple):
    """A face or a key, to be drawn at 1:1 where it fits."""

    name: str
    words: str
    bounds: tuple[float, float, float, float]  # mm
    # outlines, what they are filled with, whether they are of a key
    filled: list[tuple[shapely.Geometry, str, bool]]
    seam: bool = False  # at 0 across


def joints_pages(page: Canvas, kit: KitContents) -> None:
    """Faces of joints with their keys at 1:1, and each key cut along its length; what is alike is drawn once.

    Parameters
    ----------
    page : Canvas
    kit : KitContents
    """
    w, h = size_of(page)
    room = w - 28 * MM, h - 52 * MM - _WORDS
    x = y = tall = 0.0
    begun = False
    for drawing in [*_faces(kit.joints), *_keys(kit.joints)]:
        x0, y0, x1, y1 = drawing.bounds
        # A face that alone would take much of a page is drawn smaller, its keys stand at 1:1 after it.
        share = 0.5 if (x1 - x0) * (y1 - y0) * MM * MM > _MUCH * room[0] * room[1] else 1.0
        scale = min(MM, share * room[0] / (x1 - x0), share * room[1] / (y1 - y0))
        wide, high = max((x1 - x0) * scale, 44 * MM), (y1 - y0) * scale
        if x + wide > w - 14 * MM:
            x, y, tall = 14 * MM, y - tall - _ROOM, 0.0
        if not begun or y - high - _WORDS < 18 * MM:
            page.showPage()
            head(
                page,
                kit.title,
                "Faces of the joints, and keys cut along their length, at 1:1 unless it says otherwise; blue:"
                " keys",
            )
            _ruler(page)
            begun, x, y, tall = True, 14 * MM, h - 30 * MM, 0.0
        _put(page, drawing, (x, y), scale, wide)
        x, tall = x + wide + _ROOM, max(tall, high + _WORDS)


def _ruler(page: Canvas) -> None:
    """By which one sees that the page was printed as large as it is."""
    page.setStrokeColor(INK)
    page.setLineWidth(0.8)
    page.line(14 * MM, 10 * MM, 64 * MM, 10 * MM)
    for at in (14, 64):
        page.line(at * MM, 8.5 * MM, at * MM, 11.5 * MM)
    write(page, 66 * MM, 9 * MM, "50 mm: print at 100 %", 7, colour=GREY)


def _faces(joints: Sequence[Joint]) -> list[_Drawing]:
    """Faces that are unlike, the largest first."""
    alike: dict[tuple[object, ...], list[Joint]] = {}
    for joint in sorted(joints, key=lambda j: (len(j.letter), j.letter, j.name)):
        if joint.keys:
            x0, y0, x1, y1 = joint.area.bounds
            keys = tuple(
                sorted(
                    (k.form.described(), round(k.u - x0, 1), round(k.v - y0, 1), round(k.angle))
                    for k in joint.keys
                )
            )
            alike.setdefault((round(x1 - x0, 1), round(y1 - y0, 1), round(joint.glue_area), keys), []).append(
                joint
            )
    out = []
    for some in alike.values():
        joint = some[0]
        edge = shapely.envelope(joint.area)
        keys_ = [
            shapely.intersection(footprint(k.form, k.u, k.v, k.angle, k.owner), edge) for k in joint.keys
        ]
        filled = [(joint.area, "#EFECE4", False), *((f, "#D9E0F2", True) for f in keys_)]
        counted: dict[str, int] = {}
        for key in joint.keys:
            counted[key.form.described()] = counted.get(key.form.described(), 0) + 1
        words = ", ".join(f"{n} × {what}" for what, n in counted.items())
        out.append(_Drawing(", ".join(j.name for j in some), words, joint.area.bounds, filled))
    return sorted(out, key=lambda d: (-round(d.bounds[3] - d.bounds[1]), -round(d.bounds[2] - d.bounds[0])))


def _keys(joints: Sequence[Joint]) -> list[_Drawing]:
    """Keys that are unlike, each cut along its length in its sockets."""
    out = []
    for form, owner in dict.fromkeys(
        (k.form, k.owner if not k.form.loose else -1) for j in joints for k in j.keys
    ):
        section = cross_section(form, owner)
        parts = [
            (section.sockets, "#FFFFFF", False),
            (section.own, "#D9E0F2", True),
            (section.loose, "#D9E0F2", True),
        ]
        # Distance from the seam is up on the page.
        turned = [
            (shapely.transform(g, lambda p: p[:, ::-1]), fill, key)
            for g, fill, key in parts
            if not g.is_empty
        ]
        x0, y0, x1, y1 = shapely.total_bounds([g for g, _, _ in turned]).tolist()
        words = (
            f"clearance {format_mm(form.clearance, 2)} mm a side, {format_mm(form.end_gap, 2)} mm at the end"
        )
        out.append(_Drawing(form.described(), words, (x0, y0, x1, y1), turned, True))
    return sorted(out, key=lambda d: -round(d.bounds[3] - d.bounds[1]))


def _put(page: Canvas, drawing: _Drawing, at: tuple[float, float], scale: float, wide: float) -> None:
    """Draw one with its upper left corner at a place."""
    x0, y0, x1, y1 = drawing.bounds

    def place(u: float, v: float) -> tuple[float, float]:
        return at[0] + (u - x0) * scale, at[1] - (y1 - v) * scale

    page.setLineWidth(0.6)
    for outline, fill, key in drawing.filled:
        page.setStrokeColor(BLUE if key else INK)
        page.setFillColor(HexColor(fill))
        page.drawPath(outline_path(page, outline, place), fill=1, stroke=1, fillMode=0)
    if drawing.seam:
        page.setStrokeColor(GREY)
        page.setDash(2, 1.5)
        page.line(place(x0, 0)[0] - 3, place(0, 0)[1], place(x1, 0)[0] + 3, place(0, 0)[1])
        page.setDash()
    low = at[1] - (y1 - y0) * scale
    name = drawing.name + ("" if scale > MM - 1e-6 else f" ({scale / MM:.2f} : 1)")
    lines = wrapped(name, 8, wide, True)
    write(page, at[0], low - 9, lines[0] + (" …" if len(lines) > 1 else ""), 8, True)
    for n, line in enumerate(wrapped(drawing.words, 7, wide)[:2]):
        write(page, at[0], low - 18 - 8 * n, line, 7, colour=GREY)
