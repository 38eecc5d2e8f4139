"""Speed of shadows: a picture with them, against nothing but its rays."""

import ctypes
from unittest import mock

import numpy as np

from pirouette.evaluate import evaluate
from pirouette.kernels import embree
from pirouette.kernels.compile import frozen, kernel
from pirouette.kernels.threads import in_slices, use_threads
from pirouette.render import rays as rays_module
from pirouette.render import render_light
from pirouette.render.layers import picture_layers
from pirouette.render.rays import DOME, rays_of

from .measure import line

WIDTH, HEIGHT = 1920, 1080


@kernel
def _cast(places, normals, points, way, spread, reach, asked, scene, suns, start, stop, out):
    """So many rays to a sun, and DOME to a sky, from each place, and nothing else."""
    ray = np.zeros(embree.RAY_SIZE, np.float32)
    masks = ray.view(np.int32)
    address = ray.ctypes.data
    for i in range(start, stop):
        x, y, z = normals[i, 0], normals[i, 1], normals[i, 2]
        for number in range(DOME + suns[i]):
            point = points[(i * 7 + number * 16) % len(points)]
            for k in range(3):
                ray[k] = places[i, k] + normals[i, k] * np.float32(0.3)
            ray[3] = np.float32(0)
            if number >= DOME:
                ray[4], ray[5], ray[6] = way[0] + spread * point[0], way[1] + spread * point[1], way[2]
                ray[8] = np.float32(3e38)
            else:
                sign = np.float32(1.0) if z >= 0 else np.float32(-1.0)
                a = np.float32(-1.0) / (sign + z)
                b = x * y * a
                ray[4] = x * point[2] + (1 + sign * x * x * a) * point[0] + b * point[1]
                ray[5] = y * point[2] + sign * b * point[0] + (sign + y * y * a) * point[1]
                ray[6] = z * point[2] - sign * x * point[0] - y * point[1]
                ray[8] = reach * point[3]
            masks[9] = 1
            embree.ask(asked, scene, address)
            out[i] += ray[8] < 0


def _count_rays(picture) -> int:
    """Return how many rays a picture takes: it asks through a function that counts."""
    count = 0
    kind = ctypes.CFUNCTYPE(None, ctypes.c_void_p, ctypes.c_void_p, ctypes.c_void_p)
    real = kind(embree.asked_if_blocked())

    @kind
    def counting(scene, ray, options):
        nonlocal count
        count += 1
        real(scene, ray, options)

    with (
        use_threads(1),
        mock.patch.object(rays_module, "asked_if_blocked", lambda: ctypes.cast(counting, ctypes.c_void_p).value),
    ):
        render_light(picture, (WIDTH, HEIGHT), 1)
    return count


def bench_shade():
    """A soft sun and a sky over 10,000 instances at 1080p: the whole picture, against its bare rays."""
    from .lines import SURFACE, scene_of, step

    routine = [
        step("sphere", radius=10, rings=13, segments=16),
        step("grid", columns=100, rows=10, layers=10, apart=[18, 60, 60]),
    ]
    lights = [
        {"id": "sun", "name": "Sun", "kind": "sun", "settings": {"width": 6}},
        {"id": "sky", "name": "Sky", "kind": "sky", "settings": {}},
    ]
    picture = evaluate(scene_of(routine, SURFACE, {"position": [0, 0, 1500]}, lights), 0)
    rays, worlds = rays_of(picture)
    layers = picture_layers(picture, (WIDTH, HEIGHT), ["position", "normal", "depth"], {"a": 1}, None)
    is_seen = np.isfinite(layers["depth"]) & (np.abs(layers["normal"]).sum(axis=-1) > 0)
    places, normals = (frozen(layers[name][is_seen]) for name in ("position", "normal"))
    out = np.zeros(len(places), np.int32)
    # As many in all as the picture takes; most for suns, where shadows have their edges.
    more = max(_count_rays(picture) / len(places) - DOME, 1)
    suns = np.diff(np.floor(np.arange(len(places) + 1) * more)).astype(np.int32)
    way, spread, reach = frozen([0.4, 0.7, 0.58]), np.float32(np.tan(np.radians(3))), np.float32(400)

    def bare():
        in_slices(
            lambda a, b: _cast(
                places, normals, rays.places.skies, way, spread, reach, rays.asked, rays.scenes[0], suns, a, b, out
            ),
            len(places),
            8192,
        )

    yield line("shade", lambda: render_light(picture, (WIDTH, HEIGHT), 1), "its bare rays", bare, 0.6)
    del worlds


SHADE = {"shade": bench_shade}
