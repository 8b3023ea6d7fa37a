"""Finished jobs of the demo."""

from __future__ import annotations

import math
from collections.abc import Callable
from pathlib import Path

import msgspec
from msgspec.structs import replace

from cutkey.core.bodies.coin import CoinBase
from cutkey.core.bodies.figure import FigureBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.digest import digest_bytes
from cutkey.core.errors import BadInput, Taken
from cutkey.core.files import write_atomic
from cutkey.core.model.cuts import Cut
from cutkey.core.model.edits import add_graphic, add_source, change_graphic, place
from cutkey.core.model.filament import Filament
from cutkey.core.model.file import job_bytes
from cutkey.core.model.job import Assignment, Job, ModelBase, Source
from cutkey.core.model.placement import Depth, Placement
from cutkey.core.model.spacing import Gauge
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.steps.light import EvenLight
from cutkey.demo import models, pictures
from cutkey.demo.names import NAMES, known_demo
from cutkey.demo.shipped import NAMES as PICTURES
from cutkey.demo.shipped import picture

Files = dict[str, bytes]
UP = (0.0, 0.0, 1.0)


def _take(files: Files, name: str, kind: str, data: bytes) -> Source:
    source = Source(digest_bytes(data), name, kind)  # type: ignore[arg-type]
    files[source.digest] = data
    return source


def _with_placement(job: Job, placement: Placement) -> Job:
    return replace(job, placements=tuple(placement if p.id == placement.id else p for p in job.placements))


def lid_job() -> tuple[Job, Files]:
    """The bee in the off-centre field of the jar lid."""
    files: Files = {}
    job = Job(name="Jar lid")
    lid = _take(files, "jar-lid.stl", "model", models.stl_of(models.jar_lid(), "jar lid"))
    job = replace(add_source(job, lid), base=ModelBase(lid.digest))
    job, bee = add_graphic(job, _take(files, "bee-photo.jpg", "picture", picture("bee-photo.jpg")), 36.0)
    bee = replace(bee, name="Bee", trace=TraceSettings(steps=(EvenLight(),)))
    job = change_graphic(job, bee)
    job, _ = place(job, bee.id, (6.0, -4.0, 13.4), UP, Depth("raised", 0.8))
    return replace(job, assignments=(Assignment("body", "Moss PLA"),)), files


def plate_job() -> tuple[Job, Files]:
    """Lettering sunk and a sprig inlaid on the hive plate, clear of its mounting holes."""
    files: Files = {}
    job = Job(name="Hive plate")
    plate = _take(files, "hive-plate.stl", "model", models.stl_of(models.hive_plate(), "hive plate"))
    job = replace(add_source(job, plate), base=ModelBase(plate.digest))
    job, words = add_graphic(job, _take(files, "lettering.png", "picture", picture("lettering.png")), 84.0)
    job = change_graphic(job, replace(words, trace=TraceSettings(everywhere=True)))
    job, placement = place(job, words.id, (0.0, 5.0, 4.0), UP, Depth("recessed", 0.6))
    job = _with_placement(job, replace(placement, offset=(0.0, 12.0), margin=3.0))
    job, sprig = add_graphic(job, _take(files, "sprig.png", "picture", picture("sprig.png")), 15.0)
    job, placement = place(job, sprig.id, (0.0, 5.0, 4.0), UP, Depth("flush", 0.8))
    return _with_placement(job, replace(placement, offset=(52.0, -2.0))), files


def cap_job() -> tuple[Job, Files]:
    """The bee inlaid in the flat crown of the domed feeder cap, lettering raised on the dome."""
    files: Files = {}
    job = Job(name="Feeder cap")
    cap = _take(files, "feeder-cap.stl", "model", models.stl_of(models.feeder_cap(), "feeder cap"))
    job = replace(add_source(job, cap), base=ModelBase(cap.digest))
    job, bee = add_graphic(job, _take(files, "bee.png", "picture", picture("bee.png")), 22.0)
    job, _ = place(job, bee.id, (0.0, 0.0, 18.6), UP, Depth("flush", 0.6))
    job, words = add_graphic(job, _take(files, "lettering.png", "picture", picture("lettering.png")), 34.0)
    job = change_graphic(job, replace(words, trace=TraceSettings(everywhere=True)))
    # 24 degrees down the dome, a sphere of 60 mm radius.
    down, out = math.sin(math.radians(24)), math.cos(math.radians(24))
    job, _ = place(job, words.id, (0.0, -60 * down, 60 * out - 40), (0.0, -down, out), Depth("raised", 0.8))
    return job, files


def coin_job() -> tuple[Job, Files]:
    """A coin of two inches, its rim level with the raised figures on both sides."""
    files: Files = {}
    job = replace(
        Job(name="Honey coin"), base=CoinBase(50.8, 5.0, 1.4, 1.2, both=True, edge="fillet", edge_mm=0.6)
    )
    job, bee = add_graphic(job, _take(files, "bee.png", "picture", picture("bee.png")), 32.0)
    job, placement = place(job, bee.id, (0.0, 0.0, 3.8), UP, Depth("level", 0.0))
    job = _with_placement(job, placement)
    job, sprig = add_graphic(job, _take(files, "sprig.png", "picture", picture("sprig.png")), 22.0)
    job, placement = place(job, sprig.id, (0.0, 0.0, 1.2), (0.0, 0.0, -1.0), Depth("level", 0.0))
    return _with_placement(job, placement), files


def sign_job() -> tuple[Job, Files]:
    """The gate sign, 520 x 300 mm, cut into six sections."""
    files: Files = {}
    job = replace(Job(name="Gate sign"), base=PlateBase(520.0, 300.0, 8.0, 14.0))
    job, sign = add_graphic(job, _take(files, "gate-sign.png", "picture", picture("gate-sign.png")), 480.0)
    job = change_graphic(job, replace(sign, name="Gate sign", trace=TraceSettings(everywhere=True)))
    job, placement = place(job, sign.id, (0.0, 0.0, 8.0), UP, Depth("raised", 1.2))
    job = _with_placement(
        job, replace(placement, depths=(Depth("raised", 1.2), Depth("flush", 1.2, pictures.LINEN)))
    )
    rack = (*job.rack[:5], Filament("Chalk PLA", "#f4f2ea"))
    cuts = (Cut("y", -37.5), Cut("x", -106.6), Cut("x", 80.6))
    return replace(job, rack=rack, cuts=cuts, assignments=(Assignment("body", "Chalk PLA"),)), files


def wall_job() -> tuple[Job, Files]:
    """Hexagon islands for a wall, with the spacers to put them up."""
    files: Files = {}
    job = Job(name="Wall hexagons")
    source = _take(files, "hexagons.png", "picture", picture("hexagons.png"))
    job, hexagons = add_graphic(job, source, 440.0)
    job = change_graphic(job, replace(hexagons, name="Hexagons", trace=TraceSettings(everywhere=True)))
    return (
        replace(
            job,
            base=FigureBase(hexagons.id, 4.0),
            gauge=Gauge(on=True),
            assignments=(Assignment("body", "Honey PLA"),),
        ),
        files,
    )


def panel_job() -> tuple[Job, Files]:
    """The panel of the honey scale, printed by height: comb over its edge, sunk scales, raised marks, vents.

    Holes are kept clear.
    """
    files: Files = {}
    job = Job(name="Scale panel")
    panel = _take(files, "scale-panel.stl", "model", models.stl_of(models.scale_panel(), "scale panel"))
    job = replace(add_source(job, panel), base=ModelBase(panel.digest))
    job, front = add_graphic(job, _take(files, "panel.svg", "drawing", picture("panel.svg")), 180.0)
    job = change_graphic(job, replace(front, name="Front"))
    job, placement = place(job, front.id, (0.0, -5.5, 4.0), UP, Depth("raised", 0.8))
    depths = (
        Depth("raised", 0.8),
        Depth("recessed", 0.6, pictures.LINEN),
        Depth("raised", 1.4, pictures.BRICK),
        Depth("through", 0.0, pictures.SOOT),
    )
    job = _with_placement(job, replace(placement, depths=depths, margin=1.0))
    colouring = replace(job.colouring, way="heights")
    return replace(job, assignments=(Assignment("body", "Moss PLA"),), colouring=colouring), files


JOBS: dict[str, Callable[[], tuple[Job, Files]]] = dict(
    zip(NAMES, (lid_job, plate_job, cap_job, coin_job, sign_job, wall_job, panel_job), strict=True)
)


def demo_job(name: str) -> tuple[Job, Files]:
    """A finished job by name; "" is the jar lid."""
    key = known_demo(name)
    job, files = JOBS[key]()
    # The same job each time, to the byte.
    text = msgspec.json.encode(job).decode()
    ids = [*(g.id for g in job.graphics), *(p.id for p in job.placements), *(a.id for a in job.addons)]
    for n, id in enumerate(ids):
        text = text.replace(id, f"{key}{n:02}")
    return msgspec.json.decode(text, type=Job), files


def write_demo(folder: Path, over: bool = False) -> list[str]:
    """Write the demo's jobs, pictures and models to a folder.

    Other files of their names are written over only when `over` is said.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise BadInput(f"{folder} cannot be made: {error.strerror}; choose another folder.") from None
    contents: dict[str, bytes] = {name: picture(name) for name in PICTURES}
    for name, make in (
        ("jar-lid", models.jar_lid),
        ("hive-plate", models.hive_plate),
        ("feeder-cap", models.feeder_cap),
        ("scale-panel", models.scale_panel),
    ):
        contents[f"{name}.stl"] = models.stl_of(make(), name)
    for name in NAMES:
        contents[f"{name}.cutkey"] = job_bytes(*demo_job(name))
    for name, data in contents.items():
        there = folder / name
        if there.exists() and not over and there.read_bytes() != data:
            raise Taken(
                f"{there} is there already and is not of the demo; choose another folder, or say --over to"
                " write over it."
            )
    for name, data in contents.items():
        write_atomic(folder / name, data)
    return sorted(contents)
