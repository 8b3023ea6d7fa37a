"""Of graphics on a model: how they lie, what came out of them, what is thin, low or loose."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.units import format_mm, how_many
from cutkey.core.words.kind import worded


@worded
def beside_the_model(name: str, share: float) -> tuple[str, str]:
    what = f"{share:.0%} of it is on the model" if share > 0 else "it misses the model"
    return "Beside the model", f"{name}: {what}; move or size it so that it lies on the surface"


@worded
def colour_beside_the_model(name: str, colour: str, share: float) -> tuple[str, str]:
    return (
        "Colour missing",
        f"{name}, {colour}: {share:.0%} of it is on the model; move or size it so that it meets the surface",
    )


@worded
def copies_beside_the_model(name: str, lost: int, copies: int, share: float) -> tuple[str, str]:
    what = f"{lost} of {copies} copies are on the model by {share:.0%} or less"
    return "Copies missing", f"{name}: {what}; move them onto the surface, or place fewer"


@worded
def enclosed(name: str, share: float) -> tuple[str, str]:
    what = f"{share:.0%} of it lies in a closed cavity, where nothing from outside can reach it"
    return "Inside a cavity", f"{name}: {what}; place it on an outer face"


@worded
def under_other_material(name: str, share: float, gap: float) -> tuple[str, str]:
    what = f"{share:.0%} of it lies under other material of the model, {format_mm(gap, 1)} mm above it"
    return "Under other material", f"{name}: {what}; place it on an outer face if it is to be seen"


@worded
def trimmed(name: str, missed: float, area: float) -> tuple[str, str]:
    of = f"{format_mm(missed, 1)} of {format_mm(area, 1)} mm²"
    return "Trimmed", f"{name}: {of} runs over the edge or a hole and is trimmed"


@worded
def steep(name: str, colour: str, area: float, angle: float) -> tuple[str, str]:
    what = f"{format_mm(area, 1)} mm² are stretched where the surface turns away by more than {angle:g}°"
    return "Steep", f"{name}, {colour}: {what}"


@worded
def folded(name: str, colour: str, places: int) -> tuple[str, str]:
    what = f"the surface is too rough for its height in {places} places; make it lower or smaller"
    return "Folded", f"{name}, {colour}: {what}"


@worded
def deep_in_the_middle(name: str, colour: str, deep: float) -> tuple[str, str]:
    what = f"laid straight it is sunk up to {format_mm(deep, 2)} mm into the curved surface"
    return "Deep in the middle", f"{name}, {colour}: {what}"


@worded
def tall_at_the_side(name: str, colour: str, tall: float, bites: float) -> tuple[str, str]:
    what = f"laid straight it stands up to {format_mm(tall, 2)} mm above the curved surface"
    return "Tall at the side", f"{name}, {colour}: {what}, and bites {bites:g} mm or more"


@worded
def which_way_it_reads(name: str) -> tuple[str, str]:
    text = (
        f"{name} is laid mirrored: is there lettering in it? Say on the Place sheet which way it is to read"
    )
    return "Which way does it read?", text


def _quoted(text: str, name: str) -> str:
    return f"“{text}”" if text else name


@worded
def reads_right_for_a_mirror(text: str, name: str) -> tuple[str, str]:
    what = "prints the right way round; it is to be mirrored, for a stamp or to be read from the back"
    return "Reversed text", f"{_quoted(text, name)} {what}"


@worded
def reads_reversed(text: str, name: str) -> tuple[str, str]:
    what = "is mirrored and prints reversed; right for a stamp, or to be read from the back"
    return "Reversed text", f"{_quoted(text, name)} {what}"


@worded
def twin_reads_reversed(text: str, name: str) -> tuple[str, str]:
    return "Reversed text", f"{_quoted(text, name)}: the mirrored twin of the pair prints reversed"


@worded
def reads_as_it_is_to(text: str, name: str) -> tuple[str, str]:
    return "Reads the right way", f"{_quoted(text, name)} reads as it is to"


@worded
def not_all_came_out(
    name: str, colour: str, missing: int, pieces: int, came: float, asked: float, mode: str
) -> tuple[str, str]:
    how = f"{missing} of {pieces} pieces are missing, " if missing else ""
    amount = f"{format_mm(came, 1)} of {format_mm(asked, 1)} mm³"
    return "Not all came out", f"{name}, {colour}: {how}{amount} of what was placed ({mode}) are there"


@worded
def covered_by_another_colour(name: str, colour: str, came: float, asked: float) -> tuple[str, str]:
    amount = f"{format_mm(came, 1)} of {format_mm(asked, 1)} mm³"
    text = f"{name}, {colour}: {amount} are there; the rest lies inside what another colour has already"
    return "Covered by another colour", text


@worded
def came_out(name: str, share: float, asked: float) -> tuple[str, str]:
    where = "are where they should be, probed on the bodies"
    return "Came out", f"{name}: {share:.1%} of {format_mm(asked, 1)} mm³ that were placed {where}"


@worded
def too_thin_to_print(name: str, colour: str, least: float, places: int, nozzle: float) -> tuple[str, str]:
    count = f"{places} places" if places > 1 else "one place"
    return "Too thin to print", f"{name}, {colour}: {least:.2f} mm in {count}, the nozzle draws {nozzle:g}"


@worded
def narrower_than_the_nozzle(colour: str, narrowest: float, nozzle: float) -> str:
    return (
        f"{colour} has pieces no wider than {narrowest:.2g} mm, which a nozzle of {nozzle:g} mm does not"
        " print"
    )


@worded
def goes_right_through(name: str, colour: str, mode: str, deep: float) -> tuple[str, str]:
    return (
        "Thin floor",
        f"{name}, {colour}: {mode} {format_mm(deep)} mm goes right through the model in places",
    )


@worded
def thin_floor(
    name: str, colour: str, left: float, deep: float, layers: float, least: int
) -> tuple[str, str]:
    floor = f"{format_mm(left)} mm of floor under {format_mm(deep)} mm"
    return "Thin floor", f"{name}, {colour}: {floor}, {layers:.1f} layers; {least} hold"


@worded
def between_layers(
    name: str, colour: str, top: bool, over: float, layer: float, nearest: float
) -> tuple[str, str]:
    where = f"its {'top' if top else 'floor'} {format_mm(over, 2)} mm over the bed"
    lies = f"lies between layers of {format_mm(layer, 2)} mm, and comes out at {format_mm(nearest, 2)}"
    return "Between layers", f"{name}, {colour}: {where} {lies}"


@worded
def shows_through(name: str, colour: str, thick: float, filament: str, layers: int) -> tuple[str, str]:
    wants = f"{filament} wants {layers} layers, or what is under it shows through"
    return "Shows through", f"{name}, {colour} is {format_mm(thick, 2)} mm thick: {wants}"


def _parts(parts: int, size: float) -> str:
    mm = format_mm(size, 1)
    return f"a part of {mm} mm" if parts == 1 else f"{parts} parts, the largest of {mm} mm,"


@worded
def falls_out(parts: int, size: float, placed: bool) -> tuple[str, str]:
    help = "hold with bridges, or leave a floor" if placed else "make what is sunk there less deep"
    what = f"{_parts(parts, size)} {'is' if parts == 1 else 'are'} cut off all round and would fall out"
    return "Falls out", f"{what}; {help}"


@worded
def in_the_air(parts: int, size: float) -> tuple[str, str]:
    what = f"{_parts(parts, size)} {'touches' if parts == 1 else 'touch'} nothing of the body"
    return "In the air", f"{what}; move it onto the model, or make it deeper"


@worded
def holds_together() -> tuple[str, str]:
    return "Holds together", "the finished design holds together as the body did"


@worded
def colours_do_not_meet(name: str, gap: float, overlap: float) -> tuple[str, str]:
    return "Colours do not meet", f"{name}: gap {gap:.4f}, overlap {overlap:.4f} mm²"


@worded
def colours_meet(regions: int) -> tuple[str, str]:
    return "Colours meet", f"{how_many(regions, 'colour region')}, gap 0 and overlap 0 mm²"


@worded
def bodies_share_volume(off: float) -> tuple[str, str]:
    return "Bodies overlap", f"colour bodies share {off:.3f} mm³"


@worded
def bodies_leave_gaps(off: float) -> tuple[str, str]:
    return "Bodies leave gaps", f"{off:.3f} mm³ of the design are in no colour body"


@worded
def bodies_share_area(shared: float, height: float) -> tuple[str, str]:
    return (
        "Bodies overlap",
        f"two colour bodies cover the same {shared:.3f} mm² at a height of {height:.2f} mm",
    )


@worded
def bodies_apart(bodies: int) -> tuple[str, str]:
    several = f"{bodies} colour bodies add up to the design and cover nothing twice"
    return "Bodies apart", "one colour body is the design" if bodies == 1 else several


@worded
def cannot_be_seen(name: str, colour: str, filament: str) -> tuple[str, str]:
    what = f"printed in {filament}, at the height of what surrounds it, in the same filament"
    return "Cannot be seen", f"{name}, {colour}: {what}; give it another filament, raise it or sink it in"


@worded
def colours_merge(name: str, one: str, other: str, filament: str, printed: bool) -> tuple[str, str]:
    what = f"{one} and {other} are both printed in {filament}, at one height"
    help_ = "filament or height"
    if not printed:
        what, help_ = f"{one} and {other} are taken out to one depth", "depth"
    return "Colours merge", f"{name}: {what}, and cannot be told apart; give one of them another {help_}"


@worded
def all_can_be_seen(places: int) -> tuple[str, str]:
    return "Visible", f"every region shows by its filament or its height, looked at in {places} places"


@worded
def touching_at_a_corner(name: str, colour: str, corners: int) -> tuple[str, str]:
    where = "at one corner" if corners == 1 else f"at {corners} corners"
    what = f"pieces touch {where} only; nothing holds them together there"
    return "Touching at a corner", f"{name}, {colour}: {what}"


@worded
def series_without_a_place(slot: str, kits: int) -> tuple[str, str]:
    same = f"no text holds {slot}, so the {kits} kits of the series are all the same"
    return "Series without a place", f"{same}; put {slot} where the value is to stand"


@worded
def changed_on_reading(name: str, note: object) -> tuple[str, str]:
    return "Changed on reading", f"{name}: {note}"


@worded
def edit_without_a_place(edit: str) -> str:
    return f"“{edit}” finds no piece at its place any more; make it anew or take it out"


@worded
def spacers_not_needed() -> tuple[str, str]:
    return "Setting out", "the design is one body; it needs no spacers"


@worded
def spacer_runs_into_an_island(hits: Sequence[tuple[int, str]]) -> tuple[str, str]:
    said = [f"spacer {number} runs into {name}" for number, name in hits]
    return "Spacer runs into an island", "; ".join(said[:4])


@worded
def not_held_fast(names: Sequence[str]) -> tuple[str, str]:
    some = ", ".join(names[:5]) + (" ..." if len(names) > 5 else "")
    text = f"{some}: spacers cannot keep it from sliding or turning, use the paper template there"
    return "Not held fast", text


@worded
def islands_are_held(spacers: int, islands: int) -> tuple[str, str]:
    return "Setting out", f"{spacers} spacers hold {islands} islands, none can move"
