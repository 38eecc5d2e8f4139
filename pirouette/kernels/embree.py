"""Rays through triangles by Embree, whose library is called through its C interface: from Python, and from kernels.

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
from numba import types
from numba.extending import intrinsic

from .compile import frozen
from .threads import DEFAULT_THREADS

# Numbers of its C interface (rtcore_common.h, rtcore_buffer.h, rtcore_geometry.h, rtcore_scene.h).
_TRIANGLES, _INSTANCES = 0, 122
_INDEX, _VERTEX, _TRANSFORM = 0, 1, 23
_UINT3, _FLOAT3, _FLOAT3X4 = 0x5003, 0x9003, 0x9134
_ROBUST = 4
EVERY = 0xFFFFFFFF

# What a tree takes for each triangle and each copy, in bytes, measured and rounded up.
TRIANGLE_BYTES, COPY_BYTES = 160, 350

# The numbers of a ray, 4 bytes each: origin, nearest distance, way, time, farthest distance, mask, and two of no use
# here. Once it is known to be blocked its farthest distance is below 0.
ORIGIN, NEAREST, WAY, FARTHEST, MASK, RAY_SIZE = 0, 3, 4, 8, 9, 12

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

    def _attach(self, geometry):
        self._library.rtcCommitGeometry(geometry)
        self._library.rtcAttachGeometry(self._scene, geometry)
        self._library.rtcReleaseGeometry(geometry)

    def _commit(self):
        self._library.rtcCommitScene(self._scene)
        _check(self._library, self._device)


class Body(_Tree):
    """The triangles (T, 3) of points (V, 3), as rays meet them."""

    def __init__(self, points, triangles):
        super().__init__()
        # The library reads four numbers of each point, also of the last.
        self._points = np.concatenate([frozen(points), np.zeros((1, 3), np.float32)])
        self._triangles = frozen(triangles, np.int32)
        geometry = self._geometry(_TRIANGLES, EVERY)
        self._share(geometry, _VERTEX, _FLOAT3, self._points, len(points))
        self._share(geometry, _INDEX, _UINT3, self._triangles, len(triangles))
        self._attach(geometry)
        self._commit()

    @property
    def own_bytes(self) -> int:
        return self._points.nbytes + self._triangles.nbytes + TRIANGLE_BYTES * len(self._triangles)


class World(_Tree):
    """Bodies at many places: rows of (body, (K, 3, 4) matrices to the world, mask that a ray must share a bit of)."""

    def __init__(self, groups):
        super().__init__()
        self._kept = []
        for body, matrices, mask in groups:
            rows = frozen(matrices)
            geometry = self._geometry(_INSTANCES, mask)
            self._library.rtcSetGeometryInstancedScene(geometry, ctypes.c_void_p(body.address))
            self._share(geometry, _TRANSFORM, _FLOAT3X4, rows, len(rows))
            self._attach(geometry)
            self._kept.append((body, rows))
        self._commit()

    @property
    def own_bytes(self) -> int:
        return sum(rows.nbytes + COPY_BYTES * len(rows) for _, rows in self._kept)

    @property
    def parts(self) -> tuple:
        return tuple(body for body, _ in self._kept)
