"""From a design to its sections.

Cuts, keys, labels, and the proofs that the kit goes together and in one way only.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple

import manifold3d as m3

from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import Solid
from cutkey.core.keys.kind import Form
from cutkey.core.model.cuts import Cut, Keys, Labels
from cutkey.core.model.printer import Printer
from cutkey.core.split.cutting import Cutting, Section, cut_into_sections
from cutkey.core.split.joint import Joint
from cutkey.core.split.joints import find_joints, slides
from cutkey.core.split.labels import Engraved, engrave
from cutkey.core.split.plane import Plane
from cutkey.core.split.proofs.assembly import find_assembly
from cutkey.core.split.proofs.one_way import Clash, Proof, prove
from cutkey.core.split.proofs.order import Assembly
from cutkey.core.split.setting.forms import solids_of
from cutkey.core.split.setting.keying import with_keys


class Split(NamedTuple):
    """Sections with their keys."""

    sections: list[Section]
    planes: list[Plane]
    joints: list[Joint]
    taken_out: float  # mm3 of the design that became sockets, gaps and labels
    engraved: Engraved
    proof: Proof
    assembly: Assembly
    straightened: tuple[int, ...] = ()  # cuts that got dowels in place of keys that slide along the seam

    def clashes(self) -> list[Clash]:
        """Where the proof fails, but for joints with a single key.

        These fit a great deal, and are named for being weak.
        """
        return [
            c
            for c in self.proof.clashes
            if all(len(self.joints[n].keys) >= 2 for n in (c.one[0], c.other[0]))
        ]


class LooseKeys(NamedTuple):
    """Keys of one kind and size that are things of their own."""

    name: str
    form: Form
    colour: str  # of the design around them
    copies: int


def split_design(
    parts: Sequence[Part],
    cuts: Sequence[Cut],
    keys: Keys,
    labels: Labels,
    printer: Printer,
    progress: Callable[[float, str], None] | None = None,
    cutting: Cutting | None = None,
) -> Split:
    """Cut a design (unless that is done already), key it, label it, and prove that it goes together.

    Parameters
    ----------
    parts : sequence of Part
        Of the design.
    cuts : sequence of Cut
    keys, labels
        What is set where a cut says nothing else.
    printer : Printer
        Whose bed they must fit.
    progress : callable, optional
        Takes a share done and a sentence.
    cutting : Cutting, optional
        When the design is cut already.
    """
    tell = progress or (lambda fraction, text: None)
    cutting = cutting or cut_into_sections(parts, cuts, printer)
    split = _keyed(cutting, cuts, keys, labels, printer, tell, ())
    for straight in _straight_choices(split, cuts, keys) if split.assembly.stuck else ():
        tell(0.3, "trying keys that can be pushed together")
        other = _keyed(cutting, cuts, keys, labels, printer, tell, straight)
        if not other.assembly.stuck:
            return other
    return split


def _keyed(
    cutting: Cutting,
    cuts: Sequence[Cut],
    keys: Keys,
    labels: Labels,
    printer: Printer,
    tell: Callable[[float, str], None],
    straight: tuple[int, ...],
) -> Split:
    """Sections with their keys, where the cuts named are pushed together straight."""
    tell(0.3, "finding room for keys")
    joints = find_joints(cutting, cuts, keys, straight)
    tell(0.5, "labelling")
    engraved = engrave(cutting.sections, joints, labels, printer.nozzle) if labels.on else Engraved([], [])
    tell(0.6, "fitting keys")
    keyed = with_keys(cutting, joints, engraved.solids())
    tell(0.8, "proving that it goes together")
    proof = prove([p for n, j in enumerate(joints) for p in j.patterns(n)])
    return Split(
        keyed.sections,
        cutting.planes,
        joints,
        keyed.taken_out,
        engraved,
        proof,
        find_assembly(keyed.sections, joints),
        straight,
    )


def _straight_choices(split: Split, cuts: Sequence[Cut], keys: Keys) -> list[tuple[int, ...]]:
    """Sets of cuts to be pushed together straight where keys that slide ask for different ways.

    What slides along upright cuts slides up and down, and level cuts are then pushed together so too; else
    all cuts but one are.
    """
    there = sorted({j.cut for j in split.joints if slides(j.settings)})
    if len({j.cut for j in split.joints}) < 2:
        return []
    level = tuple(c for c in there if cuts[c].axis == "z")
    others = [tuple(c for c in there if c != one) for one in there]
    return [c for c in dict.fromkeys([level, *others, tuple(there)]) if c]


def loose_keys(joints: Sequence[Joint], printed: bool) -> list[LooseKeys]:
    """Loose keys to print, or (`printed` False) to buy: counted by kind, size and colour."""
    found: dict[tuple[str, str], tuple[Form, int]] = {}
    for joint in joints:
        for key in joint.keys:
            own = key.form.of.printed(key.form)
            if key.form.loose and own == printed:
                name = (key.form.described(), key.colour)
                found[name] = (key.form, found.get(name, (key.form, 0))[1] + key.form.of.things)
    return [LooseKeys(name, form, colour, count) for (name, colour), (form, count) in sorted(found.items())]


def printed_key(form: Form) -> Solid:
    """A loose key as it lies on the bed."""
    solid = m3.Manifold.batch_boolean(list(solids_of(form, 0.0, 0.0).loose), m3.OpType.Add)
    return form.of.on_bed(solid)
