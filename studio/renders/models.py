"""Render jobs and their frames. A frame belongs to a worker only as long as its lease runs."""

from django.db import models

from studio.scenes.models import Scene

WAITING, RUNNING, ASSEMBLING, DONE, FAILED, CANCELLED = (
    "waiting",
    "running",
    "assembling",
    "done",
    "failed",
    "cancelled",
)


class RenderJob(models.Model):
    """A request for pictures of a scene, and of the assets it uses, as they were when asked for.

    deaths  how often a worker ended while it made the file
    """

    scene = models.ForeignKey(Scene, models.SET_NULL, null=True, related_name="jobs")
    name = models.CharField(max_length=80)
    document = models.JSONField()
    assets = models.JSONField(default=dict)
    format = models.CharField(max_length=10)
    first = models.IntegerField()
    last = models.IntegerField()
    width = models.PositiveIntegerField()
    height = models.PositiveIntegerField()
    samples = models.PositiveIntegerField()
    options = models.JSONField(default=dict)
    state = models.CharField(max_length=12, default=WAITING)
    message = models.TextField(blank=True)
    file_name = models.CharField(max_length=120, blank=True)
    worker = models.CharField(max_length=120, blank=True)
    lease_until = models.DateTimeField(null=True)
    deaths = models.PositiveIntegerField(default=0)
    created = models.DateTimeField(auto_now_add=True)
    finished = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self):
        return f"{self.name} {self.first}-{self.last} {self.format}"


class RenderFrame(models.Model):
    """One frame of a job.

    failures  how often rendering it went wrong
    deaths    how often a worker ended while it rendered it
    """

    job = models.ForeignKey(RenderJob, models.CASCADE, related_name="frames")
    number = models.IntegerField()
    state = models.CharField(max_length=12, default=WAITING)
    worker = models.CharField(max_length=120, blank=True)
    lease_until = models.DateTimeField(null=True)
    failures = models.PositiveIntegerField(default=0)
    deaths = models.PositiveIntegerField(default=0)
    seconds = models.FloatField(null=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["job", "number"], name="one_row_per_frame")]
        indexes = [models.Index(fields=["state", "job"])]
