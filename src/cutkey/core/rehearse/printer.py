"""A stand-in for a printer.

Takes a bed load, prints it by the rehearsal's time, asks for what must be done, and fails as printers do.

Nothing here waits: time is given to it by `run_on`, so a print of a day is tried in a moment.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Literal, NamedTuple

from cutkey.core.model.printer import Printer
from cutkey.core.units import format_mm, format_size

State = Literal["idle", "printing", "waiting", "off", "spoiled", "done"]
#: What it can be told to do wrong: run out of filament, lose a step, jam at a change, lose power.
Fault = Literal["runs out", "loses a step", "jams", "loses power"]
FAULTS: tuple[Fault, ...] = ("runs out", "loses a step", "jams", "loses power")
#: A wall that is thinner than this share of the nozzle is not printed (common practice, no source).
_THINNEST = 0.6


class PlannedLayer(NamedTuple):
    """A layer as it will be printed."""

    top: float  # mm
    seconds: float
    filaments: tuple[str, ...]  # in the order in which they are used


class Load(NamedTuple):
    """A bed load."""

    name: str
    size: tuple[float, float, float]  # mm, that it takes of the bed
    layers: tuple[PlannedLayer, ...]
    grams: Mapping[str, float]  # by filament
    thinnest: float = 0.0  # mm, the thinnest wall that is to be printed; 0 where nobody knows

    @property
    def filaments(self) -> tuple[str, ...]:
        """All that it needs, in the order of their first use."""
        return tuple(dict.fromkeys(f for layer in self.layers for f in layer.filaments))


class Told(NamedTuple):
    """Something it says."""

    seconds: float  # since the print began
    layer: int  # from 1, 0 before the first
    text: str


class StandIn:
    """A printer that is not there.

    Parameters
    ----------
    printer : Printer
        Whose bed, nozzle and number of filaments it has.
    loaded : sequence of str
        Filaments that are in it.
    change : float
        Seconds that a change of filament takes.
    """

    def __init__(self, printer: Printer, loaded: Sequence[str], change: float = 120.0) -> None:
        self.printer, self.change = printer, change
        self.loaded = list(loaded)
        self.state: State = "idle"
        self.load: Load | None = None
        self.log: list[Told] = []
        self.asks = ""  # what the maker must do, in words
        self._layer = self._part = 0
        self._left = 0.0  # seconds of what is being done
        self._now = ""  # the filament in the nozzle
        self._needs = ""  # the one that it waits for
        self._time = 0.0
        self._faults: list[tuple[Fault, int]] = []

    # -- what it is told
    def refuses(self, load: Load) -> str:
        """Why it does not take a load, "" when it does."""
        slack = 1e-6
        (x, y, z), (bx, by, bz) = load.size, self.printer.bed
        if x > bx + slack or y > by + slack or z > bz + slack:
            of = format_size(self.printer.bed)
            return (
                f"{load.name} takes {format_size(load.size)} mm of a bed of {of} mm; lay it out for this"
                " printer."
            )
        if not load.layers:
            return f"{load.name} has no layers; lay something on it."
        first = load.filaments[:1]
        missing = [f for f in (load.filaments if self._automatic(load) else first) if f not in self.loaded]
        if missing:
            return f"{load.name} needs {' and '.join(missing)}, which is not loaded; load it first."
        if 0 < load.thinnest < _THINNEST * self.printer.nozzle:
            wall, nozzle = format_mm(load.thinnest, 2), format_mm(self.printer.nozzle, 2)
            return (
                f"{load.name} has a wall of {wall} mm, which a nozzle of {nozzle} mm cannot draw; take a"
                " finer nozzle, or mend the wall."
            )
        return ""

    def start(self, load: Load) -> str:
        """Begin to print; why not, or ""."""
        why = (
            "It is busy; stop it first."
            if self.state in ("printing", "waiting", "off")
            else self.refuses(load)
        )
        if why:
            return why
        self.load, self.state, self.asks, self._needs = load, "printing", "", ""
        self._layer = self._part = 0
        self._time = 0.0
        self.log.clear()
        self._now = load.layers[0].filaments[0] if load.layers and load.layers[0].filaments else ""
        self._say(f"begins {load.name}: {len(load.layers)} layers")
        self._begin_part()
        return ""

    def plant(self, fault: Fault, layer: int) -> None:
        """Let something go wrong at a layer; a jam comes at the next change from there on."""
        self._faults.append((fault, layer))

    def put_in(self, filament: str, instead: str = "") -> str:
        """Load a filament; why not, or ""."""
        if instead and instead not in self.loaded:
            return f"{instead} is not loaded; name one that is: {', '.join(self.loaded)}."
        if instead:
            self.loaded[self.loaded.index(instead)] = filament
        elif filament not in self.loaded:
            room = self.printer.loaded or len(self.loaded) + 1
            if len(self.loaded) >= room:
                return "All places are taken; say which filament it takes the place of."
            self.loaded.append(filament)
        self._say(f"{filament} is loaded")
        return ""

    def resume(self) -> str:
        """Go on after what was asked for; why not, or ""."""
        if self.state not in ("waiting", "off"):
            return (
                "It is not waiting for anything."
                if self.state != "spoiled"
                else "This print cannot go on; take it off and begin again."
            )
        if self._needs and self._needs not in self.loaded:
            return f"It still needs {self._needs}; load it first."
        self.state, self.asks, self._needs = "printing", "", ""
        self._say("goes on")
        # What went wrong at a change came before it: the change is still to be made.
        self._change()
        return ""

    def stop(self) -> None:
        """Give the print up."""
        if self.load is not None and self.state not in ("idle", "done"):
            self._say("was stopped")
        self.state, self.load, self.asks = "idle", None, ""

    # -- time goes by
    def run_on(self, seconds: float) -> None:
        """Let so much time go by, or as much as it has something to do."""
        while self.state == "printing" and seconds > 0:
            step = min(seconds, self._left)
            seconds -= step
            self._left -= step
            self._time += step
            if self._left <= 1e-9:
                self._next_part()

    @property
    def progress(self) -> float:
        """Share of the time of the print that is over."""
        if self.load is None:
            return 0.0
        if self.state == "done":
            return 1.0
        done = sum(x.seconds for x in self.load.layers[: self._layer])
        return min(1.0, done / max(1e-9, sum(x.seconds for x in self.load.layers)))

    @property
    def layer(self) -> int:
        """The layer that it is at, from 1."""
        return min(self._layer + 1, len(self.load.layers)) if self.load is not None else 0

    # -- within
    def _automatic(self, load: Load) -> bool:
        """Whether it changes filaments by itself: all of them have room."""
        return len(load.filaments) <= max(1, self.printer.loaded)

    def _wanted(self) -> str:
        """The filament of what is to be printed next."""
        if self.load is None or self._layer >= len(self.load.layers):
            return ""
        some = self.load.layers[self._layer].filaments
        return some[self._part] if self._part < len(some) else ""

    def _begin_part(self) -> None:
        assert self.load is not None
        layer = self.load.layers[self._layer]
        self._left = layer.seconds / max(1, len(layer.filaments))
        for fault, at in list(self._faults):
            if fault != "jams" and at <= self._layer + 1:
                self._faults.remove((fault, at))
                self._fail(fault)
                return
        self._change()

    def _change(self) -> None:
        """Change to the filament of what is printed next, where it is another."""
        wanted = self._wanted()
        if not wanted or wanted == self._now:
            return
        jam = next((f for f in self._faults if f[0] == "jams" and f[1] <= self._layer + 1), None)
        self._left += self.change
        if jam is not None:
            self._faults.remove(jam)
            self._needs = wanted
            self._wait(
                f"{wanted} does not come out at the change: clear the nozzle, push it by hand until it runs,"
                " then go on"
            )
        elif wanted not in self.loaded:
            self._needs = wanted
            self._wait(f"take {self._now} out and put {wanted} in, then go on")
        else:
            self._say(f"changes from {self._now} to {wanted}")
        self._now = wanted

    def _next_part(self) -> None:
        assert self.load is not None
        self._part += 1
        if self._part >= len(self.load.layers[self._layer].filaments):
            self._layer, self._part = self._layer + 1, 0
        if self._layer >= len(self.load.layers):
            self.state = "done"
            self._say(f"has printed {self.load.name}: take it off when the bed is cold")
        else:
            self._begin_part()

    def _fail(self, fault: Fault) -> None:
        if fault == "runs out":
            self._wait(f"the spool of {self._now} is empty: put in another of the same, then go on")
        elif fault == "loses power":
            self.state = "off"
            self.asks = (
                f"power was lost in layer {self._layer + 1}: look whether the print still sticks to the bed,"
                " then go on from that layer"
            )
            self._say(self.asks)
        else:
            self.state = "spoiled"
            self.asks = (
                f"it lost a step in layer {self._layer + 1}, and all above is shifted: take the print off and"
                " begin this bed load again"
            )
            self._say(self.asks)

    def _wait(self, asks: str) -> None:
        self.state, self.asks = "waiting", asks
        self._say(asks)

    def _say(self, text: str) -> None:
        self.log.append(Told(self._time, self.layer, text))
