"""Of files that are opened.

What of pictures, drawings and models was changed, left out or taken for something.
"""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.units import format_mm
from cutkey.core.words.kind import worded


def _counted(count: int, what: str) -> str:
    return f"{count} {what}{'s' if count != 1 else ''}"


@worded
def left_out(count: int, what: str) -> str:
    return f"{count} {what} left out" if count == 1 else f"{count} × {what} left out"


@worded
def no_unit(name: str) -> str:
    return f"{name} states no unit; its lengths were taken as millimetres"


@worded
def sheet_was_read(sheet: str) -> str:
    return f"its model space is empty; what is on its sheet “{sheet}” was read"


@worded
def first_page_was_read(pages: int) -> str:
    return f"the first of its {pages} pages was read"


@worded
def drawn_twice(lines: int) -> str:
    are = "line is" if lines == 1 else "lines are"
    return f"{lines} {are} drawn more than once; each was taken once"


@worded
def gaps_closed(gaps: int, widest: float) -> str:
    some, were = ("gap", "was") if gaps == 1 else ("gaps", "were")
    return f"{gaps} {some} of up to {widest:.2g} mm in outlines {were} closed"


@worded
def outlines_joined(outlines: int) -> str:
    return f"{outlines} outlines overlap one another and were joined"


@worded
def fitted_text() -> str:
    return "text that was fitted between two places keeps the width of its letters"


@worded
def no_outline_font(wanted: str, taken: str) -> str:
    return f"its font {wanted} is not here, or is no outline font; text is set in {taken}"


@worded
def no_such_font(asked: str, taken: str) -> str:
    return f"the font {asked} is not on this machine; text is set in {taken}"


@worded
def no_italic(family: str) -> str:
    return f"{family} has no italic on this machine; text in it stands upright"


@worded
def taken_from_another_font(characters: str, font: str, other: str) -> str:
    return f"“{characters}” is not in {font} and was taken from {other}"


@worded
def in_no_font(characters: str) -> str:
    return f"“{characters}” is in no font here and was left out"


@worded
def beyond_the_page(percent: float) -> str:
    return f"what lies beyond the edge of its page, {percent:.2g} % of its area, was left out"


@worded
def holds_itself(tag: str) -> str:
    return f"a {tag} that holds itself is left out"


@worded
def filters_left_out() -> str:
    return "filter effects are left out"


@worded
def elements_left_out(tag: str) -> str:
    return f"“{tag}” elements are left out"


@worded
def pictures_left_out() -> str:
    return "embedded pictures are left out; open them by themselves"


@worded
def half_transparent() -> str:
    return "half-transparent paint was mixed into solid colours"


@worded
def reference_left_out() -> str:
    return "a reference to something outside the drawing is left out"


@worded
def dashes_too_fine() -> str:
    return "dashes too fine to be drawn are drawn as whole lines"


@worded
def gradients_reduced() -> str:
    return "gradients were reduced to their mean colour"


@worded
def patterns_left_out() -> str:
    return "pattern fills are left out"


@worded
def large_patterns_left_out() -> str:
    return "patterns of more than two thousand tiles are left out"


@worded
def soft_masks() -> str:
    return "soft masks were cut where they show half"


@worded
def path_with_an_error() -> str:
    return "a path with an error was drawn up to it"


@worded
def text_as_outlines() -> str:
    return "text was turned into outlines"


@worded
def turned_letters() -> str:
    return "turned letters of a text are set upright"


@worded
def lines_at_text() -> str:
    return "lines under, over and through text are left out"


@worded
def no_path_for_text() -> str:
    return "text on a path that is not there is left out"


@worded
def text_with_a_length() -> str:
    return "text with a length of its own is set as long as it comes"


@worded
def first_picture(name: str, pictures: int) -> str:
    return f"{name} has {pictures} pictures in it; the first is used"


@worded
def strange_profile() -> str:
    return "its colour profile is of another kind of picture and was left aside"


@worded
def damaged_profile() -> str:
    return "its colour profile is damaged, so its colours may be a little off"


@worded
def shaded_ground(light: str, dark: str) -> str:
    return f"its ground, which shades from {light} to {dark}, was taken for one colour"


@worded
def traced_as(kind: str, light: str, way: str, sheet: str | None) -> str:
    if way == "gradients":
        return "what goes softly from one tone to another became one colour; --mode colours keeps the steps"
    ways = {"pixels": "square by square", "dark": "dark on light", "light": "light on dark"}
    how = (
        f"it looks like {kind} and was traced {ways.get(way, f'as {way}')}; --mode colours traces it plainly"
    )
    undone = {
        "shadow": "a hard shadow lies across it and was divided out",
        "glare": "there is glare on it, which was taken out",
        "halftone": "it is printed in dots, which were averaged to the tones they stand for",
    }
    if sheet is None:
        return f"{undone[light]}; --mode colours leaves it as it is" if light in undone else how
    size = f" It was taken for {sheet}, which tells the size." if sheet else ""
    return f"the sheet in it was squared up.{size} --mode colours leaves it as it is"


@worded
def soft_edge(colour: str, percent: float, kept: bool) -> str:
    light = sum(int(colour[k : k + 2], 16) for k in (1, 3, 5)) > 384
    name = f"A soft {'glow' if light else 'shadow'} ({colour}, {percent:.2g} % of the picture)"
    return f"{name} is part of the figure" if kept else f"{name} was left out"


@worded
def fewer_bits(bits: int) -> str:
    return f"it has 16 bits but uses {bits} of them; its lightest possible level was taken for white"


@worded
def stated_gamma(gamma: float) -> str:
    return f"it states a gamma of {gamma:.3g}; its levels were made those of a screen"


@worded
def letters_left_out(letters: int, lines: int, limit_mm2: float, keep_mm2: float) -> str:
    some = "1 line of text" if lines == 1 else f"{lines} lines of text"
    return (
        f"{letters} letters or parts of letters in {some} are smaller than the speck limit of"
        f" {limit_mm2:g} mm² and were left out; a limit of {keep_mm2:g} mm² keeps them"
    )


@worded
def went_with_the_background(colour: str, percent: float, background: str) -> str:
    like = f"is so like the background {background} that it went with it"
    return f"{colour}, {percent:.2g} % of the picture, {like}; pick the colours by hand to keep it"


@worded
def picked_by_hand() -> str:
    return "picked by hand"


def _colours(count: int) -> str:
    return "1 colour" if count == 1 else f"{count} colours"


@worded
def colours_for_all(colours: int) -> str:
    return f"the {colours} that stand best for all of the picture"


@worded
def some_of_the_colours(colours: int, there: int) -> str:
    return f"{_colours(colours)} of the {there} that are there, the rest joined to the most alike"


@worded
def every_colour(colours: int) -> str:
    return f"every colour that occurs: {colours}"


@worded
def some_that_occur(colours: int, there: int) -> str:
    return f"{colours} of the {there} that occur"


@worded
def colours_cover(
    colours: int, share: float, lines: int, next_adds: float | None, apart: float | None, all_of: bool
) -> str:
    """`lines` more are in lines.

    `next_adds` is a share, None where there is no next; `apart` in CIEDE2000.
    """
    percent = f"{100 * share:.4g} %" if share < 0.9995 else "all"
    text = f"{_colours(colours)} {'covers' if colours == 1 else 'cover'} {percent} of the flat areas"
    if lines:
        text += f", {lines} more {'is' if lines == 1 else 'are'} in lines and tips"
    if next_adds is not None:
        text += f"; the next would add {next_adds:.2%}"
    elif apart is not None:
        text += f"; any two of them differ by {apart:.0f} or more (CIEDE2000)"
    return text + ("; more than these are not there" if all_of else "")


@worded
def lenient() -> str:
    return "it does not keep to the 3MF standard and was read as far as it does"


@worded
def painted_triangles() -> str:
    return "colours painted on single triangles are left out"


@worded
def objects_are_one(objects: int) -> str:
    return f"its {objects} objects are one body"


@worded
def wall_faces_out(faces: int) -> str:
    return f"{_counted(faces, 'wall face')} between solids that meet taken out"


@worded
def duplicates_dropped(faces: int) -> str:
    return f"{_counted(faces, 'duplicate face')} dropped"


@worded
def points_joined(points: int) -> str:
    return f"{_counted(points, 'point')} that almost coincided joined"


@worded
def fins_taken_off(faces: int) -> str:
    return f"{_counted(faces, 'loose face')} on edges of others taken off"


@worded
def faces_turned(faces: int) -> str:
    return f"{_counted(faces, 'face')} turned to face outwards"


@worded
def taken_as_it_is(edges: int) -> str:
    return f"{edges} edges that are not between just two faces were taken as they are"


@worded
def drawn_by_points(length: float) -> str:
    what = f"{format_mm(length, 1)} mm of the boundaries are drawn point by point"
    return f"{what}: curves would have crossed there"


@worded
def holes_closed(holes: int) -> str:
    return f"{_counted(holes, 'hole')} closed"


@worded
def all_inside_out() -> str:
    return "it was inside out and was turned"


@worded
def shells_turned(shells: int) -> str:
    one = "a shell that was inside out was turned"
    return one if shells == 1 else f"{shells} shells that were inside out were turned"


@worded
def shells_are_hollows(shells: int) -> str:
    one = "a shell inside another faced outwards and is a hollow now"
    return one if shells == 1 else f"{shells} shells inside others faced outwards and are hollows now"


@worded
def shells_joined() -> str:
    return "shells that cross one another were joined"


@worded
def colours_shared(volume: float) -> str:
    return f"colours shared {volume:.1f} mm³, which the smaller body of each pair kept"


@worded
def bodies_filled_up(colours: Sequence[str]) -> str:
    names = ", ".join(c or "without a colour" for c in colours)
    return f"nothing was left of the body {names}: smaller ones fill all of it"


@worded
def not_rebuilt() -> str:
    return "it could not be rebuilt; mend the model and export it again"


@worded
def was_rebuilt(places: int, less: float) -> str:
    text = f"it crossed itself in {places} places and was rebuilt: {less:.2f} mm³ less"
    return f"{text}, which it had covered twice"


@worded
def body_taken_away(name: str, volume: float) -> str:
    return f"{name} ({volume:.1f} mm³) was taken away"


@worded
def body_coloured(name: str, colour: str) -> str:
    return f"{name} is coloured {colour}"


@worded
def decided_body_is_gone(bodies: int) -> str:
    one = "a body that you took away or coloured is not in it"
    return one if bodies == 1 else f"{bodies} bodies that you took away or coloured are not in it"


@worded
def steps_not_taken_over(steps: int) -> str:
    some = f"{steps} preparation steps that belong" if steps > 1 else "1 preparation step that belongs"
    return f"{some} to places in the old picture"


@worded
def edits_not_taken_over(edits: int) -> str:
    return f"{edits} edit{'s' if edits > 1 else ''} of the old figure"


@worded
def threshold_not_taken_over() -> str:
    return "the threshold that was set by hand"


@worded
def colours_not_taken_over() -> str:
    return "the colours that were picked or merged by hand"


@worded
def depths_not_taken_over(colours: Sequence[str]) -> str:
    return f"the depth of {', '.join(colours)}, which the new picture has not"


@worded
def filaments_not_taken_over(colours: Sequence[str]) -> str:
    return f"the filament of {', '.join(colours)}, which the new picture has not"


@worded
def ways_not_taken_over(colours: Sequence[str]) -> str:
    return f"the way of printing {', '.join(colours)}, which the new picture has not"


@worded
def accepted_not_taken_over(findings: int) -> str:
    which = "an accepted finding" if findings == 1 else f"{findings} accepted findings"
    return f"{which} about colours that the new picture has not"


@worded
def scale_not_taken_over() -> str:
    return "the common scale with the other graphics of the old picture"


@worded
def keys_set_anew() -> str:
    return "keys that were set by hand are set anew"


@worded
def seams_stretched() -> str:
    return "bent seams were stretched with the body"


@worded
def joined_as_printable(line: float, joined: float, gone: float) -> str:
    """Areas in mm2; `gone` is 0 where it is less than anybody sees."""
    went = f" and {format_mm(gone, 2)} mm² are gone" if gone else ""
    narrow = f"of what is narrower than {format_mm(line, 2)} mm"
    return f"as printable: {narrow}, {format_mm(joined, 2)} mm² joined other colours{went}"


@worded
def gradient_in_steps(steps: int, gradients: int, joined: bool) -> str:
    some = "a soft gradient" if gradients == 1 else f"{gradients} soft gradients"
    if joined:
        return f"{some[0].upper()}{some[1:]} became one colour{'' if gradients == 1 else ' each'}"
    return f"{steps} colours are steps of {some}"
