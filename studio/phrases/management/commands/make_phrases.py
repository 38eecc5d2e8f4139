"""Writes the phrases that ship, out of the demo scenes as they are."""

import json

from django.core.management.base import BaseCommand

from pirouette.assets.library import FolderLibrary, Libraries, shipped
from pirouette.document import load_scene
from pirouette.document.phrases import phrase_of, read_phrase
from pirouette.phrase_pictures import phrase_strip
from studio.phrases.shipped import FOLDER, RECIPES, SCENES


class Command(BaseCommand):
    help = "Write the phrases that ship, with their moving pictures, out of the demo scenes."

    def handle(self, *args, **options):
        FOLDER.mkdir(exist_ok=True)
        library = Libraries(FolderLibrary(SCENES / "assets"), shipped())
        for recipe in RECIPES:
            scene = load_scene(SCENES / f"{recipe.scene}.json")
            document = phrase_of(scene, recipe.figure, recipe.steps, recipe.name, recipe.says, recipe.told)
            phrase = read_phrase(document, library)
            recipe.path.write_text(json.dumps(phrase.raw, ensure_ascii=False, indent=1) + "\n", "utf-8")
            recipe.path.with_suffix(".webp").write_bytes(phrase_strip(phrase.scene, phrase.figure))
            self.stdout.write(f"{recipe.path.stem}")
