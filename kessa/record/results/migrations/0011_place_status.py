import django.db.models.deletion
from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('log', '0010_who_sent_a_check'),
        ('places', '0002_feeds'),
    ]

    operations = [
        migrations.RenameModel(old_name='Standing', new_name='PlaceStatus'),
        migrations.AlterField(
            model_name='placestatus',
            name='place',
            field=models.OneToOneField(on_delete=django.db.models.deletion.CASCADE, related_name='status', to='places.place'),
        ),
        migrations.RenameIndex(
            model_name='placestatus',
            new_name='log_placest_team_id_ae7014_idx',
            old_name='log_standin_team_id_e391d7_idx',
        ),
    ]
