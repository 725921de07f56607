from django.db import migrations, models


class Migration(migrations.Migration):

    dependencies = [
        ('exchange', '0002_notebooks'),
    ]

    operations = [
        migrations.RemoveConstraint(model_name='doubtful', name='one_doubtful_row_a_number'),
        migrations.RenameModel(old_name='Notebook', new_name='Import'),
        migrations.RenameField(model_name='doubtful', old_name='notebook', new_name='imported'),
        migrations.AddConstraint(
            model_name='doubtful',
            constraint=models.UniqueConstraint(fields=('imported', 'number'), name='one_doubtful_row_a_number'),
        ),
        migrations.RenameIndex(
            model_name='import',
            new_name='exchange_im_team_id_df3a9a_idx',
            old_name='exchange_no_team_id_60e215_idx',
        ),
    ]
