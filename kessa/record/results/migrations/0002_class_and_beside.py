"""Results say by what class of method they came, and marks which other result they are about."""

from django.db import migrations, models

_BY_KIND = {
    "count": "count",
    "volume": "count",
    "direct": "count",
    "difference": "count",
    "photometer": "photometer",
    "meter": "meter",
}


def classify(apps, schema_editor):
    """Take the class from the method as it was, once for each part of each test."""
    results = apps.get_model("log", "Result")._base_manager
    for family, key in results.filter(determination__isnull=False).values_list("family", "part").distinct():
        alike = results.filter(family=family, part=key, determination__isnull=False)
        method = alike.select_related("determination").first().determination.method_definition
        part = next((part for part in method["parts"] if part.get("key", "main") == key), {})
        screening = method.get("screening", False)
        alike.update(method_class="screening" if screening else _BY_KIND.get(part.get("kind"), "eye"))


class Migration(migrations.Migration):
    dependencies = [("log", "0001_initial")]

    operations = [
        migrations.AddField("result", "method_class", models.CharField(default="eye", max_length=12), False),
        migrations.RunPython(classify, migrations.RunPython.noop),
        migrations.RemoveConstraint("mark", "one_active_mark"),
        migrations.AddField(
            "mark",
            "beside",
            models.ForeignKey("log.result", models.PROTECT, null=True, related_name="+"),
        ),
        migrations.AddConstraint(
            "mark",
            models.UniqueConstraint(
                condition=models.Q(("lifted_at", None)),
                fields=("result", "flag", "quality_check", "instrument_check", "beside"),
                name="one_active_mark",
                nulls_distinct=False,
            ),
        ),
    ]
