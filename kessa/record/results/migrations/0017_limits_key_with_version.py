"""A set's version tells limits apart, too: a report names it. The database works the numbers out anew."""

import kessa.record.results.models
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('log', '0016_limits_key'),
    ]

    operations = [
        migrations.RemoveField(model_name='result', name='limits_key'),
        migrations.AddField(
            model_name='result',
            name='limits_key',
            field=models.GeneratedField(db_persist=True, expression=kessa.record.results.models.LimitsKey('judgements'), output_field=models.BigIntegerField()),
        ),
    ]
