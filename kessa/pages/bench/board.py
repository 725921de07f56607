"""The board: every test of a visit on one page, begun or as it would begin."""

import uuid
from collections import Counter
from datetime import datetime, timedelta
from typing import Any, NamedTuple

from django.utils import timezone

from kessa.core.methods.schema import Method
from kessa.record.determinations.models import Determination, Purpose
from kessa.record.instruments.models import Instrument
from kessa.record.instruments.selectors import instruments_for, likely
from kessa.record.kits.models import Lot
from kessa.record.kits.selectors import kits_serving
from kessa.record.methods.selectors import families_of
from kessa.record.people.models import Membership
from kessa.record.results import history
from kessa.record.rounds.field_sheet import Sheet
from kessa.record.rounds.models import PlannedTest
from kessa.record.rules.selectors import house_rules
from kessa.record.testing.services import digest_of, drafted, keep_led
from kessa.record.visits.models import Sample

_PRESSES = timedelta(hours=3)


class OnBoard(NamedTuple):
    """A test of a visit: `begin` is what its first tap will say, None where it has begun; `runs` are those planned.

    `lots` are those it would use, `instruments` those that it may be read by. A check has no sample.
    """

    family: str
    name: str
    runs: int
    sample: Sample | None
    determination: Determination
    begin: dict[str, Any] | None = None
    lots: tuple[Lot, ...] = ()
    instruments: tuple[Instrument, ...] = ()

    @property
    def presses(self) -> bool:
        """Whether it has to begin within the next hours."""
        return self.until is not None and self.until - timezone.now() < _PRESSES

    @property
    def too_old(self) -> bool:
        """Whether its sample is older than the method allows."""
        return self.until is not None and timezone.now() > self.until

    @property
    def until(self) -> datetime | None:
        """By when it should begin, where its sample does not keep."""
        if self.begin is None or self.sample is None:
            return None
        found: datetime | None = self.sample.testable_until(self.determination.method.keeps_hours)
        return found


def tests_of(by: Membership, sheet: Sheet) -> list[OnBoard]:
    """Return the tests of a visit, those first that may wait least; none before a sample is drawn."""
    wanted = [(each.sample, each.plan) for each in sheet.tests if each.sample and not each.determination]
    drafts = {draft.family: draft for draft in drafts_of(by, wanted)}
    planned = [
        OnBoard(each.plan.family, _name(each.plan.method), each.plan.runs, each.sample, each.determination)
        if each.determination
        else drafts[each.plan.family]
        for each in sheet.tests
        if each.sample
    ]
    besides = [OnBoard(each.family, _name(each.method), 2, each.sample, each) for each in sheet.others]
    return _told_apart([*planned, *besides])


def _told_apart(tests: list[OnBoard]) -> list[OnBoard]:
    """Name the sample of those that are called alike by when it was drawn."""
    alike = Counter(test.name for test in tests)
    return [
        test._replace(name=f"{test.name}, sample of {timezone.localtime(test.sample.drawn_at):%H:%M}")
        if alike[test.name] > 1 and test.sample
        else test
        for test in tests
    ]


def drafts_of(by: Membership, wanted: list[tuple[Sample, PlannedTest]]) -> list[OnBoard]:
    """Return planned tests as they would begin at a place, each on a sample, which may be one still to be drawn."""
    if wanted:
        known = families_of(by.team_id)
        history.usual_ahead(wanted[0][0].place, [each for _, plan in wanted for each in known[plan.family]])
    rules = house_rules(by.team_id).chosen
    drafts = [_draft(by, sample, plan, rules) for sample, plan in wanted]
    keep_led(by.team_id, [draft.determination.method_definition for draft in drafts])
    return drafts


def _name(method: Method) -> str:
    """Call a test by what it finds out; one that finds out many things has a name for that."""
    return ", ".join(method.parameters) if len(method.parameters) <= 2 else method.test_name


def _draft(by: Membership, sample: Sample, plan: PlannedTest, rules: dict[str, str]) -> OnBoard:
    family, runs = plan.family, plan.runs
    data, instruments = _proposed(sample, family)
    # The same test begun on two phones is one test.
    number = uuid.uuid5(sample.pk, family)
    draft, lots = drafted(by, number, data, timezone.now(), sample, rules)
    begin = data | _seen(draft, lots)
    return OnBoard(family, _name(draft.method), runs, sample, draft, begin, tuple(lots), instruments)


def check_draft(by: Membership, method: Method) -> OnBoard:
    """Return a check by a method as it would begin; the page says whether a blank or a standard, and how strong."""
    family, name = method.family, f"{_name(method)}, check"
    kit = next((kit.pk for kit in kits_serving(by.team_id, family)), None)
    instruments = tuple(instruments_for(by.team_id, method.instrument))
    data = {
        "method": method.key,
        "purpose": Purpose.STANDARD,
        "kit": kit,
        "instrument": likely(instruments, kit),
    }
    draft, lots = drafted(by, uuid.uuid5(uuid.NAMESPACE_URL, method.key), data, timezone.now())
    keep_led(by.team_id, [draft.method_definition])
    return OnBoard(family, name, 1, None, draft, data | _seen(draft, lots), tuple(lots), instruments)


def _seen(draft: Determination, lots: list[Lot]) -> dict[str, Any]:
    """Return what the page shows, on which the test rests whatever is taken into use or changed meanwhile."""
    return {"lots": [lot.pk for lot in lots], "led": digest_of(draft.method_definition)}


def _proposed(sample: Sample, family: str) -> tuple[dict[str, Any], tuple[Instrument, ...]]:
    """Return what the first tap of a test says where the person takes what is proposed, and what it may be read by.

    The range that fits the place's history, the kit used there last, the instrument that is of that kit.
    """
    methods = families_of(sample.team_id)[family]
    method, _ = history.suggested_method(sample.place, methods, history.written_at(sample.place, methods[0].main))
    kits = history.kits_for(sample.place, family)
    instruments = tuple(instruments_for(sample.team_id, method.instrument))
    data = {
        "sample": str(sample.pk),
        "method": method.key,
        "kit": kits[0].pk if kits else None,
        "instrument": history.likely_instrument(sample.place, instruments, kits),
    }
    return data, instruments
