"""What the title block says of a job."""

from __future__ import annotations

from PySide6.QtCore import QCoreApplication

from cutkey.app.engine import Engine
from cutkey.app.widgets.title_block import Cell
from cutkey.core.model.job import Job
from cutkey.core.units import format_mm, format_size


def _tr(text: str) -> str:
    return QCoreApplication.translate("Status", text)


def cells_of(job: Job, engine: Engine, ratio: float) -> list[Cell]:
    """Eight cells; `ratio` is true size over size on the screen."""
    kit, design = engine.kit, engine.design
    units = kit.units if kit else []
    printed = engine.rehearsal.found if engine.rehearsal is not None else []
    findings = [*kit.findings, *(t.finding for t in printed)] if kit else []
    stops, looks = sum(f.severity == "stop" for f in findings), sum(f.severity == "look at" for f in findings)
    used = {p[1].name for u in units for p in u.pieces}
    scale = f"1 : {format_mm(ratio, 1)}" if ratio >= 1 else f"{format_mm(1 / max(1e-6, ratio), 1)} : 1"
    kit_late = engine.late("kit")
    return [
        Cell(_tr("JOB"), job.name),
        Cell(_tr("PRINTER"), job.printer.name),
        Cell(_tr("SIZE, MM"), format_size(design.size) if design else "–", late=engine.late("design")),
        Cell(_tr("SCALE"), scale),
        Cell(_tr("SECTIONS / PIECES"), _counted(engine), late=kit_late),
        Cell(
            _tr("FILAMENTS"),
            _tr("{0} of {1}").format(len(used), len(job.rack)) if kit else "–",
            late=kit_late,
        ),
        Cell(
            _tr("FINDINGS"),
            _tr("{0} stop, {1} look at").format(stops, looks) if kit else "–",
            stops > 0,
            kit_late,
        ),
        Cell(_tr("NOZZLE / LAYER"), f"{format_mm(job.printer.nozzle)} / {format_mm(job.printer.layer)}"),
    ]


def _counted(engine: Engine) -> str:
    """Sections and pieces; of new cuts the pieces are not known before their keys are set."""
    if engine.sections is not None and engine.nearest == "sections":
        return f"{len(engine.sections.sections)} / …"
    if engine.kit is None:
        return "–"
    units = engine.kit.units
    return f"{sum(not u.is_key for u in units)} / {sum(len(u.pieces) for u in units)}"
