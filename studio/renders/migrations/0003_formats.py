from django.db import migrations, models


def rename(apps, schema_editor):
    """Pictures of 16 bits are a format of their own; a sequence is a format of pictures with more than one frame."""
    jobs = apps.get_model("renders", "RenderJob").objects
    jobs.filter(format__in=("png", "sequence"), bits=16).update(format="png16")
    jobs.filter(format="sequence").update(format="png")
    # Frames wait in other files now: renders that are under way begin anew.
    under_way = ("waiting", "running", "assembling")
    frames = apps.get_model("renders", "RenderFrame").objects.filter(job__state__in=under_way)
    frames.update(state="waiting", worker="", lease_until=None)
    jobs.filter(state__in=under_way).update(state="waiting", worker="", lease_until=None)


class Migration(migrations.Migration):
    dependencies = [("renders", "0002_renderjob_assets")]
    operations = [
        migrations.RunPython(rename, migrations.RunPython.noop),
        migrations.RemoveField("renderjob", "bits"),
        migrations.AddField("renderjob", "options", models.JSONField(default=dict)),
    ]
