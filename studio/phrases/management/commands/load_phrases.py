"""Stores the phrases that ship and are not stored yet."""

import json

from django.core.management.base import BaseCommand

from pirouette.formats.whole import whole
from studio.phrases.models import Phrase
from studio.phrases.services import store, strip_path
from studio.phrases.shipped import FOLDER


class Command(BaseCommand):
    help = "Store the phrases that ship; those that are there already are left as they are."

    def handle(self, *args, **options):
        for path in sorted(FOLDER.glob("*.json")):
            document = json.loads(path.read_text("utf-8"))
            if Phrase.objects.filter(is_demo=True, name=document["scene"]["name"]).exists():
                continue
            phrase = store(document, is_demo=True)
            strip = strip_path(phrase)
            strip.parent.mkdir(parents=True, exist_ok=True)
            with whole(strip) as draft:
                draft.write_bytes(path.with_suffix(".webp").read_bytes())
            self.stdout.write(f"stored the phrase {phrase.name}")
