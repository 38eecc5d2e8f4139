"""A small picture of one figure alone, for choosing it by its look."""

from dataclasses import replace

from pirouette.data import ProblemError, TooMuch
from pirouette.evaluate import evaluate
from pirouette.formats.png import png_bytes
from pirouette.render import framing, render_scene

SIZE = (128, 80)
SAMPLES = 4


def figure_picture(scene, figure_id: str, memo, is_cancelled) -> bytes:
    """Return a PNG of a figure at the first frame, seen a little from above, whether it is shown or not.

    Raises KeyError if there is no such figure, Cancelled once is_cancelled() is true; what is_cancelled raises
    """
    figure = scene.figures_by_id[figure_id]
    alone = replace(
        scene, figures=tuple(replace(one, visible="shown" if one is figure else "hidden") for one in scene.figures)
    )
    try:
        view = framing(evaluate(alone, 0, memo=memo, is_cancelled=is_cancelled).drawables)
    except TooMuch:
        raise
    except ProblemError:
        # What cannot be computed is an empty picture.
        alone, view = replace(scene, figures=()), framing(())
    clear = scene.frame.changed(background="transparent", haze=0)
    alone = replace(alone, frame=clear, finish=())
    rendered = render_scene(alone, 0, SIZE, SAMPLES, memo=memo, view=view, is_cancelled=is_cancelled)
    return png_bytes(rendered.pixels())
