"""What keeps somebody from drinking goes on until a person says that it is over, also where it was found before."""

import django.contrib.postgres.fields
from django.db import migrations, models

_UNTIL_LIFTED = {"stop-drinking", "other-water", "boil", "infants-other-water", "children-other-water"}


def hold(apps, schema_editor):
    for row in apps.get_model("log", "Standing")._base_manager.exclude(result=None).iterator():
        if row.advice.get("stands") == "outside" and _UNTIL_LIFTED & {each["code"] for each in row.advice["do"]}:
            row.held = [row.result_id]
            row.save(update_fields=["held"])


class Migration(migrations.Migration):

    dependencies = [
        ('log', '0008_advice'),
    ]

    operations = [
        migrations.AddField(
            model_name='standing',
            name='held',
            field=django.contrib.postgres.fields.ArrayField(base_field=models.BigIntegerField(), default=list, size=None),
        ),
        migrations.AddField(
            model_name='standing',
            name='lifted',
            field=django.contrib.postgres.fields.ArrayField(base_field=models.BigIntegerField(), default=list, size=None),
        ),
        migrations.RunPython(hold, migrations.RunPython.noop),
    ]
