"""Everything that happens on the bench: beginning, going on, closing, opening again."""

import hashlib
import json
import uuid
from datetime import datetime
from typing import Any

from django.core.exceptions import ValidationError
from django.db.models import F
from django.utils import timezone

from kessa.core.checked import Checked, Number
from kessa.core.errors import CannotCompute, checked_number
from kessa.core.methods.leading import led_at
from kessa.core.methods.schema import Method
from kessa.core.runs.events import CORRECTED, REOPENED
from kessa.record.compiled import compiled
from kessa.record.determinations import may
from kessa.record.determinations.models import Determination, LedMethod, LotUse, Purpose
from kessa.record.determinations.state import bench_of
from kessa.record.instruments.models import Instrument
from kessa.record.instruments.selectors import faults_at, instrument_at
from kessa.record.kits.models import Kit, Lot
from kessa.record.kits.selectors import kit_at, lots_for
from kessa.record.methods.selectors import methods_of
from kessa.record.people.acts import act
from kessa.record.people.models import Membership
from kessa.record.quality.verification import own_spread_of, unverified
from kessa.record.rules.selectors import house_rules_at
from kessa.record.taps import services as taps
from kessa.record.taps.incoming import BadTap, Incoming, Waits, is_key, read_id
from kessa.record.taps.models import Tap
from kessa.record.taps.selectors import counted
from kessa.record.testing.lots import faults_of_lot
from kessa.record.testing.selectors import known_of
from kessa.record.visits.models import Sample
from kessa.record.visits.selectors import sample_at

BEGUN = "test_begun"


class Against(Checked):
    """What a check is held against: a standard's strength, or a spike. Strengths in the method's own unit and form."""

    expected: Number | None = None
    stock: Number | None = None
    plan: str = ""
    in_sample: Number | None = None
    sample_ml: Number | None = None
    added_ml: Number | None = None
    added_strength: Number | None = None


def begin_test(
    by: Membership, data: dict[str, Any], *, number: uuid.UUID | None = None, at: datetime | None = None
) -> Determination:
    """Begin a test as a page does, by a tap: `said` is what the person saw and chose (see `begun`).

    The same number again gives the same test. Raises ValidationError where it cannot begin.
    """
    number = number or uuid.uuid4()
    tap = taps.tapped(BEGUN, data, at=at)
    try:
        found: Determination = taps.record_whole(by, "bench", number, [tap]).stream.row
    except BadTap as refusal:
        raise ValidationError(str(refusal)) from None
    return found


def begun(by: Membership, number: uuid.UUID, data: dict[str, Any], at: datetime) -> Determination:
    """Begin a test of this number from what its first tap says (see `drafted`); raises BadTap."""
    determination, lots = drafted(by, number, data, at)
    determination.save(force_insert=True)
    if determination.instrument_id:
        used = Instrument.objects.for_team(by.team_id).filter(pk=determination.instrument_id)
        used.update(used_since=F("used_since") + 1)
    day = timezone.localdate(at)
    doubtful = unverified(by.team_id, lots, day)
    uses = (
        LotUse(team_id=by.team_id, determination=determination, lot=each, faults=faults_of_lot(each, day, doubtful))
        for each in lots
    )
    LotUse.objects.bulk_create(uses)
    return determination


def drafted(
    by: Membership,
    number: uuid.UUID,
    data: dict[str, Any],
    at: datetime,
    to_be_drawn: Sample | None = None,
    rules: dict[str, str] | None = None,
) -> tuple[Determination, list[Lot]]:
    """Return a test as it would begin at a moment, not kept yet, and the lots it would use; raises BadTap.

    `to_be_drawn` is a sample that is not kept yet either, `rules` the house rules where they are known already. In
    `said`, `method` is a key; `sample` the number of the sample, none for a blank or a standard; `purpose` and
    `against` those of a check; `dilution`, `kit`, `lots` that were seen, `lot` read off a bottle, `instrument`;
    `continues` a test that went over its range, `supersedes` one that is repeated; `led` is the digest of the method as
    the page led it, so that its steps are the ones kept. Limits and lots are those of that moment.
    """
    led = _led_before(by.team_id, data.get("led"))
    method = led or methods_of(by.team_id).get(str(data.get("method")))
    if method is None or method.key != data.get("method"):
        raise BadTap("This method is not among your team's any more. Choose another.")
    purpose = data.get("purpose") or Purpose.SAMPLE
    if purpose not in Purpose.values:
        raise BadTap("A test is run on a sample, a blank, a standard or a spiked sample.")
    needed = purpose in (Purpose.SAMPLE, Purpose.SPIKE)
    sample = to_be_drawn or _sample(by, data.get("sample"), needed=needed)
    before, repeated = _before(by, data.get("continues"), sample), _before(by, data.get("supersedes"), sample)
    if before and hasattr(before, "continued_by"):
        raise BadTap("Somebody went on with this test already: open it from its result.")
    if repeated and hasattr(repeated, "superseded_by"):
        raise BadTap("Somebody repeats this test already: open it from its result.")
    dilution = _dilution(data.get("dilution"), method)
    kind = sample.place.kind if sample and purpose == Purpose.SAMPLE else None
    method = led or led_at(method, kind, known_of(sample, method, at) if sample else {})
    kit = _own(kit_at, by, data.get("kit"), "kit")
    instrument = _own(instrument_at, by, data.get("instrument"), "instrument")
    read_off = str(data.get("lot") or "")[:300].replace("\0", "")
    named = lots_for(by.team_id, kit, method, _numbers(data.get("lots")))
    lots = [each for each in named.values() if each]
    rules = rules or house_rules_at(by.team_id, at).chosen
    determination = Determination(
        id=number,
        team_id=by.team_id,
        sample=sample,
        purpose=purpose,
        check_against=_against(data.get("against")),
        family=method.family,
        method_key=method.key,
        method_version=method.version,
        method_definition=(
            _with_tables(led, lots) if led else _as_good_as_here(_with_its_lots(method, lots), by, purpose)
        ).snapshot(),
        limit_sets=sample.place.limit_sets if sample and purpose == Purpose.SAMPLE else [],
        house_rules=rules,
        blank_carried=_blank_of(before) if before else _blank_of_the_day(by.team_id, rules, method, kit, at),
        dilution=dilution,
        kit=kit,
        lot="; ".join(str(each) for each in lots)[:300] or read_off,
        missing_lots=[] if read_off else [key for key in method.lots_matter if named.get(key, method) is None],
        instrument=instrument,
        instrument_faults=faults_at(instrument, at) if instrument else [],
        started_by_id=by.user_id,
        started_at=at,
        continues=before,
        supersedes=repeated,
    )
    return determination, lots


def _sample(by: Membership, number: Any, *, needed: bool) -> Sample | None:
    if number is None and not needed:
        return None
    wanted = read_id(number, "A sample has a UUID of its own.")
    found = sample_at(team=by.team_id, pk=wanted)
    if not found:
        # It may be on its way, or to be mended on the phone.
        raise Waits("Your team has no such sample.")
    return found[0]


def visit_of(by: Membership, begun: Incoming) -> uuid.UUID | None:
    """Return the visit on which the sample was drawn that a test begins on; None for a check. Raises BadTap."""
    sample = _sample(by, begun.data.get("sample"), needed=False)
    return sample.visit_id if sample else None


def keep_led(team_id: int, definitions: list[dict[str, Any]]) -> None:
    """Keep methods as pages lead them, each once."""
    wanted = {digest_of(each): each for each in definitions}
    # Mostly all of them are kept: asking is a fraction of what writing takes.
    kept = LedMethod.objects.for_team(team_id).filter(digest__in=list(wanted)).values_list("digest", flat=True)
    for digest in kept:
        del wanted[digest]
    rows = [LedMethod(team_id=team_id, digest=digest, definition=each) for digest, each in wanted.items()]
    LedMethod.objects.bulk_create(rows, ignore_conflicts=True)


def digest_of(definition: dict[str, Any]) -> str:
    """Return what a method as it was led is known by: its content."""
    return hashlib.sha256(json.dumps(definition, sort_keys=True).encode()).hexdigest()


def _led_before(team_id: int, digest: Any) -> Method | None:
    """Return the method as a page led it; None where the first tap names none."""
    found = LedMethod.objects.for_team(team_id).filter(digest=digest).first() if isinstance(digest, str) else None
    return Method.model_validate(found.definition) if found else None


def _before(by: Membership, number: Any, sample: Sample | None) -> Determination | None:
    if number is None:
        return None
    wanted = read_id(number, "The test before has a UUID of its own.")
    rows = Determination.objects.for_team(by.team_id).select_for_update(of=("self",))
    found: Determination | None = rows.filter(pk=wanted, sample=sample, closed_at__isnull=False).first()
    if found is None:
        raise BadTap("There is no such closed test of this sample.")
    return found


def _dilution(given: Any, method: Method) -> float:
    try:
        dilution = 1.0 if given is None else checked_number(given, "The dilution")
    except CannotCompute as fault:
        raise BadTap(fault.message) from None
    if not 1 <= dilution <= 1e6:
        raise BadTap("A dilution is 1 in 1 or more.")
    if dilution != 1 and not method.may_dilute:
        raise BadTap("A diluted sample says nothing by this method.")
    return dilution


def _own(read: Any, by: Membership, number: Any, what: str) -> Any:
    if number is None:
        return None
    found = read(team=by.team_id, pk=number) if is_key(number) else []
    if not found:
        raise BadTap(f"Your team has no such {what}.")
    return found[0]


def _numbers(given: Any) -> list[int]:
    return [each for each in given if isinstance(each, int)] if isinstance(given, list) else []


def _against(given: Any) -> dict[str, Any]:
    try:
        return Against.model_validate(given or {}).model_dump(exclude_none=True, exclude_defaults=True)
    except ValueError:
        raise BadTap("What the check is held against is not understood.") from None


def _with_its_lots(method: Method, lots: list[Lot]) -> Method:
    """Return the method with its lots' conversion tables, those that there are, and weighed drops."""
    weighed = {lot.supply_key: lot.grams_of_20 for lot in lots if lot.grams_of_20}
    return _with_tables(method, lots).with_weighed(weighed)


def _with_tables(method: Method, lots: list[Lot]) -> Method:
    """Return the method with the tables that it lacks: what a page led by a table stays as it was led."""
    tables = {lot.supply_key: lot.table for lot in lots if lot.table}
    return method.with_tables(tables) if method.lacks_table else method


def tabled(lot: Lot) -> list[Determination]:
    """Bring open tests that wait for a lot's table up to it; return those that can be read by it now."""
    rows = Determination.objects.for_team(lot.team_id).filter(lots__lot=lot, closed_at=None)
    found = []
    for determination in rows.select_for_update(of=("self",)).order_by("pk"):
        led = Method.model_validate(determination.method_definition)
        if lot.supply_key in led.lacks_table:
            determination.method_definition = _with_tables(led, [lot]).snapshot()
            determination.save(update_fields=["method_definition"])
            found.append(determination)
    return found


def _as_good_as_here(method: Method, by: Membership, purpose: str) -> Method:
    """Return a method as good as the team's own standards show, where it goes by them; of a check as it is."""
    spread = own_spread_of(by.team_id, method.family) if purpose == Purpose.SAMPLE else None
    return method.with_spread(spread) if spread else method


def _blank_of(before: Determination | None) -> int | None:
    if before is None:
        return None
    blank = bench_of(before, counted(before.team_id, before.pk)).blank
    return blank.units if blank else None


def _blank_of_the_day(team_id: int, rules: dict[str, str], method: Method, kit: Kit | None, at: datetime) -> int | None:
    """Return what a good blank with this kit took earlier that day, where the team's school lets it serve the day."""
    if rules["blank"] != "day" or method.blank is None or kit is None:
        return None
    midnight = timezone.localtime(at).replace(hour=0, minute=0, second=0, microsecond=0)
    for test in _with_own_blank(team=team_id, kit=kit.pk, method=method.key, since=midnight, until=at):
        blank = bench_of(test, counted(team_id, test.pk)).blank
        if blank and blank.verdict == "good":
            return blank.units
    return None


@compiled
def _with_own_blank(team: int, kit: int, method: str, since: datetime, until: datetime) -> Any:
    rows = Determination.objects.for_team(team).filter(kit=kit, method_key=method, blank_carried=None)
    return rows.filter(started_at__gte=since, started_at__lt=until).order_by("-started_at")[:5]


def held(team_id: int, number: uuid.UUID) -> Determination | None:
    """Return a determination with its row locked; None where the team has none of this number."""
    found: Determination | None = Determination.objects.for_team(team_id).select_for_update().filter(pk=number).first()
    return found


@compiled
def held_for_taps(team: int, pk: uuid.UUID) -> Any:
    """Return a determination with its row locked, and only what a drop needs of it; none where the team has none."""
    rows = Determination.objects.for_team(team).filter(pk=pk).select_for_update()
    return rows.only("team_id", "started_at", "closed_at", "late_taps")


@act("test opened again", may.reopen_test)
def reopen(by: Membership, determination: Determination, *, why: str) -> Determination:
    """Open a closed determination for one more run; what stands in the log stands until the new one is written.

    Raises ValidationError where it is open still.
    """
    determination = held(by.team_id, determination.pk) or determination
    if determination.closed_at is None:
        raise ValidationError("This test is open still.")
    taps.add_tap(by, determination.pk, REOPENED, {"why": why})
    determination.closed_at = None
    determination.save(update_fields=["closed_at"])
    return determination


def correct(by: Membership, determination: Determination, run: str, data: dict[str, Any]) -> Tap:
    """Write the tap that puts a count, a reading or an answer right: the earlier one is kept."""
    return taps.add_tap(by, determination.pk, CORRECTED, data, run)
