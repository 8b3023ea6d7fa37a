"""The printer: how much fits on its bed, how fine it draws."""

from __future__ import annotations

import msgspec


class Printer(msgspec.Struct, frozen=True):
    """A desktop printer; lengths in mm."""

    name: str = "Bench 235"
    bed: tuple[float, float, float] = (235.0, 235.0, 250.0)
    margin: float = 5.0  # kept free along each edge of the bed
    nozzle: float = 0.4
    layer: float = 0.2

    @property
    def usable(self) -> tuple[float, float, float]:
        """Largest section in x, y and z."""
        return self.bed[0] - 2 * self.margin, self.bed[1] - 2 * self.margin, self.bed[2]

    def takes(self, size: tuple[float, float, float]) -> bool:
        """Whether a box of this size fits, as it lies or turned by 90 degrees."""
        ux, uy, uz = self.usable
        slack = 1e-6
        upright = size[0] <= ux + slack and size[1] <= uy + slack
        turned = size[1] <= ux + slack and size[0] <= uy + slack
        return size[2] <= uz + slack and (upright or turned)
