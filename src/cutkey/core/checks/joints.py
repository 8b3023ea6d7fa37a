"""Do the joints hold, do they fit one way only, and do the sections go together?"""

from __future__ import annotations

from cutkey.core.checks.kind import Context, check
from cutkey.core.model.cuts import Labels
from cutkey.core.model.finding import Finding
from cutkey.core.split.split import Split
from cutkey.core.words import splitting as say
from cutkey.core.words.kind import Words


def check_joints(split: Split, labels: Labels) -> list[Finding]:
    """Findings on keys, on the ways they fit, on the assembly and on labels."""
    if not split.joints:
        return []
    out = []
    for joint in split.joints:
        if joint.note:
            key = joint.keys[0] if joint.keys else None
            at = key.centre if key else joint.plane.lift(*joint.area.representative_point().coords[0])
            says = say.weak_joint(joint.letter, joint.name, joint.note, len(joint.keys) < 2)
            out.append(Finding("keys", "look at", says, joint.sections[0], len(joint.keys), 2, "keys", at))
    for cut in split.straightened:
        mine = [j for j in split.joints if j.cut == cut]
        says = say.keys_changed(mine[0].letter, len(mine))
        out.append(Finding("keys", "look at", says, mine[0].sections[0], place=mine[0].plane.lift(0.0, 0.0)))
    if not out:
        n = sum(len(j.keys) for j in split.joints)
        out.append(Finding("keys", "sound", say.keys_set(n, len(split.joints)), figure=n))
    return [*out, *_one_way(split), *_assembly(split), *_labels(split, labels)]


def _one_way(split: Split) -> list[Finding]:
    """One finding for each joint whose faces fit where they should not.

    Single keys fit too much to list, and are named already.
    """

    def face(number: int, side: int) -> tuple[str, str]:
        joint = split.joints[number]
        return joint.sections[0 if side < 0 else 1], joint.letter

    told: dict[int, list[Words]] = {}
    for clash in split.clashes():
        numbers = (clash.one[0], clash.other[0])
        faces = *face(*clash.one), *face(*clash.other)
        wrong = (
            say.wrong_way_round() if numbers[0] == numbers[1] else say.fits_another_face(*faces, clash.over)
        )
        told.setdefault(numbers[0], []).append(wrong)
    out = []
    for number, ways in told.items():
        joint = split.joints[number]
        says = say.fits_another_way(joint.name, ways[0], len(ways) - 1)
        out.append(Finding("one way", "look at", says, joint.sections[0], place=joint.keys[0].centre))
    if not out and split.proof.pairs:
        weak = any(len(j.keys) < 2 for j in split.joints)
        says = say.one_way_only(split.proof.pairs, bool(weak and split.proof.clashes))
        out.append(Finding("one way", "sound", says, figure=split.proof.pairs))
    return out


def _assembly(split: Split) -> list[Finding]:
    assembly = split.assembly
    if assembly.stuck:
        names = [split.sections[n].name for n in assembly.stuck[0]]
        return [Finding("goes together", "stop", say.does_not_go_together(names, assembly.why), names[0])]
    count = len(assembly.steps)
    return [Finding("goes together", "sound", say.goes_together(count), figure=count)]


def _labels(split: Split, labels: Labels) -> list[Finding]:
    if not labels.on:
        return []
    missing = split.engraved.missing
    count = 2 * len(split.joints)
    if not missing:
        back = sum(e.back for e in split.engraved.labels)
        return [Finding("labels", "sound", say.labels_cut(count, back), figure=count)]
    names = [(split.joints[j].sections[0 if side < 0 else 1], split.joints[j].letter) for j, side in missing]
    return [
        Finding(
            "labels",
            "look at",
            say.labels_without_room(names, count),
            figure=count - len(missing),
            limit=count,
        )
    ]


@check(90)
def joints_fit(c: Context) -> list[Finding]:
    """Keys, the ways they fit, the assembly, labels."""
    return check_joints(c.split, c.job.labels)
