"""A state machine over all edits of a job: references hold, undo and redo lead all the way, saving keeps
everything."""

from __future__ import annotations

from typing import Any

from hypothesis import HealthCheck, Phase, settings
from hypothesis import strategies as st
from hypothesis.stateful import (
    RuleBasedStateMachine,
    invariant,
    precondition,
    rule,
    run_state_machine_as_test,
)
from msgspec.structs import replace

from cutkey.core.addons.border import Border
from cutkey.core.addons.channel import Channel
from cutkey.core.addons.half import Half
from cutkey.core.addons.hole import Hole
from cutkey.core.addons.hollow import Hollow
from cutkey.core.addons.loop import Loop
from cutkey.core.addons.magnet import Magnet
from cutkey.core.addons.screw import ScrewHole
from cutkey.core.bodies.backing import BackingBase
from cutkey.core.bodies.coin import CoinBase
from cutkey.core.bodies.figure import FigureBase
from cutkey.core.bodies.plate import PlateBase
from cutkey.core.bodies.polygon import PolygonBase
from cutkey.core.bodies.ring import RingBase
from cutkey.core.digest import digest_bytes
from cutkey.core.engine.evaluate import Evaluator
from cutkey.core.errors import BadInput
from cutkey.core.model import table_edits as e
from cutkey.core.model.addon import AddOn
from cutkey.core.model.cuts import Cut, Keys, Seam
from cutkey.core.model.edits import (
    add_edit,
    add_graphic,
    another_of_source,
    assign,
    change_cut,
    change_placement,
    limit_cut,
    move_placement,
    place,
    remove_cut,
    remove_graphic,
    remove_placement,
    set_depth,
    set_keys,
    set_scale,
)
from cutkey.core.model.filament import Filament
from cutkey.core.model.file import job_bytes, read_job
from cutkey.core.model.history import History
from cutkey.core.model.job import Job, Source, new_id
from cutkey.core.model.placement import Copies, Depth
from cutkey.core.model.validate import problem_of

_SVG = (
    b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 24"><path fill="#101010" d="M0 0H24V24H0ZM8'
    b' 8V16H16V8Z"/><path fill="#d0a020" d="M24 0H40V12H24Z"/></svg>'
)
_UP = (0.0, 0.0, 1.0)
_mm = st.sampled_from((-30.0, -7.5, -0.4, 0.0, 0.2, 0.8, 3.0, 12.0, 45.0))
_size = st.sampled_from((0.4, 1.0, 3.0, 8.0, 20.0, 60.0))
_which = st.integers(0, 7)
_colours = st.sampled_from(("#101010", "#d0a020", "#c03020", "body"))


class Jobs(RuleBasedStateMachine):
    """Every rule is an edit that the window can make."""

    def __init__(self) -> None:
        super().__init__()
        self.sources = {digest_bytes(_SVG): _SVG}
        job, _ = add_graphic(
            Job(base=PlateBase(60.0, 40.0, 3.0)), Source(digest_bytes(_SVG), "a.svg", "drawing"), 24.0
        )
        self.start = job
        self.history = History(job)
        self.steps = 0

    @property
    def job(self) -> Job:
        return self.history.job

    def edit(self, job: Job) -> None:
        if job != self.job and not problem_of(job):
            self.steps += 1
            self.history.edit(f"step {self.steps}", job)

    def pick(self, things: tuple[Any, ...], k: int) -> Any:
        return things[k % len(things)]

    @rule(width=_size)
    def take_a_drawing(self, width: float) -> None:
        self.edit(add_graphic(self.job, Source(digest_bytes(_SVG), "a.svg", "drawing"), width)[0])

    @rule(k=_which, a=_size, b=_size)
    def make_a_body(self, k: int, a: float, b: float) -> None:
        made: list[Any] = [
            PlateBase(a, b, 3.0, 1.0),
            CoinBase(a, b),
            RingBase(a, a / 2, b),
            PolygonBase(5, a, b, "chamfer"),
        ]
        if self.job.graphics:
            made += [
                BackingBase(self.pick(self.job.graphics, k).id, a / 10, b),
                FigureBase(self.pick(self.job.graphics, k).id, b),
            ]
        self.edit(replace(self.job, base=self.pick(tuple(made), k)))

    @precondition(lambda self: self.job.graphics)
    @rule(
        k=_which,
        what=st.sampled_from(("remove", "twin", "scale", "delete", "text", "move", "cut", "bend", "round")),
        mm=_size,
    )
    def change_a_graphic(self, k: int, what: str, mm: float) -> None:
        spec = self.pick(self.job.graphics, k)
        edits: dict[str, e.Edit] = {
            "delete": e.Delete(((-0.2 * mm, 0.0),)),
            "text": e.AddText("{} fi.", (0.0, 0.0), mm / 4, "#c03020"),
            "move": e.Move(((0.0, 0.0),), ((mm, 0.0),), True),
            "cut": e.Cut((-mm, 1.0), (mm, -1.0), 0.3),
            "bend": e.Bend(
                first=((-mm, mm / 3),),
                through=((0.0, mm / 3),),
                last=((mm, mm / 3),),
                curves=(((-mm, mm / 3), (0.0, mm), (0.0, -mm), (mm, mm / 3)),),
            ),
            "round": e.Round(((0.0, 0.0),), mm / 10),
        }
        if what == "remove":
            self.edit(remove_graphic(self.job, spec.id))
        elif what == "twin":
            self.edit(another_of_source(self.job, spec, mm)[0])
        elif what == "scale":
            self.edit(set_scale(self.job, spec, mm))
        else:
            self.edit(add_edit(self.job, spec, edits[what], None))

    @precondition(lambda self: self.job.graphics and self.job.base)
    @rule(
        k=_which,
        x=_mm,
        y=_mm,
        mode=st.sampled_from(("raised", "recessed", "flush", "through", "level")),
        mm=_size,
    )
    def lay_a_graphic(self, k: int, x: float, y: float, mode: Any, mm: float) -> None:
        self.edit(
            place(self.job, self.pick(self.job.graphics, k).id, (x, y, 3.0), _UP, Depth(mode, mm / 10))[0]
        )

    @precondition(lambda self: self.job.placements)
    @rule(
        k=_which,
        what=st.sampled_from(("remove", "earlier", "move", "copies", "mirror", "depth", "follow")),
        mm=_mm,
        colour=_colours,
    )
    def change_a_placement(self, k: int, what: str, mm: float, colour: str) -> None:
        p = self.pick(self.job.placements, k)
        changed: dict[str, Any] = {
            "move": lambda: replace(p, offset=(mm, -mm), spin=mm),
            "copies": lambda: replace(p, copies=Copies("ring" if mm > 0 else "grid", (2, 1), (12.0, 5.0))),
            "mirror": lambda: replace(p, mirror=not p.mirror),
            "depth": lambda: set_depth(p, Depth("recessed", abs(mm) / 4, colour)),
            "follow": lambda: replace(p, follow="project" if mm > 0 else "wrap", margin=abs(mm) / 10),
        }
        if what == "remove":
            self.edit(remove_placement(self.job, p.id))
        elif what == "earlier":
            self.edit(move_placement(self.job, p.id, -1 if mm < 0 else 1))
        else:
            self.edit(change_placement(self.job, changed[what]()))

    @precondition(lambda self: self.job.base)
    @rule(k=_which, x=_mm, y=_mm, mm=_size)
    def add_to_the_body(self, k: int, x: float, y: float, mm: float) -> None:
        features = (
            Hole(mm / 4),
            ScrewHole(),
            Loop(),
            Magnet(mm / 2),
            Border(mm / 20),
            Hollow(1.2, 0.8),
            Channel(mm, width=2),
            Half(),
        )
        if k == 7 and self.job.addons:
            self.edit(replace(self.job, addons=self.job.addons[1:]))
        else:
            self.edit(
                replace(
                    self.job,
                    addons=(*self.job.addons, AddOn(new_id(), self.pick(features, k), (x, y, 3.0), _UP)),
                )
            )

    @rule(
        k=_which,
        at=_mm,
        axis=st.sampled_from("xyz"),
        what=st.sampled_from(("add", "move", "remove", "limit", "seam", "bed")),
    )
    def change_the_cuts(self, k: int, at: float, axis: Any, what: str) -> None:
        cuts = self.job.cuts
        n = k % max(1, len(cuts))
        if what == "bed":
            self.edit(
                replace(
                    self.job, printer=replace(self.job.printer, bed=(40.0 + 10 * k, 40.0, 60.0), margin=1.0)
                )
            )
        elif what == "add" or not cuts:
            if len(cuts) < 4:
                self.edit(replace(self.job, cuts=(*cuts, Cut(axis, at, tilt=at / 3))))
        elif what == "move":
            self.edit(change_cut(self.job, n, replace(cuts[n], at=at)))
        elif what == "remove":
            self.edit(remove_cut(self.job, n))
        elif what == "limit":
            self.edit(limit_cut(self.job, n, (at, -at, 1.0) if k % 2 else None))
        else:
            self.edit(
                change_cut(
                    self.job,
                    n,
                    replace(cuts[n], seam=Seam("wave" if k % 2 else "straight", pitch=8.0, reach=3.0)),
                )
            )

    @rule(
        kind=st.sampled_from(("auto", "dowel", "tenon", "magnet", "none")),
        scope=st.sampled_from(("all", "cut", "joint")),
        k=_which,
    )
    def change_the_keys(self, kind: str, scope: Any, k: int) -> None:
        self.edit(set_keys(self.job, Keys(kind, float(k)), scope, k % max(1, len(self.job.cuts)), (1.0, 2.0)))

    @rule(k=_which, colour=_colours)
    def change_the_rack(self, k: int, colour: str) -> None:
        if k < 3:
            self.edit(replace(self.job, rack=(*self.job.rack[: k + 1], Filament(f"New {k}", "#8a6fa8"))))
        elif k < 6:
            self.edit(assign(self.job, colour, self.pick(self.job.rack, k).name))
        else:
            self.edit(
                replace(self.job, series="1-3" if k == 6 else "", gauge=replace(self.job.gauge, on=k == 7))
            )

    @rule(back=st.integers(1, 4), forth=st.integers(0, 4))
    def undo_and_redo(self, back: int, forth: int) -> None:
        for _ in range(back):
            self.history.undo()
        for _ in range(forth):
            self.history.redo()

    @rule()
    def save_and_open(self) -> None:
        job, sources = read_job(job_bytes(self.job, self.sources), "walk.cutkey")
        assert job == self.job and sources.items() <= self.sources.items()

    @invariant()
    def it_makes_sense(self) -> None:
        assert problem_of(self.job) == ""

    def teardown(self) -> None:
        here = self.job
        while self.history.undo_text:
            self.history.undo()
        assert self.job == self.start
        while self.history.redo_text:
            self.history.redo()
        for job in {id(j): j for j in (here, self.job)}.values():
            try:
                Evaluator(self.sources).kit(job)
            except BadInput as error:
                # Said in one sentence.
                assert str(error).endswith((".", "?")) and "\n" not in str(error)


def walk_jobs(sequences: int, steps: int = 12) -> None:
    """Walk so many times; raises with the shortest walk that breaks a law."""
    how = settings(
        max_examples=sequences,
        stateful_step_count=steps,
        deadline=None,
        derandomize=True,
        database=None,
        phases=(Phase.generate, Phase.shrink),
        suppress_health_check=list(HealthCheck),
    )
    run_state_machine_as_test(Jobs, settings=how)
