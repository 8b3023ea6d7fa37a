"""Of sections: what fits the bed, keys and joints, the way they go together, and why a cut is where it is."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.units import format_mm, how_many
from cutkey.core.words.kind import Words, worded


@worded
def larger_than_the_bed(size: str, printer: str, limit: str) -> tuple[str, str]:
    """`printer` is "" where only its bed is known."""
    return "Larger than the bed", f"{size} mm; {printer or 'the bed'} takes {limit} mm"


@worded
def sliver(name: str, wide: float, nozzle: float) -> tuple[str, str]:
    return "Sliver", f"{name} is {wide:.2f} mm wide, the nozzle draws {nozzle:g}; move a cut"


@worded
def tiny_section(name: str, volume: float, share: float) -> tuple[str, str]:
    what = f"{name} has {format_mm(volume, 0 if volume > 10 else 1)} mm³, {share:.1%} of an average section"
    return "Tiny section", f"{what}; move a cut so that it stays with its neighbour"


@worded
def fits_the_bed(sections: int, limit: str) -> tuple[str, str]:
    return "Fits the bed", f"{sections} of {how_many(sections, 'section')} within {limit} mm"


@worded
def weak_joint(letter: str, name: str, note: Words | None, single: bool) -> tuple[str, str]:
    return f"Joint {letter}–{letter}" + (" is weak" if single else ""), f"{name}: {note}"


@worded
def share_material(one: str, other: str, volume: float) -> tuple[str, str]:
    what = f"{one} and {other} both fill {format_mm(volume, 1)} mm³ of the same place"
    return "Sections overlap", f"{what}; move the cut, or choose other keys there"


@worded
def share_nothing(things: int) -> tuple[str, str]:
    return (
        "Sections apart",
        f"{things} sections and keys in their places, each pair intersected: none overlap",
    )


@worded
def keys_changed(letter: str, joints: int) -> tuple[str, str]:
    what = f"keys that slide along cut {letter}–{letter} cannot be pushed together with those of other cuts"
    return "Keys changed", f"{what}; its {joints} joints have dowels instead"


@worded
def keys_set(keys: int, joints: int) -> tuple[str, str]:
    return "Keys", f"{keys} keys in {joints} joints, two or more each"


@worded
def wrong_way_round() -> str:
    return "goes together the wrong way round"


@worded
def fits_another_face(section: str, letter: str, other: str, at: str, over: bool) -> str:
    return f"{section} at {letter}–{letter} fits {other} at {at}–{at}{', turned over' if over else ''}"


@worded
def fits_another_way(name: str, way: Words, more: int) -> tuple[str, str]:
    return "Fits another way too", f"{name}: {way}{f', and {more} more' if more else ''}"


@worded
def one_way_only(pairs: int, single: bool) -> tuple[str, str]:
    text = f"{pairs} pairs of faces tried, turned and turned over; mates fit in one way and nothing else does"
    return "One way only", text + (", but for joints with a single key" if single else "")


@worded
def does_not_go_together(names: Sequence[str], why: Words | None) -> tuple[str, str]:
    return "Does not go together", f"{', '.join(names)} cannot be pushed together in any order: {why}"


@worded
def goes_together(steps: int) -> tuple[str, str]:
    return "Goes together", f"in {steps} steps, every push swept and free"


@worded
def nothing_separates_them() -> str:
    return "nothing separates them"


@worded
def keys_ask_for_different_ways(joints: Sequence[str]) -> str:
    return f"the keys of {' and '.join(joints)} ask for different ways"


@worded
def section_in_the_way(name: str, other: str) -> str:
    return f"{name} would run into {other}"


@worded
def key_in_the_way(key: int, joint: str, section: str) -> str:
    return f"key {key} of {joint} would run into {section}"


@worded
def labels_cut(faces: int, behind: int) -> tuple[str, str]:
    where = f", {behind} of them on the back beside the cut, where the face is too small" if behind else ""
    return "Labels", f"{faces} faces carry their names{where}"


@worded
def labels_without_room(missing: Sequence[tuple[str, str]], faces: int) -> tuple[str, str]:
    """`missing` are sections and letters of cuts."""
    some = ", ".join(f"{section} at {letter}" for section, letter in missing[:4])
    text = f"no room on {len(missing)} of {faces} faces: {some}{' ...' if len(missing) > 4 else ''}"
    return "Names missing", f"{text}; mark them by hand, or make the names smaller"


@worded
def key_out_of_the_material(
    joint: str, key: int, section: str, wall: float, outside: bool, asked: float
) -> tuple[str, str]:
    what = "comes out of the material" if outside else f"has {format_mm(wall)} mm of wall"
    text = f"{joint}: key {key} {what} in {section}; {format_mm(asked)} were asked"
    return "Key out of the material", text


@worded
def keys_in_material(least: float | None, keys: int) -> tuple[str, str]:
    at_least = "the wall asked for" if least is None else f"at least {format_mm(least)} mm"
    where = f"all round and behind the ends of {keys} keys, measured in the finished sections"
    return "Keys in material", f"{at_least} of material {where}"


@worded
def keys_switched_off() -> str:
    return "keys are switched off"


@worded
def fits_another_way_too() -> str:
    return "its keys would also fit another way"


@worded
def gaps_leave_no_key(clearance: float, end_gap: float, key: str) -> str:
    gaps = f"a clearance of {format_mm(clearance)} and an end gap of {format_mm(end_gap)} mm"
    return f"{gaps} leave nothing of a key ({key})"


@worded
def room_for_one_key(key: str, wall: float) -> str:
    return f"room for one key only, it can turn ({key} with {format_mm(wall)} mm wall)"


@worded
def no_room_for_a_key(key: str, wall: float) -> str:
    return f"no room for a key ({key} with {format_mm(wall)} mm wall)"


@worded
def key_with_little_round_it() -> str:
    return "a key set by hand has too little material around it"


@worded
def keys_in_each_others_way() -> str:
    return "two keys set by hand stand in each other's way"


@worded
def one_key_only() -> str:
    return "one key only, it can turn"


@worded
def no_room_for_forms(shape: str, size: float, depth: float) -> str:
    return f"no room for {shape} forms of {format_mm(size)} × {format_mm(depth)} mm"


@worded
def one_form_only() -> str:
    return "one form only along it, it can slip"


@worded
def forms_fit_another_way() -> str:
    return "its forms would also fit another way"


@worded
def cuts_through_figures(mm: int, figures: int) -> str:
    return f"cuts {mm} mm through {'a figure' if figures == 1 else f'{figures} figures'}"


@worded
def keeps_off_figures() -> str:
    return "keeps off figures"


@worded
def leaves_slivers(figures: int) -> str:
    return "leaves a sliver of a figure" if figures == 1 else f"leaves slivers of {figures} figures"


@worded
def crosses_holes(holes: int) -> str:
    return "crosses a hole" if holes == 1 else f"crosses {holes} holes"


@worded
def in_separate_areas(areas: int) -> str:
    return f"in {areas} separate areas"


@worded
def at_an_edge() -> str:
    return "at an edge of the form"


@worded
def thin_there(mm: float) -> str:
    return f"thin: {mm:.1f} mm"


@worded
def room_for_keys(keys: int) -> str:
    return f"room for {keys} keys"


@worded
def little_room() -> str:
    return "little room for keys"
