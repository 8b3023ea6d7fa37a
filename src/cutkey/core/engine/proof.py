"""Everything that is measured on a kit before it is called sound."""

from __future__ import annotations

from typing import TYPE_CHECKING

from cutkey.core.checks.addons import check_addons
from cutkey.core.checks.came_out import CameOut, came_out, check_came_out
from cutkey.core.checks.colours import check_regions, check_solids
from cutkey.core.checks.fit import check_fit
from cutkey.core.checks.floor import check_floor
from cutkey.core.checks.joints import check_joints
from cutkey.core.checks.lie import check_lie, check_reading
from cutkey.core.checks.made import check_made
from cutkey.core.checks.read import check_bodies, check_read
from cutkey.core.checks.setting_out import check_setting_out
from cutkey.core.checks.thin import check_thin
from cutkey.core.checks.walls import check_walls
from cutkey.core.checks.watertight import check_watertight
from cutkey.core.digest import digest
from cutkey.core.model.finding import Finding, Severity
from cutkey.core.model.job import Job, ModelBase
from cutkey.core.model.series import check_series
from cutkey.core.place.carve import placed_regions
from cutkey.core.place.copies import instances
from cutkey.core.printing.piece import all_pieces
from cutkey.core.split.split import Split

if TYPE_CHECKING:
    from cutkey.core.engine.evaluate import Design, Evaluator, Kit


def findings_of(job: Job, evaluator: Evaluator, design: Design, split: Split, kit: Kit) -> list[Finding]:
    """All findings on a kit, the worst first."""
    used = [evaluator.draw(job, job.graphic(p.graphic)) for p in job.placements]
    findings = check_fit(split.sections, job.printer)
    findings += check_watertight(all_pieces(kit.units))
    findings += check_regions([(d.spec.name, d.graphic) for d in used])
    key = evaluator.design_key(job)
    findings += evaluator.memo.get(digest("solids", key), lambda: check_solids(design.parts, design.whole))
    came = evaluator.memo.get(digest("came out", key), lambda: _came_out(job, evaluator, design))
    body = evaluator.body(job)
    assert body is not None
    for placement, drawn in zip(job.placements, used, strict=True):
        site, name = evaluator.site(job, placement), drawn.spec.name
        for one in instances(placement, site.middle):
            findings += check_floor(body.solid, drawn.graphic, one, site, name, job.printer.layer)
        findings += check_thin(placed_regions(drawn.graphic, placement), site, name, job.printer.nozzle)
        findings += check_came_out(came.get(placement.id, []), design.lies.get(placement.id, []), name)
        findings += check_lie(design.lies.get(placement.id, []), site, placement, name)
        findings += check_reading(placement, drawn.lettering, drawn.spec.reads, drawn.trace is not None, name)
    if body.spots:
        findings += check_addons(body.spots, body.solid, evaluator.bare(job).solid, job.printer.layer, job.printer.nozzle)
    findings += check_joints(split, job.labels)
    findings += check_walls(split, job.labels)
    findings += check_setting_out(kit.setting, job.gauge)
    findings += check_made(job.base, body.solid)
    findings += check_read(body.done, body.lost, job.source(job.base.source).name if isinstance(job.base, ModelBase) else "")
    findings += check_bodies(body.decided, body.stays, evaluator.bare(job).mesh)
    for name, notes in {d.spec.name: d.notes for d in used}.items():
        findings += [Finding("read", "look at", "Drawing changed on reading", f"{name}: {note}", name) for note in notes]
    findings += check_series(job)
    off = (kit.piece_volume + kit.clearance_volume - design.volume) / design.volume
    severity: Severity = "sound" if abs(off) < 1e-6 else "stop"
    text = f"pieces + clearances = design, {f'{abs(off):.0e} off' if off else 'exactly'}"
    findings.append(Finding("volume", severity, "Nothing lost", text, figure=off, limit=1e-6))
    rank = {"stop": 0, "look at": 1, "sound": 2}
    return sorted(findings, key=lambda f: rank[f.severity])


def _came_out(job: Job, evaluator: Evaluator, design: Design) -> dict[str, list[CameOut]]:
    """By placement, what of its regions came out."""
    out: dict[str, list[CameOut]] = {}
    for one, site, before, after in design.steps:
        graphic = evaluator.draw(job, job.graphic(one.graphic)).graphic
        out.setdefault(one.id, []).extend(came_out(before, after, graphic, one, site))
    return out
