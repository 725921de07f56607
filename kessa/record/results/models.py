"""Results, the marks on them, and the checks they rest on."""

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any, ClassVar, Self

from django.conf import settings
from django.contrib.postgres.fields import ArrayField
from django.db import models
from django.db.models import Exists, F, OuterRef, Q

from kessa.core.quantities.quantity import Quantity
from kessa.core.runs.flags import ENDS, NOT_TEACHING
from kessa.record.determinations.models import Determination
from kessa.record.instruments.models import Instrument, InstrumentCheck
from kessa.record.people.managers import TeamManager
from kessa.record.people.models import TeamOwned
from kessa.record.places.models import Place
from kessa.record.visits.models import NOT_KNOWN, Sample, Visit

# The fraction of what was reckoned over all the taps of a supply, beside what was found in the supply itself.
OVER_TAPS = "over its taps"


class ResultQuerySet(models.QuerySet):  # type: ignore[type-arg]
    """The words in which results are asked for."""

    def current(self) -> Self:
        """Those that nothing has ended: neither superseded nor set aside."""
        return self.filter(~Mark.on_result(ENDS))

    def trustworthy(self) -> Self:
        """Those from which a place's usual range may be learnt."""
        return self.filter(~Mark.on_result(NOT_TEACHING))

    def marked(self, *flags: str) -> Self:
        """Those that carry one of these flags."""
        return self.filter(Mark.on_result(flags))

    def newest_first(self) -> Self:
        """In the order of the log."""
        return self.order_by("-taken_at", "-id")

    def update(self, **values: Any) -> int:
        """Refuse: a result is never changed. What is thought of it later is a mark beside it."""
        raise TypeError("A result is never changed: add a mark, or write another that supersedes it.")


class LimitsKey(models.Func):
    """A number that is alike for judgements by the same limits, whatever came of them."""

    _TOLD_BY = ("set_title", "set_version", "statistic", "min", "max", "unit", '"as"', "than", "rests_on")
    _TEXTS = " || ".join(f"jsonb_path_query_array(%(expressions)s, '$[*].{each}')::text" for each in _TOLD_BY)
    template = f"hashtextextended({_TEXTS}, 0)"
    output_field = models.BigIntegerField()


# What series of results are read by: from an index, so that no rows are looked up, each of which has a page of its own.
_OF_SERIES = (
    "team", "determination", "visit", "time_known", "fraction", "method_class", "value", "low", "high", "censor",
    "unit", "form", "verdict", "limits_key",
)  # fmt: skip


class Result(TeamOwned):
    """What readings came to: a pure function of the method and what was read. Never changed, never deleted.

    What ended it, or makes it doubtful, stands beside it as marks.
    """

    # Of what was computed from other results, or taken in from a file, there is no determination.
    determination = models.ForeignKey(Determination, null=True, on_delete=models.PROTECT, related_name="results")
    # Of what was computed from other results of a sample there is only that.
    sample = models.ForeignKey(Sample, null=True, on_delete=models.PROTECT, related_name="derived_results")
    # What it was found out on: with it, as a whole, a result is reviewed.
    visit = models.ForeignKey(Visit, on_delete=models.PROTECT, related_name="results")
    place = models.ForeignKey(Place, on_delete=models.PROTECT, related_name="results")
    # Who read the last run that counts; every run names its own in the readings. None where nobody here knows.
    person = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    # When the sample was drawn, of which only the day may be known; and when it was tested, where that is known.
    taken_at = models.DateTimeField()
    time_known = models.BooleanField(default=True, db_default=True)
    tested_at = models.DateTimeField(null=True)
    # Which part of the method it is: a strip has one a pad, a staged test one a stage.
    part = models.CharField(max_length=60, default="main")
    family = models.CharField(max_length=60)
    parameter = models.CharField(max_length=60)
    # Dissolved or total, where that was chosen; or OVER_TAPS.
    fraction = models.CharField(max_length=20, blank=True)
    # By what class of method, as in kessa.core.methods.exactness.
    method_class = models.CharField(max_length=12)
    # By which method and instrument, and at which kind of place: the log is narrowed by them. See fill_found_by.
    method_key = models.CharField(max_length=60, blank=True, default="", db_default="")
    instrument = models.ForeignKey(Instrument, null=True, on_delete=models.PROTECT, related_name="+", db_index=False)
    place_kind = models.CharField(max_length=20, default="", db_default="")
    value = models.FloatField()
    low = models.FloatField()
    high = models.FloatField(null=True)
    censor = models.CharField(max_length=1, blank=True)
    unit = models.CharField(max_length=20)
    form = models.CharField(max_length=20, blank=True)
    verdict = models.CharField(max_length=12, blank=True)
    # What was seen, apart from what it means: from this and the method the result can be computed again.
    readings = models.JSONField()
    # Which taps, results or observations it was made from, by their numbers.
    made_from = models.JSONField(default=dict)
    working = models.JSONField()
    judgements = models.JSONField()
    # By which limits it was judged: of years of results these are few.
    limits_key = models.GeneratedField(
        expression=LimitsKey("judgements"), output_field=models.BigIntegerField(), db_persist=True
    )
    # Which limits speak of it and could not be held against it: the set's title, and why.
    not_judged = models.JSONField(default=list)
    usual = models.JSONField(null=True)
    # What the test itself asked for next: another run, the next range, what would settle it.
    test_asks = models.JSONField(default=list)
    computed_at = models.DateTimeField(auto_now_add=True)

    objects: ClassVar[Any] = TeamManager.from_queryset(ResultQuerySet)()

    class Meta(TeamOwned.Meta):
        indexes = [
            models.Index(fields=["team", "-taken_at", "-id"]),
            models.Index(
                fields=["place", "-taken_at", "-id"], include=["parameter", "family", *_OF_SERIES], name="found_at"
            ),
            models.Index(fields=["place", "parameter", "-taken_at", "-id"], include=_OF_SERIES, name="series_found_at"),
            # Series() of kessa.record.results.history, which are told apart by it: see different().
            models.Index(
                fields=["place", "parameter", "unit", "form", "fraction", "method_class", "-taken_at", "-id"],
                name="newest_of_series",
            ),
            models.Index(fields=["team", "parameter", "-taken_at", "-id"]),
            models.Index(fields=["team", "verdict", "-taken_at", "-id"]),
            models.Index(fields=["team", "person", "-taken_at", "-id"]),
            models.Index(fields=["team", "family", "-tested_at", "-id"]),
            models.Index(fields=["team", "computed_at"]),
            models.Index(fields=["team", "place_kind", "-taken_at", "-id"], name="found_at_kind"),
            models.Index(fields=["team", "method_key", "-taken_at", "-id"], name="found_by_method"),
            models.Index(
                fields=["team", "instrument", "-taken_at", "-id"],
                condition=Q(instrument__isnull=False),
                name="found_by_instrument",
            ),
        ]
        constraints = [
            models.CheckConstraint(condition=Q(censor__in=["", "<", ">"]), name="censor_known"),
            models.CheckConstraint(condition=Q(high__isnull=True) | Q(high__gte=F("low")), name="low_below_high"),
        ]

    def __str__(self) -> str:
        return f"{self.parameter} in {self.place}"

    def save(self, *args: Any, **options: Any) -> None:
        """Write it once."""
        if not self._state.adding:
            raise TypeError("A result is never changed: add a mark, or write another that supersedes it.")
        super().save(*args, **options)

    @property
    def quantity(self) -> Quantity:
        """The value with its interval."""
        return quantity_of(self)

    @property
    def runs(self) -> dict[int, dict[str, Any]]:
        """What was read, by number of run."""
        kept = self.readings.get("runs", [])
        return {run["number"]: {key: run[key] for key in run if key != "number"} for run in kept}

    @property
    def active_marks(self) -> list["Mark"]:
        """The marks that stand, in the order in which they came."""
        return [mark for mark in self.marks.all() if mark.lifted_at is None]

    @property
    def flags(self) -> list[str]:
        """The flags of its marks, each once."""
        return list(dict.fromkeys(mark.flag for mark in self.active_marks))

    @property
    def ended(self) -> "Mark | None":
        """The mark that ended it, where one did."""
        return next((mark for mark in self.active_marks if mark.flag in ENDS), None)

    @property
    def tested_by(self) -> str:
        """Everybody whose readings count, by name."""
        names = self.readings.get("people") or [str(self.person) if self.person_id else NOT_KNOWN]
        return " and ".join(names)


def quantity_of(result: Any) -> Quantity:
    """Return the value of a result, or of its plain row, with its interval."""
    return Quantity(result.value, result.low, result.high, result.censor or None, result.unit, result.form or None)


def columns_of(quantity: Quantity) -> dict[str, Any]:
    """Return a quantity as a result keeps it: see Result.quantity."""
    return asdict(quantity) | {"censor": quantity.censor or "", "form": quantity.form or ""}


class Mark(TeamOwned):
    """A flag on a result: since when, by which check or person, why. Added and lifted; the result stays as it is."""

    result = models.ForeignKey(Result, on_delete=models.CASCADE, related_name="marks")
    flag = models.CharField(max_length=30)
    at = models.DateTimeField()
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    why = models.CharField(max_length=300, blank=True)
    quality_check = models.ForeignKey("log.QualityCheck", null=True, on_delete=models.PROTECT, related_name="marks")
    instrument_check = models.ForeignKey(InstrumentCheck, null=True, on_delete=models.PROTECT, related_name="marks")
    # Of what is superseded: by which.
    replaced_by = models.ForeignKey(Result, null=True, on_delete=models.PROTECT, related_name="replaces")
    # Of what cannot be true together with another: which.
    beside = models.ForeignKey(Result, null=True, on_delete=models.PROTECT, related_name="+")
    lifted_at = models.DateTimeField(null=True)
    lifted_by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.PROTECT, related_name="+")
    lifted_why = models.CharField(max_length=300, blank=True)

    class Meta(TeamOwned.Meta):
        ordering = ["pk"]
        indexes = [
            models.Index(fields=["result", "flag"], condition=Q(lifted_at=None), name="active_marks"),
            models.Index(fields=["team", "flag"], condition=Q(lifted_at=None), name="active_marks_by_flag"),
        ]
        constraints = [
            models.UniqueConstraint(
                fields=["result", "flag", "quality_check", "instrument_check", "beside"],
                condition=Q(lifted_at=None),
                nulls_distinct=False,
                name="one_active_mark",
            )
        ]

    def __str__(self) -> str:
        return self.flag

    @classmethod
    def active(cls) -> Any:
        """Return the marks that stand, for conditions within a query of one team's results."""
        return cls.across_teams.filter(lifted_at=None)

    @classmethod
    def on_result(cls, flags: Iterable[str]) -> Exists:
        """Return the condition that one of these flags stands on the result that is asked for."""
        return Exists(cls.active().filter(result=OuterRef("pk"), flag__in=flags))


class PlaceStatus(TeamOwned):
    """How a place stands by all that is newest there, kept so that a list of places is in order of it."""

    place = models.OneToOneField(Place, on_delete=models.CASCADE, related_name="status")
    result = models.ForeignKey(Result, null=True, on_delete=models.CASCADE, related_name="+")
    # 0 is the most urgent: see kessa.core.judging.judge.VERDICTS; what was not judged comes last.
    rank = models.PositiveSmallIntegerField()
    # What is to be done, as Advice.kept of kessa.core.advising gives it.
    advice = models.JSONField(default=dict)
    # The results that keep somebody from drinking the water until a person says that it is over, by number; and of
    # which that was said.
    held = ArrayField(models.BigIntegerField(), default=list)
    lifted = ArrayField(models.BigIntegerField(), default=list)

    class Meta(TeamOwned.Meta):
        indexes = [models.Index(fields=["team", "rank"])]

    def __str__(self) -> str:
        return f"how {self.place} stands"
