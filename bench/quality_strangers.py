"""Graphics placed on strangers' models and these cut into sections; what is said is held against measures
written here.

For each model: a graphic on its top, a side and a curved place, in all modes and ways of following; a raised
one in colours by height; a rehearsal of what was placed; a split at two bed sizes with every kind of key.
Counted are tracebacks, refusals that are no sentence, and false "sound": a kit without a word of warning in
which volume is missing, a shell is lost, a graphic cannot be seen from outside, a face is covered by another
filament, a neck is too narrow to be printed, two sections share material, a socket has less wall than asked,
a push is not free, or a clearance is not there. The measures read the written 3MF with trimesh and compute
with numpy, shapely and the bare solid library; nothing of the program's checks is used.
"""

from __future__ import annotations

import contextlib
import io
import itertools
import json
import random
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any, NamedTuple

import numpy as np
import trimesh
from msgspec import structs

from bench.judging import (
    SHARED,
    bodies_in,
    film,
    kit_problems,
    necks,
    section_at,
    share_seen,
    shared_by,
)
from bench.strangers import models
from cutkey.cli.main import main
from cutkey.core.digest import digest_bytes
from cutkey.core.model.colouring import Colouring
from cutkey.core.model.edits import add_graphic, place
from cutkey.core.model.file import save_job
from cutkey.core.model.job import Job, ModelBase, Source
from cutkey.core.model.placement import Depth
from cutkey.core.model.printer import Printer

MODES, FOLLOWS = ("raised", "recessed", "flush", "through"), ("flat", "project", "wrap")
KEYS = ("dowel", "tenon", "dovetail", "bowtie", "magnet", "screw", "auto")
#: A drawing of two colours that share an edge, with a hole and a loose dot; its area is known.
DRAWING = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 24">
<path fill="#101010" fill-rule="evenodd" d="M0 0H24V24H0ZM8 8V16H16V8Z"/>
<path fill="#d0a020" d="M24 0H40V12H24Z"/><rect fill="#d0a020" x="32" y="18" width="4" height="4"/></svg>"""
AREA = (24 * 24 - 64 + 16 * 12 + 16) / 40**2  # for a width of 1
#: Less than this of what was asked is too little without a word.
ENOUGH = 0.88
#: Of a graphic nothing is said of so much is seen; a film may cover this share of a view, where columns meet
#: edges.
SEEN, FILM = 0.8, 0.02
#: Layers of colours by height, mm.
LAYER, FIRST = 0.2, 0.3


class Answer(NamedTuple):
    """How one command ended."""

    code: int
    said: str  # stderr, or the traceback
    report: dict[str, Any]


class Fault(NamedTuple):
    """Something that must not be."""

    kind: str
    model: str
    what: str


def ask(words: list[str], report: Path) -> Answer:
    """Run a command as the shell would."""
    report.unlink(missing_ok=True)
    out, err = io.StringIO(), io.StringIO()
    try:
        with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
            code = main([*words, "--report", str(report)])
    except SystemExit as error:
        code = int(error.code or 0)
    except BaseException:
        return Answer(99, traceback.format_exc(), {})
    return Answer(
        code,
        err.getvalue().strip(),
        json.loads(report.read_text(encoding="utf-8")) if report.exists() else {},
    )


def unwell(answer: Answer) -> str:
    """What is wrong with how a command ended, "" when it did as it may."""
    if answer.code == 99:
        return "traceback: " + answer.said.strip().splitlines()[-1]
    if answer.code == 2 and (len(answer.said.splitlines()) != 1 or not answer.said.endswith(".")):
        return f"refusal is no sentence: {answer.said[:120]}"
    return "" if answer.code in (0, 1, 2) else f"exit {answer.code}"


def quiet(report: dict[str, Any]) -> bool:
    """Whether nothing at all was to be looked at."""
    return all(
        f["severity"] == "sound"
        for f in report.get("findings", ())
        if f["kind"] not in ("read", "fits bed", "thin")
    )


# -- placing
def placed(
    model: Path, name: str, folder: Path, size: float, curved: tuple[str, np.ndarray], few: bool = False
) -> Iterator[Fault | None]:
    """Every face, mode and way of following, and a rehearsal of the first; None for each that is well."""
    drawing = folder / "emblem.svg"
    drawing.write_text(DRAWING)
    sides = {"top": np.array([0.0, 0, 1]), "front": np.array([0.0, -1, 0]), curved[0]: curved[1]}
    faces = ("top",) if few else tuple(sides)
    for face, mode, follow in itertools.product(
        faces, MODES[:2] if few else MODES, FOLLOWS[:1] if few else FOLLOWS
    ):
        width, depth, out = round(0.18 * size, 3), 1.0, folder / "placed.3mf"
        out.unlink(missing_ok=True)
        what = f"place {face} {mode} {follow}"
        words = [
            "place",
            str(drawing),
            str(model),
            "-o",
            str(out),
            f"--face={face}",
            "--mode",
            mode,
            "--depth",
            str(depth),
        ]
        answer = ask(
            [*words, "--width", str(width), "--follow", follow, "--unit", "mm", "--close"], folder / "r.json"
        )
        bad = unwell(answer)
        if bad:
            yield Fault(bad.partition(":")[0], name, f"{what}: {bad}")
        elif answer.code == 0 and quiet(answer.report):
            problem = _short(answer.report, out, mode, AREA * width**2, depth, sides[face])
            yield Fault("false sound", name, f"{what}: {problem}") if problem else None
        else:
            yield None
        if answer.code == 0 and (face, mode, follow) == ("top", "raised", "flat"):
            yield _rehearsed(out, name, folder)


def _rehearsed(placed: Path, name: str, folder: Path) -> Fault | None:
    """A neck between wide parts that nothing is lost of, in six layers of a file."""
    answer = ask(["rehearse", str(placed)], folder / "r.json")
    bad = unwell(answer)
    if bad:
        return Fault(bad.partition(":")[0], name, f"rehearse: {bad}")
    layers = [layer for bed in answer.report.get("beds", ()) for layer in bed["layers"]]
    if answer.code != 0 or len(layers) < 2 or len(answer.report["beds"]) > 1:
        return None
    whole = trimesh.util.concatenate(list(bodies_in(placed).values()))
    low = float(whole.bounds[0, 2])
    for n in np.linspace(1, len(layers) - 1, 6).astype(int):
        middle = low + (layers[n - 1]["top"] + layers[n]["top"]) / 2
        missing = necks(section_at(whole, middle))
        if missing > 2 * layers[n]["lost"]:
            return Fault(
                "false sound",
                name,
                f"rehearse: necks of {missing:.2f} mm2 in layer {n + 1}, lost {layers[n]['lost']:.2f}",
            )
    return None


def by_height(mesh: trimesh.Trimesh, model: Path, name: str, folder: Path) -> Iterator[Fault | None]:
    """A raised drawing on the largest flat face that looks up, in colours by height."""
    flat = np.where(mesh.face_normals[:, 2] > 0.9999, mesh.area_faces, 0.0)
    if not flat.any():
        return
    at = mesh.triangles_center[int(np.argmax(flat))]
    data, drawing = model.read_bytes(), DRAWING.encode()
    mark = digest_bytes(drawing)
    source, base = Source(digest_bytes(data), model.name, "model"), ModelBase(digest_bytes(data), "mm")
    job, graphic = add_graphic(
        Job(base=base, sources=(source,)), Source(mark, "emblem.svg", "drawing"), 0.1 * 200
    )
    job, _ = place(job, graphic.id, tuple(at.tolist()), (0.0, 0.0, 1.0), Depth("raised", 0.6))
    printer = Printer(bed=(400.0, 400.0, 400.0), layer=LAYER, first_layer=FIRST)
    file, out = folder / "by-height.cutkey", folder / "by-height"
    save_job(
        file,
        structs.replace(job, colouring=Colouring("heights"), printer=printer),
        {source.digest: data, mark: drawing},
    )
    answer = ask(["build", str(file), "-o", str(out), "--over"], folder / "r.json")
    bad = unwell(answer)
    if bad:
        yield Fault(bad.partition(":")[0], name, f"by height: {bad}")
    elif answer.code != 0 or not quiet(answer.report) or len(answer.report["units"]) > 1:
        yield None
    else:
        pieces = answer.report["units"][0]["pieces"]
        changes = [(c["height_mm"], c["from"], c["to"]) for c in answer.report["changes"]]
        share = film(
            bodies_in(next(out.glob("*.3mf"))),
            {p["name"]: p["filament"] for p in pieces},
            changes,
            LAYER,
            FIRST,
        )
        yield (
            Fault("false sound", name, f"by height: {share:.0%} under another filament")
            if share > FILM
            else None
        )


def _short(report: dict[str, Any], out: Path, mode: str, area: float, depth: float, way: np.ndarray) -> str:
    """What is missing of a graphic that nothing was said about."""
    meshes = bodies_in(out)
    open_ones = [n for n, m in meshes.items() if not m.is_watertight]
    if open_ones:
        return f"{open_ones[0]} is open when welded"
    volumes = {b["name"]: b["volume_mm3"] for b in report["bodies"]}
    off = [n for n, m in meshes.items() if abs(m.volume - volumes[n]) > 1e-4 * volumes[n] + 0.05]
    if off:
        return f"{off[0]} holds {meshes[off[0]].volume:.2f} instead of {volumes[off[0]]:.2f} mm3"
    shared = shared_by(meshes.values())
    if shared > SHARED:
        return f"bodies share {shared:.3f} mm3"
    total = sum(m.volume for m in meshes.values())
    if mode in ("raised", "flush"):
        came = total - max(m.volume for m in meshes.values())
        if came < ENOUGH * area * depth:
            return f"{came:.1f} of {area * depth:.1f} mm3 came out"
        base = max(meshes, key=lambda n: float(meshes[n].volume))
        # A file may hold the thing as it is laid for printing.
        way = np.reshape(report["to_finished"], (3, 4))[:, :3].T @ way
        for n, body in meshes.items():
            seen = 1.0 if n == base else share_seen(body, [m for o, m in meshes.items() if o != n], way)
            if seen < SEEN:
                return f"{n} is seen to {seen:.0%}"
    return ""


# -- splitting
def split(
    model: Path, name: str, folder: Path, size: np.ndarray, few: bool = False
) -> Iterator[Fault | None]:
    """Two beds, every kind of key."""
    for share, key in itertools.product((0.62,) if few else (0.62, 0.4), ("dowel",) if few else KEYS):
        bed = [max(30.0, share * float(size.max()) + 10)] * 3
        out, what = folder / "kit", f"split {key} on {bed[0]:.0f}"
        words = [
            "split",
            str(model),
            "-o",
            str(out),
            "--bed",
            ",".join(f"{b:.1f}" for b in bed),
            "--key",
            key,
        ]
        answer = ask([*words, "--unit", "mm", "--close", "--no-labels"], folder / "r.json")
        bad = unwell(answer)
        if bad:
            yield Fault(bad.partition(":")[0], name, f"{what}: {bad}")
            continue
        if answer.code != 0:
            yield None
            continue
        problems = list(kit_problems(answer.report, out))
        yield Fault("false sound", name, f"{what}: {problems[0]}") if problems else None


# -- all
def scaled(data: bytes, name: str, longest: float) -> trimesh.Trimesh | None:
    """A model as a mesh of a size; None when it is none that a printer would be asked for."""
    try:
        mesh = trimesh.load(
            io.BytesIO(data), file_type=name.rpartition(".")[2].lower(), force="mesh", process=False
        )
        size = float(np.ptp(mesh.vertices, axis=0).max())
    except Exception:
        return None
    if len(mesh.faces) < 12 or not np.isfinite(size) or size <= 0:
        return None
    mesh.apply_scale(longest / size)
    mesh.apply_translation(-mesh.bounds[0])
    return mesh


def measure(
    some: Iterable[tuple[str, bytes]], few: bool = False, log: bool = False
) -> tuple[Counter[str], list[Fault]]:
    """Faults over models, and how many commands were run and how many of these were well."""
    count: Counter[str] = Counter()
    faults: list[Fault] = []
    for name, data in some:
        mesh = scaled(data, name, 200.0)
        if mesh is None:
            count["no mesh"] += 1
            continue
        count["models"] += 1
        begun = time.perf_counter()
        with tempfile.TemporaryDirectory() as work:
            folder = Path(work)
            model = folder / "model.stl"
            mesh.export(model)
            size = np.ptp(mesh.vertices, axis=0)
            # A place on the largest triangle that faces neither an axis nor down.
            n = mesh.face_normals
            slanted = np.where((np.abs(n).max(1) < 0.93) & (n[:, 2] > -0.3), mesh.area_faces, 0)
            steepest = int(np.argmax(slanted))
            curved = ",".join(f"{v:.3f}" for v in mesh.triangles_center[steepest]), n[steepest]
            for fault in itertools.chain(
                placed(model, name, folder, float(np.sort(size)[1]), curved, few),
                by_height(mesh, model, name, folder),
                split(model, name, folder, size, few),
            ):
                count["commands"] += 1
                if fault is None:
                    count["well"] += 1
                else:
                    count[fault.kind] += 1
                    faults.append(fault)
                    if log:
                        print(f"{fault.kind}: {fault.model}: {fault.what}", flush=True)
        if log:
            print(f"  {name}: {len(mesh.faces)} faces, {time.perf_counter() - begun:.0f} s", flush=True)
    return count, faults


if __name__ == "__main__":
    every = list(models())
    random.Random(int(sys.argv[2]) if len(sys.argv) > 2 else 1).shuffle(every)
    wanted = int(sys.argv[1]) if len(sys.argv) > 1 else 36
    # As many of each package as there are, in turns.
    by_package: dict[str, list[tuple[str, bytes]]] = {}
    for item in every:
        by_package.setdefault(item[0].partition("/")[0], []).append(item)
    turns = [m for row in itertools.zip_longest(*by_package.values()) for m in row if m is not None]
    # With a third word: one bed and one kind of key, for a wider look in less time.
    total, found = measure(turns[:wanted], few=len(sys.argv) > 3, log=True)
    print(dict(total))
