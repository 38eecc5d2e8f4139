"""Rays through triangles, lines and dots by Embree, whose library is called through its C interface.

The library comes with the package `embreex`. What it answers about a ray depends on the triangles alone, however they
were sorted and by however many threads: triangles are met in its robust mode, which misses none between two others.

Source  I. Wald et al., "Embree: a kernel framework for efficient CPU ray tracing", ACM Transactions on Graphics 33
        (2014)
"""

import ctypes
import threading
import weakref
from functools import cache
from importlib.metadata import files

import numpy as np
from llvmlite import ir
from numba import cfunc, types
from numba.extending import intrinsic

from .compile import frozen
from .threads import DEFAULT_THREADS

# Numbers of its C interface (rtcore_common.h, rtcore_buffer.h, rtcore_geometry.h, rtcore_scene.h).
_TRIANGLES, _LINES, _DISCS, _INSTANCES = 0, 17, 51, 122
_INDEX, _VERTEX, _TRANSFORM = 0, 1, 23
_UINT, _UINT3, _FLOAT3, _FLOAT4, _FLOAT3X4 = 0x5001, 0x5003, 0x9003, 0x9004, 0x9134
_ROBUST = 4
EVERY = 0xFFFFFFFF

# A ray's mask has one of so many bits, by chance: what lets some light through shares as many of them as it stops.
CHANCES = 16

# What a tree takes for each triangle and each copy, in bytes, measured and rounded up.
TRIANGLE_BYTES, COPY_BYTES = 160, 350
# The same for each line or dot.
STROKE_BYTES = 250

# The numbers of a ray, 4 bytes each: origin, nearest distance, way, time, farthest distance, mask, and two of no use
# here. Once it is known to be blocked its farthest distance is below 0; where it meets something that is how far off.
ORIGIN, NEAREST, WAY, FARTHEST, MASK, RAY_SIZE = 0, 3, 4, 8, 9, 12
# What is written behind them of what a ray meets: the place on the triangle, its number, that of its body (NOTHING
# before and if nothing is met), and of the group of copies and the copy that it belongs to.
MET_U, MET_V, MET_TRIANGLE, MET_BODY, MET_GROUP, MET_COPY, MEETING_SIZE = 15, 16, 17, 18, 19, 20, 24
NOTHING = -1
# The numbers of the bodies of strands.
LINES, DOTS = 0, 1

_HANDLES = ("rtcNewDevice", "rtcNewScene", "rtcNewGeometry")
_lock = threading.Lock()


@cache
def _library():
    path = next(file for file in files("embreex") if "libembree" in file.name)
    library = ctypes.CDLL(str(path.locate()))
    for name in _HANDLES:
        getattr(library, name).restype = ctypes.c_void_p
    return library


@cache
def _device():
    return ctypes.c_void_p(_library().rtcNewDevice(f"threads={DEFAULT_THREADS}".encode()))


def _begun():
    """The library and its device, made by the first that asks."""
    with _lock:
        return _library(), _device()


def _check(library, device):
    code = library.rtcGetDeviceError(device)
    if code == 4:
        raise MemoryError("there is no room for the trees of rays")
    if code:
        raise RuntimeError(f"Embree ends with error {code}")


def asked_if_blocked() -> int:
    """Return the address of the function that kernels ask whether a ray is blocked, see ask."""
    return ctypes.cast(_begun()[0].rtcOccluded1, ctypes.c_void_p).value


def asked_what_is_met() -> int:
    """Return the address of the function that kernels ask what a ray meets first, see ask and MET_BODY."""
    return ctypes.cast(_begun()[0].rtcIntersect1, ctypes.c_void_p).value


@intrinsic
def ask(typing, function, scene, ray):
    """Ask the function at an address about the ray at an address, in the scene at an address; for kernels."""

    def generate(context, builder, signature, arguments):
        pointer = ir.IntType(8).as_pointer()
        kind = ir.FunctionType(ir.VoidType(), [pointer] * 3).as_pointer()
        called, *pointers = (
            builder.inttoptr(argument, wanted)
            for argument, wanted in zip(arguments, (kind, pointer, pointer), strict=True)
        )
        builder.call(called, [*pointers, ir.Constant(pointer, None)])
        return context.get_dummy_value()

    return types.none(types.int64, types.int64, types.int64), generate


def _peek(kind, width):
    """Return an intrinsic that reads the 4-byte numbers of a kind at an address."""

    @intrinsic
    def read(typing, address, index):
        def generate(context, builder, signature, arguments):
            start = builder.inttoptr(arguments[0], width.as_pointer())
            return builder.load(builder.gep(start, [arguments[1]]), align=4)

        return kind(types.int64, types.int64), generate

    return read


_float_at = _peek(types.float32, ir.FloatType())
_int_at = _peek(types.int32, ir.IntType(32))
_long_at = _peek(types.int64, ir.IntType(64))


@intrinsic
def _let_through(typing, address):
    """Say that the hit at hand is none, as the library is told at an address."""

    def generate(context, builder, signature, arguments):
        number = ir.IntType(32)
        builder.store(ir.Constant(number, 0), builder.inttoptr(arguments[0], number.as_pointer()))
        return context.get_dummy_value()

    return types.none(types.int64), generate


# What the library hands to a filter: addresses of whether the hit counts, of what belongs to the body, of the ray and
# of the hit, whose numbers are its normal, then its place on the triangle, and the triangle's number.
_COUNTS, _OWN, _RAY, _HIT = 0, 1, 3, 4
_U, _V, _TRIANGLE = 3, 4, 5


def _is_through(given):
    """Let those rays through that a body does not stop where they meet it: the bit of a ray's mask is its chance."""
    own, ray, hit = _long_at(given, _OWN), _long_at(given, _RAY), _long_at(given, _HIT)
    triangles, opacities = _long_at(own, 0), _long_at(own, 1)
    first = 3 * _int_at(hit, _TRIANGLE)
    u, v = _float_at(hit, _U), _float_at(hit, _V)
    opacity = (np.float32(1) - u - v) * _float_at(opacities, _int_at(triangles, first))
    opacity += u * _float_at(opacities, _int_at(triangles, first + 1))
    opacity += v * _float_at(opacities, _int_at(triangles, first + 2))
    stopped = np.int64(np.floor(opacity * np.float32(CHANCES) + np.float32(0.5)))
    if _int_at(ray, MASK) & ((1 << stopped) - 1) == 0:
        _let_through(_long_at(given, _COUNTS))


@cache
def _filter() -> int:
    return cfunc(types.void(types.int64), cache=True)(_is_through).address


class _Tree:
    """A scene of the library, which ends with this object."""

    def __init__(self):
        self._library, self._device = _begun()
        self._scene = ctypes.c_void_p(self._library.rtcNewScene(self._device))
        weakref.finalize(self, self._library.rtcReleaseScene, self._scene)
        self._library.rtcSetSceneFlags(self._scene, _ROBUST)

    @property
    def address(self) -> int:
        return self._scene.value

    def _geometry(self, kind, mask):
        geometry = ctypes.c_void_p(self._library.rtcNewGeometry(self._device, kind))
        self._library.rtcSetGeometryMask(geometry, ctypes.c_uint(mask))
        return geometry

    def _share(self, geometry, use, form, rows, count):
        size = ctypes.c_size_t
        self._library.rtcSetSharedGeometryBuffer(
            geometry, use, 0, form, ctypes.c_void_p(rows.ctypes.data), size(0), size(rows.strides[0]), size(count)
        )

    def _attach(self, geometry, number):
        self._library.rtcCommitGeometry(geometry)
        self._library.rtcAttachGeometryByID(self._scene, geometry, ctypes.c_uint(number))
        self._library.rtcReleaseGeometry(geometry)

    def _commit(self):
        self._library.rtcCommitScene(self._scene)
        _check(self._library, self._device)


class Body(_Tree):
    """The triangles (T, 3) of points (V, 3), as rays meet them; which points may be opaque as much as (V,) says."""

    def __init__(self, points, triangles, opacities=None):
        super().__init__()
        # The library reads four numbers of each point, also of the last.
        self._points = np.concatenate([frozen(points), np.zeros((1, 3), np.float32)])
        self._triangles = frozen(triangles, np.int32)
        geometry = self._geometry(_TRIANGLES, EVERY)
        self._share(geometry, _VERTEX, _FLOAT3, self._points, len(points))
        self._share(geometry, _INDEX, _UINT3, self._triangles, len(triangles))
        if opacities is not None:
            self._opacities = frozen(opacities)
            self._own = np.array([self._triangles.ctypes.data, self._opacities.ctypes.data], np.int64)
            own, is_through = ctypes.c_void_p(self._own.ctypes.data), ctypes.c_void_p(_filter())
            self._library.rtcSetGeometryUserData(geometry, own)
            self._library.rtcSetGeometryOccludedFilterFunction(geometry, is_through)
            self._library.rtcSetGeometryIntersectFilterFunction(geometry, is_through)
        self._attach(geometry, 0)
        self._commit()

    @property
    def own_bytes(self) -> int:
        return self._points.nbytes + self._triangles.nbytes + TRIANGLE_BYTES * len(self._triangles)


class Strands(_Tree):
    """Lines and dots of the world, flat and turned to each ray; a dot's number is that beyond all lines.

    lines  (L, 2, 4) float32 their ends: x, y, z and half their width there
    dots   (D, 4) float32 their middles and radii
    """

    def __init__(self, lines, dots):
        super().__init__()
        self._lines, self._dots = frozen(lines), frozen(dots)
        self._firsts = frozen(np.arange(len(lines)) * 2, np.int32)
        if len(lines):
            geometry = self._geometry(_LINES, EVERY)
            self._share(geometry, _VERTEX, _FLOAT4, self._lines.reshape(-1, 4), 2 * len(lines))
            self._share(geometry, _INDEX, _UINT, self._firsts, len(lines))
            self._attach(geometry, LINES)
        if len(dots):
            geometry = self._geometry(_DISCS, EVERY)
            self._share(geometry, _VERTEX, _FLOAT4, self._dots, len(dots))
            self._attach(geometry, DOTS)
        self._commit()


class World(_Tree):
    """Bodies at many places: rows of (body, mask that a ray must share a bit of, (K, 3, 4) matrices to the world)."""

    def __init__(self, groups):
        super().__init__()
        self._kept = []
        for number, (body, mask, matrices) in enumerate(groups):
            rows = frozen(matrices)
            geometry = self._geometry(_INSTANCES, mask)
            self._library.rtcSetGeometryInstancedScene(geometry, ctypes.c_void_p(body.address))
            self._share(geometry, _TRANSFORM, _FLOAT3X4, rows, len(rows))
            self._attach(geometry, number)
            self._kept.append((body, rows))
        self._commit()

    @property
    def own_bytes(self) -> int:
        return sum(rows.nbytes + COPY_BYTES * len(rows) for _, rows in self._kept)

    @property
    def parts(self) -> tuple:
        return tuple(body for body, _ in self._kept)
