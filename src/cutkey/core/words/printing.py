"""Of the print: which way up, where on the beds, what a rehearsal shows, and the written file."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.units import format_mm
from cutkey.core.words.kind import Words, listed, worded

#: Names in one sentence at the most.
_NAMES = 6


@worded
def chosen_of_nothing(name: str) -> tuple[str, str]:
    text = f"the side of {name} on the bed was chosen by hand, and there is no {name} any more"
    return "Laid by hand", text


@worded
def chosen_side_is_gone(name: str, side: str) -> tuple[str, str]:
    return (
        "Laid by hand",
        f"the side of {name} that was chosen is no flat side of it any more; it lies {side}",
    )


@worded
def stands_badly(name: str, side: str, reasons: Sequence[Words]) -> tuple[str, str]:
    return "Stands badly", f"{name} {side}: {listed(reasons)}"


@worded
def does_not_stand(names: Sequence[str], area: float) -> tuple[str, str]:
    stands = f"{area:.0f} mm² on the bed, and the middle not over it"
    those = listed(names, most=_NAMES, more=" and {} more")
    return "Does not stand", f"{those}: {stands}; lay it on a flat side, or print a raft"


@worded
def which_way_up(sides: Sequence[tuple[str, Sequence[str]]], sections: int, least: float) -> tuple[str, str]:
    """`sides` are names of sides, each with the sections that lie on it; `least` is in mm2."""
    parts = []
    for side, names in sides:
        counted = len(names) > _NAMES or len(sides) == 1
        parts.append(f"{f'{len(names)} of {sections}' if counted else ', '.join(names)} {side}")
    return "Which way up", f"{'; '.join(parts)}; each stands, on {format_mm(least / 100, 1)} cm² or more"


@worded
def put_by_hand(name: str, bed: int, now: int) -> tuple[str, str]:
    """`now` is the bed on which it lies, 0 where it is gone."""
    there = f"it lies on bed {now} now" if now else "it is no longer there"
    return "Put by hand", f"{name} cannot stay where it was put on bed {bed}; {there}"


@worded
def does_not_fit(printer: str) -> str:
    return f"does not fit {printer}"


@worded
def stands_not_by_itself() -> str:
    return "does not stand by itself"


@worded
def on_the_bed(area: float) -> str:
    return f"{area / 100:.1f} cm² on the bed"


@worded
def needs_support(area: float) -> str:
    return f"{area / 100:.1f} cm² need support" if area >= 1 else "no support"


@worded
def support_on_a_show_face(area: float) -> str:
    return f"{area / 100:.1f} of them on a show face"


@worded
def show_face_down() -> str:
    return "a show face on the bed"


@worded
def layers_across_keys(keys: int) -> str:
    return f"layers across the neck of {keys} key{'s' if keys > 1 else ''}"


@worded
def layers_of_several(layers: int) -> str:
    return f"{layers} layers of several filaments"


@worded
def layers(count: int) -> str:
    return f"{count} layers"


@worded
def slim(times: float) -> str:
    return f"{times:.0f} times as high as its foot is wide"


@worded
def in_layers(filament: str, first: int, last: int, bed: int, places: int) -> str:
    """`bed` is 0 where there is one only."""
    of = f"layer {first}" if first == last else f"layers {first} to {last}"
    return (
        f"{filament} in {of}{f' of bed {bed}' if bed else ''}{'' if places == 1 else f', in {places} places'}"
    )


@worded
def wall_is_lost(where: Words, wide: float, line: float) -> tuple[str, str]:
    what = f"{format_mm(wide, 2)} mm wide, and no line of {format_mm(line)} mm goes in"
    return "A wall is lost", f"{where}: {what}"


@worded
def printed_wider(where: Words, wide: float, line: float) -> tuple[str, str]:
    what = f"{format_mm(wide, 2)} mm wide, printed as a line of {format_mm(line)} mm"
    return "Printed wider than it is", f"{where}: {what}"


@worded
def slit_closes(where: Words, gap: float, line: float) -> tuple[str, str]:
    return "A slit closes", f"{where}: a gap of {format_mm(gap, 2)} mm between lines of {format_mm(line)} mm"


@worded
def printed_in_the_air(where: Words, wide: float) -> tuple[str, str]:
    return "Printed in the air", f"{where}: about {format_mm(wide, 2)} mm wide, and nothing is under it"


@worded
def long_bridge(where: Words, long: float) -> tuple[str, str]:
    return "A long bridge", f"{where}: {format_mm(long, 2)} mm between what holds it"


@worded
def leans_out(where: Words, beyond: float, angle: float) -> tuple[str, str]:
    what = f"{format_mm(beyond, 2)} mm beyond what is under it, more than {format_mm(angle, 0)}° from upright"
    return "Leans out over nothing", f"{where}: {what}"


@worded
def one_layer_thick(where: Words, across: float) -> tuple[str, str]:
    return "One layer thick", f"{where}: a floor or roof of one layer, {format_mm(across, 2)} mm across"


@worded
def bodies_cross(where: Words, area: float) -> tuple[str, str]:
    return "Bodies cross", f"{where}: {format_mm(area, 2)} mm² belong to two bodies, or to one twice"


@worded
def outline_does_not_close(where: Words, ends: float) -> tuple[str, str]:
    return "An outline does not close", f"{where}: {ends:.0f} open ends"


def _times(copies: int, name: str) -> str:
    return f"{copies} × {name}" if copies > 1 else name


@worded
def not_on_the_bed(copies: int, name: str, bed: int) -> tuple[str, str]:
    text = f"{_times(copies, name)}: nothing of it lies on bed {bed}; it begins in the air"
    return "Not on the bed", text


@worded
def stands_on_little(copies: int, name: str, high: float, area: float, wide: float) -> tuple[str, str]:
    on = f"{format_mm(high, 1)} mm high on {format_mm(area, 1)} mm², {format_mm(wide, 1)} mm wide"
    return "Stands on little", f"{_times(copies, name)}: {on}; lay it down, or give it a brim"


@worded
def two_bodies_in_one_place(a: str, b: str, volume: float, places: int) -> tuple[str, str]:
    times = f", in {places} places" if places > 1 else ""
    prints = "a slicer prints one of them there, and no one says which"
    return "Two bodies in one place", f"{a} and {b}: {volume:.3g} mm³ belong to both{times}; {prints}"


@worded
def not_compared(pairs: int) -> tuple[str, str]:
    some = "1 pair" if pairs == 1 else f"{pairs} pairs"
    text = f"{some} of bodies that are no closed solids: whether they claim one place is seen in layers only"
    return "Not compared", text


@worded
def rehearsed(layers: int) -> tuple[str, str]:
    text = f"{layers} layers of the written file: nothing lost, nothing in the air, no place claimed twice"
    return "Rehearsed", text


@worded
def file_not_as_meant(problems: Sequence[object]) -> tuple[str, str]:
    return "File", "; ".join(map(str, problems[:3]))


@worded
def file_as_meant(bodies: int, stls: int, off: float) -> tuple[str, str]:
    read = "read back by two readers without a warning and welded: names, filaments and places as meant"
    held = f"{bodies} bodies{f' and {stls} STL' if stls else ''}"
    return "File", f"{read}, {held}, volume within {off:.0e}"


@worded
def bodies_not_those_meant() -> str:
    return "the bodies are not those that were meant"


@worded
def volume_is_off(off: float) -> str:
    return f"volume is off by {off:.1e}"


@worded
def stl_is_open(name: str, edges: int) -> str:
    return f"{name} has {edges} open edges"


@worded
def stl_holds_less(name: str, volume: float, meant: float) -> str:
    return f"{name} holds {volume:.2f} mm³ instead of {meant:.2f}"


@worded
def body_is_open(name: str) -> str:
    return f"{name} is not manifold"


@worded
def body_of_another_filament(name: str, filament: str, colour: str) -> str:
    return f"{name} is of {filament} {colour}"


@worded
def lies_elsewhere(name: str, off: float) -> str:
    return f"{name} lies {off:.3f} mm from its place"


@worded
def other_bodies(name: str) -> str:
    return f"the bodies of {name} are not those that were meant"


@worded
def things_built(built: int, meant: int) -> str:
    return f"{built} things are built instead of {meant}"


@worded
def not_the_body_meant(name: str) -> str:
    return f"{name} is not the body that was meant"


@worded
def layers_and_nozzle(layer: float, first: float, nozzle: float, printer: str) -> str:
    """`first` is the height of the first layer where it is another, else 0."""
    begins = f", the first {first:g} mm" if first else ""
    return f"Layers of {layer:g} mm{begins}, nozzle {nozzle:g} mm; made for {printer}"


@worded
def lies_as_it_is_printed() -> str:
    return "Every piece lies as it is printed: neither turn nor scale it"


@worded
def support_needed(sections: Sequence[tuple[str, float]], angle: float) -> str:
    """`sections` are names with areas in cm2."""
    names = ", ".join(f"{name} ({area:.1f} cm²)" for name, area in sections[:_NAMES])
    more = f" and {len(sections) - _NAMES} more" if len(sections) > _NAMES else ""
    return f"Support under what leans out more than {angle:g}°: {names}{more}"


@worded
def support_not_needed() -> str:
    return "No support is needed"
