import datetime

from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("visits", "0005_whose_hand")]

    operations = [
        migrations.RemoveConstraint(model_name="takenover", name="one_taking_over_a_phone"),
        migrations.AddField(
            model_name="takenover",
            name="device",
            field=models.CharField(default="", max_length=40),
            preserve_default=False,
        ),
        # What was lent before is over: whoever it was says so anew.
        migrations.AddField(
            model_name="takenover",
            name="since",
            field=models.DateTimeField(default=datetime.datetime(2000, 1, 1, tzinfo=datetime.UTC)),
            preserve_default=False,
        ),
        migrations.AddField(
            model_name="takenover",
            name="until",
            field=models.DateTimeField(null=True),
        ),
    ]
