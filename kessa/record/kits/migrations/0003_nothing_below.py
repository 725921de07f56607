from django.db import migrations, models


def none_below_nothing(apps, schema_editor):
    apps.get_model("kits", "Lot")._base_manager.filter(units_left__lt=0).update(units_left=0)


class Migration(migrations.Migration):
    dependencies = [("kits", "0002_weighed")]

    operations = [
        migrations.RunPython(none_below_nothing, migrations.RunPython.noop),
        migrations.AddConstraint(
            model_name="lot",
            constraint=models.CheckConstraint(condition=models.Q(units_left__gte=0), name="never_below_nothing"),
        ),
    ]
