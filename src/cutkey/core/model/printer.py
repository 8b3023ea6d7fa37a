"""The printer: how much fits on its bed, how fine it draws."""

from __future__ import annotations

from typing import Annotated, Literal

import msgspec

from cutkey.core.fields import LONG, length, number
from cutkey.core.units import format_mm, format_size

#: A line is so many times as wide as the nozzle.
LINE = 1.05
#: Two lengths this near are the same, mm.
SLACK = 1e-6


class Printer(msgspec.Struct, frozen=True):
    """A desktop printer; lengths in mm. A round bed is as wide as its first number."""

    name: str = "Bench 235"
    bed: Annotated[tuple[float, float, float], number(1, LONG)] = (235.0, 235.0, 250.0)
    margin: Annotated[float, length()] = 5.0  # kept free along each edge of the bed
    nozzle: Annotated[float, number(0.05, 10, "Nozzle", unit="mm", step=0.1)] = 0.4
    layer: Annotated[float, number(0.01, 10, "Layer", "Thickness of a layer", "mm", step=0.02)] = 0.2
    shape: Literal["rectangle", "round"] = "rectangle"
    # x, y, width, depth from the lower left corner of the bed
    keep_out: tuple[tuple[float, float, float, float], ...] = ()
    first_layer: Annotated[
        float, number(0, 10, "First layer", "Its thickness", "mm", step=0.02, zero="as all")
    ] = 0.0
    loaded: Annotated[
        int, number(0, 64, "Filaments at once", "How many can be loaded", whole=True, zero="not said")
    ] = 0
    angle: Annotated[float, number(10, 80, "Leans out", "From upright, without support", "°", step=5)] = 45.0
    span: Annotated[float, number(0, LONG, "Bridges", "So far it prints over nothing", "mm", step=1)] = 10.0
    # clearance a side at which a key slides; read from the clearance test piece
    slides: Annotated[float, number(0, 5)] = 0.15

    @property
    def usable(self) -> tuple[float, float, float]:
        """Largest section in x, y and z."""
        return self.bed[0] - 2 * self.margin, self.bed[1] - 2 * self.margin, self.bed[2]

    @property
    def line(self) -> float:
        """Width of a printed line, mm: a little wider than the nozzle (common practice, no source)."""
        return round(LINE * self.nozzle, 4)

    @property
    def limit(self) -> str:
        """What it takes, in words."""
        ux, _, uz = self.usable
        return (
            f"Ø{format_mm(ux, 1)} × {format_mm(uz, 1)}" if self.shape == "round" else format_size(self.usable)
        )
