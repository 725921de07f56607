"""Everything that happens on the bench: beginning, taps, closing, running again, superseding."""

import uuid
from datetime import datetime
from typing import Any

from django.core.exceptions import ValidationError
from django.db import transaction
from django.utils import timezone

from kessa.bench import batches
from kessa.bench.models import Determination, Event, LotUse, Result
from kessa.bench.quality import BAD, latest_check_was_bad, write_check
from kessa.bench.selectors import Bench, bench_of, counted_events, judge_outcome
from kessa.core.methods.parts import Part
from kessa.core.methods.schema import Method
from kessa.core.planning.packing import used_by
from kessa.core.runs import events as runs
from kessa.kits.models import Instrument, Kit, Lot
from kessa.kits.selectors import faults_at, lots_for
from kessa.kits.services import take_from
from kessa.methods.selectors import methods_of
from kessa.people.models import Membership, Team, User
from kessa.rules.selectors import house_rules
from kessa.visits.models import Sample
from kessa.visits.taps import Stored, sort_batch

_MOST_EVENTS_EVER = 5000


@transaction.atomic
def begin_determination(
    sample: Sample,
    person: User,
    method_key: str,
    *,
    dilution: float = 1.0,
    kit: Kit | None = None,
    lot: str = "",
    instrument: Instrument | None = None,
    supersedes: Determination | None = None,
    at: datetime | None = None,
) -> Determination:
    """Begin a determination by one of the team's methods, now or `at`.

    Raises ValidationError where there is no such method, where it cannot be diluted, or where the lot's table lacks.

    The lots in use of `kit` are named with it; `lot` is what was read off a bottle where no kit is kept.

    Beginning again what the same person has begun and not yet touched gives the same determination: a page posted twice
    begins one.
    """
    method = methods_of(sample.team_id).get(method_key)
    if method is None:
        raise ValidationError("This method is not among your team's any more. Choose another.")
    if dilution != 1 and not method.may_dilute:
        raise ValidationError("A diluted sample says nothing by this method.")
    Sample.objects.for_team(sample.team_id).select_for_update().get(pk=sample.pk)
    same = {"sample": sample, "method_key": method.key, "method_version": method.version, "dilution": dilution}
    same |= {"kit": kit, "started_by": person, "supersedes": supersedes, "instrument": instrument}
    same |= {} if kit else {"lot": lot}
    untouched = Determination.objects.for_team(sample.team_id).filter(closed_at=None, events=None, **same).first()
    if untouched:
        return untouched
    return _begun(sample.team, method, at, **(same | {"lot": lot, "limit_sets": sample.place.limit_sets}))


@transaction.atomic
def begin_check(
    team: Team,
    person: User,
    method_key: str,
    purpose: str,
    against: dict[str, Any],
    *,
    sample: Sample | None = None,
    kit: Kit | None = None,
    instrument: Instrument | None = None,
    at: datetime | None = None,
) -> Determination:
    """Begin a blank, a standard or a spike by one of the team's methods, now or `at`.

    `against` holds for a standard its strength `expected`, and how it was made; for a spike the strength found in the
    sample, `sample_ml`, `added_ml` and `added_strength`: all strengths in the method's own unit and form. Raises
    ValidationError where there is no such method, or where the lot's table lacks.
    """
    method = methods_of(team.pk).get(method_key)
    if method is None:
        raise ValidationError("This method is not among your team's any more. Choose another.")
    which = {"purpose": purpose, "check_against": against, "sample": sample, "kit": kit, "instrument": instrument}
    versioned = {"method_key": method.key, "method_version": method.version}
    return _begun(team, method, at, started_by=person, **which, **versioned)


def _begun(team: Team, method: Method, at: datetime | None, **fields: Any) -> Determination:
    """Begin a determination with the lots in use, the house rules and the instrument as they are at that moment."""
    at, instrument, lot = at or timezone.now(), fields["instrument"], fields.get("lot", "")
    named = lots_for(team, fields["kit"], method)
    lots = [each for each in named.values() if each]
    begun = Determination.objects.create(
        team=team,
        method_definition=_with_tables(method, lots).snapshot(),
        instrument_faults=faults_at(instrument, at) if instrument else [],
        house_rules=house_rules(team).chosen,
        started_at=at,
        missing_lots=[] if lot else [key for key, each in named.items() if each is None],
        **(fields | {"lot": "; ".join(str(each) for each in lots)[:300] or lot}),
    )
    day = timezone.localdate(at)
    for each in lots:
        LotUse.objects.create(team=team, determination=begun, lot=each, faults=list(each.stock.faults(day)))
    return begun


def _with_tables(method: Method, lots: list[Lot]) -> Method:
    """Return the method with its lots' conversion tables; raises ValidationError where one lacks."""
    whole = method.with_tables({lot.supply_key: lot.table for lot in lots if lot.table})
    if whole.lacks_table:
        named = next((str(lot) for lot in lots if lot.supply_key == whole.lacks_table[0]), "No lot is named")
        raise ValidationError(
            f"{named}: these strips are read by the table printed for their own lot. Write it in on the lot's page, "
            "then begin: another lot's table would be a guess."
        )
    return whole


@transaction.atomic
def continue_over_range(
    determination: Determination, person: User, dilution: float | None, at: datetime | None = None
) -> Determination:
    """Go on after a count over the range, with everything carried over: in the next range, or diluted in the top one.

    `dilution` is how many times more the sample is diluted than it was; needed in the top range only. Continuing
    again gives the same determination. Raises ValidationError where the count was not over the range.
    """
    determination = _locked(determination)
    if hasattr(determination, "continued_by"):
        return determination.continued_by
    if not any(result.censor == ">" for result in _standing(determination)):
        raise ValidationError("This determination was not over its range.")
    method = determination.method
    next_range = method.main.next_range
    if next_range is None and not dilution:
        raise ValidationError("This was the top range: choose how far to dilute.")
    following = begin_determination(
        determination.sample,
        person,
        next_range or method.key,
        dilution=determination.dilution * (dilution or 1.0),
        kit=determination.kit,
        lot="" if determination.kit_id else determination.lot,
        instrument=determination.instrument,
        at=at,
    )
    blank = bench_of(determination, counted_events(determination)).blank
    following.continues = determination
    following.blank_carried = blank.units if blank else None
    following.save(update_fields=["continues", "blank_carried"])
    return following


@transaction.atomic
def record_events(determination: Determination, person: User, taps: list[Any]) -> Stored:
    """Keep a batch of taps. Repeats are harmless, order does not matter, and one bad tap does not hold up the rest.

    A tap `closed` closes the determination if a run is finished. Taps that arrive after closing are kept, marked, and
    are not part of the result.
    """
    determination = _locked(determination)
    method = determination.method
    new, kept, refused = sort_batch(
        taps,
        lambda tap: batches.check(tap, method),
        lambda ids: dict(Event.across_teams.filter(id__in=ids).values_list("id", "determination_id")),
        determination.pk,
        _MOST_EVENTS_EVER - determination.events.count(),
    )
    late: list[str] = []
    closing = [tap for tap in new if tap.kind == runs.CLOSED]
    after_close = determination.closed_at is not None
    if after_close:
        late = [str(tap.id) for tap in new]
        determination.late_taps += len(new)
        determination.save(update_fields=["late_taps"])
        _keep(determination, person, new, after_close=True)
    else:
        _keep(determination, person, [tap for tap in new if tap not in closing], after_close=False)
        if closing and not _close(determination, closing[0].at):
            why = "No run is finished yet: there is nothing to write in the log."
            refused += [(str(tap.id), why) for tap in closing]
            kept = [each for each in kept if each not in {str(tap.id) for tap in closing}]
        else:
            _keep(determination, person, closing, after_close=False)
    return Stored(kept, late, refused)


def _standing(determination: Determination) -> list[Result]:
    return list(Result.objects.for_team(determination.team_id).standing().filter(determination=determination))


def _closed_and_standing(determination: Determination, act: str) -> list[Result]:
    results = _standing(determination)
    if determination.closed_at is None or not results:
        raise ValidationError(f"Only a closed determination that stands can {act}.")
    return results


def _keep(determination: Determination, person: User, taps: list[batches.Incoming], *, after_close: bool) -> None:
    events = (
        Event(
            team_id=determination.team_id,
            determination=determination,
            person=person,
            after_close=after_close,
            **tap._asdict(),
        )
        for tap in taps
    )
    Event.across_teams.bulk_create(events, ignore_conflicts=True)


def _locked(determination: Determination) -> Determination:
    return (
        Determination.objects.for_team(determination.team_id)
        .select_for_update(of=("self",))
        .select_related("sample__visit__place", "team", "kit", "instrument")
        .get(pk=determination.pk)
    )


def _close(determination: Determination, at: datetime) -> bool:
    """Write the results; return whether there were any to write. `at` is when the person closed it."""
    bench = bench_of(determination, counted_events(determination))
    if not bench.concluded:
        return False
    if determination.place is None:
        found = bench.outcomes[determination.method.main.key].quantity
        if found is None:
            return False
        write_check(determination, found, at)
    else:
        for part in determination.method.parts:
            if bench.outcomes[part.key].quantity is not None:
                _write_result(determination, bench, part)
    _book(determination, bench)
    determination.closed_at = at
    determination.save(update_fields=["closed_at"])
    return True


def _book(determination: Determination, bench: Bench) -> None:
    """Take from the lots what the runs used, void ones and blanks too; after a further run only what came on top."""
    states = (*bench.samples.values(), *bench.supplies.values(), *bench.blanks.values())
    begun = [state for state in states if state.count or state.readings]
    # What is used once a sample was used by the determination this one continues.
    samples = 0 if determination.continues_id or determination.place is None else 1
    units, parts = sum(state.count for state in begun), sum(len(state.readings) for state in begun)
    used = used_by(determination.method, len(begun), units, samples, parts)
    for use in determination.lots.select_related("lot"):
        units = used.get(use.lot.supply_key, 0.0)
        take_from(use.lot, units - use.units)
        use.units = units
        use.save(update_fields=["units"])


def _write_result(determination: Determination, bench: Bench, part: Part) -> Result:
    outcome = bench.outcomes[part.key]
    quantity = outcome.quantity
    assert quantity is not None
    judged = judge_outcome(determination, part, bench)
    sample = determination.sample
    assert sample is not None
    before = next((each for each in _standing(determination) if each.part == part.key), None)
    flags = list(judged.flags) + ([BAD] if latest_check_was_bad(determination, sample.drawn_at) else [])
    reason = ""
    if before is not None:
        reason = before.superseded_reason
        flags.append("further-run")
        before.superseded_at = timezone.now()
        before.save(update_fields=["superseded_at"])
    return Result.objects.create(
        team=determination.team,
        determination=determination,
        place=sample.place,
        person=determination.started_by,
        taken_at=sample.drawn_at,
        part=part.key,
        parameter=part.parameter,
        value=quantity.value,
        low=quantity.low,
        high=quantity.high,
        censor=quantity.censor or "",
        unit=quantity.unit,
        form=quantity.form or "",
        verdict=judged.verdict or "",
        flags=flags,
        readings=_readings(determination, bench, part),
        working=list(outcome.working),
        judgements=judged.judgements,
        usual=judged.usual._asdict() if judged.usual else None,
        next_steps=list(judged.next_steps),
        reason=reason,
    )


def _readings(determination: Determination, bench: Bench, part: Part) -> dict[str, Any]:
    """What was seen, apart from what it means: from this and the method the result can be computed again."""
    readings = bench.readings(part)
    void = [number for number, state in sorted(bench.samples.items()) if state.voided]
    return {
        "words": part.said_together(list(readings.values())),
        "runs": [{"number": number, **reading} for number, reading in readings.items()],
        "used": list(bench.outcomes[part.key].used),
        "void": void,
        "answers": bench.answers,
        "blank": bench.blank._asdict() if bench.blank else None,
        "dilution": determination.dilution,
    }


@transaction.atomic
def add_further_run(determination: Determination, person: User, reason: str) -> Determination:
    """Open a closed determination for one more run; its result stands until the new one is written.

    Raises ValidationError where it is open still, or superseded.
    """
    determination = _locked(determination)
    results = _closed_and_standing(determination, "take a further run")
    highest = max(event.seq for event in counted_events(determination))
    Event.objects.create(
        id=uuid.uuid4(),
        team=determination.team,
        determination=determination,
        run=batches.WHOLE,
        kind=runs.REOPENED,
        seq=highest + 1,
        at=timezone.now(),
        data={"reason": reason},
        device="server",
        person=person,
    )
    for result in results:
        result.superseded_reason = reason
        result.save(update_fields=["superseded_reason"])
    determination.closed_at = None
    determination.save(update_fields=["closed_at"])
    return determination


@transaction.atomic
def supersede(determination: Determination, membership: Membership, reason: str) -> Determination:
    """Set a closed determination's result aside, with the reason, and begin it again on the same sample.

    Raises ValidationError where there is nothing to supersede or the person may not.
    """
    determination = _locked(determination)
    results = _closed_and_standing(determination, "be superseded")
    if determination.started_by_id != membership.user_id and not membership.corrects_others:
        raise ValidationError("Only the person who measured, a technician or a coordinator can supersede this.")
    for result in results:
        result.superseded_at = timezone.now()
        result.superseded_reason = reason
        result.save(update_fields=["superseded_at", "superseded_reason"])
    return begin_determination(
        determination.sample,
        membership.user,
        determination.method_key,
        dilution=determination.dilution,
        kit=determination.kit,
        lot="" if determination.kit_id else determination.lot,
        instrument=determination.instrument,
        supersedes=determination,
    )
