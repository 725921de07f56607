"""A team with very many results: Tarrow Vale's own, over and over, at two hundred places through ten years."""

from django.db import connection, transaction

from kessa.demo import world
from kessa.record.advice.place_status import restate
from kessa.record.bulk import written_fields
from kessa.record.determinations.models import Determination
from kessa.record.people.models import Team
from kessa.record.places.models import Place
from kessa.record.results.models import Result
from kessa.record.visits.models import Sample, Visit

PLACES = 200
# Given up long ago: what is left of it are the oldest of all.
RARE, RARE_METHOD = "bromine", "chlorine-drops-25"
_A_SAMPLE = 4


def fill(results: int) -> Team:
    """Return Tarrow Vale with so many results, building what lacks of it."""
    world.build()
    team = Team.objects.get(name="Tarrow Vale")
    have = Result.objects.for_team(team).count()
    if results - have >= _A_SAMPLE:
        _multiply(team, results - have)
    for place in Place.objects.for_team(team).filter(status=None):
        restate(place)
    return team


@transaction.atomic
def _multiply(team: Team, results: int) -> None:
    brook = Place.objects.for_team(team).filter(kind_key="stream").first()
    template = Result.objects.for_team(team).filter(place=brook, family="chloride-drops", censor="").newest_first()[0]
    number = "to_char(n, 'FM0000')"
    _copy(Place, brook.pk, PLACES, id="nextval('places_place_id_seq')", name=f"'Reach ' || {number}")
    places = "(SELECT array_agg(id ORDER BY id) FROM places_place WHERE name ~ '^Reach')"
    people = f"(SELECT array_agg(user_id ORDER BY id) FROM people_membership WHERE team_id = {team.pk})"
    samples = results // _A_SAMPLE
    probe = f"(SELECT max(id) FROM instruments_instrument WHERE team_id = {team.pk})"
    at = f"now() - interval '1 hour' - n * interval '10 years' / {samples}"
    # The first of them has one sample of 25, the others share the rest.
    place = f"({places})[1 + CASE WHEN mod(n, 25) = 0 THEN 0 ELSE mod(n, {PLACES}) END]"
    sample = template.determination.sample
    _copy(Visit, sample.visit_id, samples, id=_uuid("visit"), place_id=place, started_at=at, closed_at=at)
    numbered = f"{team.next_sample_number} + 1000 + n"
    _copy(Sample, sample.pk, samples, id=_uuid("sample"), visit_id=_uuid("visit"), drawn_at=at, number=numbered)
    test = {"id": _uuid("test"), "sample_id": _uuid("sample"), "started_at": at, "closed_at": at}
    _copy(Determination, template.determination_id, samples, **test)
    for nth, parameter in enumerate(("chloride", "nitrate", "pH", "temperature")):
        rare = f"CASE WHEN n > {samples - 50} THEN '{RARE}' ELSE '{parameter}' END" if nth == 1 else f"'{parameter}'"
        what = {
            "parameter": rare,
            "family": f"'{parameter}-measured'" if nth else "'chloride-drops'",
            "part": f"'{f'part-{nth}' if nth else 'main'}'",
        }
        what |= {
            "person_id": f"({people})[1 + mod(n, 5)]",
            "value": f"{20 + nth} + mod(n, 40)",
            "low": "1",
            "high": "90",
        }
        # The oldest of all by a method, at a kind of place and with an instrument that nobody has any more.
        for column, value in (("method_key", f"'{RARE_METHOD}'"), ("place_kind", "'boiler'"), ("instrument_id", probe)):
            what[column] = f"CASE WHEN n > {samples - 50} THEN {value} ELSE row.{column} END"
        verdict = "CASE WHEN mod(n, 50) = 0 AND n > 2000 THEN 'outside' ELSE 'inside' END"
        identity = {
            "id": "nextval('log_result_id_seq')",
            "determination_id": _uuid("test"),
            "visit_id": _uuid("visit"),
            "place_id": place,
        }
        _copy(Result, template.pk, samples, **identity, taken_at=at, tested_at=at, verdict=verdict, **what)
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")


def _uuid(of: str) -> str:
    return f"md5('{of}' || n)::uuid"


def _copy(model, pk, times: int, **instead: str) -> None:
    """Copy a row so many times; `instead` are columns with what they hold, by SQL, of the nth copy."""
    columns = [field.column for field in written_fields(model)]
    chosen = ", ".join(f"({instead[column]})" if column in instead else f"row.{column}" for column in columns)
    table = model._meta.db_table
    statement = (
        f"INSERT INTO {table} ({', '.join(columns)}) "
        f"SELECT {chosen} FROM {table} row, generate_series(1, {times}) n WHERE row.id = %s"
    )
    with connection.cursor() as cursor:
        cursor.execute("SET statement_timeout = 0")
        cursor.execute(statement, [pk])
