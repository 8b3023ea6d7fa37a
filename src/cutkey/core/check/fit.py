"""Does every section fit the bed, and does every joint hold?"""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.check.finding import Finding
from cutkey.core.split.cutting import Section
from cutkey.core.split.dowels import Joint
from cutkey.core.split.printer import Printer
from cutkey.core.split.settings import Keys
from cutkey.core.units import format_mm, format_size


def check_fit(sections: Sequence[Section], printer: Printer) -> list[Finding]:
    """Sections against the usable bed, as they lie or turned by 90 degrees."""
    bad = []
    limit = format_size(printer.usable)
    for section in sections:
        size = section.size()
        if not printer.takes(size):
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


def check_keys(joints: Sequence[Joint], keys: Keys) -> list[Finding]:
    """Every joint wants two dowels, or it can turn."""
    if not joints:
        return []
    weak = [j for j in joints if len(j.centres) < 2]
    out = []
    for j in weak:
        room = "no room for a dowel" if not j.centres else "room for one dowel only, it can turn"
        if keys.kind == "none":
            room = "keys are switched off"
        at = j.centres[0] if j.centres else None
        limit = f"Ø{format_mm(keys.diameter)} with {format_mm(keys.wall)} mm wall"
        out.append(
            Finding(
                "keys",
                "look at",
                f"Joint {j.letter}–{j.letter} is weak",
                f"{j.name}: {room} ({limit})",
                j.sections[0],
                len(j.centres),
                2,
                "dowels",
                at,
            )
        )
    if not weak:
        n = sum(len(j.centres) for j in joints)
        out.append(Finding("keys", "sound", "Keys", f"{n} dowels in {len(joints)} joints, two or more each", figure=n))
    return out
