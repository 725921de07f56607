from django.db import migrations
from django.db.models import F


def forget_who(apps, schema_editor):
    """Who imported past results neither drew nor tested them."""
    imports, visits = apps.get_model("exchange", "Import"), apps.get_model("visits", "Visit")
    for number, person in imports.across_teams.values_list("number", "asked_by"):
        visits.across_teams.filter(taken_in=number).update(imported_by=person)
    imported = {"visit__taken_in__isnull": False}
    samples, results = apps.get_model("visits", "Sample"), apps.get_model("log", "Result")
    samples.across_teams.filter(**imported, drawn_by=F("visit__imported_by")).update(drawn_by=None)
    results.across_teams.filter(**imported, person=F("visit__imported_by"), determination=None).update(person=None)


class Migration(migrations.Migration):

    dependencies = [
        ('exchange', '0003_import'),
        ('log', '0012_who_is_not_known'),
        ('visits', '0008_who_is_not_known'),
    ]

    operations = [
        migrations.RunPython(forget_who, migrations.RunPython.noop),
    ]
