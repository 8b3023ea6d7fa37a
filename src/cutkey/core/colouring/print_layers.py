"""The layers of a print, up the model whichever way it lies on the bed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from cutkey.core.colour.bands import layer_table, layer_table_face_down
from cutkey.core.model.printer import Printer

#: A face so little above the top of a layer lies on it, micrometres.
_ROUNDED = 0.5


@dataclass(frozen=True)
class Layers:
    """The layers of a print as the planner counts them: up the model, whichever way it lies on the bed."""

    table: Sequence[int]  # micrometres
    zero: int  # what the underside of the model is in the table
    down: bool

    @property
    def count(self) -> int:
        """How many there are."""
        return len(self.table) - 1

    def near(self, z: float) -> int:
        """The layer that comes nearest to a height above the underside of the model, mm."""
        return min(range(1, len(self.table)), key=lambda k: abs(self.table[k] - self.zero - 1000 * z))

    def above(self, z: float) -> int:
        """The first layer whose top lies at or above a height above the underside of the model, mm."""
        over = (k for k in range(1, len(self.table)) if self.table[k] - self.zero >= 1000 * z - _ROUNDED)
        return next(over, self.count)

    def height(self, layer: int) -> float:
        """Of the top of a layer as the model stands, above its underside, mm."""
        return (self.table[layer] - self.zero) / 1000

    def printed(self, layer: int) -> int:
        """Number of a layer in the order of the print, from 1."""
        return self.count + 1 - layer if self.down else layer

    def from_bed(self, printed: int) -> float:
        """Height of the top of a layer above the bed, by its number in the order of the print, mm."""
        return (
            (-self.table[self.count - printed] if printed < self.count else self._all) / 1000
            if self.down
            else self.table[printed] / 1000
        )

    @property
    def _all(self) -> int:
        step = self.table[2] - self.table[1] if self.count > 2 else -self.table[1]
        return step - self.table[1]


def face_up(printer: Printer, high: float) -> Layers:
    """Layers from the underside of the model up to `high` mm at least."""
    first, step = _thickness(printer)
    return Layers(layer_table(first, step, max(2, int((1000 * high - first) / step) + 2)), 0, False)


def _thickness(printer: Printer) -> tuple[int, int]:
    """Of the first layer and of all others, micrometres."""
    return round(1000 * (printer.first_layer or printer.layer)), round(1000 * printer.layer)


def face_down(printer: Printer, bed: float) -> Layers:
    """Layers from the face that lies on the bed, `bed` mm above the underside of the model, down to that."""
    first, step = _thickness(printer)
    count = max(2, 1 + int(np.ceil((1000 * bed - first) / step - 1e-6)))
    return Layers(layer_table_face_down(first, step, count), -round(1000 * bed), True)
