"""Frame packets: a picture list for the page, as a JSON header and aligned little-endian buffers.

    bytes 0..3   "PRT1"
    bytes 4..7   length of the header, uint32
    header       JSON, padded with spaces to a multiple of 8
    buffers      each at a multiple of 8 from the end of the header, which lists key, type, shape and offset

A buffer is named by its contents' key. One that the page holds already is named by a drawable but not sent again.
"""

import hashlib
import json
import struct
from dataclasses import replace
from weakref import WeakKeyDictionary

import numpy as np

from ..data.panorama import bordered
from ..data.picture import Picture
from ..data.texture import shrunk
from ..geometry.chord import mean_chord
from ..kernels.geometry.pack import pack_points
from ..kinds.looks.surface import BENEATH, is_clear, is_waxy

MAGIC = b"PRT1"
ALIGN = 8
# The view draws larger pictures from their next smaller size.
MAX_TEXTURE_SIDE = 2048
MAX_PANORAMA_SIDE = 512


def _plain(value):
    """Resolved settings as JSON: arrays become lists."""
    if isinstance(value, np.ndarray):
        return np.round(value.astype(float), 6).tolist()
    if isinstance(value, tuple):
        return list(value)
    return value.item() if isinstance(value, np.generic) else value


def plain_settings(settings) -> dict:
    return {name: _plain(value) for name, value in vars(settings).items()}


def _contents_key(prefix: str, array: np.ndarray) -> str:
    return prefix + hashlib.blake2b(array.tobytes(), digest_size=9).hexdigest()


class _Buffers:
    def __init__(self, have):
        self.have = set(have)
        self.table = []
        self.chunks = []
        self.size = 0
        self._plain = {}

    def settings(self, settings) -> dict:
        """Return resolved settings as JSON; many parts of a figure have the same ones."""
        if id(settings) not in self._plain:
            # Kept with them, so that no others can have their identity meanwhile.
            self._plain[id(settings)] = settings, plain_settings(settings)
        return self._plain[id(settings)][1]

    def put(self, key: str, make) -> str:
        """Add a buffer unless the page holds it; `make` returns its array."""
        if key not in self.have:
            self.have.add(key)
            array = np.ascontiguousarray(make())
            little = array.astype(array.dtype.newbyteorder("<"), copy=False)
            # A view of nothing cannot be cast.
            data = little.data.cast("B") if little.size else b""
            self.table.append({"key": key, "type": array.dtype.name, "shape": array.shape, "offset": self.size})
            padding = -len(data) % ALIGN
            self.chunks += [data, b"\0" * padding]
            self.size += len(data) + padding
        return key


def encode_packet(picture: Picture, have=(), **more) -> bytes:
    """Return the packet of a picture list.

    have  keys of buffers that the page holds
    more  further entries of the header
    """
    return encoded(picture, have, **more)[0]


def encoded(picture: Picture, have=(), **more) -> tuple[bytes, tuple[str, ...]]:
    """Return the packet of a picture list, see `encode_packet`, and the keys of the buffers that are in it."""
    buffers = _Buffers(have)
    drawables = [_told(one, buffers) for drawable in picture.drawables for one in drawable.apart]
    view = picture.view
    header = {
        "frame": picture.frame,
        "view": {
            "position": _plain(view.position),
            "forward": _plain(view.forward),
            "up": _plain(view.up),
            "tangent": view.tangent,
        },
        "lights": [_light(light, buffers) for light in picture.lights],
        "lens": {"shutter": picture.lens.shutter, "opening": picture.lens.opening},
        "background": plain_settings(picture.background),
        "finish": [{"kind": kind.id, **plain_settings(settings)} for kind, settings in picture.finish],
        "places": {
            family: {name: _plain(matrix[:3].ravel()) for name, matrix in things.items()}
            for family, things in picture.places.items()
        },
        "masks": {
            name: [
                _drawable(replace(drawable, looks=()), buffers, True)
                for drawable in shapes
                if len(drawable.mesh.points)
            ]
            for name, shapes in picture.masks.items()
        },
        "buffers": buffers.table,
        **more,
    }
    text = b"".join([_json(header).removesuffix(b"}"), b',"drawables":[', b",".join(drawables), b"]}"])
    return b"".join([_beginning(text), *buffers.chunks]), tuple(entry["key"] for entry in buffers.table)


class _Kept(_Buffers):
    """Buffers that are only noted, with how they are made; settings are told as among the others of the packet."""

    def __init__(self, buffers):
        super().__init__(())
        self._plain = buffers._plain
        self.asked = {}

    def put(self, key, make):
        self.asked.setdefault(key, make)
        return key


# What was told of drawables, for as long as they are there: of a scene that is edited nearly all are as they were.
_tellings: WeakKeyDictionary = WeakKeyDictionary()


def _told(drawable, buffers) -> bytes:
    """Return the JSON of a drawable, and put its buffers."""
    known = _tellings.get(drawable)
    if known is None:
        kept = _Kept(buffers)
        known = _tellings[drawable] = _json(_drawable(drawable, kept)), kept.asked
    text, asked = known
    for key, make in asked.items():
        buffers.put(key, make)
    return text


def _light(light, buffers):
    entry = {"kind": light.kind, "id": light.id, **plain_settings(light.settings)}
    if light.soft:
        entry["soft"] = light.soft
    if light.panorama is not None:
        entry["panorama"] = _panorama(light.panorama, buffers)
    return entry


def _panorama(panorama, buffers):
    """A picture all around: its levels one below the other, in half floats; where each begins, and its side."""
    sides = [min(len(level) - 2, MAX_PANORAMA_SIDE) for level in panorama.levels]
    wide, starts = max(sides) + 2, np.cumsum([0, *(side + 2 for side in sides)])

    def make():
        sheet = np.zeros((starts[-1], wide, 4), np.float16)
        for level, side, start in zip(panorama.levels, sides, starts, strict=False):
            step = (len(level) - 2) // side
            small = bordered(shrunk(level[1:-1, 1:-1], step, step)) if step > 1 else level
            sheet[start : start + side + 2, : side + 2, :3] = small
        return sheet

    rows = [[int(start), side] for start, side in zip(starts, sides, strict=False)]
    return {"texels": buffers.put(f"a{panorama.key}", make), "wide": wide, "levels": rows}


def _drawable(drawable, buffers, is_mask=False):
    # What makes a buffer must not hold the drawable: it would be told of for ever.
    mesh, matrices = drawable.mesh, drawable.matrices
    topology = mesh.topology
    low, high = mesh.bounds
    wants = {look.kind for look in drawable.looks}
    entry = {
        "figure": drawable.figure_id,
        "part": drawable.part,
        "points": buffers.put(f"p{mesh.key}", lambda: pack_points(mesh.points, mesh.normals, low, high)),
        "low": _plain(low),
        "high": _plain(high),
        "matrices": buffers.put(f"m{drawable.places_key}", lambda: matrices.reshape(-1, 12)),
        "count": len(matrices),
        "pointCount": len(mesh.points),
        "faceCount": topology.face_count,
        "flat": mesh.is_flat,
        "looks": [_look(look, drawable, buffers) for look in drawable.looks],
    }
    if len(speed := mesh.at_points.get("speed", ())):
        # The mean, in units per second: where points come and go, the page could not follow them.
        entry["speed"] = round(float(speed.mean()), 3)
    if drawable.cut is not None and not is_mask:
        entry["cut"] = drawable.cut
    if "surface" in wants or is_mask:
        entry["triangles"] = buffers.put(f"t{topology.key}", lambda: topology.triangles.astype(np.uint32))
    if "wire" in wants:
        entry["edges"] = buffers.put(f"e{topology.key}", lambda: topology.edges.astype(np.uint32))
    if drawable.reach is not None:
        reach = np.round(np.clip(drawable.reach, 0, 1) * 255).astype(np.uint8)
        entry["reach"] = buffers.put(_contents_key("r", reach), lambda: reach)
    return entry


def _look(look, drawable, buffers):
    entry = {"kind": look.kind, **buffers.settings(look.settings)}
    if look.kind == "surface" and is_clear(look.settings):
        entry["through"] = _plain(_through(look.settings, drawable))
        entry["closed"] = drawable.mesh.topology.is_closed
    elif look.kind == "surface" and is_waxy(look.settings):
        entry["sides"] = _plain(_sides(look.settings, drawable))
    if look.paint is not None:
        entry["texture"] = _texture(look.paint, drawable.mesh.topology, buffers)
    for name, tints in (("tints", look.tints), ("pointTints", look.point_tints)):
        if tints is not None:
            entry[name] = buffers.put(_contents_key(name[0], tints), lambda tints=tints: tints)
    for name, widths in (("widths", look.widths), ("pointWidths", look.point_widths)):
        if widths is not None:
            entry[name] = buffers.put(_contents_key("w", widths), lambda widths=widths: widths)
    return entry


def _through(settings, drawable) -> np.ndarray:
    """How much of each colour is left of light that goes through a clear figure, on the mean: what the view shows."""
    mesh, tint = drawable.mesh, np.asarray(settings.tint)
    if not settings.filled:
        # A closed skin has a second wall behind the first.
        return tint**2 * settings.clear if mesh.topology.is_closed else tint
    way = mean_chord(mesh) * _size_of(drawable)
    return np.where(tint < 1, np.power(np.maximum(tint, 1e-4), way / settings.tint_depth), 1.0)


def _sides(settings, drawable) -> np.ndarray:
    """How much of each colour of light in wax comes out near to where it goes in, and on the far side: (2, 3).

    Here a body is as thick everywhere as on the mean.
    """
    mesh, colour = drawable.mesh, np.maximum(settings.wax_colour, 1e-4)
    if not mesh.topology.is_closed:
        thin = np.exp(-BENEATH) / 2
        return np.stack([np.full(3, 1 - thin), thin * colour**BENEATH])
    ways = mean_chord(mesh) * _size_of(drawable) / settings.wax_depth
    deep, thin = min(BENEATH, ways / 2), np.exp(-ways) / 2
    return np.stack([(1 - thin) * colour**deep, thin * np.exp(2 * deep) * colour ** (ways - deep)])


def _size_of(drawable) -> float:
    """How much larger a drawable's first copy is than its mesh."""
    return np.cbrt(abs(np.linalg.det(drawable.matrices[0][:, :3]))) if len(drawable.matrices) else 1.0


def _texture(paint, topology, buffers):
    """A picture in its sizes, one after the other, and where the corners of the triangles lie in it."""
    levels = [level for level in paint.texture.levels if max(level.shape) <= MAX_TEXTURE_SIDE]
    uvs = paint.uvs[topology.triangle_corners].reshape(-1, paint.uvs.shape[1])
    entry = {
        "texels": buffers.put(
            f"x{paint.texture.key}", lambda: np.concatenate([level.reshape(-1, 4) for level in levels])
        ),
        "sizes": [level.shape[1::-1] for level in levels],
        "uvs": buffers.put(_contents_key("u", uvs), lambda: uvs),
        "matrix": _plain(paint.matrix.ravel()),
        "beyond": paint.beyond,
    }
    if paint.pattern is not None:
        entry["pattern"] = {name: _plain(part.ravel()) for name, part in paint.pattern._asdict().items()}
    return entry


def _header_end(packet) -> int:
    """Where the header of a packet ends and its buffers begin."""
    return 8 + struct.unpack_from("<I", packet, 4)[0]


def with_header(packet: bytes, **more) -> bytes:
    """Return a packet with further entries in its header, which is not read for that."""
    start = _header_end(packet)
    text = packet[8:start].rstrip().removesuffix(b"}") + b"," + _json(more).removeprefix(b"{")
    return b"".join([_beginning(text), memoryview(packet)[start:]])


def _json(header) -> bytes:
    return json.dumps(header, separators=(",", ":"), ensure_ascii=False).encode()


def _beginning(text: bytes) -> bytes:
    """All of a packet that comes before its buffers."""
    text += b" " * (-len(text) % ALIGN)
    return MAGIC + struct.pack("<I", len(text)) + text


def decode_packet(data: bytes) -> tuple[dict, dict[str, np.ndarray]]:
    """Return the header and the buffers of a packet; raises ValueError if it is not one."""
    if data[:4] != MAGIC:
        raise ValueError(f"a packet begins with {MAGIC!r}, not {data[:4]!r}")
    start = _header_end(data)
    header, buffers = json.loads(data[8:start]), {}
    for entry in header["buffers"]:
        kind = np.dtype(entry["type"]).newbyteorder("<")
        count = int(np.prod(entry["shape"]))
        array = np.frombuffer(data, kind, count, start + entry["offset"])
        buffers[entry["key"]] = array.reshape(entry["shape"])
    return header, buffers
