"""How the stand-in printer prints."""

from __future__ import annotations

from typing import NamedTuple

from cutkey.core.model.printer import Printer


class Settings(NamedTuple):
    """Layers, lines and speeds.

    mm and seconds. Those without a field in the printer are common practice, no source.
    """

    layer: float = 0.2
    first: float = 0.2
    line: float = 0.42
    angle: float = 45.0  # degrees from upright that a wall may lean out without support
    walls: int = 2  # lines along every outline
    solid: int = 4  # layers that are printed full above and below what is open
    infill: float = 0.15  # share of what is inside
    bridge: float = 10.0  # mm that a line may span
    thin: float = 0.6  # share of a line that is still printed, as a whole line
    speed: float = 60.0  # mm/s
    acceleration: float = 1500.0  # mm/s²
    change: float = 120.0  # s for a change of filament
    bed: tuple[float, float] = (235.0, 235.0)  # width and depth of a bed


def settings_of(printer: Printer) -> Settings:
    """Settings for a printer."""
    return Settings(
        layer=printer.layer,
        first=printer.first_layer or printer.layer,
        line=printer.line,
        angle=printer.angle,
        bridge=printer.span,
        bed=printer.bed[:2],
    )
