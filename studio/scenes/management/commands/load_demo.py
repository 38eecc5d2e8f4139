"""Stores the demo scenes that are not stored yet."""

import json
from pathlib import Path

from django.core.management.base import BaseCommand

import studio.demo
from pirouette.assets.library import Asset as Held
from pirouette.assets.library import id_of, sort_of
from studio.assets import services
from studio.assets.models import Asset
from studio.scenes.models import Scene
from studio.scenes.services import read_whole, store_scene

FOLDER = Path(studio.demo.__file__).parent / "scenes"


class Command(BaseCommand):
    help = "Store the demo scenes; those that are there already are left as they are."

    def add_arguments(self, parser):
        parser.add_argument("--again", action="store_true", help="put the demo scenes back as they were shipped")

    def handle(self, *args, again=False, **options):
        for path in sorted((FOLDER / "assets").iterdir()):
            if sort_of(path.name):
                self._asset(path, again)
        for path in sorted(FOLDER.glob("*.json")):
            document = json.loads(path.read_text("utf-8"))
            stored = Scene.objects.filter(is_demo=True, name=document["name"])
            if again:
                stored.delete()
            if not stored.exists():
                # They are known to be right, and show what they show when they are opened.
                store_scene(read_whole(document), is_demo=True)
                self.stdout.write(f"stored {document['name']}")

    def _asset(self, path, again):
        """Store a file that demo scenes use, under the name by which they do."""
        slug = id_of(path.name)
        stored = Asset.objects.filter(slug=slug).first()
        if stored is None:
            services.store(Held(slug, sort_of(path.name), path.read_bytes()), path.name, is_demo=True, slug=slug)
        elif again:
            services.put(stored, Held(slug, sort_of(path.name), path.read_bytes()))
