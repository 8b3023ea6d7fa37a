"""`cutkey place`: a graphic on a face of a model, as a 3MF of coloured bodies."""

from __future__ import annotations

import argparse
import tempfile
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from cutkey.cli.common import (
    add_over,
    check_outputs,
    finish,
    graphic_kind,
    length,
    pair,
    positive,
    progress,
    take,
    triple,
)
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.output import contents_of
from cutkey.core.errors import BadInput
from cutkey.core.files import write_atomic
from cutkey.core.geometry.facets import facet_at, facet_of_point
from cutkey.core.kit.export import check_file
from cutkey.core.kit.threemf import bytes_3mf
from cutkey.core.model.edits import add_graphic, add_source, change_graphic, change_placement, place
from cutkey.core.model.job import Job, ModelBase
from cutkey.core.model.placement import SIDES, Depth, SidePlace
from cutkey.core.place.side import place_on_side
from cutkey.core.place.site import is_face
from cutkey.core.printing.sides import side_name
from cutkey.core.results import Body
from cutkey.core.units import format_size


def add(commands: argparse._SubParsersAction[argparse.ArgumentParser]) -> None:
    """Add the command to the parser."""
    p = commands.add_parser("place", help="put a graphic on a model, flat or following its surface, as 3MF")
    p.add_argument("graphic", type=Path)
    p.add_argument("model", type=Path)
    p.add_argument("-o", "--output", type=Path, required=True, metavar="OUT.3mf")
    p.add_argument("--face", default="top", metavar="top|bottom|front|back|left|right|X,Y,Z")
    p.add_argument("--depth", type=positive, default=0.8, metavar="MM")
    p.add_argument("--mode", choices=("raised", "recessed", "flush", "through"), default="raised")
    p.add_argument("--width", type=positive, metavar="MM", help="60 %% of the face when left out")
    p.add_argument("--offset", type=pair, default=(0.0, 0.0), metavar="X,Y")
    p.add_argument("--spin", type=float, default=0.0, metavar="DEG")
    p.add_argument("--mirror", action="store_true")
    p.add_argument(
        "--bridges",
        type=length,
        default=0.0,
        metavar="MM",
        help="width of what holds inner parts of what is cut through",
    )
    p.add_argument(
        "--follow",
        choices=("auto", "flat", "project", "wrap"),
        default="auto",
        help="auto lies flat on faces and follows curves",
    )
    p.add_argument(
        "--unit", choices=("mm", "cm", "m", "inch"), default="", help="what one unit of the model is"
    )
    p.add_argument("--close", action="store_true", help="close large holes of the model with lids")
    p.add_argument("--report", type=Path)
    add_over(p)
    p.set_defaults(run=run)


def run(o: argparse.Namespace) -> int:
    """Place a graphic."""
    check_outputs(o, o.model, o.graphic)
    files: dict[str, bytes] = {}
    model, graphic = take(o.model, "model", files), take(o.graphic, graphic_kind(o.graphic), files)
    job = replace(add_source(Job(name=o.output.stem), model), base=ModelBase(model.digest, o.unit, o.close))
    evaluator = Evaluator(files)
    body = evaluator.body(job)
    assert body is not None
    where = _place(o, body)
    job, spec = add_graphic(job, graphic, o.width or where.width)
    stated = evaluator.draw(job, spec).stated_mm
    if o.width is None and stated:
        # A drawing that says how wide it is comes in that size.
        spec = replace(spec, width_mm=stated)
        job = change_graphic(job, spec)
    if o.width or stated:
        drawn = evaluator.draw(job, spec).graphic
        where = _place(o, body, (drawn.width, drawn.height))
    job, placement = place(job, spec.id, where.point, where.normal, Depth(o.mode, o.depth))
    offset = (where.offset[0] + o.offset[0], where.offset[1] + o.offset[1])
    placement = replace(
        placement, offset=offset, spin=o.spin, mirror=o.mirror, follow=o.follow, bridges=o.bridges
    )
    job = change_placement(job, placement)
    contents = contents_of(job, evaluator, progress)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "kit.3mf"
        path.write_bytes(bytes_3mf(job.name, contents.units, contents.spots, job.printer))
        findings = [*contents.findings, *check_file(path, contents)]
        write_atomic(o.output, path.read_bytes())
    progress(1.0, "")
    drawn, site = evaluator.draw(job, spec).graphic, evaluator.site(job, placement)
    facet = site.facet
    bodies = [p for u in contents.units for p in u.pieces]
    print(f"{o.output}: {format_size((drawn.width, drawn.height))} mm on {o.face}, {len(bodies)} bodies")
    turned = [side_name(u.down) for u in contents.units if not u.stands]
    if turned:
        print(
            f"{o.output}: the model is turned as it is printed best: it lies {', '.join(turned)} in the file"
        )
    report = {
        "graphic_mm": [drawn.width, drawn.height],
        "face": {
            "origin_mm": facet.origin.tolist(),
            "normal": facet.normal.tolist(),
            "area_mm2": facet.area,
            "way": site.way,
        },
        "lies": side_name(contents.units[0].down) if contents.units else "",
        "to_finished": contents.units[0].to_finished if contents.units else [],
        "design_volume_mm3": contents.design_volume,
        "bodies": [{"name": b.name, "colour": b.filament.colour, "volume_mm3": b.volume} for b in bodies],
    }
    return finish(findings, report, o.report)


def _place(o: argparse.Namespace, body: Body, graphic: tuple[float, float] | None = None) -> SidePlace:
    """Return the place meant by --face, the surface's direction there, and a width that suits it.

    `graphic` is the width and height it has, mm, where that is known.
    """
    if o.face in SIDES:
        return place_on_side(body.solid, body.mesh, body.facets, o.face, o.follow, graphic)
    try:
        at = np.array(triple(o.face))
    except argparse.ArgumentTypeError:
        raise BadInput(f"--face {o.face} must be one of {', '.join(SIDES)} or a point like 10,0,5.") from None
    number = facet_of_point(body.mesh, body.facets, at)
    facet = facet_at(body.mesh, body.facets, number)
    x0, _, x1, _ = facet.outline.bounds
    flat = o.follow == "flat" or (
        o.follow == "auto" and is_face(body.mesh, body.facets, number, facet, (20.0, 20.0))
    )
    point, normal = _three(at), _three(facet.normal)
    if not flat:
        return SidePlace(point, normal, 20.0)
    off = at - facet.origin
    return SidePlace(point, normal, 0.6 * (x1 - x0), (float(off @ facet.right), float(off @ facet.up)))


def _three(v: np.ndarray) -> tuple[float, float, float]:
    return float(v[0]), float(v[1]), float(v[2])
