"""An uploaded file that scenes name by its slug."""

from pathlib import Path

from django.conf import settings
from django.db import models

SORTS = (("font", "Font"), ("artwork", "Artwork"), ("model", "Model"), ("picture", "Picture"))


class Asset(models.Model):
    """A file, kept under its digest, so that what a render job began with stays what it ends with.

    slug   the id that scenes name it by; it stays when the file is replaced
    notes  what was left out when it was read
    """

    slug = models.CharField(max_length=80, unique=True)
    name = models.CharField(max_length=120)
    sort = models.CharField(max_length=10, choices=SORTS)
    digest = models.CharField(max_length=40)
    size = models.PositiveIntegerField()
    summary = models.CharField(max_length=120, blank=True)
    notes = models.JSONField(default=list)
    is_demo = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["sort", "name"]

    def __str__(self):
        return self.slug

    @property
    def path(self) -> Path:
        return file_path(self.digest)


def file_path(digest: str) -> Path:
    return Path(settings.DATA) / "assets" / digest
