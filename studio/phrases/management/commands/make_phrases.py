"""Writes the phrases that ship, out of the demo scenes as they are, and the moving pictures of starting phrases."""

import json

from django.conf import settings
from django.core.management.base import BaseCommand

from pirouette.assets.library import FolderLibrary, Libraries, shipped
from pirouette.document import load_scene, read_scene
from pirouette.document.phrases import phrase_of, read_phrase
from pirouette.phrase_pictures import phrase_strip
from studio.phrases.shipped import FOLDER, RECIPES, SCENES
from studio.scenes.pages import start_document, starts


class Command(BaseCommand):
    help = "Write the phrases that ship, with their moving pictures, out of the demo scenes; and those of new scenes."

    def handle(self, *args, **options):
        for start in starts():
            path = settings.STATICFILES_DIRS[0] / start["strip"]
            path.parent.mkdir(exist_ok=True)
            path.write_bytes(phrase_strip(read_scene(start_document(start["id"]))))
            self.stdout.write(start["id"])
        FOLDER.mkdir(exist_ok=True)
        library = Libraries(FolderLibrary(SCENES / "assets"), shipped())
        for recipe in RECIPES:
            scene = load_scene(SCENES / f"{recipe.scene}.json")
            document = phrase_of(scene, recipe.figure, recipe.steps, recipe.name, recipe.says, recipe.told)
            phrase = read_phrase(document, library)
            recipe.path.write_text(json.dumps(phrase.raw, ensure_ascii=False, indent=1) + "\n", "utf-8")
            recipe.path.with_suffix(".webp").write_bytes(phrase_strip(phrase.scene, phrase.figure))
            self.stdout.write(f"{recipe.path.stem}")
