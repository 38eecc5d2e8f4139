"""Speed of what is seen through: many sheets over each other, in exact order."""

from pirouette.evaluate import evaluate
from pirouette.render import render_light

from .measure import line

WIDTH, HEIGHT, SHEETS, OPACITY = 1920, 1080, 40, 0.1


def bench_layers():
    """40 half-transparent sheets that fill 1080p, against software OpenGL that is handed them sorted."""
    from .lines import SURFACE, must_be_alike, scene_of, step
    from .peer_gl import SoftwareGl

    routine = [
        step("plane", width=9000, height=6000, across=1, up=1),
        step("row", count=SHEETS, apart=[0, 0, 10]),
        step("shift", opacity=OPACITY),
    ]
    picture = evaluate(scene_of(routine, SURFACE, {"position": [0, 0, 1500]}), 0)
    peer = SoftwareGl(WIDTH, HEIGHT, 1)
    draw = peer.surface(picture, OPACITY)
    draw()
    must_be_alike(render_light(picture, (WIDTH, HEIGHT), 1), peer.picture())
    yield line("layers", lambda: render_light(picture, (WIDTH, HEIGHT), 1), "software OpenGL, sorted", draw, 2)
    peer.close()
