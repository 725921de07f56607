"""What is to be done follows from all that is newest at a place, and is kept beside it; a result keeps what its test asks."""

from django.db import migrations, models
from django.db.models import F


def finer(apps, schema_editor):
    """Ranks count in tens: within a verdict places are in order of what the limit protects."""
    apps.get_model("log", "Standing")._base_manager.update(rank=F("rank") * 10)


def coarser(apps, schema_editor):
    apps.get_model("log", "Standing")._base_manager.update(rank=F("rank") / 10)


class Migration(migrations.Migration):

    dependencies = [
        ("log", "0007_qualitycheck_breaks_ownspread"),
    ]

    operations = [
        migrations.RemoveField(model_name="result", name="next_steps"),
        migrations.AddField(model_name="result", name="test_asks", field=models.JSONField(default=list)),
        migrations.AddField(model_name="standing", name="advice", field=models.JSONField(default=dict)),
        migrations.RunPython(finer, coarser),
    ]
