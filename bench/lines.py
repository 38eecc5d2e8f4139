"""Speed against peers measured in the same run: medians, interleaved, printed as ratios.

The peers are ordinary libraries that only this module uses (requirements-bench.txt). Nothing tests these numbers.
"""

import copy
import json
import os
import subprocess
import sys
import tempfile
from itertools import count, cycle
from pathlib import Path

import numpy as np

from pirouette.assets.library import beside
from pirouette.document import load_scene, read_scene
from pirouette.document.read import new_scene
from pirouette.evaluate import Evaluator, Memo, evaluate, routines
from pirouette.evaluate.offers import Offers
from pirouette.evaluate.routines import Run
from pirouette.formats.packet import encode_packet
from pirouette.formats.stored import assemble
from pirouette.formats.table import BY_ID, options_of
from pirouette.kernels.noise.gradient import still_noise
from pirouette.kernels.render.picture import glow
from pirouette.render import render_light

from .built import BUILT
from .layers import bench_layers
from .measure import line
from .page import bench_crowd, bench_drag, bench_page, bench_play
from .past import PAST
from .shade import SHADE
from .shutter import SHUTTERS

ROOT = Path(__file__).resolve().parent.parent
WIDTH, HEIGHT = 1920, 1080


def scene_of(routine, looks, camera, lights=None, fields=()):
    """Return a scene with one figure before a black ground, without finish."""
    raw = new_scene("Bench")
    raw["frame"] = {"width": WIDTH, "height": HEIGHT, "colour": "#000000"}
    raw["figures"] = [{"id": "a", "name": "A", "routine": routine, "looks": looks}]
    raw["fields"] = list(fields)
    raw["cameras"][0]["settings"] = camera
    raw["lights"] = lights or [{"id": "sun", "name": "Sun", "kind": "sun", "settings": {"shadows": False}}]
    raw["finish"] = []
    return read_scene(raw)


def step(kind, only_where=None, **settings):
    return {"id": kind, "kind": kind, "settings": settings, "only_where": only_where}


SURFACE = [{"id": "surface", "kind": "surface", "settings": {}}]


def bench_noise():
    from pyfastnoiselite.pyfastnoiselite import FastNoiseLite, FractalType, NoiseType

    points = (np.random.default_rng(1).random((1_000_000, 3)) * 1000).astype(np.float32)
    peer = FastNoiseLite(1)
    peer.noise_type = NoiseType.NoiseType_Perlin
    peer.fractal_type = FractalType.FractalType_FBm
    peer.fractal_octaves = 4
    peer.frequency = 1 / 50
    columns = np.ascontiguousarray(points.T)
    size = np.full(3, 1 / 50, np.float32)
    yield line(
        "noise",
        lambda: still_noise(points, size, np.zeros(3), 4, 0.5, 1),
        "pyfastnoiselite",
        lambda: peer.gen_from_coords(columns),
        1.8,
    )


def bench_copies():
    gust = {
        "id": "gust",
        "name": "Gust",
        "clauses": [
            {"id": "a", "kind": "region", "settings": {"size": [8000] * 3}},
            {"id": "b", "kind": "between", "settings": {"fade": 3000}, "joining": {"join": "only where"}},
        ],
    }
    scene = scene_of(
        [
            step("box"),
            step("grid", columns=100, rows=100, layers=10),
            step("shift", place=[0, 5, 0], turn=[0, 30, 0]),
            step("drift"),
            step("stagger", "gust", turn=[0, 0, 90], size=1.5),
        ],
        [],
        {},
        fields=[gust],
    )
    matrices = evaluate(scene, 0).drawables[0].matrices
    full = np.zeros((len(matrices), 4, 4), np.float32)
    target = np.empty_like(full)
    yield line("copies", lambda: evaluate(scene, 0), "memory copy", lambda: np.copyto(target, full), 1 / 12)


def bench_displace():
    from pirouette.kinds.deformers.displace import DisplaceSettings, displace
    from pirouette.kinds.forms.sphere import SphereSettings, sphere
    from pirouette.values import Moment

    ball = sphere(SphereSettings({"rings": 1000, "segments": 1000}).resolve())
    settings = DisplaceSettings({"detail": 4}).resolve()
    weights = np.ones(len(ball.points), np.float32)
    size = np.full(3, 1 / 60, np.float32)
    ball.topology.uses  # noqa: B018 - which faces stand at a point is known from the frame before

    def ours():
        moved = displace(ball.points, ball.normals, weights, settings, Moment(), None, {})
        return ball.with_points(moved).normals

    yield line(
        "displace",
        ours,
        "the noise alone (ours)",
        lambda: still_noise(ball.points, size, np.zeros(3), 4, 0.5, 1),
        0.55,
    )


def bench_scatter():
    import trimesh

    from pirouette.geometry.scatter import places_on
    from pirouette.kinds.forms.torus import TorusSettings, torus

    mesh = torus(TorusSettings({"segments": 500, "sides": 200}).resolve())
    assert len(mesh.topology.triangles) == 200_000
    other = trimesh.Trimesh(mesh.points, mesh.topology.triangles, process=False)
    apart = float(np.sqrt(other.area / 25_000) * 0.6)
    yield line(
        "scatter",
        lambda: places_on(mesh, mesh, "surface", 25_000, apart, 1),
        "trimesh, even sampling",
        lambda: trimesh.sample.sample_surface_even(other, 25_000, radius=apart, seed=1),
        5,
    )


def bench_fields():
    kinds = ["region", "between", "near", "angle", "region", "noise", "between", "region", "order", "near"]
    joins = ["plus", "less", "only where", "whichever is more", "half and half"]
    clauses = [
        {
            "id": f"c{k}",
            "kind": kind,
            "settings": {"to": "hub"} if kind == "near" else {},
            "joining": {"join": joins[k % len(joins)]},
        }
        for k, kind in enumerate(kinds)
    ]
    raw = new_scene("Bench")
    raw["fields"] = [{"id": "f", "name": "F", "clauses": clauses}]
    raw["guides"] = [{"id": "hub", "name": "Hub", "place": {}}]
    scene = read_scene(raw)
    ev = Evaluator(scene, 0)
    points = ((np.random.default_rng(1).random((1_000_000, 3)) - 0.5) * 600).astype(np.float32)
    target = np.empty_like(points)
    share = np.linspace(0, 1, len(points), dtype=np.float32)
    yield line(
        "fields",
        lambda: ev.weights(scene.fields[0], points, share),
        "reading and writing the points",
        lambda: np.copyto(target, points),
        1 / 30,
    )


def _raster_scene(name):
    if name == "raster_instances":
        routine = [
            step("sphere", radius=10, rings=13, segments=16),
            step("grid", columns=100, rows=10, layers=10, apart=[18, 60, 60]),
        ]
        return scene_of(routine, SURFACE, {"position": [0, 0, 1500]})
    routine = [step("sphere", radius=300, rings=500, segments=1001), step("displace", strength=10, detail=4)]
    return scene_of(routine, SURFACE, {"position": [0, 0, 600]})


def must_be_alike(ours, peers):
    """Raise ValueError unless a picture and the peer's are the same, but for single pixels at edges."""
    away = np.abs(ours - peers.astype(np.float32))[..., :3].max(axis=-1)
    share = float((away > 0.02).mean())
    if share > 0.02:
        raise ValueError(f"{100 * share:.1f} % of the pixels differ from the peer's; allowed 2 %")


def bench_raster():
    from .peer_gl import SoftwareGl

    for name, goals in (("raster_instances", (5, 8)), ("raster_dense", (2.5, 3))):
        picture = evaluate(_raster_scene(name), 0)
        for samples, goal in zip((1, 4), goals, strict=True):
            peer = SoftwareGl(WIDTH, HEIGHT, samples)
            draw = peer.surface(picture)
            suffix = "" if samples == 1 else f" ({samples} samples)"
            if samples == 1:
                draw()
                must_be_alike(render_light(picture, (WIDTH, HEIGHT), 1), peer.picture())
            yield line(
                name + suffix,
                lambda picture=picture, samples=samples: render_light(picture, (WIDTH, HEIGHT), samples),
                "software OpenGL",
                draw,
                goal,
            )
            peer.close()


def bench_lines():
    from .peer_gl import SoftwareGl

    looks = [{"id": "wire", "kind": "wire", "settings": {"blend": "additive", "width": 1.5}}]
    # 203,280 lines of 16 pixels, in all directions.
    routine = [
        step("plane", width=880, height=880, across=55, up=55),
        step("grid", columns=3, rows=1, layers=11, apart=[500, 0, 10]),
        step("stagger", turn=[0, 0, 340]),
        step("displace", strength=60, size=300),
    ]
    picture = evaluate(scene_of(routine, looks, {"position": [0, 0, 1867]}), 0)
    peer = SoftwareGl(WIDTH, HEIGHT, 1)
    draw = peer.lines(picture)
    yield line("lines", lambda: render_light(picture, (WIDTH, HEIGHT), 1), "software OpenGL quads", draw, 4)
    peer.close()


def bench_glow():
    from scipy.ndimage import gaussian_filter

    picture = np.random.default_rng(1).random((HEIGHT, WIDTH, 4)).astype(np.float32)

    def peer():
        total = picture.copy()
        for level in range(5):
            for channel in range(3):
                total[..., channel] += 0.2 * gaussian_filter(picture[..., channel], 2.0**level, truncate=2.5)
        return total

    yield line("glow", lambda: glow(picture, 0.8, 0.5, 5), "scipy gaussians", peer, 40)


def bench_packet():
    from dataclasses import replace

    scene = scene_of([step("plane", across=446, up=446), step("displace", churn=1)], SURFACE, {})
    picture = evaluate(scene, 3)
    (drawable,) = picture.drawables
    mesh = drawable.mesh
    mesh.normals  # noqa: B018 - the renderer needs them too; packing is what is measured
    _, have = _keys(encode_packet(picture))
    moving = replace(drawable, mesh=replace(mesh, key="moving", known_normals=mesh.normals))
    picture = replace(picture, drawables=(moving,))
    packet = encode_packet(picture, have)
    source, target = np.frombuffer(packet, np.uint8), np.empty(len(packet), np.uint8)
    copy = lambda: np.copyto(target, source)  # noqa: E731
    found = line("packet", lambda: encode_packet(picture, have), "memory copy", copy, 1 / 8)
    bytes_each = len(packet) / len(mesh.points)
    yield {**found, "bytes_per_point": round(bytes_each, 2), "ok": bool(found["ok"] and bytes_each <= 12.1)}


def _keys(packet):
    from pirouette.formats.packet import decode_packet

    header, buffers = decode_packet(packet)
    return header, set(buffers)


def bench_values():
    """A thousand moving values of two hundred figures, worked out at one frame: keys, swings and formulas alike."""
    from pirouette.document.lanes import lanes_of

    scene = _scene_of_values()
    values = [lane.value for lane in lanes_of(scene)]
    assert len(values) == 1000
    frames = cycle(np.linspace(0, 95, 10_000))

    first = Evaluator(scene, 0)

    def ours():
        around = first.at(scene.moment(float(next(frames)))).around
        for value in values:
            value.at(around)

    found = line("values", ours, "1,000 empty calls", lambda: [value.__class__ for value in values], 0)
    yield {**found, "goal": "3 ms and less", "ok": bool(found["ours_ms"] <= 3)}


def _scene_of_values():
    keyed = {"sort": "keyed", "keys": [{"frame": 12 * k, "value": k % 3 * 40} for k in range(9)]}
    swing = {"sort": "swing", "middle": 0, "amount": 9, "times": 2}
    formulas = [{"sort": "formula", "text": text} for text in ("12 + 4 * wave(turn)", "{Hub.position.x} * 2 + frame")]
    raw = new_scene("Bench")
    raw["guides"] = [{"id": "hub", "name": "Hub", "place": {}}]
    raw["figures"] = [
        {
            "id": f"f{k}",
            "name": f"F{k}",
            "place": {"position": [keyed, swing, formulas[0]], "rotation": [0, formulas[1], 0]},
            "routine": [{"id": "a", "kind": "sphere", "settings": {"radius": keyed}}],
            "looks": [],
        }
        for k in range(200)
    ]
    return read_scene(raw)


def _demo(name):
    return ROOT / "studio" / "demo" / "scenes" / f"{name}.json"


def bench_again():
    """One value of the last step of Hundred-kite lens dragged: the whole evaluation, against that step alone."""
    raw = json.loads(_demo("hundred-kite-lens").read_text("utf-8"))
    index = max(range(len(raw["figures"])), key=lambda index: len(raw["figures"][index]["routine"]))
    settings = raw["figures"][index]["routine"][-1]["settings"]
    library, memo, values = beside(_demo("hundred-kite-lens")), Memo(), count()
    last = len(raw["figures"][index]["routine"]) - 1

    known = read_scene(copy.deepcopy(raw), library)

    def moved():
        # No value comes twice, so nothing of what it changes is remembered. It is read as the studio does.
        settings["place"] = [4, 4, 14 + next(values) / 1000]
        return read_scene(copy.deepcopy(raw), library, known)

    wholes = iter([moved() for _ in range(500)])
    alones = iter([moved() for _ in range(500)])

    def whole():
        evaluate(next(wholes), 12, purpose="view", memo=memo)

    def alone():
        ev = Evaluator(next(alones), 12, memo)
        figure = ev.scene.figures[index]
        run = Run.of(ev.own(figure), figure)
        routines.run_step(Offers(run, last, run.shape_before(last)))

    whole()
    yield line("again", whole, "the last step alone", alone, 0.5)


def bench_start():
    """`check` of a demo scene, the whole process, against one that imports what every command needs."""
    ours = [sys.executable, "-m", "pirouette.cli", "check", str(_demo("pinwheel-wall"))]
    peer = [sys.executable, "-c", "import numpy, numba, pydantic"]
    # Compiled modules are kept, as for any user, whatever this process was told.
    around = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
    run = lambda command: subprocess.run(command, cwd=ROOT, check=True, capture_output=True, env=around)  # noqa: E731
    yield line("start", lambda: run(ours), "importing numpy, numba and pydantic", lambda: run(peer), 0.6)


def bench_delivery():
    """48 frames of Pinwheel wall by two workers to MP4, against encoding those frames alone."""
    scene = load_scene(_demo("pinwheel-wall"))
    with tempfile.TemporaryDirectory() as folder:
        frames = [Path(folder) / f"{number}.npy" for number in range(48)]
        movie = Path(folder) / "out.mp4"
        options = options_of(BY_ID["mp4"], None)
        work = [sys.executable, "-m", "bench.worker", str(_demo("pinwheel-wall")), folder]

        def encode():
            assemble(BY_ID["mp4"], movie, list(enumerate(frames)), scene.first_moment.fps, options)

        def ours():
            workers = [subprocess.Popen([*work, str(k)], cwd=ROOT) for k in range(2)]
            if any(worker.wait() for worker in workers):
                raise RuntimeError("a worker failed")
            encode()

        ours()
        yield line("delivery", ours, "encoding those frames alone", encode, 1 / 5)


BENCHES = {
    "noise": bench_noise,
    "copies": bench_copies,
    "displace": bench_displace,
    "scatter": bench_scatter,
    "fields": bench_fields,
    "raster": bench_raster,
    "lines": bench_lines,
    "glow": bench_glow,
    "packet": bench_packet,
    "values": bench_values,
    "again": bench_again,
    "start": bench_start,
    "delivery": bench_delivery,
    **BUILT,
    **PAST,
    **SHADE,
    **SHUTTERS,
    "layers": bench_layers,
    "drag": bench_drag,
    "play": bench_play,
    "page": bench_page,
    "crowd": bench_crowd,
}


def run(names, as_json: bool) -> int:
    """Run the named benches, or all; returns 0 when every goal is met, else 1."""
    unknown = sorted(set(names) - set(BENCHES))
    if unknown:
        print(f"unknown: {', '.join(unknown)}; allowed {', '.join(BENCHES)}", file=sys.stderr)
        return 2
    all_met = True
    for name in names or BENCHES:
        for found in BENCHES[name]():
            all_met &= found["ok"]
            if as_json:
                print(json.dumps(found), flush=True)
            else:
                mark = "ok" if found["ok"] else "below its goal"
                print(
                    f"{found['name']:28} {found['ours_ms']:9.1f} ms   {found['peer']:28} {found['peer_ms']:9.1f} ms   "
                    f"ratio {found['ratio']:7.3f}   goal {found['goal']}   {mark}",
                    flush=True,
                )
    return 0 if all_met else 1
