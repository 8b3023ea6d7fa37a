"""What is chosen for a trace: a card each for edges, background, regions, specks and shape."""

from __future__ import annotations

from collections.abc import Callable
from typing import Protocol

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QCheckBox, QComboBox

from cutkey.app.widgets.basics import Card, Segments, row
from cutkey.app.widgets.fold import FoldingCard
from cutkey.app.widgets.number_field import NumberField
from cutkey.core.model.tracing import TraceSettings


class Setter(Protocol):
    """Takes what was changed, whether the change goes on, and the new values by field."""

    def __call__(self, what: str, merge: bool = False, **changes: object) -> None:
        """Take it."""


class SettingsCards(QObject):
    """The cards.

    Parameters
    ----------
    change : Setter
    background : callable
        Takes "auto", "none" or "click".
    mark_box : callable
        Makes a switch for something drawn over the trace, of its key, text and tip.
    """

    def __init__(
        self,
        change: Setter,
        background: Callable[[str], None],
        mark_box: Callable[[str, str, str], QCheckBox],
    ) -> None:
        super().__init__()
        self._set = change
        self.smooth = QCheckBox()
        self.smooth.setAccessibleName(self.tr("Clean edges"))
        self.smooth.clicked.connect(lambda on: self._set("clean edges", smooth=on))
        self.smooth_card = Card(self.tr("Clean edges"), "", self.smooth)
        self.smooth_card.setToolTip(
            self.tr("Noise is smoothed and blur undone, only as strongly as the picture asks for")
        )
        self.background = Segments(
            self.tr("Background"),
            (
                ("auto", self.tr("away"), self.tr("Take away what touches the picture's border")),
                ("none", self.tr("keep"), self.tr("Trace the background too")),
                ("click", self.tr("click…"), self.tr("Click a colour in the picture to take it away")),
            ),
        )
        self.background.chosen.connect(background)
        self.inside = QCheckBox(self.tr("inside the figure too"))
        self.inside.setToolTip(
            self.tr("Also take away areas of the background's colour that the figure encloses, as in letters")
        )
        self.inside.clicked.connect(lambda on: self._set("background inside", everywhere=on))
        self.background_card = FoldingCard("trace.background", self.tr("Background"))
        self.background_card.add_below(self.background)
        self.background_card.add_below(self.inside)
        self.mode = Segments(
            self.tr("Regions by"),
            (
                ("colours", self.tr("colour"), self.tr("One region a colour")),
                (
                    "threshold",
                    self.tr("threshold"),
                    self.tr("Dark against light, at one threshold of brightness"),
                ),
                (
                    "levels",
                    self.tr("several"),
                    self.tr("Several thresholds, and a region between each two: for relief by level"),
                ),
                (
                    "pixels",
                    self.tr("pixels"),
                    self.tr("Pixel art: every pixel stays a square of its own colour"),
                ),
            ),
        )
        self.mode.chosen.connect(lambda m: self._set("regions", mode=m))
        self.count = NumberField(
            self.tr("Number of colours"),
            "",
            0,
            64,
            1,
            0,
            self.tr("Without the background that is taken away; 0 finds the number"),
        )
        self.count.committed.connect(lambda v: self._set("number of colours", colours=int(v), thresholds=()))
        self.count.stepped.connect(
            lambda v: self._set("number of colours", colours=int(v), thresholds=(), merge=True)
        )
        self.light = QCheckBox(self.tr("light on dark"))
        self.light.setToolTip(self.tr("The figure is what is lighter than the threshold: chalk, a blueprint"))
        self.light.clicked.connect(lambda on: self._set("light on dark", light=on))
        self.mode_card = FoldingCard("trace.regions", self.tr("Regions by"))
        self.mode_card.add_below(self.mode)
        self.mode_card.add_below(self.light)
        self.mode_card.add_below(self.count)
        self.specks = NumberField(
            self.tr("Smallest piece"),
            "mm²",
            0,
            500,
            0.1,
            2,
            self.tr("Smaller pieces take the colour around them, they never become holes"),
        )
        self.widths = NumberField(
            self.tr("Least width"),
            "mm",
            0,
            50,
            0.1,
            2,
            self.tr("Pieces that are nowhere as wide as this take the colour around them too"),
        )
        for field, name in ((self.specks, "despeckle_mm2"), (self.widths, "despeckle_mm")):
            field.committed.connect(lambda v, n=name: self._set("speck limit", **{n: v}))
            field.stepped.connect(lambda v, n=name: self._set("speck limit", merge=True, **{n: v}))
        self.speck_card = FoldingCard("trace.specks", self.tr("Specks"))
        self.speck_card.add_below(row(self.specks, self.widths))
        self.speck_card.add_below(
            mark_box("specks", self.tr("ring them on the table"), self.tr("What took the colour around it"))
        )
        self.shape = QComboBox()
        self.shape.setAccessibleName(self.tr("Shape"))
        for key, text in (
            ("filled", self.tr("filled regions")),
            ("silhouette", self.tr("silhouette, holes filled")),
            ("linework", self.tr("line work")),
            ("outline", self.tr("outer outline at a distance")),
        ):
            self.shape.addItem(text, key)
        self.shape.activated.connect(lambda k: self._set("shape", shape=self.shape.itemData(k)))
        self.outline = NumberField(
            self.tr("Distance of the outline"),
            "mm",
            -50,
            200,
            0.5,
            2,
            self.tr("How far the outer outline lies outside the figure"),
        )
        self.outline.committed.connect(lambda v: self._set("outline", outline_mm=v))
        self.outline.stepped.connect(lambda v: self._set("outline", outline_mm=v, merge=True))
        self.shape_card = FoldingCard("trace.shape", self.tr("Shape"))
        self.shape_card.add_below(self.shape)
        self.shape_card.add_below(self.outline)
        self.of_picture = (self.smooth_card, self.background_card, self.mode_card, self.speck_card)

    def show_settings(self, t: TraceSettings) -> None:
        """Show what is chosen."""
        self.smooth.setChecked(t.smooth)
        self.background.set_choice(t.background)
        self.inside.setChecked(t.everywhere)
        self.mode.set_choice(t.mode)
        self.light.setVisible(t.mode == "threshold")
        self.light.setChecked(t.light)
        self.count.setVisible(t.mode != "threshold")
        self.count.set_value(t.colours)
        if t.colours == 0 and not self.count.hasFocus():
            self.count.setText(self.tr("automatic"))
            self.count.setModified(False)
        self.specks.set_value(t.despeckle_mm2)
        self.widths.set_value(t.despeckle_mm)
        self.shape.setCurrentIndex(self.shape.findData(t.shape))
        self.outline.setVisible(t.shape == "outline")
        self.outline.set_value(t.outline_mm)
