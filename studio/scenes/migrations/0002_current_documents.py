from django.db import migrations

from pirouette.data import ProblemError
from pirouette.document.migrate import migrate


def bring_up_to_date(apps, schema_editor):
    """Stored documents become ones of the current version, so that what is added to them means what it says."""
    for scene in apps.get_model("scenes", "Scene").objects.all():
        try:
            scene.document = migrate(scene.document)
        except ProblemError:
            # It could not be read before either; it stays as it is.
            continue
        scene.save(update_fields=["document"])


class Migration(migrations.Migration):
    dependencies = [("scenes", "0001_initial")]
    operations = [migrations.RunPython(bring_up_to_date, migrations.RunPython.noop)]
