"""`cutkey trace`: a picture to a drawing in millimetres."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import Any

from msgspec.structs import replace

from cutkey.cli.common import (
    DONE,
    add_over,
    check_outputs,
    graphic_kind,
    length,
    positive,
    take,
    write_report,
)
from cutkey.core.checks.colours import gap_and_overlap
from cutkey.core.cleanup.apply import apply_edits
from cutkey.core.errors import BadInput
from cutkey.core.formats import drawing_format, read_drawing, write_drawing
from cutkey.core.geometry.graphic import Graphic, Measure, box_of, measure, placing, to_size
from cutkey.core.model.job import Source
from cutkey.core.model.printer import Printer
from cutkey.core.model.table_edits import JoinNarrow
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.read import Picture, read_picture
from cutkey.core.steps.glare import RemoveGlare
from cutkey.core.steps.halftone import RemoveHalftone
from cutkey.core.steps.invert import Invert
from cutkey.core.steps.kind import Step
from cutkey.core.steps.light import EvenLight
from cutkey.core.steps.shadow import RemoveShadow
from cutkey.core.steps.square import Square
from cutkey.core.steps.take_away import TakeAway
from cutkey.core.steps.turn import Turn
from cutkey.core.trace.first import First, first_settings
from cutkey.core.trace.run import trace
from cutkey.core.units import format_size
from cutkey.core.words.kind import Words
from cutkey.core.words.placing import narrower_than_the_nozzle
from cutkey.core.words.reading import traced_as


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("trace", help="turn a picture into colour regions, as SVG or DXF in mm")
    p.add_argument("picture", type=Path, help="a picture, or an SVG or DXF drawing")
    p.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.svg|OUT.dxf")
    p.add_argument("--colours", default="auto", metavar="N|auto")
    p.add_argument(
        "--mode",
        choices=("auto", "colours", "levels", "threshold", "pixels"),
        default="auto",
        help="auto takes the way that suits the kind of picture, unless other options choose one",
    )
    p.add_argument("--threshold", type=float, metavar="T", help="0 black to 1 white; automatic when left out")
    p.add_argument("--light", action="store_true", help="with a threshold: the figure is what is lighter")
    p.add_argument(
        "--keep-soft", action="store_true", help="a half-transparent shadow or glow is part of the figure"
    )
    p.add_argument("--join-gradients", action="store_true", help="each soft gradient is one colour")
    p.add_argument("--invert", action="store_true")
    p.add_argument("--even-light", action="store_true", help="take uneven light out of a photograph")
    p.add_argument(
        "--remove-shadow", action="store_true", help="divide out a hard shadow across flat colours"
    )
    p.add_argument("--remove-glare", action="store_true", help="take a bright spot out of flat colours")
    p.add_argument(
        "--remove-halftone", action="store_true", help="average the dots of a printed picture to tones"
    )
    p.add_argument(
        "--despeckle", default="0.3", metavar="MM2|PX", help="smallest piece kept: 0.3 (mm²) or 20px"
    )
    p.add_argument(
        "--despeckle-width",
        type=length,
        default=0.0,
        metavar="MM",
        help="pieces nowhere as wide as this go too",
    )
    p.add_argument("--shape", choices=("filled", "silhouette", "linework", "outline"), default="filled")
    p.add_argument(
        "--outline",
        type=length,
        default=2.0,
        metavar="MM",
        help="distance of the outer outline from the figure",
    )
    p.add_argument(
        "--square",
        metavar="X,Y,X,Y,X,Y,X,Y",
        help="four corners in px, clockwise from the upper left, made a rectangle",
    )
    p.add_argument("--turn", type=float, default=0.0, metavar="DEG", help="turn clockwise")
    p.add_argument(
        "--tolerance", type=float, default=12.0, metavar="DE", help="CIEDE2000 tolerance of --background X,Y"
    )
    p.add_argument(
        "--width", type=positive, metavar="MM", help="60 for a picture; a drawing keeps its own when left out"
    )
    p.add_argument(
        "--background",
        default="auto",
        metavar="auto|none|X,Y",
        help="X,Y in px: the area there is taken away",
    )
    p.add_argument(
        "--everywhere", action="store_true", help="take the background's colour away inside the figure too"
    )
    p.add_argument(
        "--printable",
        type=positive,
        metavar="MM",
        help="what is narrower joins what is beside it; how much, is said",
    )
    p.add_argument("--report", type=Path)
    add_over(p)
    p.set_defaults(run=run)


def run(o: argparse.Namespace) -> int:
    """Trace a picture."""
    check_outputs(o, o.picture)
    drawing_format(o.output)
    files: dict[str, bytes] = {}
    source = take(o.picture, graphic_kind(o.picture), files)
    if source.kind == "drawing":
        return _drawing(o, source, files)
    asked, o.width = o.width, o.width or 60.0
    picture = read_picture(files[source.digest], source.name)
    settings = settings_of(o, picture.rgb.shape[1], picture.rgb.shape[0])
    chosen = _as_first(picture, settings, o, source.name)
    if asked is None and chosen.width_mm is not None:
        o.width = chosen.width_mm
    traced = trace(picture, chosen.settings, o.width, source.name, figure=chosen.figure)
    graphic, lost = _printable(to_size(traced.regions, o.width), o)
    curves = None if traced.curves is None else traced.curves.placed(placing(o.width, box_of(traced.regions)))
    curves = None if lost else curves
    write_drawing(o.output, graphic, source.name, curves)
    measures = measure(graphic)
    print(
        f"{o.output}: {format_size((graphic.width, graphic.height))} mm, {len(measures)} colours,"
        f" {len(traced.specks)} specks taken up"
    )
    notes = [*traced.notes, *lost, *_too_fine(measures)]
    if chosen.settings != settings:
        notes.insert(0, traced_as(chosen.kind, chosen.light, chosen.way, chosen.sheet))
    for note in notes:
        print(f"note: {note}")
    off = traced.off
    assert off is not None
    scale = traced.mm_per_px
    _report(
        o,
        source.name,
        graphic,
        measures,
        {
            "notes": notes,
            "specks": len(traced.specks),
            "threshold": traced.threshold,
            "thresholds": list(traced.thresholds),
            "background": traced.background,
            "palette": str(traced.why or ""),
            "pieces": traced.pieces,
            "off_px": {"mean": off.mean, "95 %": off.most95, "most": off.most},
            "off_mm": {"mean": off.mean * scale, "95 %": off.most95 * scale, "most": off.most * scale},
            "in_steps": off.steps,
        },
    )
    return DONE


def _as_first(picture: Picture, settings: TraceSettings, o: argparse.Namespace, name: str) -> First:
    """The way that suits the picture, where no option asks for another."""
    plain = replace(settings, despeckle_mm2=0.3, despeckle_mm=0.0, keep_soft=False, outline_mm=2.0)
    if o.mode != "auto" or plain != TraceSettings():
        return First(settings, "flat art", "even", "colours")
    first = first_settings(picture, o.width, name)
    chosen = replace(
        first.settings,
        despeckle_mm2=settings.despeckle_mm2,
        despeckle_mm=settings.despeckle_mm,
        keep_soft=settings.keep_soft,
        outline_mm=settings.outline_mm,
    )
    return first if chosen == first.settings else first._replace(settings=chosen, figure=None)


def _too_fine(measures: list[Measure]) -> list[Words]:
    """What a usual nozzle does not print."""
    nozzle = Printer().nozzle
    fine = [m for m in measures if m.narrowest < nozzle]
    return [narrower_than_the_nozzle(m.colour, m.narrowest, nozzle) for m in fine]


def _printable(graphic: Graphic, o: argparse.Namespace) -> tuple[Graphic, list[Words]]:
    """A graphic without what is narrower than was asked, and how much that was."""
    if o.printable is None:
        return graphic, []
    told: list[Words] = []
    regions = [
        r
        for r in apply_edits(graphic.regions, [JoinNarrow(line=o.printable)], told=told)
        if not r.geometry.is_empty
    ]
    if not regions:
        raise BadInput(
            f"Nothing of {o.picture.name} is as wide as {o.printable:g} mm; ask for a larger width or a"
            " narrower line."
        )
    return Graphic(regions, graphic.width, graphic.height), told


def _drawing(o: argparse.Namespace, source: Source, files: dict[str, bytes]) -> int:
    """A vector drawing as a partition of regions in mm."""
    drawing = read_drawing(files[source.digest], source.name)
    graphic, lost = _printable(to_size(drawing.regions, drawing.width_mm if o.width is None else o.width), o)
    write_drawing(o.output, graphic, source.name)
    measures = measure(graphic)
    print(f"{o.output}: {format_size((graphic.width, graphic.height))} mm, {len(measures)} colours")
    notes = [*drawing.notes, *lost]
    for note in notes:
        print(f"note: {note}")
    _report(o, source.name, graphic, measures, {"notes": notes, "open_lines": len(drawing.open_lines)})
    return DONE


def _report(
    o: argparse.Namespace, name: str, graphic: Graphic, measures: list[Measure], more: dict[str, Any]
) -> None:
    gap, overlap = gap_and_overlap(graphic)
    colours = [
        {"colour": m.colour, "area_mm2": m.area, "pieces": m.pieces, "narrowest_mm": m.narrowest}
        for m in measures
    ]
    sizes = {
        "picture": name,
        "size_mm": [graphic.width, graphic.height],
        "gap_mm2": gap,
        "overlap_mm2": overlap,
    }
    write_report(o.report, {**sizes, **more, "colours": colours})


def settings_of(o: argparse.Namespace, width: int, height: int) -> TraceSettings:
    """Trace settings of the options; pixel places become fractions."""
    if o.colours != "auto" and not (o.colours.isdigit() and 1 <= int(o.colours) <= 64):
        raise BadInput(f"--colours {o.colours} is not a number from 1 to 64; use for example --colours 4.")
    if o.threshold is not None and not 0 < o.threshold < 1:
        raise BadInput(f"--threshold {o.threshold:g} must lie between 0 (black) and 1 (white).")
    mode = o.mode
    if mode == "auto":
        mode = "threshold" if o.light or o.threshold is not None else "colours"
    for option, given in (("--light", o.light), ("--threshold", o.threshold is not None)):
        if given and mode != "threshold":
            raise BadInput(f"{option} goes with --mode threshold, not with --mode {mode}; leave one out.")
    steps: list[Step] = []
    if o.square:
        corners = _places(o.square, 4, "--square", width, height)
        steps.append(Square((corners[0], corners[1], corners[2], corners[3])))
    if o.turn:
        steps.append(Turn(o.turn))
    asked = (
        (o.even_light, EvenLight),
        (o.remove_shadow, RemoveShadow),
        (o.remove_glare, RemoveGlare),
        (o.remove_halftone, RemoveHalftone),
        (o.invert, Invert),
    )
    steps += [step() for wanted, step in asked if wanted]
    background = o.background
    if background not in ("auto", "none"):
        at = _places(background, 1, "--background", width, height)[0]
        steps.append(TakeAway(at, o.tolerance, not o.everywhere))
        background = "none"
    speck = o.despeckle.lower()
    # A speck in px is judged on the picture, whose width stands for the graphic's.
    area = length(speck[:-2]) * (o.width / width) ** 2 if speck.endswith("px") else length(speck)
    return TraceSettings(
        steps=tuple(steps),
        mode=mode,
        light=o.light,
        keep_soft=o.keep_soft,
        join_gradients=o.join_gradients,
        colours=0 if o.colours == "auto" else int(o.colours),
        threshold=o.threshold,
        background=background,
        everywhere=o.everywhere,
        despeckle_mm2=max(0.0, area),
        despeckle_mm=max(0.0, o.despeckle_width),
        shape=o.shape,
        outline_mm=o.outline,
    )


def _places(text: str, count: int, option: str, width: int, height: int) -> list[tuple[float, float]]:
    """Places in px as fractions of the picture."""
    try:
        v = [float(n) for n in text.split(",")]
    except ValueError:
        v = []
    if len(v) != 2 * count:
        allowed = (
            "auto, none or a place in px like 10,20"
            if count == 1
            else f"{2 * count} numbers joined by commas"
        )
        raise BadInput(f"{option} {text} must be {allowed}.")
    if not all(0 <= x < width and 0 <= y < height for x, y in zip(v[::2], v[1::2], strict=True)):
        raise BadInput(f"{option} {text} lies outside the picture of {width} × {height} px.")
    return [(x / width, y / height) for x, y in zip(v[::2], v[1::2], strict=True)]
