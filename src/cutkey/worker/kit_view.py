"""What the window shows of the kit: sections, keys, joints, findings, and how it goes together."""

from __future__ import annotations

import numpy as np
import shapely
from numpy.typing import NDArray

from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.geometry.areas import intersection
from cutkey.core.geometry.mesh import Mesh
from cutkey.core.geometry.part import joined_by_colour
from cutkey.core.model.filament import BODY
from cutkey.core.model.job import Job
from cutkey.core.printing.resting import Resting
from cutkey.core.printing.sides import reasons, side_name
from cutkey.core.results import Design, Kit
from cutkey.core.spacers.setting_out import piece_solid
from cutkey.core.split.cutting import Cutting
from cutkey.core.split.joint import Joint
from cutkey.core.split.naming import cut_letters
from cutkey.core.split.plane import has_path
from cutkey.core.split.setting.forms import cross_section, footprint
from cutkey.core.split.setting.keying import solids_in_place
from cutkey.core.split.split import Split
from cutkey.worker.graphic_view import as_rings
from cutkey.worker.shown import InlayView
from cutkey.worker.shown_kit import (
    BareSection,
    CutView,
    JointView,
    KitView,
    LiesView,
    LooseView,
    SectionsView,
    SettingView,
    SideView,
    UnitView,
)
from cutkey.worker.views import mesh_view, view_of_mesh

#: Things that are bought are shown in this colour.
BOUGHT = "#9aa0a3"


def kit_view(job: Job, evaluator: Evaluator, design: Design, split: Split, kit: Kit) -> KitView:
    """Sections, keys, joints and findings."""
    units = []
    ways = evaluator.ways_up(job)
    for unit in kit.units:
        home = [unit.assembled(p.mesh.vertices) for p in unit.pieces]
        pieces = [
            (p.name, p.filament, p.volume, view_of_mesh(Mesh(points, p.mesh.triangles)))
            for p, points in zip(unit.pieces, home, strict=True)
        ]
        box = np.concatenate(home)
        lies = _lies(ways[unit.name], job) if unit.name in ways else None
        place, size = _three(box.min(0)), _three(np.ptp(box, axis=0))
        units.append(
            UnitView(
                unit.name,
                unit.is_key,
                unit.copies,
                place,
                size,
                pieces,
                as_rings(unit.outline),
                unit.size,
                lies,
            )
        )
    filaments = evaluator.filaments(job)
    bands = []
    for part in joined_by_colour(design.parts):
        b = part.solid.bounding_box()
        bands.append((filaments[part.colour].colour, float(b[2]), float(b[5])))
    clashing = {n for c in split.clashes() for n in (c.one[0], c.other[0])}
    loose = []
    for number, joint in enumerate(split.joints):
        for key in joint.keys:
            if key.form.loose:
                own = filaments.get(key.colour) or filaments.get(BODY)
                bought = not key.form.of.printed(key.form)
                colour = BOUGHT if bought or own is None else own.colour
                loose += [
                    LooseView(number, key.form.described(), colour, mesh_view(s))
                    for s in solids_in_place(joint.plane, key).loose
                ]
    return KitView(
        units,
        _cuts(job, evaluator, split),
        [_joint_view(n, j, split, n not in clashing) for n, j in enumerate(split.joints)],
        loose,
        split.assembly,
        split.proof.pairs,
        kit.hardware,
        kit.findings,
        evaluator.loads(job),
        filaments,
        _three(design.low),
        _three(design.high),
        kit.design_volume,
        kit.clearance_volume,
        evaluator.heights(job),
        _inlays(job, evaluator),
        wanted.trouble if (wanted := evaluator.inlays(job)) else None,
        bands,
        _setting(job, kit, design) if kit.setting else None,
        len({s.island for s in split.sections}),
    )


def _lies(way: Resting, job: Job) -> LiesView:
    sides = [SideView(m.down, side_name(m.down), reasons(m, job.printer), m.good) for m in way.sides]
    return LiesView(sides, way.chosen, way.by_hand, way.fixed)


def _inlays(job: Job, evaluator: Evaluator) -> list[InlayView]:
    found, filaments = evaluator.inlays(job), evaluator.filaments(job)
    out = []
    for i in found.inlays if found else ():
        solid = i.in_place(job.colouring.lead, job.printer.layer)
        p = i.outline.representative_point()
        place = i.to_model @ np.array([p.x, p.y, 0.0, 1.0])
        out.append(
            InlayView(
                i.number,
                i.name,
                filaments[i.colour].colour,
                mesh_view(solid),
                _three(i.to_model[:, 2]),
                _three(place),
            )
        )
    return out


def sections_view(job: Job, evaluator: Evaluator, design: Design, cutting: Cutting) -> SectionsView:
    """Bare sections in the colours of their filaments."""
    filaments = evaluator.filaments(job)
    sections = []
    for s in cutting.sections:
        low, _ = s.bounds()
        parts = [(filaments[p.colour].colour, mesh_view(p.solid)) for p in s.parts]
        sections.append(BareSection(s.name, s.cell, _three(low), s.size(), parts))
    return SectionsView(sections, _three(design.low), _three(design.high))


def _cuts(job: Job, evaluator: Evaluator, split: Split) -> list[CutView]:
    if not job.cuts:
        return []
    survey = evaluator.survey(job)
    out = []
    for n, (cut, plane, letter) in enumerate(zip(job.cuts, split.planes, cut_letters(job.cuts), strict=True)):
        # A reading is of the plane, or of the stretch of it that a limited cut goes along; of a seam with
        # corners it would say what is not so.
        stretch = _stretch(n, split) if cut.inside is not None else None
        words = [] if has_path(cut, plane) else survey.reading(cut, stretch).words(survey.any_figures)
        out.append(CutView(letter, plane, words))
    return out


def _stretch(cut: int, split: Split) -> tuple[float, float] | None:
    """From where to where along right a cut joins sections, mm."""
    bounds = [j.area.bounds for j in split.joints if j.cut == cut]
    return (min(b[0] for b in bounds), max(b[2] for b in bounds)) if bounds else None


def _joint_view(number: int, joint: Joint, split: Split, one_way: bool) -> JointView:
    mine = [
        e for e in split.engraved.labels if e.joint == number and e.section == joint.numbers[0] and not e.back
    ]
    labels = [(e.text, as_rings(e.area)) for e in mine]
    # What is open at the back is drawn as far as the face goes.
    edge = shapely.envelope(joint.area)
    footprints = [
        as_rings(intersection(footprint(k.form, k.u, k.v, k.angle, k.owner), edge)) for k in joint.keys
    ]
    place = joint.area.representative_point()
    through = []
    for key in joint.keys:
        c = cross_section(key.form, key.owner)
        through.append((as_rings(c.sockets), as_rings(c.own), c.owner, as_rings(c.loose)))
    return JointView(
        joint.cut,
        joint.letter,
        joint.sections,
        joint.numbers,
        joint.plane,
        as_rings(joint.area),
        joint.glue_area,
        joint.keys,
        footprints,
        through,
        joint.note,
        joint.by_hand,
        joint.settings,
        joint.own,
        (float(place.x), float(place.y)),
        labels,
        one_way and bool(joint.keys) and not joint.note,
    )


def _setting(job: Job, kit: Kit, design: Design) -> SettingView:
    setting = kit.setting
    assert setting is not None
    floor = float(design.low[2])
    islands = []
    for name, outline in setting.islands:
        p = outline.representative_point()
        islands.append((name, as_rings(outline), (float(p.x), float(p.y))))
    pieces = []
    for p in setting.pieces:
        solid = piece_solid(p, job.gauge).translate((0, 0, floor))
        pieces.append((p.number, as_rings(p.spacer.outline), p.peg, mesh_view(solid)))
    return SettingView(islands, pieces, setting.free, setting.order)


def _three(v: NDArray[np.float64]) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])
