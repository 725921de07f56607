"""Results name the visit on which they were found out."""

import django.db.models.deletion
from django.db import migrations, models

# Through the test's sample, the sample itself, or, where neither is, what it was made from.
_FILL = """
    UPDATE log_result AS result SET visit_id = COALESCE(
        (SELECT tested.visit_id FROM bench_determination AS test JOIN visits_sample AS tested ON tested.id = test.sample_id
         WHERE test.id = result.determination_id),
        (SELECT drawn.visit_id FROM visits_sample AS drawn WHERE drawn.id = result.sample_id),
        (result.made_from->>'visit')::uuid
    )
"""


class Migration(migrations.Migration):
    dependencies = [("log", "0005_standing_of_before"), ("visits", "0003_review")]

    operations = [
        migrations.AddField(
            "result",
            "visit",
            models.ForeignKey(
                null=True, on_delete=django.db.models.deletion.PROTECT, related_name="results", to="visits.visit"
            ),
        ),
        migrations.RunSQL(_FILL, migrations.RunSQL.noop),
        # What was checked at the end of the transaction is checked before the table changes again.
        migrations.RunSQL("SET CONSTRAINTS ALL IMMEDIATE; SET CONSTRAINTS ALL DEFERRED", migrations.RunSQL.noop),
        migrations.AlterField(
            "result",
            "visit",
            models.ForeignKey(
                on_delete=django.db.models.deletion.PROTECT, related_name="results", to="visits.visit"
            ),
        ),
    ]
