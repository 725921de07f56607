from django.db import migrations


class Migration(migrations.Migration):

    dependencies = [
        ('api', '0002_key_instrument_alter_key_scopes'),
    ]

    operations = [
        migrations.RenameModel(old_name='Hook', new_name='Webhook'),
    ]
