"""What a bad check makes doubtful: marks on results, added and lifted as checks come and are withdrawn.

A bad check of a method speaks of every result by that method that shares a lot or the instrument with it (or, where it
names neither, the kit): of those since the last good check before it, and of those that follow until the next good one.
A bad check of an instrument speaks alike of everything that was read by it. Two tests of one sample that cannot both be
true make each other doubtful, until one of them stands no more.
"""

from collections import defaultdict
from datetime import UTC, datetime
from typing import Any, NamedTuple

from django.db.models import F
from django.utils import timezone

from kessa.core.errors import CannotCompute
from kessa.core.judging.plausible import part_above_whole
from kessa.core.quantities.quantity import Quantity
from kessa.core.runs.flags import ENDS, FLAGS
from kessa.record.compiled import compiled
from kessa.record.determinations.models import Determination, LotUse
from kessa.record.instruments.models import InstrumentCheck
from kessa.record.instruments.selectors import CHECK_FAILED
from kessa.record.people.models import Membership
from kessa.record.quality.doubts import follow_marks
from kessa.record.quality.models import QualityCheck
from kessa.record.results.marks import active_on
from kessa.record.results.models import Mark, Result
from kessa.record.visits.models import Observation

QUALITY_BAD, CONTRADICTS, CHART_BROKEN = "quality-bad", "contradicts", "chart-broken"
assert {QUALITY_BAD, CHECK_FAILED, CONTRADICTS, CHART_BROKEN} <= set(FLAGS)

_FIRST, _LAST = (datetime(year, 1, 1, tzinfo=UTC) for year in (1900, 9999))


class Tie(NamedTuple):
    """What binds results to a check: lots, else the instrument, else the kit that both were run with."""

    lots: frozenset[int]
    instrument: int | None
    kit: int | None

    def binds(self, other: "Tie") -> bool:
        """Whether a check with this tie speaks of what has the other."""
        if self.lots or self.instrument:
            return bool(self.lots & other.lots) or (self.instrument is not None and self.instrument == other.instrument)
        return self.kit == other.kit


class CheckAt(NamedTuple):
    """A check as it bears on results: when, whether it was good, and by what it is tied to them."""

    pk: int
    at: datetime
    good: bool
    tie: Tie
    breaks: bool = False


def bad_checks_about(checks: list[CheckAt], at: datetime, tie: Tie) -> set[int]:
    """Return the bad checks that make something of a moment and a tie doubtful.

    `checks` are in order of time: the last one before it, where that was bad, and every bad one after it until the next
    good one.
    """
    bound = [check for check in checks if check.tie.binds(tie)]
    before = [check for check in bound if check.at <= at]
    found = {before[-1].pk} if before and not before[-1].good else set()
    for check in bound[len(before) :]:
        if check.good:
            break
        found.add(check.pk)
    return found


def qualify_results(results: list[Result]) -> None:
    """Mark new results by what the checks of their methods say."""
    for team_id, family in {(result.team_id, result.family) for result in results}:
        checks = _checks(team_id, family)
        if checks:
            _qualify(team_id, checks, [result for result in results if result.family == family])


def qualify_by_check(check: QualityCheck) -> None:
    """Mark, and free of marks, all that a new or withdrawn check of a method bears on."""
    checks = _checks(check.team_id, check.family)
    _qualify(check.team_id, checks, _within_reach(check, checks))


def _qualify(team_id: int, checks: list[CheckAt], rows: list[Result]) -> None:
    ties = _ties(rows)
    tested = [(row.pk, row.tested_at) for row in rows if row.pk in ties and row.tested_at]
    wanted = {pk: bad_checks_about(checks, at, ties[pk]) for pk, at in tested}
    _update_marks(team_id, QUALITY_BAD, "quality_check_id", wanted)
    if any(check.breaks for check in checks):
        by_chart = [check._replace(good=not check.breaks) for check in checks]
        wanted = {pk: bad_checks_about(by_chart, at, ties[pk]) for pk, at in tested}
        _update_marks(team_id, CHART_BROKEN, "quality_check_id", wanted)


def qualify_by_instrument(check: InstrumentCheck) -> None:
    """Mark, and free of marks, all that a new or withdrawn check of an instrument bears on."""
    rows = InstrumentCheck.objects.for_team(check.team_id).filter(instrument=check.instrument_id, withdrawn_at=None)
    tie = Tie(frozenset(), check.instrument_id, None)
    checks = [CheckAt(each.pk, each.at, each.passed, tie) for each in rows.order_by("at", "pk")]
    reach = _reach(checks, check)
    results = Result.objects.for_team(check.team_id).filter(instrument=check.instrument_id, tested_at__range=reach)
    wanted = {pk: bad_checks_about(checks, at, tie) for pk, at in results.values_list("pk", "tested_at")}
    _update_marks(check.team_id, CHECK_FAILED, "instrument_check_id", wanted)
    for seen in Observation.objects.for_team(check.team_id).filter(instrument=check.instrument_id, at__range=reach):
        others = [flag for flag in seen.flags if flag != CHECK_FAILED]
        flags = [CHECK_FAILED, *others] if bad_checks_about(checks, seen.at, tie) else others
        if flags != seen.flags:
            seen.flags = flags
            seen.save(update_fields=["flags"])


def qualify_contradictions(determination: Determination | None) -> None:
    """Mark, and free of marks, the results of a test's sample that cannot be true together with others of it."""
    sample = determination and determination.sample
    if sample is None:
        return
    rows = _of_sample(team=sample.team_id, sample=sample.pk)
    wanted = {
        row.pk: {other.pk for other in rows if row.stands and other.stands and _contradict(row, other)} for row in rows
    }
    _update_marks(sample.team_id, CONTRADICTS, "beside_id", wanted)


@compiled
def _of_sample(team: int, sample: Any) -> Any:
    rows = Result.objects.for_team(team).filter(determination__sample=sample)
    return rows.annotate(stands=~Mark.on_result(ENDS)).defer(
        "readings", "working", "judgements", "test_asks", "made_from"
    )


def _contradict(one: Result, other: Result) -> bool:
    """Whether two results cannot both be true.

    Two of one thing whose intervals share nothing, but for those of one test, which are of one reading; and a part that
    is more than the whole.
    """
    if _part_above(one, other) or _part_above(other, one):
        return True
    alike = (one.parameter, one.fraction) == (other.parameter, other.fraction)
    if not alike or one.determination_id == other.determination_id:
        return False
    try:
        there = other.quantity.converted(one.unit, one.form or None)
    except CannotCompute:
        return False
    return _ends_below(one.quantity, there) or _ends_below(there, one.quantity)


def _part_above(part: Result, whole: Result) -> bool:
    try:
        return part_above_whole(part.parameter, part.quantity, whole.parameter, whole.quantity)
    except CannotCompute:
        return False


def _ends_below(one: Quantity, other: Quantity) -> bool:
    return one.high is not None and one.high < other.low


def _checks(team_id: int, family: str) -> list[CheckAt]:
    checks = _checks_in_force(team=team_id, family=family)
    lots = _lots([check.determination_id for check in checks]) if checks else {}
    return [
        CheckAt(
            check.pk,
            check.at,
            check.good,
            Tie(lots[check.determination_id], check.instrument, check.kit_id),
            bool(check.breaks),
        )
        for check in checks
    ]


@compiled
def _checks_in_force(team: int, family: str) -> Any:
    rows = QualityCheck.objects.for_team(team).filter(family=family, withdrawn_at=None).order_by("at", "pk")
    return rows.annotate(instrument=F("determination__instrument")).only("at", "good", "breaks", "determination", "kit")


def _reach(checks: list[CheckAt], check: QualityCheck | InstrumentCheck) -> tuple[datetime, datetime]:
    """Return from when to when a check speaks: from the last other good one before it to the next after it."""
    good = [each.at for each in checks if each.good and each.pk != check.pk]
    before, after = (at for at in good if at < check.at), (at for at in good if at > check.at)
    return max(before, default=_FIRST), min(after, default=_LAST)


def _within_reach(check: QualityCheck, checks: list[CheckAt]) -> list[Result]:
    """The results of a check's method on which it may bear."""
    rows = Result.objects.for_team(check.team_id).filter(family=check.family, determination__isnull=False)
    rows = rows.filter(tested_at__range=_reach(checks, check))
    fields = ("team_id", "tested_at", "determination__kit", "determination__instrument")
    return list(rows.select_related("determination").only(*fields))


def _ties(rows: list[Result]) -> dict[int, Tie]:
    lots = _lots([row.determination_id for row in rows])
    return {
        row.pk: Tie(lots[row.determination_id], row.determination.instrument_id, row.determination.kit_id)
        for row in rows
        if row.determination is not None
    }


def _lots(determinations: list[Any]) -> dict[Any, frozenset[int]]:
    found: dict[Any, set[int]] = defaultdict(set)
    uses = LotUse.across_teams.filter(determination__any=determinations)
    for determination, lot in uses.values_list("determination_id", "lot_id"):
        found[determination].add(lot)
    return defaultdict(frozenset, {pk: frozenset(each) for pk, each in found.items()})


def _update_marks(team_id: int, flag: str, by: str, wanted: dict[int, set[int]]) -> None:
    """Add the marks that are wanted and are not there, and lift those that are there and not wanted."""
    active = [mark for mark in active_on(team=team_id, results=list(wanted)) if mark.flag == flag]
    there = {(mark.result_id, getattr(mark, by)): mark for mark in active if getattr(mark, by) is not None}
    now = timezone.now()
    gone = [mark.pk for key, mark in there.items() if key[1] not in wanted[key[0]]]
    if gone:
        Mark.objects.for_team(team_id).filter(pk__any=gone).update(lifted_at=now)
    new = [(result, check) for result, checks in wanted.items() for check in checks if (result, check) not in there]
    rows = (Mark(team_id=team_id, result_id=result, flag=flag, at=now, **{by: check}) for result, check in new)
    Mark.objects.bulk_create(rows, ignore_conflicts=True)
    doubted = {result for result, _ in new} | {key[0] for key in there if key[1] not in wanted[key[0]]}
    if doubted:
        follow_marks(team_id, flag, doubted)


def lift(marks: list[Mark], by: Membership, why: str) -> None:
    """Lift marks: the results are as they were without them."""
    numbers = [mark.pk for mark in marks]
    rows = Mark.objects.for_team(by.team_id).filter(pk__any=numbers, lifted_at=None)
    rows.update(lifted_at=timezone.now(), lifted_by_id=by.user_id, lifted_why=why[:300])
    for flag in {mark.flag for mark in marks}:
        follow_marks(by.team_id, flag, [mark.result_id for mark in marks if mark.flag == flag])
