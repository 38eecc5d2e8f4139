"""A scene is one JSON document; its revisions are autosave, undo history and crash recovery at once."""

from django.db import models


class Scene(models.Model):
    """A document and where its history stands.

    revision  grows with every change, undo and redo; says which state a page has
    position  how many revisions of the history are applied
    """

    name = models.CharField(max_length=80)
    document = models.JSONField()
    revision = models.PositiveIntegerField(default=0)
    position = models.PositiveIntegerField(default=0)
    is_demo = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)
    changed = models.DateTimeField(auto_now=True)

    class Meta:
        ordering = ["-is_demo", "name", "id"]

    def __str__(self):
        return self.name


class Revision(models.Model):
    """One step of a scene's history: a JSON Patch and its inverse.

    last_edit  names the request that wrote it last, so that one sent again after a lost answer is known
    """

    scene = models.ForeignKey(Scene, models.CASCADE, related_name="revisions")
    number = models.PositiveIntegerField()
    patch = models.JSONField()
    inverse = models.JSONField()
    gesture = models.CharField(max_length=40, blank=True)
    last_edit = models.CharField(max_length=40, blank=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["scene", "number"], name="one_revision_per_number")]
