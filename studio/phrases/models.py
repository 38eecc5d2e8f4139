"""A phrase is one document, which holds a scene of its own."""

from django.db import models


class Phrase(models.Model):
    """A phrase as pirouette/document/phrases.py reads it.

    is_whole  whether it is a figure, and not steps
    """

    name = models.CharField(max_length=80)
    says = models.CharField(max_length=200, blank=True)
    is_whole = models.BooleanField()
    document = models.JSONField()
    is_demo = models.BooleanField(default=False)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "id"]

    def __str__(self):
        return self.name
