"""Tracing, against an SVG renderer (resvg), exact geometry and scikit-image."""

from __future__ import annotations

import io
import math

import numpy as np
import pytest
import resvg_py
import shapely
from PIL import Image
from scipy.spatial import cKDTree
from shapely import affinity
from tests.conftest import checker, png

from cutkey.core.errors import BadInput
from cutkey.core.model.tracing import TraceSettings
from cutkey.core.picture.read import read_picture
from cutkey.core.picture.specks import components, despeckle
from cutkey.core.steps.light import EvenLight
from cutkey.core.steps.take_away import TakeAway
from cutkey.core.trace.lattice import build_lattice, chain_up
from cutkey.core.trace.partition import partition, regions
from cutkey.core.trace.run import trace

SIZE = 128


def rendered(body: str, size: int = SIZE) -> np.ndarray:
    """A picture of SVG shapes on white, anti-aliased by an independent renderer."""
    svg = f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 {SIZE} {SIZE}">{body}</svg>'
    data = bytes(resvg_py.svg_to_bytes(svg_string=svg, width=size, height=size, background="white"))
    return np.asarray(Image.open(io.BytesIO(data)).convert("RGB"))


def star(points: int = 5) -> shapely.Polygon:
    a = np.arange(2 * points) * math.pi / points + 0.1
    r = np.where(np.arange(2 * points) % 2, 20, 52)
    return shapely.Polygon(np.c_[64 + r * np.cos(a), 64 + r * np.sin(a)])


SHAPES = {
    "disc": shapely.Point(64.3, 63.6).buffer(45, 128),
    "turned square": affinity.rotate(shapely.box(32, 32, 96, 96), 17),
    "star": star(),
    "ring": shapely.Point(64, 64).buffer(50, 128) - shapely.Point(64, 64).buffer(30, 128),
}


@pytest.mark.parametrize("name", SHAPES)
def test_boundary_lies_where_the_renderer_drew_it(name):
    shape = SHAPES[name]
    path = "".join(
        "M" + "L".join(f"{x:.4f} {y:.4f}" for x, y in r.coords[:-1]) + "Z"
        for r in (shape.exterior, *shape.interiors)
    )
    found = dict(regions(rendered(f'<path fill-rule="evenodd" d="{path}"/>')))
    dark = found[min(found, key=sum)]
    traced = shapely.get_coordinates(shapely.segmentize(dark.boundary, 0.1))
    truth = shapely.get_coordinates(shapely.segmentize(shape.boundary, 0.05))
    off = cKDTree(truth).query(traced)[0]
    # The renderer quantises coverage to 1/256 and its own anti-aliasing is not exact.
    assert off.mean() < 0.06
    assert off.max() < 0.7
    assert abs(dark.area / shape.area - 1) < 0.004


def test_colours_meet_without_gap_or_overlap_however_wild_the_picture():
    rng = np.random.default_rng(5)
    blobs = "".join(
        f'<circle cx="{x}" cy="{y}" r="{r}" fill="#{c:06x}"/>'
        for x, y, r, c in zip(
            rng.integers(0, 128, 40),
            rng.integers(0, 128, 40),
            rng.integers(3, 30, 40),
            rng.integers(0, 1 << 24, 40),
            strict=True,
        )
    )
    for rgb in (
        rendered(blobs, 200),
        rng.integers(0, 256, (48, 48, 3)).astype(np.uint8),
        np.tile(checker(32), (2, 3, 1)),
    ):
        found = [g for _, g in regions(rgb, colours=9)]
        assert shapely.coverage_is_valid(found)
        assert shapely.is_valid(found).all()
        assert shapely.area(shapely.coverage_union_all(found)) == pytest.approx(
            rgb.shape[0] * rgb.shape[1], abs=1e-6
        )
        assert sum(g.area for g in found) == pytest.approx(rgb.shape[0] * rgb.shape[1], abs=1e-6)


def test_only_the_arcs_of_a_broken_face_go_back_to_the_pixels():
    """A sliver that the sub-pixel moves would turn inside out must not cost the rest of the picture its
    smooth edges."""
    from cutkey.core.picture.labels import label_pixels
    from cutkey.core.trace.arcs import build_network
    from cutkey.core.trace.faces import FITTED, THROUGH_NODES, assemble, refuse_crossings

    rgb = rendered(
        '<circle cx="50" cy="64" r="40" fill="#e0a32a"/><circle cx="84" cy="64" r="30" fill="#26241f"/>'
    )
    palette = np.array([[255, 255, 255], [224, 163, 42], [38, 36, 31]], np.uint8)
    labels = label_pixels(rgb, palette)
    lattice = build_lattice(labels)
    chains = chain_up(lattice)
    network = build_network(rgb, labels, palette, lattice, chains)
    sound = assemble(lattice, chains, refuse_crossings(network, np.full(len(chains), FITTED)))
    assert not sound.broken()
    # One arc bent across its own region: only what lies around it is named, and refusing it mends the
    # partition.
    bent = [a.copy() for a in network.arcs]
    longest = max(range(len(bent)), key=lambda k: len(bent[k]))
    bent[longest][len(bent[longest]) // 2] += 60.0
    crossed = assemble(lattice, chains, bent)
    assert longest in crossed.broken()
    level = np.full(len(chains), FITTED)
    mended = refuse_crossings(network._replace(arcs=bent), level)
    assert level[longest] == THROUGH_NODES
    assert np.array_equal(mended[longest], network.through_nodes(longest))
    assert not assemble(lattice, chains, mended).broken()


def test_only_the_piece_of_an_arc_that_crosses_goes_back():
    """A disc's edge dented across its neighbour: all the rest of the long arc stays as it was fitted."""
    from cutkey.core.picture.labels import label_pixels
    from cutkey.core.trace.arcs import build_network
    from cutkey.core.trace.faces import FITTED, assemble, refuse_crossings

    rgb = rendered(
        '<circle cx="50" cy="64" r="40" fill="#e0a32a"/><circle cx="92.5" cy="64" r="2" fill="#26241f"/>'
    )
    palette = np.array([[255, 255, 255], [224, 163, 42], [38, 36, 31]], np.uint8)
    labels = label_pixels(rgb, palette)
    lattice = build_lattice(labels)
    chains = chain_up(lattice)
    network = build_network(rgb, labels, palette, lattice, chains)
    longest = max(range(len(network.arcs)), key=lambda k: len(network.arcs[k]))
    bent = [a.copy() for a in network.arcs]
    # Towards the small disc the large one's edge is pushed over it.
    near = np.hypot(*(bent[longest] - (90.0, 64.0)).T) < 1.5
    bent[longest][near, 0] += 3.0
    level = np.full(len(chains), FITTED)
    mended = refuse_crossings(network._replace(arcs=bent), level)
    assert near.any() and level[longest] == FITTED and not assemble(lattice, chains, mended).broken()
    fitted = shapely.linestrings(network.arcs[longest])
    off = shapely.distance(fitted, shapely.points(mended[longest]))
    away = np.hypot(*(mended[longest] - (90.0, 64.0)).T)
    assert off[away > 9].max() < 1e-9 and off.max() < 1.0
    assert partition(rgb, labels, palette).stepped < 3


def test_every_piece_of_a_checkerboard_survives_its_corner_contacts():
    board = np.indices((8, 8)).sum(0) % 2
    rgb = np.repeat(np.repeat((board * 255)[..., None].astype(np.uint8), 3, 2), 6, 0).repeat(6, 1)
    found = regions(rgb, palette=[[0, 0, 0], [255, 255, 255]])
    assert [len(g.geoms) for _, g in found] == [32, 32]
    assert shapely.coverage_is_valid([g for _, g in found])


def test_chains_hold_every_crack_once_and_in_walking_order():
    labels = np.random.default_rng(3).integers(0, 3, (23, 31)).astype(np.int32)
    lattice = build_lattice(labels)
    chains = chain_up(lattice)
    assert sorted((chains.cracks >> 1).tolist()) == list(range(len(lattice.start) // 2))
    for k in range(len(chains)):
        run = chains.cracks[chains.first[k] : chains.first[k + 1]]
        assert (lattice.end[run[:-1]] == lattice.start[run[1:]]).all()
        assert (lattice.end[run[-1]] == lattice.start[run[0]]) or not chains.closed[k]


def test_a_speck_takes_the_colour_around_it_and_never_becomes_a_hole():
    rgb = np.full((60, 60, 3), 255, np.uint8)
    rgb[10:50, 10:50] = (224, 163, 42)
    rgb[28:32, 28:32] = (30, 30, 30)
    kept = trace(read_picture(png(rgb), "p"), TraceSettings(despeckle_mm2=0.0), 40)
    taken = trace(read_picture(png(rgb), "p"), TraceSettings(despeckle_mm2=20.0), 40)
    assert len(kept.specks) == 0 and len(kept.regions) == 2
    assert len(taken.specks) == 1
    assert [r.geometry.area for r in taken.regions] == [pytest.approx(1600, rel=0.002)]
    labels, specks = despeckle(components(np.zeros((3, 3), np.int32))[0], 100)
    assert len(specks) == 0 and labels.shape == (3, 3)


def test_the_background_goes_but_its_colour_inside_the_figure_stays_unless_asked():
    rgb = np.full((80, 80, 3), 255, np.uint8)
    rgb[10:70, 10:70] = (30, 30, 30)
    rgb[30:50, 30:50] = 255
    picture = read_picture(png(rgb), "p")
    stays = trace(picture, TraceSettings(), 50)
    goes = trace(picture, TraceSettings(everywhere=True), 50)
    picked = trace(picture, TraceSettings(background="none", steps=(TakeAway((0.5, 0.5)),)), 50)
    assert sorted(r.geometry.area for r in stays.regions) == [
        pytest.approx(400, rel=0.01),
        pytest.approx(3200, rel=0.01),
    ]
    assert [r.geometry.area for r in goes.regions] == [pytest.approx(3200, rel=0.01)]
    assert sum(r.geometry.area for r in picked.regions) == pytest.approx(6000, rel=0.01)
    with pytest.raises(BadInput, match="nothing on its background"):
        trace(read_picture(png(np.full((20, 20, 3), 255)), "white.png"), TraceSettings(), 50, "white.png")


def test_the_automatic_threshold_is_otsus():
    """Against scikit-image's threshold_otsu."""
    from skimage.filters import threshold_otsu

    rng = np.random.default_rng(1)
    grey = (
        np.where(rng.random((90, 90)) < 0.3, rng.normal(70, 14, (90, 90)), rng.normal(190, 14, (90, 90)))
        .clip(0, 255)
        .astype(np.uint8)
    )
    found = trace(
        read_picture(png(np.repeat(grey[..., None], 3, 2)), "p"),
        TraceSettings(mode="threshold", smooth=False, despeckle_mm2=0),
        50,
    )
    assert found.threshold * 255 == pytest.approx(threshold_otsu(grey), abs=1)


def test_modes_shapes_and_transparency():
    picture = read_picture(png(checker(96)), "p")
    assert len(trace(picture, TraceSettings(), 60).regions) == 2
    merged = trace(picture, TraceSettings(merges=(("#1e1e1e", "#e0a32a"),)), 60)
    assert [r.colour for r in merged.regions] == ["#e0a32a"]
    silhouette = trace(read_picture(png(checker(96)), "p"), TraceSettings(shape="silhouette"), 60)
    assert len(silhouette.regions) == 1 and len(silhouette.regions[0].geometry.geoms) == 2
    levels = trace(picture, TraceSettings(mode="levels", colours=3, background="none"), 60)
    assert len(levels.regions) == 3
    rgba = np.dstack([checker(96), np.where(checker(96)[..., 0] == 255, 0, 255).astype(np.uint8)])
    buffer = io.BytesIO()
    Image.fromarray(rgba).save(buffer, "PNG")
    clear = trace(read_picture(buffer.getvalue(), "clear.png"), TraceSettings(), 60)
    assert {r.colour for r in clear.regions} == {"#1e1e1e", "#e0a32a"}


def test_a_photographed_picture_gives_the_colours_of_the_drawing():
    """The demo photograph (tilt, uneven light, blur, noise, JPEG) with one setting touched."""
    from cutkey.demo import pictures

    clean = trace(read_picture(pictures.png_bytes(pictures.bee()), "bee"), TraceSettings(), 36)
    photo = trace(
        read_picture(pictures.jpeg_bytes(pictures.photographed(pictures.bee())), "photo"),
        TraceSettings(steps=(EvenLight(),)),
        36,
    )
    assert len(clean.regions) == len(photo.regions) == 3
    share = [sorted(r.geometry.area for r in t.regions) for t in (clean, photo)]
    assert np.array(share[1]) / sum(share[1]) == pytest.approx(np.array(share[0]) / sum(share[0]), abs=0.01)


def test_svg_written_and_rendered_elsewhere_shows_the_same_picture():
    """Regions as SVG, painted by resvg, against the picture they were traced from."""
    from cutkey.core.artwork.svg_read import read_svg
    from cutkey.core.artwork.svg_write import svg_of
    from cutkey.core.curves.fitting import curves_of
    from cutkey.core.geometry.graphic import to_size

    rgb = checker(120)
    traced = trace(read_picture(png(rgb), "p"), TraceSettings(background="none"), 120)
    text = svg_of(curves_of(to_size(traced.regions, 120).regions), "checker")
    data = bytes(resvg_py.svg_to_bytes(svg_string=text, width=120, height=120, dpi=96))
    painted = np.asarray(Image.open(io.BytesIO(data)).convert("RGB")).astype(int)
    assert (np.abs(painted - rgb).max(-1) > 40).mean() < 0.004
    back = read_svg(text.encode(), "checker.svg")
    assert back.width_mm == pytest.approx(120, rel=1e-4)
    assert {r.colour for r in back.regions} == {r.colour for r in traced.regions}
    assert shapely.coverage_is_valid([r.geometry for r in back.regions])
    with pytest.raises(BadInput, match="no filled shape and no stroke"):
        read_svg(b'<svg xmlns="http://www.w3.org/2000/svg"/>', "empty.svg")


def test_an_edge_pixel_that_is_a_third_colour_to_the_level_is_no_speck():
    """Black to white through exactly the grey that an area elsewhere has: the blend belongs to its
    neighbours."""
    x, y = np.meshgrid(np.arange(60), np.arange(40))
    black = np.clip(20.3 + 0.173 * y - x, 0, 1)
    rgb = np.repeat(np.round(255 * (1 - black)).astype(np.uint8)[..., None], 3, 2)
    # The very grey of one edge pixel, and of its fellows' neighbourhood, is the colour of an area elsewhere.
    grey = int(rgb[17, 23, 0])
    assert 60 < grey < 240
    rgb[8:32, 40:55] = grey
    found = dict(regions(rgb, palette=[[255, 255, 255], [0, 0, 0], [grey] * 3]))
    assert len(found[(grey,) * 3].geoms) == 1 and found[(grey,) * 3].area == pytest.approx(24 * 15, rel=0.01)
    assert found[(0, 0, 0)].area == pytest.approx(black.sum(), rel=0.004)


def test_a_stretch_of_a_cubic_is_the_same_curve():
    from cutkey.core.geometry.pieces import bezier
    from cutkey.core.trace.openings import _part

    control = np.array([[0.0, 0], [1, 3], [4, -2], [5, 1]])
    part = _part(control, 0.2, 0.7)
    t = np.linspace(0, 1, 9)
    assert bezier(np.repeat(part[None], 9, 0), t) == pytest.approx(
        bezier(np.repeat(control[None], 9, 0), 0.2 + 0.5 * t)
    )
