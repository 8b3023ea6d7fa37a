"""What bodies and add-ons are called, and the fields each has."""

from __future__ import annotations

from PySide6.QtCore import QCoreApplication

from cutkey.app.widgets.struct_form import Entry
from cutkey.core.relief import features as f
from cutkey.core.solids import bases as m


def _tr(text: str) -> str:
    return QCoreApplication.translate("Place", text)


def _edges() -> tuple[Entry, ...]:
    choices = (("sharp", _tr("sharp")), ("fillet", _tr("rounded")), ("chamfer", _tr("bevelled")))
    return (
        Entry("edge", _tr("Upper edge"), choices=choices),
        Entry("edge_mm", _tr("By"), tip=_tr("Radius of the rounding, or width of the bevel")),
    )


def body_name(base: m.MadeBase) -> str:
    """What a made body is called."""
    return {
        m.PlateBase: _tr("Plate"),
        m.CoinBase: _tr("Coin"),
        m.RingBase: _tr("Ring"),
        m.PolygonBase: _tr("Polygon"),
        m.BackingBase: _tr("Backing"),
        m.FigureBase: _tr("Figure"),
    }[type(base)]


def body_entries(base: m.MadeBase) -> tuple[Entry, ...]:
    """The fields of a made body."""
    height = Entry("height", _tr("Height"), low=0.1)
    if isinstance(base, m.PlateBase):
        size = (Entry("width", _tr("Width"), low=0.4), Entry("depth", _tr("Depth"), low=0.4))
        return (*size, height, Entry("corner", _tr("Corners"), tip=_tr("Radius of the corners")), *_edges())
    if isinstance(base, m.CoinBase):
        return (
            Entry("diameter", _tr("Across"), low=1),
            height,
            Entry("rim", _tr("Rim width"), tip=_tr("0 for none")),
            Entry("rim_height", _tr("Rim height"), tip=_tr("Of the rim above the field")),
            Entry("both", _tr("rim on the underside too"), tick=True),
            *_edges(),
        )
    if isinstance(base, m.RingBase):
        return (Entry("diameter", _tr("Across"), low=1), Entry("inner", _tr("Hole"), low=0.1), height)
    if isinstance(base, m.PolygonBase):
        return (Entry("sides", _tr("Sides"), "", 3, 200, whole=True), Entry("width", _tr("Across flats"), low=1), height, *_edges())
    if isinstance(base, m.BackingBase):
        return (Entry("margin", _tr("Beyond the graphic")), height)
    return (height,)


def feature_name(feature: f.Feature) -> str:
    """What an add-on is called."""
    return {
        f.Hole: _tr("Round hole"),
        f.ScrewHole: _tr("Screw hole"),
        f.Loop: _tr("Key-ring loop"),
        f.Magnet: _tr("Magnet pocket"),
        f.Border: _tr("Border"),
        f.Hollow: _tr("Hollow"),
        f.Channel: _tr("Channel"),
        f.Half: _tr("Half and mirror"),
    }[type(feature)]


def feature_tip(feature: f.Feature) -> str:
    """What an add-on is for."""
    return {
        f.Hole: _tr("Right through, or a pocket of a depth"),
        f.ScrewHole: _tr("Clearance by ISO 273, with a countersink for the head"),
        f.Loop: _tr("A tab with a hole; move it over the edge"),
        f.Magnet: _tr("A pocket for a disc or a bar; says how much floor is left"),
        f.Border: _tr("A raised rim along the edge of the face"),
        f.Hollow: _tr("Emptied from this face, for a lamp; walls and floor stay"),
        f.Channel: _tr("A groove for an LED strip, with an exit for its cable"),
        f.Half: _tr("One half is cut away and made anew as the mirror image of the other"),
    }[type(feature)]


def feature_entries(feature: f.Feature) -> tuple[Entry, ...]:
    """The fields of an add-on."""
    if isinstance(feature, f.Hole):
        return (Entry("diameter", _tr("Across"), low=0.1), Entry("depth", _tr("Depth"), tip=_tr("0 goes right through")))
    if isinstance(feature, f.ScrewHole):
        sizes = tuple((s, s) for s in f.CLEARANCE)
        return (Entry("size", _tr("Screw"), choices=sizes), Entry("countersunk", _tr("countersunk head"), tick=True))
    if isinstance(feature, f.Loop):
        return (
            Entry("hole", _tr("Hole"), low=0.5),
            Entry("wall", _tr("Wall"), low=0.4),
            Entry("thickness", _tr("Thickness"), tip=_tr("0 takes the body's own")),
        )
    if isinstance(feature, f.Magnet):
        return (
            Entry("width", _tr("Width"), low=0.5, tip=_tr("Across, of a disc")),
            Entry("length", _tr("Length"), tip=_tr("0 for a disc")),
            Entry("height", _tr("Height"), low=0.2),
            Entry("clearance", _tr("Clearance"), high=5, tip=_tr("A side")),
            Entry("roof", _tr("Closed under"), high=50, tip=_tr("0 leaves it open; else pause the print and put the magnet in")),
        )
    if isinstance(feature, f.Border):
        return (
            Entry("width", _tr("Width"), low=0.2),
            Entry("height", _tr("Height"), low=0.1),
            Entry("holes", _tr("round the holes too"), tick=True),
        )
    if isinstance(feature, f.Hollow):
        return (Entry("wall", _tr("Wall"), low=0.4), Entry("floor", _tr("Floor"), low=0.2))
    if isinstance(feature, f.Channel):
        return (
            Entry("length", _tr("Length"), low=1),
            Entry("width", _tr("Width"), low=0.5),
            Entry("depth", _tr("Depth"), low=0.2),
            Entry("exit", _tr("out at the edge, for the cable"), tick=True),
        )
    sides = (("left", _tr("left")), ("right", _tr("right")), ("lower", _tr("lower")), ("upper", _tr("upper")))
    return (Entry("keep", _tr("Keep the half"), choices=sides),)
