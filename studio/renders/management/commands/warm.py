"""Compiles the kernels that are not in the cache yet, and draws the demo once, so that the first page comes at once."""

from django.core.management.base import BaseCommand

from pirouette.evaluate import Memo, evaluate
from pirouette.formats.packet import encode_packet
from pirouette.render import render_frame
from studio.scenes.models import Scene
from studio.scenes.services import load
from studio.scenes.thumbnail import thumbnail_path


class Command(BaseCommand):
    help = "Compile the kernels by drawing the demo scenes once, very small."

    def handle(self, *args, **options):
        for stored in Scene.objects.filter(is_demo=True):
            picture = evaluate(load(stored), 0, memo=Memo())
            encode_packet(picture)
            render_frame(picture, (64, 36), 1)
            thumbnail_path(stored)
