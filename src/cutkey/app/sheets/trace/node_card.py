"""What can be done with the picked node or edge."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QCoreApplication

from cutkey.app.sheets.base import Desk
from cutkey.app.table.nodes import Nodes
from cutkey.app.widgets.basics import Card, allow, button, row
from cutkey.core.curves import bending
from cutkey.core.curves.bending import Stretch
from cutkey.core.model.table_edits import Edit


def _tr(text: str) -> str:
    return QCoreApplication.translate("NodeCard", text)


class NodeCard(Card):
    """Shown while nodes are in the hand."""

    def __init__(self, desk: Desk, add: Callable[[str, Edit], None]) -> None:
        super().__init__(_tr("Nodes"), "")
        self._desk, self._add = desk, add
        self.tool: Nodes | None = None
        self._of: tuple[str, int] | None = None  # the graphic and the view that its curves were asked for
        self.set_state(picked=True)
        self.buttons = {}
        for key, text, tip, make in (
            (
                "smooth",
                _tr("smooth"),
                _tr("The boundary goes through the node without a corner"),
                self._smooth,
            ),
            (
                "corner",
                _tr("corner"),
                _tr("Each side leaves the node straight for its other end"),
                self._corner,
            ),
            (
                "out",
                _tr("take out"),
                _tr("One curve comes in the place of the two that meet here (Delete)"),
                self._out,
            ),
            ("straight", _tr("straight"), _tr("The edge becomes a straight line"), self._straight),
            ("in", _tr("add a node"), _tr("Where the edge was clicked; its shape stays"), self._in),
            (
                "alone",
                _tr("one handle"),
                _tr("A handle is moved without the one across, so that a corner may come of it"),
                self._alone,
            ),
        ):
            b = button(text, "segment", tip=tip)
            b.clicked.connect(lambda _=False, make=make: make())
            self.buttons[key] = b
        self.buttons["alone"].setCheckable(True)
        keys = list(self.buttons)
        self.add_below(row(*(self.buttons[k] for k in keys[:3]), spacing=4))
        self.add_below(row(*(self.buttons[k] for k in keys[3:]), spacing=4))
        self.hide()

    def take_up(self) -> None:
        """Take the nodes of the picked graphic in the hand."""
        prompt = _tr("drag a node, a handle or an edge")
        self.tool = Nodes(prompt, self._add, self._changed, self._laid_down)
        self._of = None
        self._desk.table.start(self.tool)
        self._desk.table.setFocus()
        self.refresh()

    def refresh(self) -> None:
        """Ask for the curves of the graphic as it is now."""
        spec, view = self._desk.spec(), self._desk.graphic_view()
        if self.tool is None or spec is None or view is None or view.draft:
            return
        of = spec.id, id(view)
        if of != self._of:
            self._of = of
            tool = self.tool

            def show(found: object) -> None:
                if self.tool is tool and self._of == of:
                    tool.show_curves(found)  # type: ignore[arg-type]  # as it was asked for
                    self._desk.table.update()

            self._desk.engine.look(self._desk.job, f"curves {spec.id}", show)
        self._changed()

    def _laid_down(self) -> None:
        self.tool = None
        self.hide()

    def _changed(self) -> None:
        tool = self.tool
        self.setVisible(tool is not None)
        if tool is None:
            return
        node, edge = tool.picked, tool.edge
        joint = node is not None and len(node.ends) != 2
        if node is not None:
            what = (
                _tr("{0} edges meet here").format(len(node.ends))
                if joint
                else _tr("smooth")
                if tool.smooth
                else _tr("a corner")
            )
            text = f"{node.place[0]:.2f}, {node.place[1]:.2f} mm: {what}"
        elif edge is not None:
            text = _tr("a straight edge") if tool.straight else _tr("a curved edge")
        else:
            text = _tr(
                "{0} nodes; click one, or an edge between two. Arrows move it, Page down goes to the next"
            ).format(len(tool.nodes))
        self.set_text(_tr("Nodes"), text)
        no_node = (
            _tr("Pick a node first")
            if node is None
            else _tr("More than two edges meet here")
            if joint
            else ""
        )
        for key in ("smooth", "corner", "out"):
            allow(self.buttons[key], no_node)
        for key in ("straight", "in"):
            allow(self.buttons[key], "" if edge is not None else _tr("Pick an edge first"))
        if edge is not None and tool.straight:
            allow(self.buttons["straight"], _tr("It is straight already"))

    # -- actions
    def _make(self, name: str, stretches: Callable[[Nodes], list[Stretch]]) -> None:
        if self.tool is not None:
            self.tool.make(name, stretches(self.tool))
            self._desk.table.setFocus()

    def _smooth(self) -> None:
        self._make(
            _tr("make a node smooth"), lambda t: bending.made_smooth(*t.curves, t.picked) if t.picked else []
        )

    def _corner(self) -> None:
        self._make(
            _tr("make a corner"), lambda t: bending.made_sharp(*t.curves, t.picked) if t.picked else []
        )

    def _out(self) -> None:
        self._make(
            _tr("take a node out"), lambda t: bending.without_node(*t.curves, t.picked) if t.picked else []
        )

    def _straight(self) -> None:
        self._make(
            _tr("straighten an edge"),
            lambda t: bending.made_straight(t.curves.control, t.edge[0]) if t.edge else [],
        )

    def _in(self) -> None:
        self._make(
            _tr("add a node"), lambda t: bending.with_node_in(t.curves.control, *t.edge) if t.edge else []
        )

    def _alone(self) -> None:
        if self.tool is not None:
            self.tool.alone = self.buttons["alone"].isChecked()
