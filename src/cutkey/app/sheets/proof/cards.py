"""Findings as cards.

The place in a small picture, mends that are tried first, and decisions to leave something as it is.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial
from typing import NamedTuple

from msgspec.structs import replace
from PySide6.QtCore import QCoreApplication
from PySide6.QtWidgets import QApplication, QHBoxLayout, QLabel, QLineEdit, QMenu, QVBoxLayout, QWidget

from cutkey.app.engine import Question
from cutkey.app.sheets.base import Desk
from cutkey.app.sheets.proof.place_pictures import HALF, PlacePictures, frame
from cutkey.app.stage.item import Item
from cutkey.app.theme import theme
from cutkey.app.widgets.basics import Card, allow, button, context_menu, label, row
from cutkey.app.widgets.struct_form import said
from cutkey.core.mends import mend_of, mends_of
from cutkey.core.mends.kind import Mend
from cutkey.core.model.accepted import accepted, covers
from cutkey.core.model.finding import Finding, changes
from cutkey.core.model.job import Job
from cutkey.worker.shown_mended import LyingView, MendedAll, MendedView

ICONS = {
    "stop": ("stop", "madder"),
    "look at": ("look", "madder"),
    "accepted": ("look", "moss"),
    "sound": ("sound", "moss"),
}


def _tr(text: str) -> str:
    return QCoreApplication.translate("FindingCards", text)


class _Trial(NamedTuple):
    """A mend that is tried before it is made."""

    finding: Finding
    mend: Mend
    before: Job
    after: Job
    view: MendedView | None = None
    # the piece as it lies before and after, where that is what changes
    lying: tuple[LyingView | None, ...] = (None, None)

    @property
    def of_print(self) -> bool:
        """Whether its finding is of the print of the kit."""
        return self.finding.kind == "rehearsal"


class FindingCards:
    """Makes cards of findings; `changed` shows them anew, `items` gives the bodies that the pictures show."""

    def __init__(self, desk: Desk, changed: Callable[[], None], items: Callable[[], Sequence[Item]]) -> None:
        self._desk, self._changed, self._items = desk, changed, items
        self._pictures = PlacePictures(desk.stage)
        self._trial: _Trial | None = None
        self._deciding: tuple[str, ...] | None = None  # the finding whose reason is being written
        self._mending: Question | None = None  # all mends that cost nothing

    @property
    def state(self) -> tuple[object, ...]:
        """What cards show besides their findings: equal while they need not be made anew."""
        return self._trial, self._deciding

    # -- cards
    def card(
        self,
        finding: Finding,
        picked: bool = False,
        show: Callable[[], None] | None = None,
        title: str = "",
        picture: QLabel | None = None,
        show_text: str = "",
    ) -> Card:
        """A card; `show` goes to the place, `picture` is one of it that is not of the stage."""
        mark = QLabel()
        mark.setPixmap(theme.icon(*ICONS[finding.severity]).pixmap(20, 20))
        named = (
            f"{finding.title}: {finding.piece}"
            if finding.piece and finding.severity != "sound"
            else finding.title
        )
        card = Card(title or named, finding.text, mark)
        card.set_state(picked=picked, alarm=finding.waits)
        if finding.severity == "accepted":
            card.add_below(label(_tr("left so: {0}").format(finding.reason), "small", wrap=True))
            again = button(_tr("look at it again"), "link")
            again.clicked.connect(partial(self._decide_again, finding))
            card.add_below(row(again, 1))
        if not finding.waits:
            return card
        tried = self._trial
        if tried is not None and tried.finding.about == finding.about and tried.before == self._desk.job:
            card.add_below(self._trial_rows(tried))
            return card
        items = self._items()
        if picture is not None:
            card.add_below(picture)
        elif finding.place is not None and show is not None and items and not show_text:
            card.add_below(self._pictures.label(finding, items))
        for mend in mends_of(self._desk.job, finding):
            b = button(
                _tr("mend: {0}").format(said(mend.label)),
                mend.icon,
                tip=said(mend.cost(self._desk.job, finding)),
            )
            b.clicked.connect(partial(self.mend, finding, mend))
            card.add_below(b)
        links = []
        if show is not None:
            b = button(show_text or _tr("show the place"), "link")
            b.clicked.connect(lambda: show())
            links.append(b)
        if finding.severity == "look at" and self._deciding == finding.about:
            card.add_below(self._decision(finding))
        elif finding.severity == "look at":
            b = button(
                _tr("leave it so…"), "link", tip=_tr("With a reason, which is kept and printed on the sheet")
            )
            b.clicked.connect(partial(self._begin, finding))
            links.append(b)
        if links:
            card.add_below(row(*links, 1, spacing=14))
        card.context = partial(self.menu, finding, show)
        return card

    def menu(self, finding: Finding, show: Callable[[], None] | None) -> QMenu:
        """What can be done about a finding."""
        menu = context_menu(self._desk.stage)
        for mend in mends_of(self._desk.job, finding):
            menu.addAction(said(mend.label).capitalize()).triggered.connect(partial(self.mend, finding, mend))
        place = menu.addAction(_tr("Show the place"))
        allow(place, "" if show is not None else _tr("It is of the whole, not of one place"))
        if show is not None:
            place.triggered.connect(lambda _=False: show())
        text = f"{finding.title}: {finding.text}"
        menu.addAction(_tr("Copy its words")).triggered.connect(
            lambda _=False: QApplication.clipboard().setText(text)
        )
        return menu

    # -- mends
    def mend(self, finding: Finding, mend: Mend | None = None, _checked: bool = False) -> None:
        """Do it at once where it is a command of the window.

        Else show first what it would change. The first way where none is said.
        """
        job = self._desk.job
        mend = mend or mend_of(job, finding)
        if mend is None:
            return
        if mend.command:
            self._desk.commands[mend.command]()
            return
        self._trial = trial = _Trial(finding, mend, job, mend.apply(job, finding))
        self._desk.engine.look(
            trial.after, "mended rehearsed" if trial.of_print else "mended", partial(self._tried, trial)
        )
        for n, one in enumerate((job, trial.after) if finding.side is not None else ()):
            self._desk.engine.look(one, f"lying {finding.of}", partial(self._lies, trial, n))
        self._changed()

    def _tried(self, trial: _Trial, view: MendedView | None) -> None:
        if self._trial is not None and self._trial.after is trial.after:
            self._trial = self._trial._replace(view=view)
            self._changed()

    def _lies(self, trial: _Trial, n: int, view: LyingView | None) -> None:
        if self._trial is not None and self._trial.after is trial.after:
            lying = self._trial.lying
            self._trial = self._trial._replace(lying=(view, lying[1]) if n == 0 else (lying[0], view))
            self._changed()

    def _trial_rows(self, trial: _Trial) -> QWidget:
        holder = QWidget()
        rows = QVBoxLayout(holder)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(5)
        cost = said(trial.mend.cost(trial.before, trial.finding))
        rows.addWidget(
            label(
                _tr("{0}: {1}").format(said(trial.mend.label), cost or _tr("it costs nothing")),
                "small",
                wrap=True,
            )
        )
        if trial.view is None:
            rows.addWidget(label(_tr("trying it…"), "small"))
        else:
            rows.addLayout(self._before_and_after(trial, trial.view))
            now, printed = self._desk.engine.kit, self._desk.engine.rehearsal
            before = [*(now.findings if now is not None else ())]
            before += [t.finding for t in printed.found] if trial.of_print and printed is not None else []
            gone, new = changes(before, trial.view.findings)
            rest = [_tr("gone: {0}").format(_names(gone))] if gone else [_tr("nothing goes by it")]
            rest += [_tr("new: {0}").format(_names(new))] if new else []
            rows.addWidget(label("; ".join(rest), "warn" if new or not gone else "small", wrap=True))
        do = button(_tr("mend it"), "main")
        allow(do, "" if trial.view is not None else _tr("It is being tried"))
        do.clicked.connect(self._do)
        leave = button(_tr("leave it"))
        leave.clicked.connect(self._leave)
        rows.addLayout(row(do, leave, 1))
        return holder

    def _before_and_after(self, trial: _Trial, view: MendedView) -> QHBoxLayout:
        place, before = trial.finding.place, self._items()
        after = [Item(f"mended {c}", mesh, printed) for c, printed, mesh in view.parts]
        if trial.finding.side is not None:
            lying = [v.parts if v is not None else [] for v in trial.lying]
            place, (before, after) = (
                None,
                ([Item(f"lying {n}", mesh, c) for n, (c, mesh) in enumerate(parts)] for parts in lying),
            )
        line = row(spacing=6)
        if (place is None and trial.finding.side is None) or not before or not after:
            return line
        for name, items in ((_tr("before"), before), (_tr("after"), after)):
            shown = frame(name, HALF)
            self._pictures.draw(shown, place, items, lambda _: None)
            box = QVBoxLayout()
            box.setSpacing(1)
            box.addWidget(shown)
            box.addWidget(label(name, "small"))
            line.addLayout(box)
        line.addStretch(1)
        return line

    def _do(self, _checked: bool = False) -> None:
        trial, self._trial = self._trial, None
        if trial is not None and trial.before == self._desk.job:
            self._desk.document.edit(said(trial.mend.label), trial.after)

    def _leave(self, _checked: bool = False) -> None:
        self._trial = None
        self._changed()

    def free(self, findings: Sequence[Finding]) -> int:
        """How many of them can be mended at no cost."""
        job = self._desk.job
        mends = [(f, mend_of(job, f)) for f in findings if f.waits]
        return sum(m is not None and not m.command and not m.cost(job, f) for f, m in mends)

    def mend_all(self, _checked: bool = False) -> None:
        """Everything that costs nothing, in one step."""
        job = self._desk.job
        if not self._desk.engine.awaits(self._mending):
            self._mending = self._desk.engine.look(job, "mends", partial(self._mended_all, job))

    def _mended_all(self, job: Job, found: MendedAll) -> None:
        if job == self._desk.job and found.done:
            self._desk.document.edit(_tr("mend what costs nothing"), found.job)
        elif not found.done:
            self._desk.message.say(_tr("None of them goes without another finding; mend them one by one."))

    # -- decisions
    def _decision(self, finding: Finding) -> QHBoxLayout:
        """Leaving a finding as it is, with a reason."""
        field = QLineEdit()
        field.setAccessibleName(_tr("Why it may stay"))
        field.setPlaceholderText(_tr("why it may stay"))
        done = button(_tr("accept"))
        for signal in (done.clicked, field.returnPressed):
            signal.connect(lambda *_: self._accept(finding, field.text()))
        field.setFocus()
        return row(field, done, spacing=4)

    def _begin(self, finding: Finding, _checked: bool = False) -> None:
        self._deciding = finding.about
        self._changed()

    def _accept(self, finding: Finding, reason: str) -> None:
        self._deciding = None
        if reason.strip():
            job = self._desk.job
            self._desk.document.edit(
                _tr("leave a finding as it is"),
                replace(job, accepted=(*job.accepted, accepted(finding, reason.strip()))),
            )
        else:
            self._changed()

    def _decide_again(self, finding: Finding, _checked: bool = False) -> None:
        job = self._desk.job
        self._desk.document.edit(
            _tr("look at it again"),
            replace(job, accepted=tuple(a for a in job.accepted if not covers(a, finding))),
        )


def _names(findings: Sequence[Finding]) -> str:
    names = list(dict.fromkeys(f"{f.title}: {f.piece}" if f.piece else f.title for f in findings))
    return ", ".join(names[:3]) + (_tr(" and {0} more").format(len(names) - 3) if len(names) > 3 else "")
