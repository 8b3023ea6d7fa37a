"""The kit of a job as its file says it, printed in the mind before it is printed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, NamedTuple

from msgspec.structs import replace

from cutkey.core.digest import digest
from cutkey.core.engine.ways_up import ways_up
from cutkey.core.kit.threemf import bytes_3mf
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.printing.resting import Resting
from cutkey.core.rehearse.film import Run, run
from cutkey.core.rehearse.findings import findings_of
from cutkey.core.rehearse.read import Body, beds_of, read_print
from cutkey.core.rehearse.settings import Settings, settings_of
from cutkey.core.rehearse.told import Told, settle_told

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Evaluator, Progress


class Rehearsal(NamedTuple):
    """What the print of a kit comes to."""

    beds: list[list[Body]]
    settings: Settings
    runs: list[Run]
    findings: list[Told]


def beds_written(evaluator: Evaluator, job: Job) -> list[list[Body]]:
    """What lies on each bed, read back from the file that would be written; nothing while there is no kit."""
    kit = evaluator.kit(job)
    if kit is None or not kit.units:
        return []

    def compute() -> list[list[Body]]:
        data = bytes_3mf(job.name, kit.units, evaluator.loads(job), job.printer)
        return beds_of(read_print(data, job.name), job.printer.bed[:2])

    return evaluator.memo.get(digest("beds written", evaluator.loads_key(job)), compute)


def _with_side(finding: Finding, ways: Mapping[str, Resting], units: Sequence[PrintUnit]) -> Finding:
    """A finding that another way up would mend, with the section and the side on which it would lie then."""
    # In the file a section of one body is that body.
    unit = (
        next((u.name for u in units if finding.piece in (u.name, *(p.name for p in u.pieces))), "")
        if finding.mend
        else ""
    )
    side = ways[unit].better() if unit in ways else None
    return finding if side is None else replace(finding, of=unit, side=side)


def rehearsed(evaluator: Evaluator, job: Job, progress: Progress | None = None) -> Rehearsal | None:
    """The whole print, bed by bed; None while there is no kit.

    Parameters
    ----------
    evaluator : Evaluator
        Whose results are used.
    job : Job
    progress : callable, optional
    """
    beds = beds_written(evaluator, job)
    if not beds:
        return None

    def compute() -> Rehearsal:
        settings, runs = settings_of(job.printer), []
        for n, bodies in enumerate(beds):

            def told(share: float, n: int = n) -> None:
                if progress:
                    progress((n + share) / len(beds), f"rehearsing bed {n + 1}")

            runs.append(run(bodies, settings, n + 1, told))
        kit, ways = evaluator.kit(job), ways_up(evaluator, job)
        assert kit is not None
        found = [
            t._replace(finding=_with_side(t.finding, ways, kit.units)) for t in findings_of(runs, settings)
        ]
        return Rehearsal(beds, settings, runs, found)

    found = evaluator.memo.get(digest("rehearsal", evaluator.loads_key(job)), compute)
    return found._replace(findings=settle_told(found.findings, job.accepted)) if job.accepted else found
