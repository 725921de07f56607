"""The state of review of a place's visits stands in their index; one by those whom visits were led by."""

from django.conf import settings
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('people', '0013_grains'),
        ('places', '0004_streams_of_boilers'),
        ('visits', '0009_time_of_day'),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]

    operations = [
        migrations.RemoveIndex(
            model_name='visit',
            name='visits_visi_place_i_594066_idx',
        ),
        migrations.AddIndex(
            model_name='visit',
            index=models.Index(fields=['place', '-started_at'], include=('id', 'review'), name='visits_at'),
        ),
        migrations.AddIndex(
            model_name='visit',
            index=models.Index(fields=['team', 'leader', '-started_at'], name='visits_led_by'),
        ),
    ]
