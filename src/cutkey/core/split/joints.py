"""Joints: every pair of sections that meet, with its keys."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Sequence

import shapely
from msgspec.structs import replace

from cutkey.core.keys import key_kind, set_keys
from cutkey.core.model.cuts import Cut, Keys
from cutkey.core.split.cutting import Cutting
from cutkey.core.split.faces import Face, Slices, find_faces
from cutkey.core.split.joint import Joint
from cutkey.core.split.naming import cut_letters
from cutkey.core.split.proofs.one_way import Known
from cutkey.core.split.setting.forms import corners_of
from cutkey.core.split.setting.material import Material
from cutkey.core.split.setting.setter import Setter, Taken

#: Weight of a mm3 of PLA of 1.24 g/cm3, N.
_NEWTONS = 1.24e-6 * 9.81


def find_joints(
    cutting: Cutting, cuts: Sequence[Cut], keys: Keys, straight: Collection[int] = ()
) -> list[Joint]:
    """Joints with their keys.

    A key needs material around it over its whole depth on both sides, and the wall around that and behind its
    end: slices through both sections, intersected and shrunk, propose places, and what of the grown socket
    lies outside the section decides. Keys go as far apart as that allows. Then they are moved, or one is made
    smaller, until the faces of the joint fit no other face and each other in one way only.

    Parameters
    ----------
    cutting : Cutting
    cuts : sequence of Cut
    keys : Keys
        What is set where a cut says nothing else.
    straight : collection of int
        Numbers of the cuts whose sections must be pushed together straight: dowels take the place of keys
        that slide along the seam.
    """
    slices, material = Slices(cutting), Material(cutting)
    letters = cut_letters(cuts)
    taken: list[Taken] = []
    patterns = Known()
    joints: list[Joint] = []
    faces = find_faces(cutting, slices)
    loads = _loads(cutting, faces)
    for n, face in enumerate(faces):
        cut = cuts[face.cut]
        pair = (face.near, face.far)
        own = next((j for j in cut.joints if face.area.buffer(0.01).covers(shapely.Point(j.at))), None)
        settings = own.keys if own else cut.keys or keys
        if face.cut in straight and slides(settings):
            settings = replace(settings, kind="dowel", size=0.0, depth=0.0)
        setter = Setter(cutting, slices, face, cut, settings, taken, patterns, len(joints), material)
        chosen, note, by_hand = setter.share(len(faces)).carrying(loads[n]).keys()
        material.take(face, chosen)
        names = (cutting.sections[face.near].name, cutting.sections[face.far].name)
        joint = Joint(
            face.cut,
            letters[face.cut],
            names,
            pair,
            face.plane,
            face.area,
            tuple(chosen),
            note,
            by_hand,
            settings,
            own,
        )
        joint = joint._replace(piece=len(cutting.courses[face.cut]) > 1)
        taken += [Taken(pair, corners_of(k, face.plane)) for k in chosen]
        # A single key fits a great deal; its joint is named, and does not count against the others.
        if len(chosen) >= 2:
            patterns.add(*joint.patterns(len(joints)))
        joints.append(joint)
    return [_with_its_others(j, joints) if cuts[j.cut].path else j for j in joints]


def _loads(cutting: Cutting, faces: Sequence[Face]) -> list[float]:
    """Weight that hangs on each face, N: of the lighter side, shared by all its faces.

    As if it were printed solid.
    """
    weight = [_NEWTONS * float(s.whole.volume()) for s in cutting.sections]
    count = Counter(k for f in faces for k in (f.near, f.far))
    return [min(weight[k] / count[k] for k in (f.near, f.far)) for f in faces]


def slides(keys: Keys) -> bool:
    """Whether keys of these settings slide along the seam instead of going straight into their sockets."""
    if keys.kind not in set_keys():
        return False
    ways = key_kind(keys.kind).ways
    return ways is not None and all(along == 0 for _, _, along in ways)


def _with_its_others(joint: Joint, joints: Sequence[Joint]) -> Joint:
    """A straight piece of a seam with corners: what it lacks in keys its other pieces may have."""
    total = sum(len(j.keys) for j in joints if j.cut == joint.cut and j.numbers == joint.numbers)
    return joint._replace(note=None) if joint.note and len(joint.keys) < 2 <= total else joint
