"""A team with very many results: Tarrow Vale's own, over and over, at two hundred places through ten years.

And many teams besides it, each with its own places, results and taps.
"""

from django.db import connection, transaction

from kessa.demo import world
from kessa.record.advice.place_status import restate
from kessa.record.bulk import written_fields
from kessa.record.determinations.models import Determination
from kessa.record.kits.models import Lot
from kessa.record.people.models import Membership, Team, User
from kessa.record.places.models import Place
from kessa.record.results.models import Result
from kessa.record.taps.models import Tap
from kessa.record.visits.models import Sample, Visit

PLACES = 200
TEAMS, OF_EACH, PLACES_OF_EACH = 200, 10_000, 20
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
    template = _template(team)
    number = "to_char(n, 'FM0000')"
    _copy(Place, template.place_id, PLACES, id=_next(Place), name=f"'Reach ' || {number}")
    places = f"(SELECT array_agg(id ORDER BY id) FROM places_place WHERE team_id = {team.pk} AND name ~ '^Reach')"
    samples = results // _A_SAMPLE
    # The first of them has one sample of 25, the others share the rest.
    place = f"({places})[1 + CASE WHEN mod(n, 25) = 0 THEN 0 ELSE mod(n, {PLACES}) END]"
    _test(template, samples, samples, "", team_id=f"{team.pk}", place_id=place)
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")


def widen(team: Team) -> None:
    """Give a team ten times its places, people, lots and visits, beside those that have results."""
    _copy(Place, _of(Place, team), 9, id=_next(Place), name="row.name || ', beyond ' || n")
    _copy(Lot, _of(Lot, team), 9, id=_next(Lot), number="row.number || '-' || n", in_use="false")
    _copy(User, [each.user_id for each in team.memberships.all()], 9, id=_next(User), username="row.username || n")
    joined = User.objects.filter(username__regex=r"[0-9]$", memberships=None)
    Membership.objects.bulk_create(Membership(team=team, user=each) for each in joined)
    number = "md5(row.id || 'beyond' || n)::uuid"
    _copy(Visit, _of(Visit, team), 9, id=number, started_at="row.started_at - n * interval '7 minutes'")
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")


def _of(model, team: Team) -> list:
    return list(model.objects.for_team(team).values_list("pk", flat=True))


def _next(model) -> str:
    return f"nextval('{model._meta.db_table}_id_seq')"


def crowd(team: Team) -> Team:
    """Return one of many teams besides a team, building them where they lack."""
    named = Team.objects.filter(name__startswith="Neighbours ").order_by("pk")
    if not named.exists():
        with transaction.atomic():
            _neighbours(team)
    return named[TEAMS // 2]


def _neighbours(team: Team) -> None:
    template = _template(team)
    _copy(Team, team.pk, TEAMS, id=_next(Team), name="'Neighbours ' || n")
    first = Team.objects.filter(name__startswith="Neighbours ").order_by("pk").first().pk
    own = team.memberships.get(user__username="ines")
    Membership.objects.create(team_id=first + TEAMS // 2, user=own.user, role=own.role)
    places = TEAMS * PLACES_OF_EACH
    of_team = f"{first} + (n - 1) / {PLACES_OF_EACH}"
    name = f"'Reach ' || to_char(1 + mod(n - 1, {PLACES_OF_EACH}), 'FM0000')"
    _copy(Place, template.place_id, places, id=_next(Place), team_id=of_team, name=name)
    place = Place.across_teams.filter(team=first).order_by("pk").first().pk
    each = OF_EACH // _A_SAMPLE
    one = f"(n - 1) / {each}"
    at = f"{place} + {one} * {PLACES_OF_EACH} + mod(n, {PLACES_OF_EACH})"
    _test(template, TEAMS * each, each, "neighbours ", team_id=f"{first} + {one}", place_id=at)
    for tap in Tap.objects.for_team(team).filter(stream=template.determination_id):
        number = f"md5('{tap.pk}' || n)::uuid"
        _copy(Tap, tap.pk, TEAMS * each, id=number, team_id=f"{first} + {one}", stream=_uuid("neighbours test"))
    with connection.cursor() as cursor:
        cursor.execute("ANALYZE")


def _template(team: Team) -> Result:
    brook = Place.objects.for_team(team).filter(kind_key="stream").first()
    found = Result.objects.for_team(team).filter(place=brook, family="chloride-drops", censor="")
    return found.select_related("determination__sample", "team").newest_first()[0]


def _test(template: Result, samples: int, of_each: int, named: str, **own: str) -> None:
    """Copy a visit with its sample, test and four results so many times, `of_each` of them for a team's ten years.

    `own` are the team and the place of the nth.
    """
    team = template.team
    people = f"(SELECT array_agg(user_id ORDER BY id) FROM people_membership WHERE team_id = {team.pk})"
    probe = f"(SELECT max(id) FROM instruments_instrument WHERE team_id = {team.pk})"
    at = f"now() - interval '1 hour' - (1 + mod(n - 1, {of_each})) * interval '10 years' / {of_each}"
    of_visit, of_sample, of_test = (_uuid(f"{named}{each}") for each in ("visit", "sample", "test"))
    sample = template.determination.sample
    _copy(Visit, sample.visit_id, samples, id=of_visit, **own, started_at=at, closed_at=at)
    numbered = f"{team.next_sample_number} + 1000 + n"
    drawn = {"id": of_sample, "visit_id": of_visit, "team_id": own["team_id"], "drawn_at": at, "number": numbered}
    _copy(Sample, sample.pk, samples, **drawn)
    test = {"id": of_test, "sample_id": of_sample, "team_id": own["team_id"], "started_at": at, "closed_at": at}
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
            "value": f"{20 + nth} + mod(n * 7919::bigint / 13, 40)",
            "low": "1",
            "high": "90",
        }
        # The oldest of all by a method, at a kind of place and with an instrument that nobody has any more.
        for column, value in (("method_key", f"'{RARE_METHOD}'"), ("place_kind", "'boiler'"), ("instrument_id", probe)):
            what[column] = f"CASE WHEN n > {samples - 50} THEN {value} ELSE row.{column} END"
        verdict = "CASE WHEN mod(n, 50) = 0 AND n > 2000 THEN 'outside' ELSE 'inside' END"
        identity = {
            "id": _next(Result),
            "determination_id": of_test,
            "visit_id": of_visit,
            **own,
        }
        _copy(Result, template.pk, samples, **identity, taken_at=at, tested_at=at, verdict=verdict, **what)


def _uuid(of: str) -> str:
    return f"md5('{of}' || n)::uuid"


def _copy(model, copied, times: int, **instead: str) -> None:
    """Copy a row or several so many times; `instead` are columns with what they hold, by SQL, of the nth copy."""
    columns = [field.column for field in written_fields(model)]
    chosen = ", ".join(f"({instead[column]})" if column in instead else f'row."{column}"' for column in columns)
    named = ", ".join(f'"{column}"' for column in columns)
    table = model._meta.db_table
    statement = (
        f"INSERT INTO {table} ({named}) "
        f"SELECT {chosen} FROM {table} row, generate_series(1, {times}) n WHERE row.id = ANY(%s)"
    )
    with connection.cursor() as cursor:
        cursor.execute("SET statement_timeout = 0")
        cursor.execute(statement, [copied if isinstance(copied, list) else [copied]])
