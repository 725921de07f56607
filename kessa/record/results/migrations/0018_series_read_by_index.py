"""What is read of series of results stands in their indexes."""

from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('bench', '0002_board'),
        ('instruments', '0005_taken_over'),
        ('log', '0017_limits_key_with_version'),
        ('people', '0013_grains'),
        ('places', '0004_streams_of_boilers'),
        ('visits', '0009_time_of_day'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        # An index alone tells what is new as soon as the table was looked over: let that be soon.
        migrations.RunSQL(
            "ALTER TABLE log_result SET (autovacuum_vacuum_insert_scale_factor = 0.02)",
            "ALTER TABLE log_result RESET (autovacuum_vacuum_insert_scale_factor)",
        ),
        migrations.RemoveIndex(
            model_name='result',
            name='log_result_place_i_3bc5ed_idx',
        ),
        migrations.RemoveIndex(
            model_name='result',
            name='log_result_place_i_4b3188_idx',
        ),
        migrations.AddIndex(
            model_name='result',
            index=models.Index(fields=['place', '-taken_at', '-id'], include=('parameter', 'family', 'team', 'determination', 'visit', 'time_known', 'fraction', 'method_class', 'value', 'low', 'high', 'censor', 'unit', 'form', 'verdict', 'limits_key'), name='found_at'),
        ),
        migrations.AddIndex(
            model_name='result',
            index=models.Index(fields=['place', 'parameter', '-taken_at', '-id'], include=('team', 'determination', 'visit', 'time_known', 'fraction', 'method_class', 'value', 'low', 'high', 'censor', 'unit', 'form', 'verdict', 'limits_key'), name='series_found_at'),
        ),
    ]
