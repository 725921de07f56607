import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('rounds', '0001_initial'),
        ('visits', '0001_initial'),
    ]

    operations = [
        migrations.RenameModel(old_name='Settled', new_name='StopOutcome'),
        migrations.AlterField(
            model_name='stopoutcome',
            name='stop',
            field=models.ForeignKey(on_delete=django.db.models.deletion.CASCADE, related_name='outcomes', to='rounds.stop'),
        ),
        migrations.AlterField(
            model_name='stopoutcome',
            name='visit',
            field=models.ForeignKey(null=True, on_delete=django.db.models.deletion.CASCADE, related_name='stop_outcomes', to='visits.visit'),
        ),
        migrations.RenameIndex(
            model_name='stopoutcome',
            new_name='rounds_stop_team_id_7bb3c8_idx',
            old_name='rounds_sett_team_id_ea03bc_idx',
        ),
    ]
