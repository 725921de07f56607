from django.db import migrations


class Migration(migrations.Migration):
    # By itself: rows that were written in a transaction hold up a change of their tables.

    dependencies = [
        ('people', '0004_contacts'),
    ]

    operations = [
        migrations.RemoveField(
            model_name='team',
            name='authority',
        ),
    ]
