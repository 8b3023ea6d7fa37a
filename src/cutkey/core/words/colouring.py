"""Of ways of colour: plans by height, inlays, filaments at once, and what would help."""

from __future__ import annotations

from collections.abc import Sequence

from cutkey.core.units import format_mm, how_many
from cutkey.core.words.kind import Words, listed, worded


@worded
def no_plan_by_height(trouble: Words) -> tuple[str, str]:
    return "No plan by height", str(trouble)


@worded
def cut_across_the_layers(name: str, face_down: bool) -> tuple[str, str]:
    lower = "its top is lower than that of the design; print it face up"
    way = lower if face_down else "take the level cuts out"
    begins = f"{name} does not begin on the bed with the others: by height all must"
    return "Cut across the layers", f"{begins}; {way}, or print bodies"


@worded
def two_filaments_in_a_layer(name: str, layer: int, filaments: Sequence[str]) -> tuple[str, str]:
    return "Two filaments in a layer", f"{name}: layer {layer} would need {' and '.join(filaments)} at once"


@worded
def by_height(
    changes: int, layers: int, pieces: int, beside: int, filaments: Sequence[str]
) -> tuple[str, str]:
    text = f"{changes} changes, {layers} layers of {pieces} pieces, each of one filament"
    but = f", but {beside} that {' and '.join(filaments)} is printed in as a body" if beside else ""
    return "By height", text + but


@worded
def note_on_heights(note: Words) -> tuple[str, str]:
    return "By height", str(note)


@worded
def face_under_a_film(body: str, filament: str, height: float) -> tuple[str, str]:
    what = f"the plain face at {format_mm(height, 2)} mm shows {filament} instead of {body}"
    return "Face covered by a film", f"{what}; change the layer height or the first layer"


@worded
def seen_in_another_colour(regions: Sequence[str]) -> tuple[str, str]:
    text = f"from above {' and '.join(regions)} would not show the filament meant for it"
    return "Seen in another colour", text


@worded
def seen_in_their_colours(places: int) -> tuple[str, str]:
    return "Seen in their colours", f"{places} places of the regions, looked at from above"


@worded
def no_plan_face_down() -> str:
    return "Face down there is no plan that holds: fix the heights on the Place sheet, or print it face up."


@worded
def no_layer_left(name: str) -> str:
    return f"No layer is left for {name}: make the body thicker, or the recess shallower."


@worded
def set_by_hand_left_aside() -> str:
    return "the changes set by hand leave no plan, and were left aside"


@worded
def too_many_layers(layers: int, mm: float) -> str:
    return f"{layers} layers of {format_mm(mm)} mm are too many to be planned; set a thicker layer."


@worded
def not_on_a_level_face(name: str) -> str:
    only = "by height only such can be printed; print its colours as bodies"
    return f"{name} does not lie on a level face that looks up: {only}."


@worded
def no_order_of_changes(among: Sequence[str], helps: Sequence[Words]) -> str:
    rest = ", or ".join(map(str, helps)) if helps else "merge two colours, or print all as bodies"
    return f"There is no order of changes for {' and '.join(among)}: {rest}."


@worded
def comes_back(times: int, also: Words | None = None) -> str:
    often = "once" if times == 1 else f"{times} times"
    return f"{f'{also}, and ' if also else ''}let a colour come back {often}"


@worded
def heights_may_differ(mm: float) -> str:
    return f"let heights differ by {format_mm(mm)} mm from what was asked"


@worded
def one_layer_covers() -> str:
    return "let one layer cover"


@worded
def printed_as_a_body(name: str) -> str:
    return f"print {name} as a body"


@worded
def face_hangs(mm: float) -> str:
    hangs = f"a face of the model hangs {format_mm(mm, 2)} mm over the bed"
    return f"{hangs}: let nothing stand on it, or support it"


@worded
def region_hangs(name: str, mm: float, wide: float) -> str:
    hangs = f"{name} hangs {format_mm(mm, 2)} mm over the bed, up to {format_mm(wide, 0)} mm wide"
    return f"{hangs}: it sags or wants support"


@worded
def printed_alike(pairs: Sequence[tuple[str, str, float]]) -> str:
    """Each the filament that goes, the one that stays, and how far they are apart by CIEDE2000."""
    return (
        "print"
        f" {' and '.join(f'{gone} with {stays} (colour difference {off:.0f})' for gone, stays, off in pairs)}"
    )


@worded
def print_by_height(changes: int, off: float) -> str:
    return f"print by height: {changes} changes, heights off by {format_mm(off, 2)} mm"


@worded
def let_in_instead(colours: Sequence[str], pieces: int) -> str:
    return f"let in {' and '.join(colours)}: {pieces} pieces"


@worded
def no_inlays(trouble: Words) -> tuple[str, str]:
    return "No inlays", str(trouble)


@worded
def inlays_need_a_flat_face(name: str) -> str:
    return f"{name} lies on a curved surface: inlays are straight; print its colours as bodies."


@worded
def too_narrow_to_be_put_in(name: str, colour: str, pieces: int, of: int) -> tuple[str, str]:
    what = f"{pieces} of {of} pieces of {colour} are too narrow in places and would fall apart as inlays"
    return "Too narrow in places", f"{name}: {what}; the colour stays a body: widen it, or print it as a body"


@worded
def too_small_to_be_put_in(name: str, colour: str, small: int, pieces: int) -> tuple[str, str]:
    what = f"{small} of {pieces} pieces are too small to be put in"
    return "Too small to be put in", f"{name}, {colour}: {what}; it stays a body"


@worded
def nothing_can_be_let_in() -> tuple[str, str]:
    return "No inlays", "no colour of the design can be let in; all stay bodies"


@worded
def inlays_touch(near: float) -> tuple[str, str]:
    return "Inlays touch", f"two inlays side by side have {format_mm(near, 3)} mm between them"


@worded
def inlay_is_tight(number: int, name: str, play: float) -> tuple[str, str]:
    return (
        "An inlay is tight",
        f"Inlay {number} ({name}) has {format_mm(play, 3)} mm of play a side in its pocket",
    )


@worded
def inlays_go_in(inlays: int, play: float) -> tuple[str, str]:
    each = f"each with {format_mm(play, 2)} mm of play or more in its pocket"
    return "Inlays go in", f"{inlays} inlays, {each}, measured on body and piece"


def _some(numbers: Sequence[int]) -> str:
    return listed(numbers, most=8, more="…")


@worded
def inlays_without_a_number(numbers: Sequence[int], inlays: int) -> tuple[str, str]:
    small = f"{len(numbers)} of {inlays} inlays are too small or too thin for a number underneath"
    return "Inlays without a number", f"{small}: {_some(numbers)}; lay them out on the sheet"


@worded
def pockets_without_a_number(numbers: Sequence[int]) -> tuple[str, str]:
    text = f"under the pockets of inlays {_some(numbers)} too little is left for a number in the floor"
    return "Pockets without a number", text


@worded
def inlays_are_numbered(inlays: int) -> tuple[str, str]:
    return "Inlays are numbered", f"all {inlays}, underneath and in the floor of the pocket"


@worded
def inlays_over_seams(over: Sequence[tuple[int, Sequence[str]]]) -> tuple[str, str]:
    some = ", ".join(f"{number} ({', '.join(sections)})" for number, sections in over[:8])
    return "Inlays over seams", f"lie over seams: {some}; put them in once their sections are together"


@worded
def inlays_can_be_mixed_up(pairs: Sequence[tuple[int, int]]) -> tuple[str, str]:
    some = ", ".join(f"{piece} into {pocket}" for piece, pocket in pairs[:6])
    text = (
        f"inlays of different colours go into each other's pockets: {some}; keep them apart by their numbers"
    )
    return "Inlays can be mixed up", text


@worded
def inlays_go_in_turned(numbers: Sequence[int]) -> tuple[str, str]:
    return "Inlays that go in turned", f"{_some(numbers)}: they look the same then"


@worded
def more_than_loaded(name: str, needs: int, loaded: int, near: Sequence[str], off: float) -> tuple[str, str]:
    """`near` are the two filaments that are most alike, `off` their difference."""
    a, b = near
    way = "print by height or as inlays, or print two colours alike"
    text = f"{name} needs {how_many(needs, 'filament')} at once, {loaded} are loaded: {way}"
    return "More filaments than are loaded", f"{text}; {a} and {b} are the nearest ({off:.0f} by CIEDE2000)"
