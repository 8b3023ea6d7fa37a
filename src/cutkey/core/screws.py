"""Metric screws: the holes they need."""

from __future__ import annotations

from typing import Literal

Screw = Literal["M2", "M2.5", "M3", "M4", "M5", "M6", "M8", "M10"]
#: Clearance holes of the medium series, mm (ISO 273:1979, from memory).
CLEARANCE: dict[str, float] = {
    "M2": 2.4,
    "M2.5": 2.9,
    "M3": 3.4,
    "M4": 4.5,
    "M5": 5.5,
    "M6": 6.6,
    "M8": 9.0,
    "M10": 11.0,
}
#: Largest head diameters of countersunk screws, mm, 90 degrees (ISO 10642 and ISO 2009, from memory).
HEAD: dict[str, float] = {
    "M2": 4.4,
    "M2.5": 5.5,
    "M3": 6.72,
    "M4": 8.96,
    "M5": 11.2,
    "M6": 13.44,
    "M8": 17.92,
    "M10": 22.4,
}
