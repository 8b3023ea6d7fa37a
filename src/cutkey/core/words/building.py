"""Of bodies: add-ons, made edges, walls, and what of them is closed and whole."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.units import format_mm, how_many
from cutkey.core.words.kind import Words, worded


@worded
def addons_as_asked(places: int) -> tuple[str, str]:
    text = f"{places} places measured on the finished body: walls, floors and openings are as asked"
    return "Add-ons", text


@worded
def addon_beside_the_body(noun: str, lost: int, places: int) -> tuple[str, str]:
    which = f"the {noun} lies" if places == 1 else f"{lost} of {places} places of the {noun} lie"
    return "Add-on missing", f"{which} beside the body, where there is nothing; move it onto the face"


@worded
def border_covers_the_face(noun: str) -> tuple[str, str]:
    return "Border too wide", f"the {noun} covers all of its face and leaves no field; make it narrower"


@worded
def hangs_by_a_neck(noun: str, neck: float, asked: float) -> tuple[str, str]:
    what = f"the {noun} hangs on the body by {format_mm(neck)} mm; {format_mm(asked)} mm hold it"
    return "Thin neck", f"{what}: move it farther into the body"


@worded
def addons_run_together(one: str, other: str) -> tuple[str, str]:
    which = f"two places of the {one}" if one == other else f"the {one} and the {other}"
    return "Run into each other", f"{which} overlap and become one opening; move them apart"


@worded
def cut_goes_through(letter: str, noun: str) -> tuple[str, str]:
    return (
        "Cut through an add-on",
        f"cut {letter}–{letter} passes through the {noun}; move the cut, or the {noun}",
    )


@worded
def loose_piece(after: int, before: int, nouns: Sequence[str]) -> tuple[str, str]:
    kinds = " or the ".join(nouns)
    text = (
        f"the body is in {after} pieces instead of {before}: the {kinds} floats beside it or cuts a piece off"
    )
    return "Loose piece", text


@worded
def addon_leaves_little_floor(
    noun: str, left: float, through: bool, asked: float, layers: int
) -> tuple[str, str]:
    """`asked` is 0 where only the layers count."""
    what = "goes right through the body" if through else f"leaves {format_mm(left)} mm of floor"
    wanted = f"{format_mm(asked)} were asked" if asked else f"{layers} layers hold"
    return "Thin floor", f"the {noun} {what}; {wanted}"


@worded
def covered_opening(noun: str, covered: str, lid: float) -> tuple[str, str]:
    return "Covered", f"the {noun} {covered} {format_mm(lid)} mm of material"


@worded
def addon_wall_below(noun: str, thin: float, asked: float) -> tuple[str, str]:
    return "Thin wall", f"the {noun} leaves walls of {format_mm(thin)} mm; {format_mm(asked)} were asked"


@worded
def addon_wall_above(noun: str, usual: float, asked: float) -> tuple[str, str]:
    text = f"the walls of the {noun} are {format_mm(usual)} mm thick where {format_mm(asked)} were asked"
    return "Thick wall", text


@worded
def addon_wall_thin(noun: str, thin: float, open: bool, lines: int, wide: float) -> tuple[str, str]:
    what = "is open at the side" if open else f"leaves {format_mm(thin)} mm of wall beside it"
    return "Thin wall", f"the {noun} {what}; {lines} lines of the nozzle are {format_mm(wide)}"


@worded
def deep_countersink(sunk: float, left: float) -> tuple[str, str]:
    bears = f"leaves {format_mm(left)} mm for the head to bear on"
    return "Deep countersink", f"the countersink is {format_mm(sunk)} mm deep and {bears}"


@worded
def edge_made_smaller(asked: float, edge: str, most: float) -> tuple[str, str]:
    text = f"{format_mm(asked)} mm of {edge} were asked, {format_mm(most)} mm is the most that the body takes"
    return "Edge made smaller", text


@worded
def corner_made_smaller(asked: float, most: float) -> tuple[str, str]:
    text = (
        f"corners of {format_mm(asked)} mm were asked, {format_mm(most)} mm is the most that the plate takes"
    )
    return "Corner made smaller", text


@worded
def thin_wall(thick: float, area: float, line: float) -> tuple[str, str]:
    return "A thin wall", f"{_thin('wall', thick, area)}; a line is {format_mm(line, 2)} mm"


@worded
def thin_floor_or_roof(thick: float, area: float, layers: int, floor: float) -> tuple[str, str]:
    what = _thin("floor or roof", thick, area)
    return "A thin floor or roof", f"{what}; {layers} layers are {format_mm(floor, 2)} mm"


def _thin(what: str, thick: float, area: float) -> str:
    below = f"about {format_mm(area, 0)} mm² of it below the limit"
    return f"a {what} is {format_mm(thick, 2)} mm thick, {below}"


@worded
def thick_enough(places: int, line: float, floor: float) -> tuple[str, str]:
    walls = f"no wall below {format_mm(line, 2)} mm"
    text = f"{places} places of the whole body: {walls}, no floor or roof below {format_mm(floor, 2)} mm"
    return "Thick enough", text


@worded
def crosses_itself_nowhere(name: str, triangles: int, rebuilt: Sequence[Words] = ()) -> tuple[str, str]:
    also = "".join(f"; {r}" for r in rebuilt)
    return "Crosses itself nowhere", f"{name}: none of {triangles} triangles goes through another{also}"


@worded
def crosses_itself(name: str, pairs: int, rebuilt: Sequence[Words] = ()) -> tuple[str, str]:
    some = "a pair of triangles goes" if pairs == 1 else f"{pairs} pairs of triangles go"
    means = "what is covered twice is counted twice, and slicers differ in what they make of it"
    also = "".join(f"; {r}" for r in rebuilt)
    return "Crosses itself", f"{name}: {some} through one another; {means}{also}"


@worded
def touching_edges(edges: int) -> tuple[str, str]:
    what = "one edge is" if edges == 1 else f"{edges} edges are"
    return (
        "Touching edges",
        f"{what} shared by more than two faces: bodies touch there and nothing holds them",
    )


@worded
def open_edges(edges: int) -> tuple[str, str]:
    return "Not watertight", f"{edges} edges are open, or used by more than two faces"


@worded
def inside_out(volume: float) -> tuple[str, str]:
    return "Not watertight", f"volume {volume:.3f} mm³: inside out"


@worded
def open_edges_and_holes(edges: int, holes: int) -> tuple[str, str]:
    return "Not watertight", f"{edges} edges are open, {holes} holes"


@worded
def watertight(bodies: int) -> tuple[str, str]:
    return "Watertight", f"{how_many(bodies, 'body', 'bodies')} closed, none inside out"


@worded
def watertight_model(triangles: int, volume: float, size: str, mended: bool) -> tuple[str, str]:
    text = f"{triangles} triangles, {volume:.1f} mm³, {size} mm"
    return "Watertight", f"{text}{', as mended' if mended else ''}"


@worded
def nothing_lost(off: float) -> tuple[str, str]:
    return "Nothing lost", f"pieces + clearances = design, {f'{abs(off):.0e} off' if off else 'exactly'}"


@worded
def surface_lost(name: str, count: int) -> tuple[str, str]:
    what = "a closed surface is" if count == 1 else f"{count} closed surfaces are"
    return "Surface lost", f"{name}: {what} not in the solid; mend the model and export it again"


@worded
def mended_on_reading(name: str, done: Sequence[object]) -> tuple[str, str]:
    return "Mended on reading", f"{name}: {'; '.join(map(str, done))}"


@worded
def read_as_it_is(name: str) -> tuple[str, str]:
    return "Read as it is", f"{name}: nothing was mended, every surface is there"


@worded
def bodies_not_as_decided(decided: Sequence[object], there: float, stays: float) -> tuple[str, str]:
    return "Bodies not as you decided", f"{_left(decided, there)} instead of {stays:.1f}"


@worded
def bodies_as_decided(decided: Sequence[object], there: float) -> tuple[str, str]:
    return "Bodies as you decided", _left(decided, there)


def _left(decided: Sequence[object], there: float) -> str:
    return f"{'; '.join(map(str, decided))}; what is left holds {there:.1f} mm³"


@worded
def readers_note(note: object) -> tuple[str, str]:
    return "Reader's note", str(note)


@worded
def three_mf_read(bodies: int, items: int, unit: str) -> tuple[str, str]:
    return "File", f"{bodies} bodies, {items} on the beds, unit {unit}, checked in mm"


@worded
def rim_ends_in_an_edge(upper: bool, width: float, least: float) -> tuple[str, str]:
    side = "upper" if upper else "lower"
    return (
        "Rim ends in an edge",
        f"the {side} rim ends {format_mm(width)} mm wide; {format_mm(least)} mm print",
    )


@worded
def magnet_goes_in(roof: float) -> tuple[str, str]:
    return "Closed pocket", f"pause the print under the {format_mm(roof)} mm roof and put the magnet in"
