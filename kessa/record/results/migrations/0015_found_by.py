"""Results know by what and where they were found, so that the log is narrowed by it at any size."""

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models


_FILL = """
    UPDATE log_result AS result SET
        place_kind = place.kind_key,
        method_key = COALESCE((SELECT method_key FROM bench_determination WHERE id = result.determination_id), ''),
        instrument_id = COALESCE(
            (SELECT instrument_id FROM bench_determination WHERE id = result.determination_id),
            CASE WHEN result.family = 'in-place' THEN (result.made_from->>'instrument')::bigint END
        )
    FROM places_place AS place WHERE place.id = result.place_id
"""


class Migration(migrations.Migration):

    dependencies = [
        ('bench', '0002_board'),
        ('instruments', '0005_taken_over'),
        ('log', '0014_time_of_day'),
        ('people', '0013_grains'),
        ('places', '0004_streams_of_boilers'),
        ('visits', '0009_time_of_day'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.AddField(
            model_name='result',
            name='instrument',
            field=models.ForeignKey(db_index=False, null=True, on_delete=django.db.models.deletion.PROTECT, related_name='+', to='instruments.instrument'),
        ),
        migrations.AddField(
            model_name='result',
            name='method_key',
            field=models.CharField(blank=True, db_default='', default='', max_length=60),
        ),
        migrations.AddField(
            model_name='result',
            name='place_kind',
            field=models.CharField(db_default='', default='', max_length=20),
        ),
        migrations.RunSQL(_FILL, migrations.RunSQL.noop),
        # What was checked at the end of the transaction is checked before the table changes again.
        migrations.RunSQL("SET CONSTRAINTS ALL IMMEDIATE; SET CONSTRAINTS ALL DEFERRED", migrations.RunSQL.noop),
        migrations.AddIndex(
            model_name='result',
            index=models.Index(fields=['team', 'place_kind', '-taken_at', '-id'], name='found_at_kind'),
        ),
        migrations.AddIndex(
            model_name='result',
            index=models.Index(fields=['team', 'method_key', '-taken_at', '-id'], name='found_by_method'),
        ),
        migrations.AddIndex(
            model_name='result',
            index=models.Index(condition=models.Q(('instrument__isnull', False)), fields=['team', 'instrument', '-taken_at', '-id'], name='found_by_instrument'),
        ),
    ]
