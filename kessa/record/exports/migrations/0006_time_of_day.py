from django.db import migrations

# What was said of a result without a time of day.
NOON = "No time of day stands with it: noon is kept for it."


def forget_when(apps, schema_editor):
    """Of past results that were imported nobody knows when they were tested, of some only the day of the sample."""
    results = apps.get_model("log", "Result").across_teams.filter(method_class="taken-in", determination=None)
    results.update(tested_at=None)
    untimed = results.filter(working__contains=[NOON])
    samples, visits = apps.get_model("visits", "Sample"), apps.get_model("visits", "Visit")
    samples.across_teams.filter(visit__in=untimed.values("visit")).update(time_known=False)
    visits.across_teams.filter(pk__in=untimed.values("visit")).update(time_known=False)
    untimed.update(time_known=False)


class Migration(migrations.Migration):

    dependencies = [
        ('exchange', '0005_looking'),
        ('log', '0014_time_of_day'),
        ('visits', '0009_time_of_day'),
    ]

    operations = [
        migrations.RunPython(forget_when, migrations.RunPython.noop),
    ]
