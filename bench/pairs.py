"""Jobs in which any two choices that a maker can make meet at least once."""

from __future__ import annotations

import itertools
import random
from typing import Any, NamedTuple

import numpy as np
import trimesh
from allpairspy import AllPairs
from msgspec.structs import replace

from cutkey.core.addons.border import Border
from cutkey.core.addons.channel import Channel
from cutkey.core.addons.hole import Hole
from cutkey.core.addons.hollow import Hollow
from cutkey.core.addons.kind import Feature
from cutkey.core.addons.loop import Loop
from cutkey.core.addons.magnet import Magnet
from cutkey.core.addons.screw import ScrewHole
from cutkey.core.bodies.coin import CoinBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.bodies.polygon import PolygonBase
from cutkey.core.bodies.ring import RingBase
from cutkey.core.digest import digest_bytes
from cutkey.core.model.addon import AddOn
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.cuts import Cut, Keys, Labels, Seam
from cutkey.core.model.edits import add_graphic, place
from cutkey.core.model.filament import DEFAULT_RACK
from cutkey.core.model.job import Job, KitFiles, ModelBase, Source
from cutkey.core.model.placement import Copies, Depth
from cutkey.core.model.printer import Printer

#: What a maker chooses, and the choices that are tried; lengths in mm.
FACTORS: dict[str, tuple[Any, ...]] = {
    "body": ("plate", "coin", "hexagon", "ring", "box", "cylinder", "dome", "wedge"),
    "size": (60.0, 110.0, 190.0),
    "thick": (1.2, 3.0, 8.0),
    "mode": ("raised", "recessed", "flush", "through", "two depths"),
    "deep": (0.2, 0.6, 1.5),
    "follow": ("auto", "flat", "project", "wrap"),
    "drawing": ("emblem", "rings", "bars"),
    "graphics": (1, 2, 3),
    "side": ("top", "front", "bottom"),
    "spin": (0.0, 30.0, 90.0),
    "mirror": (False, True),
    "copies": ("one", "grid", "ring", "pair"),
    "margin": (0.0, 2.0),
    "bridges": (0.0, 1.2),
    "addon": ("none", "hole", "hollow", "magnet", "loop", "screw", "border", "channel"),
    "cuts": ("none", "x", "y", "z", "x y", "x within"),
    "tilt": (0.0, 9.0),
    "seam": ("straight", "stepped", "wave", "tabs"),
    "key": ("auto", "dowel", "tenon", "dovetail", "bowtie", "magnet", "screw", "none"),
    "clearance": (0.05, 0.15, 0.3),
    "stock": ("printed", "wood", "metal"),
    "labels": (True, False),
    "bed": (235.0, 120.0, 75.0),
    "shape": ("rectangle", "round"),
    "nozzle": (0.25, 0.4, 0.8),
    "layer": (0.1, 0.2, 0.28),
    "first": (0.0, 0.3),
    "way": ("bodies", "heights", "inlays"),
    "down": (False, True),
    "loaded": (0, 1, 2, 4),
    "rack": ("all", "two"),
    "paper": ("A4", "Letter"),
}
#: Colours of the drawings: filaments of the rack, so that what they are printed with needs no nearness.
_INK = (DEFAULT_RACK[1].colour, DEFAULT_RACK[4].colour)


class Shape(NamedTuple):
    """A shape of a drawing, in the drawing's own lengths, y down."""

    kind: str  # "box" or "disc"
    x: float
    y: float
    a: float  # half width, or the outer radius
    b: float  # half height, or the inner radius
    colour: str


#: Drawings of 40 wide.
DRAWINGS: dict[str, tuple[Shape, ...]] = {
    "emblem": (
        Shape("box", 9, 10, 9, 10, _INK[0]),
        Shape("box", 29, 5, 11, 5, _INK[1]),
        Shape("disc", 32, 16, 4, 0, _INK[0]),
    ),
    "rings": (Shape("disc", 20, 20, 20, 13, _INK[0]), Shape("disc", 20, 20, 9, 0, _INK[1])),
    "bars": tuple(Shape("box", 20, 2 + 6 * k, 20, 2, _INK[k % 2]) for k in range(4)),
}


def svg_of(shapes: tuple[Shape, ...]) -> str:
    """A drawing as a file."""
    out = []
    for s in shapes:
        if s.kind == "box":
            out.append(
                f'<rect x="{s.x - s.a}" y="{s.y - s.b}" width="{2 * s.a}" height="{2 * s.b}"'
                f' fill="{s.colour}"/>'
            )
        elif s.b:
            middle, wide = (s.a + s.b) / 2, s.a - s.b
            out.append(
                f'<circle cx="{s.x}" cy="{s.y}" r="{middle}" fill="none" stroke="{s.colour}"'
                f' stroke-width="{wide}"/>'
            )
        else:
            out.append(f'<circle cx="{s.x}" cy="{s.y}" r="{s.a}" fill="{s.colour}"/>')
    high = max(s.y + (s.b if s.kind == "box" else s.a) for s in shapes)
    return f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 {high}">{"".join(out)}</svg>'


def goes(row: dict[str, Any]) -> bool:
    """Whether choices can be made together: others are refused in a sentence at once."""
    wrapped = row.get("follow") == "wrap" and (
        row.get("body", "cylinder") != "cylinder" or row.get("side", "front") != "front"
    )
    hollow = row.get("addon") == "hollow" and (
        row.get("thick", 8.0) < 3 or row.get("body", "box") in ("ring", "dome", "wedge")
    )
    return not wrapped and not hollow


def rows(seed: int) -> list[dict[str, Any]]:
    """Choices by factor, so that every pair of choices that go together is in one of them."""
    pick = random.Random(seed)
    names = list(FACTORS)
    values = [pick.sample(FACTORS[n], len(FACTORS[n])) for n in names]
    every = AllPairs(values, filter_func=lambda some: goes(dict(zip(names, some, strict=False))))
    out = [dict(zip(names, row, strict=True)) for row in every]
    # The library gives up a few pairs where choices exclude one another.
    for one, other in itertools.combinations(names, 2):
        met = {(r[one], r[other]) for r in out}
        for a, b in sorted(set(itertools.product(FACTORS[one], FACTORS[other])) - met, key=str):
            made = ({**r, one: a, other: b} for r in pick.sample(out, len(out)))
            out += [r for r in made if goes(r)][:1]
    return out


def job_of(row: dict[str, Any], number: int) -> tuple[Job, dict[str, bytes]]:
    """The job of a row, and the bytes of its files by digest."""
    job, files, faces = _with_body(
        replace(Job(name=f"Pair {number}"), files=KitFiles(paper=row["paper"])), row
    )
    point, normal, room = faces[row["side"]]
    width = round(min(0.5 * room, 60.0), 3)
    drawing = svg_of(DRAWINGS[row["drawing"]]).encode()
    source = Source(digest_bytes(drawing), "drawing.svg", "drawing")
    files[source.digest] = drawing
    for n in range(row["graphics"]):
        job, spec = add_graphic(job, source, width / (1 + n))
        # Beside the middle where copies turn about it.
        aside = 0.3 * room if n == 0 and row["copies"] in ("ring", "pair") else 0.17 * n * room
        job, laid = place(job, spec.id, point, normal, None, (aside, -0.1 * n * room))
        depths = (
            (Depth("raised", row["deep"]), Depth("recessed", row["deep"], _INK[1]))
            if row["mode"] == "two depths"
            else (Depth(row["mode"], row["deep"]),)
        )
        count = (3, 1) if row["copies"] == "ring" else (2, 1)
        laid = replace(
            laid,
            spin=row["spin"],
            mirror=row["mirror"],
            depths=depths,
            follow=row["follow"],
            margin=row["margin"],
            bridges=row["bridges"],
            copies=Copies(row["copies"], count, (0.4 * room, 0.4 * room)) if n == 0 else Copies(),
        )
        job = replace(job, placements=(*job.placements[:-1], laid))
    feature = _feature(row)
    if feature is not None:
        spot = faces["top"]
        job = replace(
            job, addons=(AddOn("addon", feature, spot[0], spot[1], (-0.3 * spot[2], 0.2 * spot[2])),)
        )
    return _printed(job, row), files


def _with_body(job: Job, row: dict[str, Any]) -> tuple[Job, dict[str, bytes], dict[str, Any]]:
    """The job with its body, and of each side a place on it, its normal and the room there."""
    size, thick, kind = row["size"], row["thick"], row["body"]
    deep = 0.7 * size
    made = {
        "plate": PlateBase(size, deep, thick, 4.0),
        "coin": CoinBase(size, thick),
        "hexagon": PolygonBase(6, size, thick),
        "ring": RingBase(size, 0.3 * size, thick),
    }
    up, out, under = (0.0, 0.0, 1.0), (0.0, -1.0, 0.0), (0.0, 0.0, -1.0)
    if kind in made:
        wide = deep if kind == "plate" else size
        low = wide / 2
        at = (0.32 * size, 0.0) if kind == "ring" else (0.0, 0.0)
        faces = {
            "top": ((*at, thick), up, 0.6 * wide),
            "front": ((0.0, -low, thick / 2), out, max(4.0, thick)),
            "bottom": ((*at, 0.0), under, 0.6 * wide),
        }
        return replace(job, base=made[kind]), {}, faces
    high = max(12.0, 4 * thick)
    mesh = _model(kind, size, deep, high)
    data = mesh.export(file_type="stl")
    source = Source(digest_bytes(data), f"{kind}.stl", "model")
    top = mesh.bounds[1][2]
    slope = np.array([0.0, -high / 2, deep])
    slope /= np.linalg.norm(slope)
    faces = {
        "top": ((0.0, 0.0, float(top)), up, 0.5 * deep),
        "front": ((0.0, float(mesh.bounds[0][1]), high / 3), out, high / 2),
        "bottom": ((0.0, 0.0, 0.0), under, 0.6 * deep),
    }
    if kind == "wedge":
        faces["top"] = ((0.0, 0.0, 0.75 * high), tuple(slope.tolist()), 0.6 * deep)
    job = replace(job, base=ModelBase(source.digest, "mm"), sources=(source,))
    return job, {source.digest: data}, faces


def _model(kind: str, size: float, deep: float, high: float) -> trimesh.Trimesh:
    """A model on the bed, about the middle."""
    if kind == "box":
        mesh = trimesh.creation.box((size, deep, high))
    elif kind == "cylinder":
        mesh = trimesh.creation.cylinder(deep / 2, high, sections=96)
    elif kind == "dome":
        mesh = trimesh.creation.icosphere(4, deep / 2)
        mesh = trimesh.intersections.slice_mesh_plane(mesh, (0, 0, 1), (0, 0, 0), cap=True, engine="manifold")
    else:
        corners = [(x * size / 2, y * deep / 2, z) for x, y, z in itertools.product((-1, 1), (-1, 1), (0, 1))]
        corners = [(x, y, z * (high if y > 0 else high / 2)) for x, y, z in corners]
        mesh = trimesh.convex.convex_hull(corners)
    mesh.apply_translation((0, 0, -mesh.bounds[0][2]))
    return mesh


def _feature(row: dict[str, Any]) -> Feature | None:
    thick = row["thick"]
    return {
        "none": None,
        "hole": Hole(4.0),
        "hollow": Hollow(1.6, min(1.0, thick / 2)),
        "magnet": Magnet(8.0, 0.0, min(2.0, thick / 2)),
        "loop": Loop(),
        "screw": ScrewHole("M3"),
        "border": Border(),
        "channel": Channel(20.0, (), 6.0, min(2.0, thick / 2)),
    }[row["addon"]]


def _printed(job: Job, row: dict[str, Any]) -> Job:
    """With cuts, keys, printer and way of colour."""
    lean = {"tilt": row["tilt"]}
    cuts = {
        "none": (),
        "x": (Cut("x", 3.0, **lean),),
        "y": (Cut("y", 2.0, **lean),),
        "z": (Cut("z", 0.0, **lean),),
        "x y": (Cut("x", 3.0, **lean), Cut("y", 2.0)),
        "x within": (Cut("x", 3.0), Cut("y", 2.0, inside=(-10.0, 10.0, 0.5), **lean)),
    }[row["cuts"]]
    seam = Seam(row["seam"])
    flat = [c if c.axis == "z" else replace(c, seam=seam) for c in cuts]
    rack = DEFAULT_RACK if row["rack"] == "all" else (DEFAULT_RACK[1], DEFAULT_RACK[5])
    bed = row["bed"]
    return replace(
        job,
        cuts=tuple(flat),
        keys=Keys(row["key"], clearance=row["clearance"], stock=row["stock"]),
        labels=Labels(row["labels"]),
        rack=rack,
        colouring=Colouring(row["way"], face_down=row["down"]),
        printer=Printer(
            bed=(bed, bed, 200.0),
            shape=row["shape"],
            nozzle=row["nozzle"],
            layer=row["layer"],
            first_layer=row["first"],
            loaded=row["loaded"],
        ),
    )
