"""How places stand that were tested before it was kept: by their newest result, until the next one."""

from django.db import migrations

FILL = """
INSERT INTO log_standing (team_id, place_id, result_id, rank)
SELECT DISTINCT ON (result.place_id) result.team_id, result.place_id, result.id,
    CASE result.verdict WHEN 'outside' THEN 0 WHEN 'not settled' THEN 1 WHEN 'close' THEN 2 WHEN 'inside' THEN 3 ELSE 4 END
FROM log_result result
WHERE NOT EXISTS (
    SELECT 1 FROM log_mark mark
    WHERE mark.result_id = result.id AND mark.lifted_at IS NULL AND mark.flag IN ('superseded', 'set-aside')
)
ORDER BY result.place_id, result.taken_at DESC, result.id DESC
ON CONFLICT DO NOTHING
"""


class Migration(migrations.Migration):
    dependencies = [("log", "0004_standing")]

    operations = [migrations.RunSQL(FILL, migrations.RunSQL.noop)]
