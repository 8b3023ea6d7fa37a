"""`cutkey trace`: a picture to an SVG drawing in millimetres."""

from __future__ import annotations

import argparse
from pathlib import Path

from cutkey.cli.common import DONE, length, positive, take, writable, write_report
from cutkey.core.artwork.graphic import measure, to_size
from cutkey.core.artwork.svg_write import svg_of
from cutkey.core.check.colours import gap_and_overlap
from cutkey.core.errors import BadInput
from cutkey.core.files import write_atomic
from cutkey.core.picture.read import read_picture
from cutkey.core.trace.run import trace
from cutkey.core.trace.settings import TraceSettings
from cutkey.core.units import format_size


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("trace", help="turn a picture into colour regions, as SVG in mm")
    p.add_argument("picture", type=Path)
    p.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.svg")
    p.add_argument("--colours", default="auto", metavar="N|auto")
    p.add_argument("--mode", choices=("colours", "levels", "threshold"), default="colours")
    p.add_argument("--threshold", type=float, metavar="T", help="0 black to 1 white; automatic when left out")
    p.add_argument("--invert", action="store_true")
    p.add_argument("--even-light", action="store_true", help="take uneven light out of a photograph")
    p.add_argument("--despeckle", default="0.3", metavar="MM2|PX", help="smallest piece kept: 0.3 (mm²) or 20px")
    p.add_argument("--shape", choices=("filled", "silhouette", "linework"), default="filled")
    p.add_argument("--width", type=positive, default=60.0, metavar="MM")
    p.add_argument("--background", default="auto", metavar="auto|none|X,Y", help="X,Y in px: the area there is taken away")
    p.add_argument("--everywhere", action="store_true", help="take the background's colour away inside the figure too")
    p.add_argument("--report", type=Path)
    p.set_defaults(run=run)


def run(o: argparse.Namespace) -> int:
    """Trace a picture."""
    writable(o.output)
    if o.shape == "linework":
        raise BadInput("Line work cannot be traced yet; use --shape filled or silhouette.")
    files: dict[str, bytes] = {}
    source = take(o.picture, "picture", files)
    picture = read_picture(files[source.digest], source.name)
    settings = settings_of(o, picture.rgb.shape[1], picture.rgb.shape[0])
    traced = trace(picture, settings, o.width, source.name)
    graphic = to_size(traced.regions, o.width)
    write_atomic(o.output, svg_of(graphic, source.name).encode())
    measures = measure(graphic)
    print(f"{o.output}: {format_size((graphic.width, graphic.height))} mm, {len(measures)} colours, {traced.specks} specks taken up")
    gap, overlap = gap_and_overlap(graphic)
    write_report(
        o.report,
        {
            "picture": source.name,
            "size_mm": [graphic.width, graphic.height],
            "specks": traced.specks,
            "threshold": traced.threshold,
            "background": traced.background,
            "gap_mm2": gap,
            "overlap_mm2": overlap,
            "colours": [{"colour": m.colour, "area_mm2": m.area, "pieces": m.pieces, "narrowest_mm": m.narrowest} for m in measures],
        },
    )
    return DONE


def settings_of(o: argparse.Namespace, width: int, height: int) -> TraceSettings:
    """Trace settings of the options; pixel places become fractions."""
    if o.colours != "auto" and not (o.colours.isdigit() and 1 <= int(o.colours) <= 64):
        raise BadInput(f"--colours {o.colours} is not a number from 1 to 64; use for example --colours 4.")
    if o.threshold is not None and not 0 < o.threshold < 1:
        raise BadInput(f"--threshold {o.threshold:g} must lie between 0 (black) and 1 (white).")
    background, at = o.background, (0.0, 0.0)
    if background not in ("auto", "none"):
        try:
            x, y = (float(v) for v in background.split(","))
        except ValueError:
            raise BadInput(f"--background {background} must be auto, none or a place in px like 10,20.") from None
        if not (0 <= x < width and 0 <= y < height):
            raise BadInput(f"--background {background} lies outside the picture of {width} × {height} px.")
        background, at = "point", (x / width, y / height)
    speck = o.despeckle.lower()
    # A speck in px is judged on the picture, whose width stands for the graphic's.
    area = length(speck[:-2]) * (o.width / width) ** 2 if speck.endswith("px") else length(speck)
    return TraceSettings(
        mode=o.mode,
        colours=0 if o.colours == "auto" else int(o.colours),
        threshold=o.threshold,
        invert=o.invert,
        even_light=o.even_light,
        background=background,
        background_at=at,
        everywhere=o.everywhere,
        despeckle_mm2=max(0.0, area),
        shape=o.shape,
    )
