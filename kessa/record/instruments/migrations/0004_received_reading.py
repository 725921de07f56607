import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('instruments', '0003_historicalinstrument_calibrate_every_days_and_more'),
    ]

    operations = [
        migrations.RenameModel(old_name='Shown', new_name='ReceivedReading'),
        migrations.AlterField(
            model_name='receivedreading',
            name='instrument',
            field=models.ForeignKey(on_delete=django.db.models.deletion.PROTECT, related_name='readings', to='instruments.instrument'),
        ),
    ]
