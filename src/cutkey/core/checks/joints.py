"""Do the joints hold, do they fit one way only, and do the sections go together?"""

from __future__ import annotations

from cutkey.core.checks.kind import Context, check
from cutkey.core.model.cuts import Labels
from cutkey.core.model.finding import Finding
from cutkey.core.split.split import Split


def check_joints(split: Split, labels: Labels) -> list[Finding]:
    """Findings on keys, on the ways they fit, on the assembly and on labels."""
    if not split.joints:
        return []
    out = []
    for joint in split.joints:
        if joint.note:
            key = joint.keys[0] if joint.keys else None
            at = key.centre if key else joint.plane.lift(*joint.area.representative_point().coords[0])
            text = f"{joint.name}: {joint.note}"
            title = f"Joint {joint.letter}–{joint.letter}" + (" is weak" if len(joint.keys) < 2 else "")
            out.append(Finding("keys", "look at", title, text, joint.sections[0], len(joint.keys), 2, "keys", at))
    if not out:
        n = sum(len(j.keys) for j in split.joints)
        out.append(Finding("keys", "sound", "Keys", f"{n} keys in {len(split.joints)} joints, two or more each", figure=n))
    return [*out, *_one_way(split), *_assembly(split), *_labels(split, labels)]


def _one_way(split: Split) -> list[Finding]:
    """One finding for each joint whose faces fit where they should not; single keys fit too much to list, and are named already."""

    def face(number: int, side: int) -> str:
        joint = split.joints[number]
        return f"{joint.sections[0 if side < 0 else 1]} at {joint.letter}–{joint.letter}"

    told: dict[int, list[str]] = {}
    for clash in split.clashes():
        numbers = (clash.one[0], clash.other[0])
        over = ", turned over" if clash.over else ""
        wrong = "goes together the wrong way round" if numbers[0] == numbers[1] else f"{face(*clash.one)} fits {face(*clash.other)}{over}"
        told.setdefault(numbers[0], []).append(wrong)
    out = []
    for number, ways in told.items():
        joint = split.joints[number]
        more = f", and {len(ways) - 1} more" if len(ways) > 1 else ""
        text = f"{joint.name}: {ways[0]}{more}"
        out.append(Finding("one way", "look at", "Fits another way too", text, joint.sections[0], place=joint.keys[0].centre))
    if not out and split.proof.pairs:
        weak = any(len(j.keys) < 2 for j in split.joints)
        text = f"{split.proof.pairs} pairs of faces tried, turned and turned over; mates fit in one way and nothing else does"
        text += ", but for joints with a single key" if weak and split.proof.clashes else ""
        out.append(Finding("one way", "sound", "One way only", text, figure=split.proof.pairs))
    return out


def _assembly(split: Split) -> list[Finding]:
    assembly = split.assembly
    if assembly.stuck:
        names = ", ".join(split.sections[n].name for n in assembly.stuck[0])
        text = f"{names} cannot be pushed together in any order: {assembly.why}"
        return [Finding("goes together", "stop", "Does not go together", text, split.sections[assembly.stuck[0][0]].name)]
    return [
        Finding(
            "goes together",
            "sound",
            "Goes together",
            f"in {len(assembly.steps)} steps, every push swept and free",
            figure=len(assembly.steps),
        )
    ]


def _labels(split: Split, labels: Labels) -> list[Finding]:
    if not labels.on:
        return []
    missing = split.engraved.missing
    count = 2 * len(split.joints)
    if not missing:
        back = sum(e.back for e in split.engraved.labels)
        where = f", {back} of them on the back beside the cut, where the face is too small" if back else ""
        return [Finding("labels", "sound", "Labels", f"{count} faces carry their names{where}", figure=count)]
    names = [split.joints[j].sections[0 if side < 0 else 1] + " at " + split.joints[j].letter for j, side in missing]
    text = f"no room on {len(missing)} of {count} faces: {', '.join(names[:4])}{' ...' if len(names) > 4 else ''}"
    return [Finding("labels", "sound", "Labels", text, figure=count - len(missing), limit=count)]


@check(90)
def joints_fit(c: Context) -> list[Finding]:
    """Keys, the ways they fit, the assembly, labels."""
    return check_joints(c.split, c.job.labels)
