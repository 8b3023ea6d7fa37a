"""From the job document to the kit.

Every step a pure function, remembered by the digest of what it depends on.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping

import numpy as np

from cutkey.core.bodies.kind import MadeBody
from cutkey.core.colouring.bodies import banded, filament_of
from cutkey.core.colouring.inlays import Inlays
from cutkey.core.colouring.numbers import engraved
from cutkey.core.digest import digest, digest_bytes
from cutkey.core.engine.colour_ways import by_height, let_in, printed
from cutkey.core.engine.draw import draw_graphic
from cutkey.core.engine.lying import lying_findings
from cutkey.core.engine.opening import bare_body, fitted
from cutkey.core.engine.planning import plans_of, setting_out_of, sunk_in, survey_of
from cutkey.core.engine.proof import findings_of
from cutkey.core.engine.units import all_units
from cutkey.core.engine.ways_up import ways_up
from cutkey.core.errors import BadInput
from cutkey.core.geometry.part import joined_by_colour
from cutkey.core.geometry.solid import bounds_of
from cutkey.core.kit.bed import Spot
from cutkey.core.kit.loads import lay_out
from cutkey.core.lettering.fonts import font_bytes
from cutkey.core.memo import Memo
from cutkey.core.model.accepted import settle
from cutkey.core.model.colouring import Heights
from cutkey.core.model.cuts import Plan
from cutkey.core.model.filament import Filament
from cutkey.core.model.job import GraphicSpec, Job
from cutkey.core.model.placement import Placement
from cutkey.core.model.table_edits import AddText
from cutkey.core.place.carve import Lie, carve, height_of
from cutkey.core.place.copies import instances
from cutkey.core.place.site import Site, on_one_surface, site_of
from cutkey.core.place.sunk import Box
from cutkey.core.printing.resting import Resting
from cutkey.core.results import Body, Design, Drawn, Kit, Placed
from cutkey.core.solids.read import Model, read_model
from cutkey.core.spacers.setting_out import SettingOut
from cutkey.core.split.cutting import Body as CutBody
from cutkey.core.split.cutting import Cutting, cut_into_sections, separate_bodies
from cutkey.core.split.split import Split, loose_keys, split_design
from cutkey.core.split.survey import Survey
from cutkey.core.units import Unit

#: Called between steps with the share done and what comes next; it may raise `Cancelled`.
Progress = Callable[[float, str], None]


#: A design of less than this, mm3, is nothing: no printer lays so little.
LEAST_VOLUME = 1e-3
#: What is left of a colour where numbers do not tell it from none, mm3.
NOTHING = 1e-9


class Evaluator:
    """Evaluates jobs and remembers every step.

    Parameters
    ----------
    sources : mapping of digest to bytes
        The files taken into jobs.
    """

    def __init__(self, sources: Mapping[str, bytes]) -> None:
        self.sources = sources
        self.memo = Memo()

    # -- picture to graphic
    def graphic_key(self, job: Job, spec: GraphicSpec) -> str:
        """Digest of everything a graphic depends on."""
        source = job.source(spec.source)
        # The same bytes are read by what they are said to be: a picture, or a drawing of one kind or another.
        read_as = (source.digest, source.kind, source.name.rpartition(".")[2].lower())
        rack = job.rack if spec.trace.snap else ()
        fonts = [job.font(e.font) for e in spec.edits if isinstance(e, AddText)]
        return digest(
            "graphic", read_as, spec.trace, spec.width_mm, spec.edits, spec.frame, spec.whole, rack, fonts
        )

    def _font(self, job: Job, name: str) -> bytes:
        """File of a font: the one that the job holds, or one of this machine."""
        held = job.font(name)
        return self.sources[held.digest] if held is not None else font_bytes(name)

    def draw(self, job: Job, spec: GraphicSpec, draft: bool = False) -> Drawn:
        """Trace a picture or read a drawing, at its size; a draft is coarse but soon there."""
        key = self.graphic_key(job, spec)

        def compute() -> Drawn:
            data = self.sources[spec.source]
            return draw_graphic(
                spec,
                job.source(spec.source),
                data,
                job.rack,
                self.memo,
                draft,
                lambda name: self._font(job, name),
            )

        return self.memo.get(digest("draft", key) if draft else key, compute)._replace(spec=spec)

    def drawn_already(self, job: Job, spec: GraphicSpec) -> bool:
        """Whether a graphic is known, or so quickly read that no draft is needed first."""
        return self.graphic_key(job, spec) in self.memo or job.source(spec.source).kind == "drawing"

    # -- model
    def body_key(self, job: Job) -> str:
        """Digest of everything the model depends on before any graphic."""
        return digest("body", job.base, job.addons, self._figure_key(job))

    def _figure_key(self, job: Job) -> str:
        figure = job.base.from_graphic if isinstance(job.base, MadeBody) else ""
        return self.graphic_key(job, job.graphic(figure)) if figure else ""

    def body(self, job: Job) -> Body | None:
        """The model with its add-ons, None when the job has none yet."""
        if job.base is None:
            return None

        return self.memo.get(self.body_key(job), lambda: fitted(self.bare(job), job.addons))

    def model(self, data: bytes, name: str, unit: Unit, close: bool, rebuild: bool = False) -> Model:
        """An opened model; once read to be looked at, it is not read again.

        Parameters
        ----------
        data : bytes
            Of the file.
        name : str
            Of the file; its suffix says the format where the data do not.
        unit : str
            What a number in it means; "" to be told by the file or its size.
        close : bool
            Close what is open.
        rebuild : bool
            Rebuild what crosses itself.

        Raises
        ------
        BadInput
            When the file cannot be read.
        """
        key = digest("model", digest_bytes(data), unit, close, rebuild)
        return self.memo.get(key, lambda: read_model(data, name, unit, close, rebuild))

    def bare(self, job: Job) -> Body:
        """The model without add-ons."""
        assert job.base is not None
        key = digest("bare", job.base, self._figure_key(job))
        return self.memo.get(key, lambda: bare_body(self, job))

    def counted_from(self, job: Job) -> Body:
        """The model from whose faces placements are counted: bare, but whole where a half was mirrored."""
        mirrors = tuple(a for a in job.addons if a.feature.mirrors)
        if not mirrors:
            return self.bare(job)
        key = digest("mirrored", job.base, mirrors, self._figure_key(job))
        return self.memo.get(key, lambda: fitted(self.bare(job), mirrors))

    def site(self, job: Job, placement: Placement) -> Site:
        """Where a placed graphic lies: a flat face, or the surface it follows."""
        body = self.body(job)
        if body is None:
            raise BadInput("The job has no model yet; open one or make a plate.")
        graphic = self.draw(job, job.graphic(placement.graphic)).graphic
        # Reach in steps, so that a small move finds the same surface again.
        c, (x, y) = placement.copies, placement.offset
        wide = (c.step[0] * c.count[0], c.step[1] * c.count[1]) if c.kind == "grid" else (0.0, 0.0)
        reach = math.hypot(graphic.width, graphic.height) / 2 + math.hypot(x, y) + math.hypot(*wide)
        reach = 1.25 ** math.ceil(math.log(max(reach, 1.0), 1.25))
        size = (graphic.width, graphic.height)
        key = digest(
            "site", self.body_key(job), placement.point, placement.normal, placement.follow, reach, size
        )
        where = (np.array(placement.point), np.array(placement.normal))
        before = self.counted_from(job) if job.addons else None
        bare = (before.mesh, before.facets) if before is not None else None
        return self.memo.get(
            key, lambda: site_of(body.mesh, body.facets, *where, placement.follow, reach, size, bare)
        )

    # -- placing
    def design_key(self, job: Job) -> str:
        """Digest of everything the uncut design depends on."""
        job = self.as_printed(job)
        graphics = [self.graphic_key(job, job.graphic(p.graphic)) for p in job.placements]
        # Which colours stand for which filaments says where the bands of one end.
        by_height = (
            (job.colouring.bands, job.colouring.ways, job.colouring.way, job.rack, job.assignments)
            if job.colouring.bands
            else ()
        )
        return digest("design", self.body_key(job), job.placements, graphics, by_height, job.colouring.floors)

    def design(self, job: Job, progress: Progress | None = None) -> Design | None:
        """The model with all graphics on it."""
        body = self.body(job)
        if body is None:
            return None
        job = self.as_printed(job)

        def compute() -> Design:
            parts, whole = body.parts, body.solid
            steps: list[Placed] = []
            lies: dict[str, list[Lie]] = {}
            standing: list[tuple[Site, float]] = []  # where graphics lie, and how high they stand, mm
            for n, placement in enumerate(job.placements):
                spec = job.graphic(placement.graphic)
                if progress:
                    progress(n / len(job.placements), f"placing {spec.name}")
                site = self.site(job, placement)
                above = max((high for other, high in standing if on_one_surface(other, site)), default=0.0)
                for one in instances(placement, site.middle):
                    carved = carve(parts, self.draw(job, spec).graphic, one, site, whole, above)
                    steps.append(Placed(one, site, whole, carved.parts))
                    parts, whole = [p for p in carved.parts if p.solid.volume() > NOTHING], carved.whole
                    if sum(p.solid.volume() for p in parts) <= LEAST_VOLUME:
                        raise BadInput(
                            f"Nothing is left of the model once {spec.name} is cut out of it; make it"
                            " smaller."
                        )
                    lies.setdefault(placement.id, []).extend(carved.lies)
                standing.append((site, height_of(lies.get(placement.id, []))))
            parts, whole, numbered = engraved(joined_by_colour(parts), whole, job.colouring.floors)
            if job.colouring.bands:
                parts = banded(whole, bounds_of(body.solid)[0][2], job.colouring.bands, parts, job)
            corners = np.array([bounds_of(p.solid) for p in parts])
            low, high = corners[:, 0].min(0), corners[:, 1].max(0)
            return Design(
                parts, sum(p.solid.volume() for p in parts), low, high, lies, whole, steps, numbered
            )

        return self.memo.get(self.design_key(job), compute)

    # -- splitting
    def cutting_key(self, job: Job, count: int | None = None) -> str:
        """Digest of everything the bare sections depend on, or what the first cuts make of the design."""
        knives = [c.knife for c in job.cuts[:count]]
        return digest("cutting", self.design_key(job), knives, job.printer, job.gauge.on, count is None)

    def cutting(self, job: Job) -> Cutting | None:
        """Sections without their keys: soon there, when a cut is moved."""
        design = self.design(job)
        if design is None:
            return None

        def compute() -> Cutting:
            return cut_into_sections(
                design.parts,
                job.cuts,
                job.printer,
                apart=job.gauge.on,
                bodies=self.bodies(job, design),
                kept=lambda i, cut: self.memo.get(self.cutting_key(job, i + 1), cut),
            )

        return self.memo.get(self.cutting_key(job), compute)

    def split_key(self, job: Job) -> str:
        """Digest of everything the sections depend on."""
        return digest(
            "split", self.design_key(job), job.cuts, job.keys, job.labels, job.printer, job.gauge.on
        )

    def split(self, job: Job, progress: Progress | None = None) -> Split | None:
        """Sections, joints and sockets."""
        design = self.design(job, progress)
        if design is None:
            return None

        def compute() -> Split:
            if progress:
                progress(0.0, "cutting")
            return split_design(
                design.parts, job.cuts, job.keys, job.labels, job.printer, progress, self.cutting(job)
            )

        return self.memo.get(self.split_key(job), compute)

    def bodies(self, job: Job, design: Design) -> list[CutBody]:
        """The separate bodies of the design."""
        key = digest("bodies", self.design_key(job))
        return self.memo.get(key, lambda: separate_bodies(design.parts, design.whole))

    def sunk(self, job: Job) -> list[Box]:
        """Boxes of what is sunk into the model or goes through it, mm."""
        return sunk_in(self, job)

    def plans(self, job: Job) -> list[Plan]:
        """Ways to cut the design for the printer, the best first."""
        return plans_of(self, job)

    def survey(self, job: Job) -> Survey:
        """The design, ready to be asked what a cut would meet."""
        return survey_of(self, job)

    def setting_out(self, job: Job) -> SettingOut | None:
        """Spacers that hold the separate bodies of the design in their places.

        None when they are not wanted.
        """
        return setting_out_of(self, job)

    # -- colours
    def filaments(self, job: Job) -> dict[str, Filament]:
        """Filament of every colour in the design; unassigned ones take the nearest of the rack."""
        design, inlays = self.design(job), self.inlays(job)
        colours = [p.colour for p in design.parts] if design else []
        colours += [i.colour for i in inlays.inlays] if inlays else []
        return {c: filament_of(job, c) for c in dict.fromkeys(colours)}

    def heights(self, job: Job) -> Heights | None:
        """The plan of changes by height; None where colours are not printed so."""
        return by_height(self, job)

    def inlays(self, job: Job) -> Inlays | None:
        """Pockets and pieces; None where colours are not let in."""
        return let_in(self, job)

    def as_printed(self, job: Job) -> Job:
        """The job with the depths that its way of colour gives it, and the bands of a plan by height.

        The same where there is none.
        """
        return printed(self, job)

    # -- kit
    def ways_up(self, job: Job) -> dict[str, Resting]:
        """How each section lies on the bed, and how else it could, by name."""
        return ways_up(self, job)

    def kit_key(self, job: Job) -> str:
        """Digest of everything the kit depends on."""
        names = [(g.id, g.name, g.reads) for g in job.graphics]
        of = job.gauge, job.printer, job.rack, job.assignments, job.series, job.colouring, job.lays
        return digest("kit", self.split_key(job), names, *of)

    def kit(self, job: Job, progress: Progress | None = None) -> Kit | None:
        """Pieces, keys and findings."""
        split = self.split(job, progress)
        design = self.design(job)
        if split is None or design is None:
            return None

        def compute() -> Kit:
            if progress:
                progress(0.0, "separating colours")
            setting = self.setting_out(job)
            made = all_units(self, job, split, setting)
            if progress:
                progress(0.6, "checking")
            hardware = [(k.name, k.copies) for k in loose_keys(split.joints, printed=False)]
            kit = Kit(
                made.units,
                [],
                design.volume,
                made.sections,
                split.taken_out - made.keys,
                hardware,
                setting,
                made.beside,
            )
            return kit._replace(
                findings=findings_of(
                    self.as_printed(job), self, design, split, kit, self.heights(job), self.inlays(job)
                )
            )

        kit = self.memo.get(self.kit_key(job), compute)
        lying = lying_findings(
            job, self.ways_up(job), kit.units, lay_out(kit.units, job.printer, job.puts) if job.puts else ()
        )
        return kit._replace(findings=settle([*kit.findings, *lying], job.accepted))

    def loads_key(self, job: Job) -> str:
        """Digest of everything that the beds depend on."""
        return digest("loads", self.kit_key(job), job.puts)

    def loads(self, job: Job) -> list[Spot]:
        """Where every copy lies; nothing while there is no kit."""
        kit = self.kit(job)
        return lay_out(kit.units, job.printer, job.puts) if kit is not None else []


def evaluate(job: Job, sources: Mapping[str, bytes], progress: Progress | None = None) -> Kit | None:
    """The kit of a job, computed from nothing.

    Parameters
    ----------
    job : Job
    sources : mapping of digest to bytes
    progress : callable, optional

    Returns
    -------
    Kit or None
        None when the job has no model.
    """
    return Evaluator(sources).kit(job, progress)
