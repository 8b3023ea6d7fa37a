"""Sound files of every kind, ways to damage them, and files that were made to do harm."""

from __future__ import annotations

import io
import json
import random
import re
import struct
import zipfile
from collections.abc import Callable
from functools import lru_cache

import cv2
import manifold3d as m3
import numpy as np
import trimesh
from PIL import Image

from cutkey.core.formats.stl import stl_bytes
from cutkey.core.geometry.part import Part
from cutkey.core.geometry.solid import mesh_of
from cutkey.core.kit.bed import Spot
from cutkey.core.kit.pieces import section_unit
from cutkey.core.kit.threemf import bytes_3mf
from cutkey.core.model.filament import BODY, DEFAULT_RACK
from cutkey.core.model.file import job_bytes
from cutkey.core.model.printer import Printer
from cutkey.core.split.cutting import Section
from cutkey.demo.jobs import demo_job

Make = Callable[[], bytes]
PICTURES, DRAWINGS, MODELS = (
    ("png", "jpg", "webp", "bmp", "tif"),
    ("svg", "dxf", "pdf"),
    ("stl", "asc.stl", "obj", "ply", "3mf"),
)
KINDS = (*PICTURES, *DRAWINGS, *MODELS, "cutkey", "json")

_SVG = """<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink"
 width="80mm" height="60mm" viewBox="0 0 80 60">
<style>.a{fill:#c03020;stroke:#102030;stroke-width:1.5;stroke-dasharray:3 2 1}.b{fill:url(#g)}</style>
<defs><linearGradient id="g"><stop offset="0" stop-color="red"/>
<stop offset="1" stop-color="#00f"/></linearGradient>
<clipPath id="c"><circle cx="20" cy="20" r="15"/></clipPath>
<symbol id="s" viewBox="0 0 10 10"><rect width="9" height="9"/></symbol></defs>
<g transform="translate(3 4) rotate(12) scale(.9)">
<path class="a" d="M5 5C20 0 30 20 40 5S60 30 70 10L60 50Q40 60 20 40A9 7 30 1 0 5 20Z"/>
<rect class="b" x="10" y="30" width="20" height="12" rx="3" clip-path="url(#c)"/>
<use href="#s" x="40" y="30" width="12" height="12"/>
<text x="10" y="55" font-size="8">fish Café</text>
<polyline points="1,1 9,4 7,9" fill="none" stroke="#0a0"/></g></svg>"""


@lru_cache(maxsize=1)
def sound() -> dict[str, bytes]:
    """One sound file of every kind."""
    y, x = np.mgrid[:72, :96]
    rgb = np.full((72, 96, 3), 250, np.uint8)
    rgb[np.hypot(x - 30, y - 36) < 22] = (30, 90, 60)
    rgb[20:50, 55:85] = (220, 160, 40)
    out = {}
    for kind, name in (("png", "PNG"), ("jpg", "JPEG"), ("webp", "WEBP"), ("bmp", "BMP"), ("tif", "TIFF")):
        buffer = io.BytesIO()
        Image.fromarray(cv2.GaussianBlur(rgb, (0, 0), 0.6)).save(buffer, name)
        out[kind] = buffer.getvalue()
    solid = m3.Manifold.cube((40, 30, 20)) - m3.Manifold.cylinder(40, 6, 6, 24).translate((20, 15, -5))
    mesh = mesh_of(solid)
    loose = trimesh.Trimesh(mesh.vertices, mesh.triangles, process=False)
    out["stl"] = stl_bytes(mesh.vertices, mesh.triangles, "block")
    out["asc.stl"] = trimesh.exchange.stl.export_stl_ascii(loose).encode()
    out["obj"] = loose.export(file_type="obj").encode()
    out["ply"] = loose.export(file_type="ply", encoding="ascii")
    unit = section_unit(Section("A1", (0, 0, 0), [Part(BODY, solid)], solid, {}, 0), {BODY: DEFAULT_RACK[0]})
    out["3mf"] = bytes_3mf("block", [unit], [Spot(0, 0, 5.0, 5.0)], Printer())
    out["svg"] = _SVG.encode()
    out["dxf"] = _dxf()
    out["pdf"] = _pdf()
    out["cutkey"] = job_bytes(*demo_job("plate"))
    out["json"] = json.dumps(
        [{"axis": "x", "at": 12.5}, {"axis": "y", "at": 3, "inside": [1, 2, 3]}]
    ).encode()
    return out


def _pdf() -> bytes:
    from reportlab.pdfgen.canvas import Canvas

    buffer = io.BytesIO()
    sheet = Canvas(buffer, pagesize=(200, 150), pageCompression=0)
    sheet.setFillColorRGB(0.8, 0.6, 0.1)
    sheet.circle(60, 80, 40, stroke=0, fill=1)
    clip = sheet.beginPath()
    clip.rect(100, 90, 40, 40)
    sheet.clipPath(clip, stroke=0)
    sheet.rect(90, 80, 60, 40)
    sheet.drawString(105, 100, "No. 5")
    sheet.showPage()
    sheet.save()
    return buffer.getvalue()


def _dxf() -> bytes:
    import ezdxf

    drawing = ezdxf.new("R2010", units=4)
    drawing.modelspace().add_text("No. 5", height=4).set_placement((3, 3))
    drawing.modelspace().add_mtext("two\\Plines", {"char_height": 3, "insert": (5, 20)})
    space = drawing.modelspace()
    space.add_lwpolyline([(0, 0), (40, 0), (40, 30, 0, 0, 0.4), (0, 30)], close=True)
    space.add_circle((20, 15), 6)
    space.add_spline([(50, 0), (60, 10), (70, -5)])
    block = drawing.blocks.new("B")
    block.add_circle((0, 0), 2)
    for k in range(3):
        space.add_blockref("B", (60 + 5 * k, 20))
    text = io.StringIO()
    drawing.write(text)
    return text.getvalue().encode()


# -- damage
_NUMBER = re.compile(rb"-?\d+\.?\d*(?:[eE][-+]?\d+)?")
_WILD = (
    b"1e309",
    b"-1e309",
    b"nan",
    b"NaN",
    b"-0",
    b"99999999999999999999",
    b"1e-320",
    b"0",
    b"-1",
    b"65536",
    b"",
    b"4294967295",
)


def damaged(data: bytes, chance: random.Random, others: list[bytes]) -> bytes:
    """A file with one to four things wrong with it; of a zip sometimes a member, packed again."""
    if data[:2] == b"PK" and chance.random() < 0.6:
        return _member(data, chance, others)
    out = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 4))):
        n = len(out)
        if n == 0:
            break
        a = chance.randrange(n)
        b = min(n, a + chance.choice((1, 4, 40, 400)))
        way = chance.randrange(9)
        if way == 0:
            del out[a:]
        elif way == 1:
            for k in range(a, b):
                out[k] = chance.randrange(256)
        elif way == 2:
            out[a] ^= 1 << chance.randrange(8)
        elif way == 3:
            del out[a:b]
        elif way == 4:
            out[a:a] = out[a:b] * chance.choice((1, 3, 50))
        elif way == 5:
            found = list(_NUMBER.finditer(bytes(out)))
            if found:
                m = chance.choice(found)
                out[m.start() : m.end()] = chance.choice(_WILD)
        elif way == 6 and n > 8:
            out[a : a + 4] = struct.pack("<I", chance.choice((0, 1, 2**31, 2**32 - 1, 10**6, 10**9)))
        elif way == 7:
            other = chance.choice(others)
            c = chance.randrange(len(other))
            out[a:b] = other[c : c + b - a]
        else:
            out[a:b] = bytes(b - a)
    return bytes(out)


def _member(data: bytes, chance: random.Random, others: list[bytes]) -> bytes:
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        names = archive.namelist()
        victim = chance.choice(names)
        buffer = io.BytesIO()
        with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED) as new:
            for name in names:
                body = archive.read(name)
                new.writestr(name, damaged(body, chance, others) if name == victim else body)
    return buffer.getvalue()


# -- harm
def hostile() -> dict[str, Make]:
    """Files that were made to take time, memory or the process, by name."""
    return {
        "bomb.cutkey": lambda: _zip({"job.json": b'{"schema": 5, "job": {}}', "sources/x": bytes(3 << 30)}),
        "deep.cutkey": lambda: _zip({"job.json": b"[" * 2_000_000}),
        "deepjob.cutkey": lambda: _zip({"job.json": b'{"schema": 1, "job": ' + b'{"graphics": [' * 5000}),
        "schema.cutkey": lambda: _zip({"job.json": b'{"schema": -3, "job": {}}'}),
        "schema2.cutkey": lambda: _zip({"job.json": b'{"schema": true, "job": {}}'}),
        "wide.cutkey": lambda: _zip(
            {"job.json": b'{"schema": 5, "job": {"cuts": [' + b"{}," * 3_000_000 + b"{}]}}"}
        ),
        "locked.cutkey": _locked,
        "bomb.3mf": lambda: _zip({"3D/3dmodel.model": b" " * (3 << 30)}),
        "components.3mf": _components,
        "many.3mf": _many_objects,
        "use.svg": _use_bomb,
        "entities.svg": _entities,
        "million.svg": lambda: _svg(b'<rect width="1" height="1"/>' * 1_000_000),
        "dashes.svg": lambda: _svg(
            b'<path d="M0 0H80V60Z" fill="none" stroke="#000" stroke-width=".1" stroke-dasharray=".00001"/>'
        ),
        "spiky.svg": lambda: _svg(
            b'<path d="M0 0'
            + b"".join(b"L%d %d" % (k * 7919 % 80, k * 104729 % 60) for k in range(60_000))
            + b'Z"/>'
        ),
        "deep.svg": lambda: _svg(b"<g>" * 100_000 + b"</g>" * 100_000),
        "huge.svg": lambda: _svg(b'<rect width="1e300" height="1e300"/><circle r="1e-300"/>'),
        "text.svg": lambda: _svg(b'<text font-size="9">' + b"W" * 300_000 + b"</text>"),
        "clip.svg": lambda: _svg(
            b"".join(
                b'<clipPath id="c%d"><rect width="9" height="9" clip-path="url(#c%d)"/></clipPath>'
                % (k, k + 1)
                for k in range(5000)
            )
            + b'<rect width="8" height="8" clip-path="url(#c0)"/>'
        ),
        "css.svg": lambda: _svg(
            b"<style>"
            + b"a b c d > e {fill:red}" * 100_000
            + b'</style><rect class="x" width="9" height="9"/>'
        ),
        "blocks.dxf": _block_bomb,
        "spline.dxf": lambda: _entity(
            b"0\nSPLINE\n8\n0\n70\n8\n71\n3\n72\n8\n73\n4\n"
            + b"40\n0\n" * 8
            + b"10\n1e300\n20\n-1e300\n30\n0\n" * 4
        ),
        "circle.dxf": lambda: _entity(b"0\nCIRCLE\n8\n0\n10\n0\n20\n0\n40\n1e18\n"),
        "letters.dxf": lambda: _entity(b"0\nTEXT\n8\n0\n10\n0\n20\n0\n40\n5\n1\n" + b"W" * 2000 + b"\n"),
        "words.dxf": lambda: _entity(b"0\nTEXT\n8\n0\n10\n0\n20\n0\n40\n5\n1\nNo. 5 &@\n" * 60_000),
        "many.dxf": lambda: _entity(b"0\nLINE\n8\n0\n10\n0\n20\n0\n11\n5\n21\n7\n" * 300_000),
        "header.stl": lambda: b"\0" * 80 + struct.pack("<I", 2**32 - 1) + bytes(500),
        "nan.stl": lambda: (
            b"\0" * 80 + struct.pack("<I", 4) + (struct.pack("<12f", *[float("nan")] * 12) + b"\0\0") * 4
        ),
        "range.stl": lambda: (
            b"\0" * 80 + struct.pack("<I", 400) + b"".join(_triangle(3e38 * (-1) ** k, k) for k in range(400))
        ),
        "tiny.stl": lambda: (
            b"\0" * 80 + struct.pack("<I", 400) + b"".join(_triangle(1e-40, k) for k in range(400))
        ),
        "soup.stl": _soup,
        "words.stl": lambda: (
            b"solid x\nfacet normal 0 0 0\n outer loop\n" + b"  vertex 1 2 x\n" * 900_000 + b"endsolid"
        ),
        "elements.ply": lambda: (
            b"ply\nformat ascii 1.0\nelement vertex 4000000000\nproperty float x\nend_header\n"
        ),
        "list.ply": lambda: (
            b"ply\nformat binary_little_endian 1.0\nelement face 1\nproperty list int int"
            b" vertex_indices\nend_header\n" + struct.pack("<i", 2**31 - 1)
        ),
        "faces.obj": lambda: b"v 0 0 0\nv 1 0 0\nv 0 1 0\n" + b"f 1 2 3 1 2 3 1 2 3\n" * 200_000,
        "index.obj": lambda: b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 999999999\nf -5 -6 -7\n" * 50,
        "wide.png": lambda: _png_header(2**31 - 1, 1),
        "flat.png": lambda: _image("PNG", (30_000, 3000)),
        "line.png": lambda: _image("PNG", (100_000, 1)),
        "noise.png": lambda: _noise((1500, 1500)),
        "pages.tif": lambda: _image("TIFF", (9000, 9000)),
        "deep.json": lambda: b"[" * 1_000_000,
        "nan.json": lambda: b'[{"axis": "x", "at": NaN}, {"axis": "y", "at": 1e400}]',
        "wide.json": lambda: b"[" + b'{"axis": "x", "at": 1},' * 200_000 + b"{}]",
    }


def _zip(members: dict[str, bytes]) -> bytes:
    buffer = io.BytesIO()
    with zipfile.ZipFile(buffer, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as archive:
        for name, body in members.items():
            archive.writestr(name, body)
    return buffer.getvalue()


def _locked() -> bytes:
    data = bytearray(sound()["cutkey"])
    # The flag of encryption, in the local headers and in the directory.
    for mark, at in ((b"PK\x03\x04", 6), (b"PK\x01\x02", 8)):
        for m in re.finditer(re.escape(mark), bytes(data)):
            data[m.start() + at] |= 1
    return bytes(data)


def _model(resources: bytes, build: bytes) -> bytes:
    head = (
        b'<?xml version="1.0"?><model unit="millimeter"'
        b' xmlns="http://schemas.microsoft.com/3dmanufacturing/core/2015/02"><resources>'
    )
    rels = (
        b'<?xml version="1.0"?><Relationships'
        b' xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="r"'
        b' Target="/3D/3dmodel.model"'
        b' Type="http://schemas.microsoft.com/3dmanufacturing/2013/01/3dmodel"/></Relationships>'
    )
    types = (
        b'<?xml version="1.0"?><Types'
        b' xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels"'
        b' ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="model"'
        b' ContentType="application/vnd.ms-package.3dmanufacturing-3dmodel+xml"/></Types>'
    )
    body = head + resources + b"</resources><build>" + build + b"</build></model>"
    return _zip({"[Content_Types].xml": types, "_rels/.rels": rels, "3D/3dmodel.model": body})


_TETRA = (
    b'<mesh><vertices><vertex x="0" y="0" z="0"/><vertex x="9" y="0" z="0"/><vertex x="0" y="9"'
    b' z="0"/><vertex x="0" y="0" z="9"/></vertices><triangles><triangle v1="0" v2="2" v3="1"/><triangle'
    b' v1="0" v2="1" v3="3"/><triangle v1="1" v2="2" v3="3"/><triangle v1="2" v2="0"'
    b' v3="3"/></triangles></mesh>'
)


def _components() -> bytes:
    """Ten of ten of ten ... of one body."""
    out = b'<object id="1" type="model">' + _TETRA + b"</object>"
    for k in range(2, 14):
        out += (
            b'<object id="%d" type="model"><components>' % k
            + b'<component objectid="%d"/>' % (k - 1) * 10
            + b"</components></object>"
        )
    return _model(out, b'<item objectid="13"/>')


def _many_objects() -> bytes:
    out = b"".join(b'<object id="%d" type="model">' % (k + 1) + _TETRA + b"</object>" for k in range(20_000))
    return _model(
        out,
        b"".join(
            b'<item objectid="%d" transform="1 0 0 0 1 0 0 0 1 %d 0 0"/>' % (k + 1, 12 * k)
            for k in range(20_000)
        ),
    )


def _svg(inner: bytes) -> bytes:
    return (
        b'<svg xmlns="http://www.w3.org/2000/svg" width="80mm" height="60mm" viewBox="0 0 80 60">'
        + inner
        + b"</svg>"
    )


def _use_bomb() -> bytes:
    out = b'<defs><rect id="u0" width="2" height="2"/>'
    for k in range(1, 12):
        out += b'<g id="u%d">' % k + b'<use href="#u%d" x="1"/>' % (k - 1) * 10 + b"</g>"
    return _svg(out + b'</defs><use href="#u11"/>')


def _entities() -> bytes:
    out = b'<!DOCTYPE svg [<!ENTITY a0 "ha">'
    for k in range(1, 12):
        out += b'<!ENTITY a%d "' % k + b"&a%d;" % (k - 1) * 10 + b'">'
    return out + b']><svg xmlns="http://www.w3.org/2000/svg"><text>&a11;</text></svg>'


def _entity(body: bytes) -> bytes:
    return b"0\nSECTION\n2\nENTITIES\n" + body + b"0\nENDSEC\n0\nEOF\n"


def _block_bomb() -> bytes:
    out = b"0\nSECTION\n2\nBLOCKS\n0\nBLOCK\n2\nb0\n0\nCIRCLE\n8\n0\n10\n0\n20\n0\n40\n1\n0\nENDBLK\n"
    for k in range(1, 11):
        out += (
            b"0\nBLOCK\n2\nb%d\n" % k
            + b"0\nINSERT\n8\n0\n2\nb%d\n10\n1\n20\n1\n" % (k - 1) * 10
            + b"0\nENDBLK\n"
        )
    return out + b"0\nENDSEC\n" + _entity(b"0\nINSERT\n8\n0\n2\nb10\n10\n0\n20\n0\n")


def _triangle(size: float, k: int) -> bytes:
    with np.errstate(over="ignore", under="ignore"):
        corners = (np.random.default_rng(k).random(9) * size).astype("<f4")
    return struct.pack("<3f", 0, 0, 1) + corners.tobytes() + b"\0\0"


def _soup() -> bytes:
    """Twenty thousand large triangles through one another."""
    corners = np.random.default_rng(1).random((20_000, 9)).astype("<f4") * 100
    return (
        b"\0" * 80
        + struct.pack("<I", len(corners))
        + b"".join(bytes(12) + c.tobytes() + b"\0\0" for c in corners)
    )


def _png_header(w: int, h: int) -> bytes:
    data = bytearray(sound()["png"])
    data[16:24] = struct.pack(">II", w, h)
    return bytes(data)


def _image(kind: str, size: tuple[int, int]) -> bytes:
    buffer = io.BytesIO()
    Image.new("L", size, 200).save(
        buffer, kind, **({"compression": "tiff_deflate"} if kind == "TIFF" else {})
    )
    return buffer.getvalue()


def _noise(size: tuple[int, int]) -> bytes:
    buffer = io.BytesIO()
    Image.fromarray(np.random.default_rng(2).integers(0, 255, (*size, 3), np.uint8)).save(
        buffer, "PNG", compress_level=1
    )
    return buffer.getvalue()
