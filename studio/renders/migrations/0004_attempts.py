from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("renders", "0003_formats")]
    operations = [
        migrations.AddField(name, field, models.PositiveIntegerField(default=0))
        for name, field in (("renderframe", "failures"), ("renderframe", "deaths"), ("renderjob", "deaths"))
    ]
