"""Proposed cuts: the best are taken, the others stay one click away."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from cutkey.app.sheets.base import Desk
from cutkey.app.widgets.basics import allow, button, clear, label, row
from cutkey.app.widgets.struct_form import said
from cutkey.core.model.cuts import HOW, Plan


class Proposals(QObject):
    """A button that asks for cuts, and the plans that were not taken."""

    def __init__(self, desk: Desk) -> None:
        super().__init__()
        self._desk = desk
        self.plans: list[Plan] = []
        self._of: object = None  # what they were made for
        self.button = button(
            self.tr("propose cuts"),
            "cut",
            "cut",
            self.tr("As few sections as the bed allows, cut where it does least harm"),
        )
        self.button.clicked.connect(self.propose)
        self.others = QWidget()
        self.row = row(spacing=2)
        self.others.setLayout(self.row)
        self.others.hide()

    def refresh(self) -> None:
        """Show what else there is for the job as it is."""
        job = self._desk.job
        self.button.setText(self.tr("propose cuts again") if job.cuts else self.tr("propose cuts"))
        allow(
            self.button,
            "" if self._desk.engine.design is not None else self.tr("There is nothing to cut yet"),
        )
        clear(self.row)
        if self._of != self._design():
            self.plans = []
        names = {"grid": self.tr("{0} in a grid"), "lying": self.tr("{0} lying")}
        if len(self.plans) > 1 or job.cuts not in [p.cuts for p in self.plans]:
            for plan in self.plans:
                if plan.cuts == job.cuts:
                    continue
                name = names.get(plan.how) or self.tr("{0} in rows")
                b = button(
                    name.format(plan.sections),
                    "flat",
                    tip=self.tr("Take these cuts instead: {0}").format(said(HOW[plan.how])),
                )
                b.setAccessibleName(
                    self.tr("Other plan: {0} sections, {1}").format(plan.sections, said(HOW[plan.how]))
                )
                b.clicked.connect(lambda _=False, p=plan: self._take(p))
                self.row.addWidget(b)
        if self.row.count():
            self.row.insertWidget(0, label(self.tr("or"), "caption"))
            self.row.addStretch(1)
        self.others.setVisible(self.row.count() > 0)

    def propose(self, _checked: bool = False) -> None:
        """Ask for the best cuts."""
        if self._desk.engine.design is not None:
            self._desk.engine.propose(self._proposed)

    def _proposed(self, plans: list[Plan]) -> None:
        desk = self._desk
        self.plans, self._of = plans, self._design()
        if not plans:
            desk.message.say(
                self.tr(
                    "No sensible cuts make this design fit the bed; check its size, or choose a larger"
                    " printer."
                )
            )
            return
        if plans[0].cuts != desk.job.cuts:
            desk.document.edit(self.tr("propose cuts"), replace(desk.job, cuts=plans[0].cuts))
        else:
            self.refresh()
        if not plans[0].cuts:
            many = self.tr("Each of the {0} bodies fits the bed as it is; no cut is needed.").format(
                plans[0].sections
            )
            text = (
                many
                if plans[0].sections > 1
                else self.tr("The design fits the bed as it is; no cut is needed.")
            )
            desk.message.say(text, calm=True)

    def _design(self) -> object:
        """All that plans depend on."""
        return (j := self._desk.job).base, j.addons, j.graphics, j.placements, j.printer

    def _take(self, plan: Plan) -> None:
        self._desk.document.edit(self.tr("take other cuts"), replace(self._desk.job, cuts=plan.cuts))
