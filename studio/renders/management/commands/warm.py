"""Compiles the kernels that are not in the cache yet, and draws the demo once, so that the first page comes at once."""

import multiprocessing
import time
from pathlib import Path

import numba
from django.core.management.base import BaseCommand
from llvmlite.binding import get_host_cpu_name

from pirouette.evaluate import Memo, evaluate
from pirouette.formats.packet import encode_packet
from pirouette.render import render_scene
from pirouette.warm import PARTS, warm_renderer
from studio.computing import tasks
from studio.scenes.models import Scene
from studio.scenes.pictures import first_picture, thumbnail
from studio.scenes.services import subject


class Command(BaseCommand):
    help = "Compile the kernels by drawing the demo scenes once, very small."

    def handle(self, *args, **options):
        demos = list(Scene.objects.filter(is_demo=True))
        # What is compiled holds for these sources (see the name of the folder), this compiler and this processor.
        done = Path(numba.config.CACHE_DIR) / f"warm-{numba.__version__}-{get_host_cpu_name()}"
        if not done.exists():
            self.stdout.write("Compiling the renderer for this machine, once: about five minutes on two processors …")
            began = time.monotonic()
            compile_for(demos)
            self.stdout.write(f"Compiled in {time.monotonic() - began:.0f} s.")
            if demos:
                done.touch()
        for stored in demos:
            thumbnail(stored)
            first_picture(stored)


def compile_for(demos):
    """Compile all that drawing demo scenes needs."""
    # The compiler works on one kernel of a process at a time.
    spawn = multiprocessing.get_context("spawn")
    others = [spawn.Process(target=warm_renderer, args=(looks,)) for looks in PARTS]
    for other in others:
        other.start()
    scenes = [(tasks.scene_of(subject(stored)), Memo()) for stored in demos]
    for scene, memo in scenes:
        encode_packet(evaluate(scene, 0, memo=memo))
    for other in others:
        other.join()
    for scene, memo in scenes:
        render_scene(scene, 0, (64, 36), 1, memo=memo)
