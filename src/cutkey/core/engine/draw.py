"""From a graphic's source and settings to its regions in mm."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from functools import reduce

import shapely

from cutkey.core.artwork.frame import frame_of
from cutkey.core.artwork.overlay import as_multi
from cutkey.core.cleanup.apply import FLATNESS, apply_edits
from cutkey.core.cleanup.nodes import cubics
from cutkey.core.colour.names import nearest_filament
from cutkey.core.digest import digest
from cutkey.core.errors import BadInput
from cutkey.core.formats import read_drawing
from cutkey.core.geometry.areas import coverage_union
from cutkey.core.geometry.graphic import Graphic, box_of, measure, placing, to_size
from cutkey.core.geometry.pieces import Flattened, flattened
from cutkey.core.geometry.region import Region
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.lettering.text import Lettering, stand_ins
from cutkey.core.memo import Memo
from cutkey.core.model.filament import Filament
from cutkey.core.model.frame import Frame, between, carried
from cutkey.core.model.job import GraphicSpec, Source
from cutkey.core.model.table_edits import AddText, Bend, Edit, name_of
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.apply import Prepared, prepare
from cutkey.core.picture.read import Picture, read_picture, reduced
from cutkey.core.results import Drawn
from cutkey.core.trace.run import Trace, trace
from cutkey.core.words.kind import Words
from cutkey.core.words.placing import edit_without_a_place

#: Longest side, px, of the reduced picture that a draft is traced from.
DRAFT_SIDE = 240


def draw_graphic(
    spec: GraphicSpec,
    source: Source,
    data: bytes,
    rack: Sequence[Filament],
    memo: Memo,
    draft: bool = False,
    fonts: Callable[[str], bytes] = font_bytes,
) -> Drawn:
    """Trace a picture or read a drawing, give it its size, carry out the edits.

    Parameters
    ----------
    spec : GraphicSpec
    source : Source
    data : bytes
        The source's file.
    rack : sequence of Filament
        What colours snap to, when they do.
    memo : Memo
        Keeps decoded and prepared pictures.
    draft : bool
        Trace a reduced picture, without proof: coarse, but soon there.
    fonts : callable
        Gives the file of a font by its name.

    Raises
    ------
    BadInput
        When the source cannot be read or nothing is left of it.
    """
    if not spec.width_mm > 0:
        raise BadInput(f"{spec.name} has no width; give it a width in mm.")
    traced: Trace | None = None
    notes: tuple[Words, ...] = ()
    lines: tuple[shapely.LineString, ...] = ()
    lettering: tuple[Lettering, ...] = ()
    stated: float | None = None
    if source.kind == "drawing":
        flatness = _share_of(spec.width_mm)
        drawing = memo.get(
            digest("drawing", spec.source, flatness), lambda: read_drawing(data, source.name, flatness)
        )
        regions, notes, lines, lettering = (
            list(drawing.regions),
            drawing.notes,
            drawing.open_lines,
            drawing.lettering,
        )
        box, stated = box_of(regions), drawing.width_mm
    else:
        picture, ready = prepared_picture(spec, source, data, memo, draft)
        figure = None if draft else memo.find(figure_key(spec, spec.trace))
        traced = trace(
            picture, spec.trace, spec.width_mm, source.name, spec.whole, ready, not draft, figure=figure
        )
        regions, notes = traced.regions, traced.notes
        h, w = traced.picture.shape[:2]
        box = (0.0, 0.0, float(w), float(h)) if spec.whole else box_of(regions)
    if spec.trace.snap and rack:
        regions = _snapped(regions, rack)
    graphic = to_size(regions, spec.width_mm, box)
    frame = frame_of(spec.width_mm, box, None if traced is None else traced.to_pixels)
    edits: list[Edit] = []
    told: list[Words] = []
    if spec.edits:
        way = between(spec.frame, frame) if spec.frame is not None else Frame()
        edits = [carried(e, way) for e in spec.edits]
        if lines:
            lines = tuple(
                r.geometry for r in to_size([Region("", g) for g in lines], spec.width_mm, box).regions
            )
        missed: list[Edit] = []
        edited = [
            r
            for r in apply_edits(graphic.regions, edits, lines, missed, told, fonts)
            if not r.geometry.is_empty
        ]
        lost = (edit_without_a_place(name_of(x)) for x in missed)
        notes = (*notes, *dict.fromkeys(lost))
        if not edited:
            raise BadInput(f"The edits of {spec.name} leave nothing; switch one of them off.")
        left, bottom, right, top = box_of(edited)
        graphic = Graphic(edited, right - left, top - bottom)
        for edit in spec.edits:
            if isinstance(edit, AddText) and edit.on:
                lettering = (*lettering, Lettering(edit.text))
                notes = (*notes, *stand_ins(fonts(edit.font), edit.font, edit.text))
    curves = (
        None if traced is None or traced.curves is None else traced.curves.placed(placing(spec.width_mm, box))
    )
    for edit in edits:
        if isinstance(edit, Bend) and edit.on:
            bends = [flattened(cubics(c), FLATNESS) for c in edit.curves]
            curves = reduce(Flattened.beside, bends if curves is None else [curves, *bends])
    return Drawn(
        spec,
        graphic,
        measure(graphic),
        traced,
        box,
        notes,
        lines,
        lettering,
        frame,
        stated,
        curves,
        (*(traced.told if traced is not None else ()), *told),
    )


def figure_key(spec: GraphicSpec, settings: TraceSettings) -> str:
    """Under which the memo keeps what was told of a picture when its first settings were found."""
    return digest("figure", spec.source, settings, spec.width_mm, spec.whole)


def _share_of(width_mm: float) -> float:
    """How near chords must lie to the curves of a drawing, as a share of its size.

    In steps, so that a small change reads nothing anew.
    """
    return float(2.0 ** math.floor(math.log2(min(max(FLATNESS / width_mm, 1e-6), 1e-3))))


def prepared_picture(
    spec: GraphicSpec, source: Source, data: bytes, memo: Memo, draft: bool = False
) -> tuple[Picture, Prepared]:
    """The picture of a graphic as opened, and after its steps.

    Parameters
    ----------
    spec, source, data, memo
        As for `draw_graphic`.
    draft : bool
        A reduced one.
    """
    picture = memo.get(digest("picture", spec.source), lambda: read_picture(data, source.name))
    if draft:
        whole = picture
        picture = memo.get(digest("draft", spec.source), lambda: reduced(whole, DRAFT_SIDE))
    return picture, memo.get(
        digest("prepared", spec.source, spec.trace.steps, draft), lambda: prepare(picture, spec.trace.steps)
    )


def _snapped(regions: Sequence[Region], rack: Sequence[Filament]) -> list[Region]:
    """Regions in the colours of the nearest filaments, those that share one joined."""
    colours = [rack[nearest_filament(r.colour, rack)[0]].colour for r in regions]
    out = []
    for colour in dict.fromkeys(colours):
        parts = [p for r, c in zip(regions, colours, strict=True) if c == colour for p in r.geometry.geoms]
        out.append(Region(colour, as_multi(coverage_union(parts))))
    return out
