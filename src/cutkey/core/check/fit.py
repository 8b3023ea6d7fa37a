"""Does every section fit the bed?"""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.check.finding import Finding
from cutkey.core.split.cutting import Section
from cutkey.core.split.printer import SLACK, Printer, pose_on_bed
from cutkey.core.units import format_size


def check_fit(sections: Sequence[Section], printer: Printer) -> list[Finding]:
    """True outlines of sections against the usable bed, turned as they must be."""
    bad = []
    limit = printer.limit
    for section in sections:
        size = section.size()
        if size[2] > printer.usable[2] + SLACK or (not printer.takes(size) and pose_on_bed(section.outline(), printer) is None):
            low, high = section.bounds()
            mid = (low + high) / 2
            tall = size[2] > printer.usable[2]
            bad.append(
                Finding(
                    "fits bed",
                    "stop",
                    "Larger than the bed",
                    f"{format_size(size)} mm; {printer.name} takes {limit} mm",
                    section.name,
                    size[2] if tall else max(size[:2]),
                    printer.usable[2] if tall else max(printer.usable[:2]),
                    "mm",
                    (float(mid[0]), float(mid[1]), float(mid[2])),
                    "propose cuts",
                )
            )
    if bad:
        return bad
    return [Finding("fits bed", "sound", "Fits the bed", f"{len(sections)} of {len(sections)} sections within {limit} mm")]
