"""The different values that rows have: found by skipping through an index, however many rows have each."""

from typing import Any

from django.db import connections, models, router


def different(model: type[models.Model], owner: str, pk: int, *columns: str) -> list[tuple[Any, ...]]:
    """Return the different values of columns among the rows that one owner has, such as a team or a place, in order.

    An index has to begin with the owner and them. Asked by DISTINCT, PostgreSQL reads every row; here it asks the index
    for what comes next, a step a value. Where one of several columns is NULL, the row is left out.
    """
    fields: Any = [model._meta.get_field(name) for name in (owner, *columns)]
    names = [f'"{field.column}"' for field in fields]
    table, (of, *them) = f'"{model._meta.db_table}"', names
    listed, last = ", ".join(them), ", ".join(f"found.{name}" for name in them)
    of_owner = f"SELECT {listed} FROM {table} WHERE {of} = %s"  # noqa: S608 # names of ours
    first = f"{of_owner} ORDER BY {listed} LIMIT 1"
    following = f"{of_owner} AND ({listed}) > ({last}) ORDER BY {listed} LIMIT 1"
    each = f"({first}) UNION ALL SELECT next.* FROM found CROSS JOIN LATERAL ({following}) AS next"  # noqa: S608
    with connections[router.db_for_read(model)].cursor() as cursor:
        # It begins with SELECT: what read_once kept stays good.
        cursor.execute(f"SELECT * FROM (WITH RECURSIVE found AS ({each}) SELECT * FROM found) AS every", [pk, pk])  # noqa: S608
        return [row for row in cursor.fetchall() if None not in row]
