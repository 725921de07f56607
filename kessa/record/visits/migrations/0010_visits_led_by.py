"""The last visit that somebody led is found by an index."""

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
        migrations.AddIndex(
            model_name='visit',
            index=models.Index(fields=['team', 'leader', '-started_at'], name='visits_led_by'),
        ),
    ]
