"""What a check is given, and how it is told from other functions."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import NamedTuple, TypeVar

from cutkey.core.colouring.inlays import Inlays
from cutkey.core.model.colouring import Heights
from cutkey.core.model.finding import Finding
from cutkey.core.model.job import Job
from cutkey.core.model.placement import Placement
from cutkey.core.place.copies import instances
from cutkey.core.place.site import Site
from cutkey.core.results import Body, Design, Drawn, Kit
from cutkey.core.split.split import Split

T = TypeVar("T")


class Laid(NamedTuple):
    """A graphic and where it lies."""

    placement: Placement
    drawn: Drawn
    site: Site

    @property
    def name(self) -> str:
        """What the maker calls it."""
        return self.drawn.spec.name

    @property
    def copies(self) -> list[Placement]:
        """Single placements, one for each copy."""
        return instances(self.placement, self.site.middle)


class Context(NamedTuple):
    """All that there is of a job when its kit is judged."""

    job: Job
    bare: Body  # the model before add-ons
    body: Body
    laid: list[Laid]
    design: Design
    split: Split
    kit: Kit  # without its findings
    #: Keeps what depends on the uncut design only: takes a name and what computes it.
    of_design: Callable[[str, Callable[[], object]], object]
    #: The same for what depends on the model alone.
    of_model: Callable[[str, Callable[[], object]], object]
    heights: Heights | None  # the plan by height, None where colours are bodies
    inlays: Inlays | None  # pockets and pieces, None where colours are not let in
    filaments: Mapping[str, str]  # name of the filament of each colour of the design

    @property
    def drawn(self) -> Iterator[Drawn]:
        """Every graphic that is laid, once."""
        yield from {o.drawn.spec.id: o.drawn for o in self.laid}.values()


class Check(NamedTuple):
    """A check: what it is called, where its findings stand among others, and how they are found."""

    name: str
    rank: int
    run: Callable[[Context], Iterable[Finding]]


def check(rank: int) -> Callable[[Callable[[Context], Iterable[Finding]]], Check]:
    """Mark a function from a context to findings as a check."""

    def marked(run: Callable[[Context], Iterable[Finding]]) -> Check:
        return Check(run.__name__, rank, run)

    return marked
