"""What the Split sheet draws on the stage: rulers, cuts, keys with their distances, names of sections."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from PySide6.QtCore import QPointF
from PySide6.QtGui import QPainter, QPen

from cutkey.app.drafting import dimension, note
from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.split.name_places import name_places, outlines_in_model
from cutkey.app.sheets.split.rulers import Rulers
from cutkey.app.theme import theme
from cutkey.core.split.naming import cut_letters
from cutkey.core.split.plane import plane_of
from cutkey.core.units import format_mm
from cutkey.worker.shown_kit import JointView, KitView, SectionsView


class SplitDrawing:
    """Draws over the sections; the rulers are the sheet's, which takes hold of them."""

    def __init__(self, desk: Desk, rulers: Rulers) -> None:
        self._desk, self.rulers = desk, rulers
        self._picked = self._joint = -1
        self._apart = False
        self._names: tuple[KitView, object, dict[str, np.ndarray]] | None = None

    def paint(self, painter: QPainter, picked: int, joint: int, apart: bool) -> None:
        """Rulers with brackets and tabs, cuts, keys with their distances.

        Parameters
        ----------
        picked, joint : int
            The picked cut and joint, -1 for none.
        apart : bool
            The sections are drawn apart: then only their names belong on them.
        """
        self._picked, self._joint, self._apart = picked, joint, apart
        engine = self._desk.engine
        if engine.nearest == "sections" and engine.sections is not None:
            self._paint_bare(painter, engine.sections)
            return
        if engine.nearest == "design" and engine.design is not None:
            boxes = np.array([mesh.box for _, _, mesh in engine.design.parts])
            self._paint_cuts(painter, boxes[:, 0].min(0), boxes[:, 1].max(0))
            return
        kit = engine.kit if engine.kit and len(engine.kit.cuts) == len(self._desk.job.cuts) else None
        if kit is None or apart:
            self._paint_names(painter)
            return
        for number, _, peg, _ in kit.setting.pieces if kit.setting else ():
            top = (*peg, kit.low[2] + self._desk.job.gauge.height)
            note(painter, self._desk.stage.to_widget(top) - QPointF(0, 12), str(number), "ultramarine")
        self.rulers.low, self.rulers.high = np.array(kit.low), np.array(kit.high)
        self.rulers.paint(painter, self._desk.job.cuts, self._too_large(kit), self._desk.job.printer.usable)
        middle = (self.rulers.low + self.rulers.high) / 2
        for i, (cut, view) in enumerate(zip(self._desk.job.cuts, kit.cuts, strict=True)):
            # While a tab is dragged its line is there at once; the faces follow when they are computed.
            plane = plane_of(cut, middle)
            same = np.allclose(plane.turn, view.plane.turn) and abs(plane.height - view.plane.height) < 1e-6
            faces = [r for j in kit.joints if j.cut == i for r in j.face.rings()] if same else []
            self.rulers.paint_cut(painter, cut, plane, view.letter, i == self._picked, faces)
        for n, one in enumerate(kit.joints):
            for key in one.keys:
                p = self._desk.stage.to_widget(key.centre)
                painter.setPen(QPen(theme.colour("ultramarine"), 1.5))
                painter.setBrush(theme.colour("ultramarine" if n == joint else "ultramarine_wash"))
                painter.drawEllipse(p, 4.2, 4.2)
        if 0 <= joint < len(kit.joints):
            self._paint_distances(painter, kit.joints[joint])
        self._paint_names(painter)

    def _paint_bare(self, painter: QPainter, bare: SectionsView) -> None:
        """New sections whose keys are still being set.

        Rulers, cuts and names, and nothing of the kit before.
        """
        if not self._apart:
            self._paint_cuts(painter, np.array(bare.low), np.array(bare.high))
        shifts = {i.key: i.shift for i in self._desk.stage.items}
        for section in bare.sections:
            shift = np.array(shifts.get(f"{section.name} 0", (0, 0, 0)))
            top = np.array(section.low) + np.array(section.size) * (0.5, 0.5, 1.0) + shift
            note(painter, self._desk.stage.to_widget(top), section.name, "ink")

    def _paint_cuts(self, painter: QPainter, low: np.ndarray, high: np.ndarray) -> None:
        """Rulers and cuts of the job as it is now, over what they divide."""
        job = self._desk.job
        self.rulers.low, self.rulers.high = low, high
        self.rulers.paint(painter, job.cuts, [], job.printer.usable)
        middle = (low + high) / 2
        for i, (cut, letter) in enumerate(zip(job.cuts, cut_letters(job.cuts), strict=True)):
            self.rulers.paint_cut(painter, cut, plane_of(cut, middle), letter, i == self._picked, [])

    @staticmethod
    def _too_large(kit: KitView) -> list[tuple[tuple[float, ...], tuple[float, ...]]]:
        """Boxes of sections that the bed does not take."""
        large = [kit.units[s.unit] for s in kit.spots if not s.fits]
        return [(u.low, tuple(a + b for a, b in zip(u.low, u.size, strict=True))) for u in large]

    def _paint_distances(self, painter: QPainter, joint: JointView) -> None:
        """Dimensions between the keys of a joint, over the design's upper edge."""
        if len(joint.keys) < 2:
            return
        top = float(joint.face.points[:, 1].max())
        for a, b in pairwise(sorted(joint.keys, key=lambda k: (k.u, k.v))):
            p, q = (self._desk.stage.to_widget(joint.plane.lift(k.u, top)) for k in (a, b))
            if abs(p.x() - q.x()) + abs(p.y() - q.y()) > 40:
                dimension(painter, p, q, format_mm(float(np.hypot(a.u - b.u, a.v - b.v)), 1), lift=14)

    def _paint_names(self, painter: QPainter) -> None:
        kit = self._desk.engine.kit
        if kit is None:
            return
        units = [u for u in kit.units if not u.is_key and u.pieces]
        design = self._desk.engine.design
        if self._names is None or self._names[0] is not kit or self._names[1] is not design:
            outlines = outlines_in_model(design, self._desk.job.placements, self._desk.engine.graphics)
            self._names = kit, design, name_places(units, outlines)
        shifts = {i.key: i.shift for i in self._desk.stage.items}
        for unit in units:
            shift = np.array(shifts.get(unit.pieces[0][0], (0, 0, 0)))
            note(painter, self._desk.stage.to_widget(self._names[2][unit.name] + shift), unit.name, "ink")
