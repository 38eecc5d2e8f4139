"""Compiles the kernels that are not in the cache yet, and draws the demo once, so that the first page comes at once."""

import multiprocessing

from django.core.management.base import BaseCommand

from pirouette.evaluate import Memo, evaluate
from pirouette.formats.packet import encode_packet
from pirouette.render import render_frame
from pirouette.warm import PARTS, warm_renderer
from studio.scenes.models import Scene
from studio.scenes.services import load
from studio.scenes.thumbnail import thumbnail_path


class Command(BaseCommand):
    help = "Compile the kernels by drawing the demo scenes once, very small."

    def handle(self, *args, **options):
        # The compiler works on one kernel of a process at a time.
        spawn = multiprocessing.get_context("spawn")
        others = [spawn.Process(target=warm_renderer, args=(looks,)) for looks in PARTS]
        for other in others:
            other.start()
        demos = list(Scene.objects.filter(is_demo=True))
        pictures = [evaluate(load(stored), 0, memo=Memo()) for stored in demos]
        for picture in pictures:
            encode_packet(picture)
        for other in others:
            other.join()
        for picture, stored in zip(pictures, demos, strict=True):
            render_frame(picture, (64, 36), 1)
            thumbnail_path(stored)
