from django.db import migrations, models


class Migration(migrations.Migration):
    dependencies = [("instruments", "0004_received_reading")]

    operations = [
        # Which of those that are there were taken over is not known: all of them stay.
        migrations.AddField("receivedreading", "taken_over", models.BooleanField(default=True)),
        migrations.AlterField("receivedreading", "taken_over", models.BooleanField(default=False)),
    ]
