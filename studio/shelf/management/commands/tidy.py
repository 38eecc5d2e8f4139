"""Removes files that nobody owns: what was half done when the power went."""

from django.core.management.base import BaseCommand

from studio.phrases.services import sweep_strips
from studio.renders.services import sweep_renders
from studio.scenes.pictures import sweep_pictures
from studio.shelf.services import sweep


class Command(BaseCommand):
    help = "Remove files of assets, pictures and renders that no row stands for; while nothing else is at work."

    def handle(self, *args, **options):
        sweep()
        sweep_pictures(with_drafts=True)
        sweep_strips()
        sweep_renders()
