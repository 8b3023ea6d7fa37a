"""A whole kit against the bare splits, key booleans and writes that it needs; and what a moved cut costs."""

from __future__ import annotations

import tempfile
from pathlib import Path

import manifold3d as m3
from msgspec.structs import replace

from bench.timing import in_turns
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.engine.output import contents_of, write_job_kit
from cutkey.core.formats.stl import stl_bytes
from cutkey.core.kit.loads import lay_out
from cutkey.core.kit.threemf import bytes_3mf, read_3mf
from cutkey.core.model.edits import change_cut
from cutkey.core.model.job import Job
from cutkey.core.split.setting.keying import tools_of
from cutkey.demo.jobs import demo_job
from cutkey.worker.kit_view import sections_view

Row = tuple[str, float, float, str]


def run(small: bool = False) -> list[Row]:
    """The demo sign from its traced picture to its files; `small` the lid, to see that it runs."""
    job, sources = demo_job("lid" if small else "sign")
    known = Evaluator(sources)
    contents = contents_of(job, known)
    split, design = known.split(job), known.design(job)
    assert split is not None and design is not None
    sockets, _ = tools_of(split.joints)
    pieces = [p for u in contents.units for p in u.pieces]

    def build(folder: Path) -> None:
        fresh = Evaluator(sources)
        for spec in job.graphics:
            # The trace has a benchmark of its own.
            fresh.memo.get(fresh.graphic_key(job, spec), lambda spec=spec: known.draw(job, spec))
        write_job_kit(folder / "own", job, fresh)

    def bare(folder: Path) -> None:
        body = known.body(job)
        assert body is not None
        # Raised and cut from scratch: one boolean with every colour, the splits, the sockets, the files.
        others = [p.solid for p in design.parts[1:]]
        done = [m3.Manifold.batch_boolean([body.solid, *others], m3.OpType.Subtract), *others]
        for plane in split.planes:
            done = [
                half
                for s in done
                for half in s.split_by_plane(plane.normal, plane.height)
                if not half.is_empty()
            ]
        drilled = [
            m3.Manifold.batch_boolean([p.solid, *sockets.get(n, [])], m3.OpType.Subtract)
            for n, s in enumerate(split.sections)
            for p in s.parts
        ]
        assert sum(s.num_tri() for s in [*done, *drilled]) > 0
        (folder / "bare.3mf").write_bytes(
            bytes_3mf("bare", contents.units, lay_out(contents.units, job.printer), job.printer)
        )
        read_3mf(folder / "bare.3mf")
        for n, piece in enumerate(pieces):
            (folder / f"{n}.stl").write_bytes(
                stl_bytes(piece.mesh.vertices, piece.mesh.triangles, piece.name)
            )

    with tempfile.TemporaryDirectory() as work:
        folder = Path(work)
        own, floor = in_turns(lambda: build(folder), lambda: bare(folder), rounds=1 if small else 3)
    rows = [
        (
            f"{job.name}: a kit of {len(pieces)} pieces from its traced picture",
            own,
            floor,
            "bare booleans, splits, sockets, writes",
        )
    ]
    if job.cuts:
        at = iter(range(1, 1000))

        def changed() -> Job:
            cut = job.cuts[-1]
            return change_cut(job, len(job.cuts) - 1, replace(cut, at=cut.at + 0.01 * next(at)))

        def shown() -> int:
            other = changed()
            cutting = known.cutting(other)
            assert cutting is not None
            return len(sections_view(other, known, design, cutting).sections)

        def moved() -> int:
            found = known.split(changed())
            return len(found.sections) if found is not None else 0

        def splits() -> int:
            done = [p.solid for p in design.parts]
            for plane in split.planes:
                done = [
                    half
                    for s in done
                    for half in s.split_by_plane(plane.normal, plane.height)
                    if not half.is_empty()
                ]
            return sum(s.num_tri() for s in done)

        soon, own, floor = in_turns(shown, moved, splits, rounds=3)
        rows.append(("a moved cut, ready to be shown", soon, floor, "bare plane splits"))
        rows.append(("a moved cut: sections, keys and proofs", own, floor, "bare plane splits"))
    return rows
