import django.contrib.postgres.fields
import django.db.models.deletion
from django.db import migrations, models

# What stood at the top of a method when it had one part, and stands in the part now.
_OF_PART = ("parameter", "kind", "unit", "as", "unit_of_count", "numbers", "titrant", "colours")
_BATCH = 2000


def methods_in_parts(apps, schema_editor):
    determinations = apps.get_model("bench", "Determination")
    changed = []
    for row in determinations._default_manager.only("pk", "method_definition").iterator(_BATCH):
        definition = row.method_definition
        if "parts" in definition:
            continue
        part = {key: definition.pop(key) for key in _OF_PART if key in definition}
        definition["test_name"] = f"{part['parameter'].capitalize()}, {part['unit_of_count']}s"
        definition["parts"] = [{"key": "main", **part}]
        changed.append(row)
        if len(changed) == _BATCH:
            determinations._default_manager.bulk_update(changed, ["method_definition"])
            changed = []
    determinations._default_manager.bulk_update(changed, ["method_definition"])


def readings_in_words(apps, schema_editor):
    results = apps.get_model("bench", "Result")
    changed = []
    for row in results._default_manager.only("pk", "readings").iterator(_BATCH):
        unit = row.readings.pop("unit_of_count", None)
        if unit is None:
            continue
        counts = [f"{run['count']}{'' if run['endpoint'] else '+'}" for run in row.readings["runs"]]
        row.readings["words"] = f"{', '.join(counts)} {unit}{'' if counts == ['1'] else 's'}"
        row.readings["answers"] = {}
        changed.append(row)
        if len(changed) == _BATCH:
            results._default_manager.bulk_update(changed, ["readings"])
            changed = []
    results._default_manager.bulk_update(changed, ["readings"])


class Migration(migrations.Migration):
    dependencies = [("bench", "0003_lots_and_schools"), ("kits", "0001_initial")]

    operations = [
        migrations.RunPython(methods_in_parts, migrations.RunPython.noop),
        migrations.RunPython(readings_in_words, migrations.RunPython.noop),
    ]
