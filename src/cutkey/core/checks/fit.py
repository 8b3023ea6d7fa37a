"""Does every section fit the bed?"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import shapely

from cutkey.core.checks.kind import Context, check
from cutkey.core.model.finding import Finding
from cutkey.core.model.printer import SLACK, Printer
from cutkey.core.printing.piece import PrintUnit
from cutkey.core.printing.pose import pose_on_bed, takes
from cutkey.core.split.cutting import LEAST_SHARE, Section
from cutkey.core.units import format_size
from cutkey.core.words import splitting as say


def check_fit(
    sections: Sequence[Section], printer: Printer, units: Mapping[str, PrintUnit] | None = None
) -> list[Finding]:
    """True outlines of sections against the usable bed, turned as they must be.

    Parameters
    ----------
    sections : sequence of Section
    printer : Printer
    units : mapping of str to PrintUnit, optional
        The sections as they lie on the bed; without them they lie as they stand.
    """
    bad = []
    limit = printer.limit
    for section in sections:
        unit = units.get(section.name) if units else None
        size, outline = (unit.size, unit.outline) if unit else (section.size(), section.outline())
        if size[2] > printer.usable[2] + SLACK or (
            not takes(printer, size) and pose_on_bed(outline, printer) is None
        ):
            low, high = section.bounds()
            mid = (low + high) / 2
            tall = size[2] > printer.usable[2]
            bad.append(
                Finding(
                    "fits bed",
                    "stop",
                    say.larger_than_the_bed(format_size(size), printer.name, limit),
                    section.name,
                    size[2] if tall else max(size[:2]),
                    printer.usable[2] if tall else max(printer.usable[:2]),
                    "mm",
                    (float(mid[0]), float(mid[1]), float(mid[2])),
                    "propose cuts",
                )
            )
    thin = [s for s in sections if not s.outline().is_empty and _width(s) < printer.nozzle]
    for section in thin:
        low, high = section.bounds()
        mid = (low + high) / 2
        wide = _width(section)
        says = say.sliver(section.name, wide, printer.nozzle)
        place = (float(mid[0]), float(mid[1]), float(mid[2]))
        figures = round(wide, 3), printer.nozzle, "mm"
        bad.append(Finding("fits bed", "stop", says, section.name, *figures, place, "propose cuts"))
    told = {f.piece for f in bad}
    mean = sum(float(s.whole.volume()) for s in sections) / max(1, len(sections))
    for section in sections:
        share = float(section.whole.volume()) / max(mean, 1e-9)
        # Separate bodies may be as small as they were drawn; what a cut leaves may not.
        if share < LEAST_SHARE and section.sides and section.name not in told:
            low, high = section.bounds()
            x, y, z = ((low + high) / 2).tolist()
            says = say.tiny_section(section.name, float(section.whole.volume()), share)
            figures = round(share, 4), LEAST_SHARE, ""
            bad.append(
                Finding("fits bed", "look at", says, section.name, *figures, (x, y, z), "propose cuts")
            )
    if bad:
        return bad
    return [Finding("fits bed", "sound", say.fits_the_bed(len(sections), limit))]


def _width(section: Section) -> float:
    """The widest place of a section seen from above, mm."""
    outline = section.outline()
    return 2 * float(shapely.length(shapely.maximum_inscribed_circle(outline, tolerance=0.02)).max())


@check(10)
def sections_fit(c: Context) -> list[Finding]:
    """Every section fits the bed."""
    return check_fit(c.split.sections, c.job.printer, {u.name: u for u in c.kit.units if not u.is_key})
