"""Tools of the light table, and the brightness of the picture under them."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QScrollArea, QVBoxLayout, QWidget

from cutkey.app.sheets.trace.node_card import NodeCard
from cutkey.app.sheets.trace.piece_tools import PieceTools
from cutkey.app.table.histogram import Histogram
from cutkey.app.widgets.basics import button, row


class ToolStrip(QWidget):
    """A button a tool; in a narrow window they scroll sideways."""

    def __init__(self, pieces: PieceTools, nodes: NodeCard, histogram: Histogram) -> None:
        super().__init__()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 10, 0)
        layout.setSpacing(0)
        self.tools: list[QPushButton] = []
        for text, tip, run in (
            (self.tr("lasso"), self.tr("Pick every piece inside a drawn line"), pieces.lasso),
            (self.tr("measure"), self.tr("Two places and their true distance give the size"), pieces.measure),
            (self.tr("cut"), self.tr("Cut along a line"), pieces.cut),
            (self.tr("mirror"), self.tr("Mirror a half into a whole"), pieces.mirror),
            (
                self.tr("straighten"),
                self.tr("Make an edge straight between two of its places"),
                pieces.straighten,
            ),
            (self.tr("move edge"), self.tr("Drag an edge to where it belongs"), pieces.move_node),
            (
                self.tr("nodes"),
                self.tr("Nodes and handles of the curves: moved, smooth or sharp, put in, taken out"),
                nodes.take_up,
            ),
        ):
            b = button(text, "segment", tip=tip)
            b.clicked.connect(lambda _=False, run=run: run())
            self.tools.append(b)
        holder = QWidget()
        holder.setLayout(row(*self.tools, 1, spacing=4))
        scroll = QScrollArea()
        scroll.setWidget(holder)
        scroll.setWidgetResizable(True)
        scroll.setFixedHeight(32)
        scroll.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        layout.addWidget(scroll)
        layout.addWidget(histogram, 1)
