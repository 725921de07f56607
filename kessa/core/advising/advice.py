"""What people are told to do: one decision from all that is newest at a place."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, NamedTuple

from kessa.core.advising.rules import codes, fitting
from kessa.core.job.place_kinds import Water, water_of
from kessa.core.judging.germs import FAECAL, GERMS, found
from kessa.core.judging.holding import (
    judge_by_sets,
    overall,
    own_words,
    part_of_limit,
    protects_of,
    side_of,
    verdict_by,
)
from kessa.core.judging.judge import CLOSE, INSIDE, NOT_SETTLED, OUTSIDE, gravity
from kessa.core.judging.limits import germs, rule_sets
from kessa.core.judging.protected import HEALTH, PROTECTED
from kessa.core.quantities.parameters import parameter
from kessa.core.quantities.quantity import Quantity

NOT_JUDGED = "not judged"
SUM, PARTS = "nitrate and nitrite sum", ("nitrate", "nitrite")
_DISINFECTANTS = ("free chlorine", "total chlorine")
# What boiling drives off: all else that is over a limit for health it leaves in and makes stronger, but for germs.
_BOILS_OFF = (*_DISINFECTANTS, "combined chlorine")
# Agencies ask for three minutes above 2,000 m, where water boils below 94 °C (US CDC; 6,500 feet).
_HIGH_M, _MINUTES, _MINUTES_HIGH = 2000.0, 1, 3
# Of total chlorine so much more than free that what is combined must be chloramines.
_WELL_ABOVE = 2.0
_DAY = 24.0
# What asks for something to be done.
_PRESSING = (OUTSIDE, NOT_SETTLED)


class Where(NamedTuple):
    """A place as advice knows it: its kind, what its water is used for, its height (m) where that is known."""

    kind: str
    feeds: frozenset[str] = frozenset()
    elevation_m: float | None = None

    @property
    def water(self) -> Water:
        """As what its water is looked at."""
        return water_of(self.kind, self.feeds)


class Reading(NamedTuple):
    """The newest result of a parameter at a place, with its judgements (see holding.judge_by_sets) and its flags.

    `lacking` is why limits that speak of it could not be held against it; `key` names it to whoever asks; `held`: newer
    ones do not lift what it asked of those who drink, as a person does.
    """

    parameter: str
    quantity: Quantity
    judgements: Sequence[Mapping[str, Any]] = ()
    flags: Collection[str] = ()
    lacking: Collection[str] = ()
    key: Any = None
    held: bool = False


@dataclass
class Do:
    """One thing to do: its code, within how many hours of the finding, about which parameters, by which rules.

    `keys` name the readings that ask for it; of boiling `minutes` says for how long; `only_doubted`: nothing but a
    doubt about a reading asks for it; `words` are those of the sets that decide, by parameter.
    """

    code: str
    within_h: float | None = None
    about: list[str] = field(default_factory=list)
    why: list[str] = field(default_factory=list)
    keys: list[Any] = field(default_factory=list)
    minutes: int | None = None
    only_doubted: bool = False
    words: dict[str, str] = field(default_factory=dict)


class Assessment(NamedTuple):
    """How one reading is assessed: its verdict, the judgement that decides (None without limits), what it protects."""

    reading: Reading
    key: str
    verdict: str
    decisive: Mapping[str, Any] | None
    protects: str
    side: str

    @property
    def order(self) -> tuple[int, int, bool, bool, float]:
        """By what readings are in order of urgency, the most urgent first."""
        rank = PROTECTED[self.protects].rank if self.protects else len(PROTECTED)
        part = part_of_limit(self.decisive) if self.decisive else 0.0
        return -gravity(self.verdict), rank, self.key not in FAECAL, self.key == SUM, part


class Advice(NamedTuple):
    """The assessed readings of a place, the most urgent first, and what is to be done, in its order."""

    assessments: tuple[Assessment, ...]
    do: tuple[Do, ...]

    @property
    def worst_verdict(self) -> str:
        """The most urgent verdict."""
        return self.assessments[0].verdict if self.assessments else NOT_JUDGED

    @property
    def worst(self) -> str | None:
        """The parameter that the most urgent verdict is of."""
        return self.assessments[0].key if self.assessments else None

    @property
    def pressing(self) -> Assessment | None:
        """The most urgent; where no verdict presses, what is to be done by an hour all the same, such as germs."""
        asked = {each.about[0] for each in self.do if each.within_h is not None}
        first = next(iter(self.assessments), None)
        if first is None or first.verdict in _PRESSING:
            return first
        return next((each for each in self.assessments if each.key in asked), first)

    @property
    def verdict(self) -> str:
        """The verdict that is shown before all: of what presses; none of a place without readings."""
        return self.pressing.verdict if self.pressing else ""

    @property
    def decided_by(self) -> str | None:
        """The key of the set whose limit decides; None where no chosen set does."""
        decisive = self.assessments[0].decisive if self.assessments else None
        return None if decisive is None or decisive["set"] == germs().key else str(decisive["set"])

    @property
    def within_h(self) -> float | None:
        """Within how many hours the first thing must be done; None where none must."""
        return min((each.within_h for each in self.do if each.within_h is not None), default=None)

    @property
    def boil_minutes(self) -> int | None:
        """For how long water is boiled; None where that is not asked for."""
        return next((each.minutes for each in self.do if each.minutes), None)

    @property
    def bars_drinking(self) -> list[Any]:
        """The keys of the readings that keep somebody from drinking the water, of each parameter the newest.

        What was only undecided is none of them: a test that can tell decides it.
        """
        asking = {key for each in self.do if codes()[each.code].until_lifted for key in each.keys}
        barring = [each for each in self.assessments if each.verdict == OUTSIDE and each.reading.key in asking]
        newest = {each.key for each in barring if not each.reading.held}
        return [each.reading.key for each in barring if not each.reading.held or each.key not in newest]

    @property
    def codes(self) -> list[str]:
        """The codes alone, in order."""
        return [each.code for each in self.do]

    def kept(self) -> dict[str, Any]:
        """Return it as plain data, to be kept beside a place: see `do_of` for what is to be done."""
        do = [
            {"code": e.code, "within_h": e.within_h, "about": e.about, "minutes": e.minutes, "words": e.words}
            for e in self.do
        ]
        data = {name: getattr(self, name) for name in ("worst", "decided_by", "within_h", "boil_minutes")}
        return {"stands": self.worst_verdict, **data, "do": do}


def do_of(kept: Mapping[str, Any]) -> list[Do]:
    """Return what is to be done of advice that was kept as plain data; codes that are none any more are left out."""
    return [
        Do(each["code"], each["within_h"], list(each["about"]), minutes=each["minutes"], words=dict(each["words"]))
        for each in kept.get("do", ())
        if each["code"] in codes()
    ]


def advise(where: Where, readings: Iterable[Reading | Assessment]) -> Advice:
    """Decide what is to be done about all that is newest at a place; what is assessed already is taken as it is.

    Rules and sources stand in rules.toml, with what two findings say together here: boiling is asked for against germs
    only, and never where something that it leaves in is too much; a doubt about a reading adds a test and takes no
    precaution away.
    """
    assessed = (each if isinstance(each, Assessment) else assess(where, each) for each in readings)
    assessments = sorted(assessed, key=lambda each: each.order)
    asked = _Asked(where)
    for each in assessments:
        asked.by_rules(each)
    if where.water == "drinking":
        asked.drinking(assessments)
        asked.boiling(assessments)
    asked.doubts(assessments)
    return Advice(tuple(assessments), asked.in_order(assessments))


def assess(where: Where, reading: Reading) -> Assessment:
    """Return how a reading stands by the limits it was held against, whatever else was found."""
    key = parameter(reading.parameter).key
    decisive = overall(reading.judgements)
    if key in GERMS and decisive is None and where.water == "drinking":
        # Kept before a limit spoke of germs: in drinking water none may be there.
        verdict = INSIDE if not found(reading.quantity) else NOT_SETTLED if reading.quantity.low == 0 else OUTSIDE
        return Assessment(reading, key, verdict, None, "germs", "high")
    verdict = verdict_by(reading.parameter, reading.judgements, decisive) or NOT_JUDGED
    return Assessment(
        reading,
        key,
        verdict,
        decisive,
        protects_of(decisive) if decisive else "",
        side_of(decisive) if decisive else "",
    )


class _Asked:
    """What is asked for so far, by code."""

    def __init__(self, where: Where) -> None:
        self.where = where
        self.do: dict[str, Do] = {}

    def ask(self, code: str, assessment: Assessment, within_h: float | None = None, why: str = "") -> None:
        """Ask for a code because of a reading; what is asked for twice is done by the earlier hour."""
        do = self.do.setdefault(code, Do(code))
        if within_h is not None:
            do.within_h = within_h if do.within_h is None else min(do.within_h, within_h)
        for kept, one in ((do.about, assessment.key), (do.why, why), (do.keys, assessment.reading.key)):
            if one and one not in kept:
                kept.append(one)

    def by_rules(self, assessment: Assessment) -> None:
        """Ask for what the rules ask for a reading, of each limit that it is beyond or that it leaves undecided."""
        pressing = [each for each in assessment.reading.judgements if each["verdict"] in _PRESSING]
        for judged in pressing:
            self._of_limit(
                assessment, judged["verdict"], protects_of(judged), side_of(judged), str(judged.get("role", ""))
            )
            if judged["verdict"] == OUTSIDE:
                for code in judged.get("codes", ()):
                    self.ask(code, assessment, _DAY, str(judged.get("source", "")))
        own = own_words(assessment.reading.judgements)
        if own:
            self.ask("set-says", assessment)
            self.do["set-says"].words[assessment.key] = own
        if not pressing:
            self._of_limit(assessment, assessment.verdict, assessment.protects, assessment.side, "")
        if assessment.verdict == NOT_JUDGED:
            self._unjudged(assessment)

    def _unjudged(self, assessment: Assessment) -> None:
        """Say why nothing judged a reading: that is no good news."""
        if assessment.decisive:
            # A most alone says nothing of what there may be too little of.
            self.ask("enough", assessment)
        elif assessment.reading.lacking:
            self.ask("lacks", assessment)
            self.do["lacks"].words[assessment.key] = "; ".join(dict.fromkeys(assessment.reading.lacking))
        else:
            self.ask("choose-limits", assessment)

    def _of_limit(self, assessment: Assessment, verdict: str, protects: str, side: str, role: str) -> None:
        where, is_found = self.where, found(assessment.reading.quantity)
        for rule in fitting(where.water, where.kind, assessment.key, verdict, protects, side, role, found=is_found):
            for code, hours in rule.asked:
                self.ask(code, assessment, hours, rule.why)

    def drinking(self, assessments: Sequence[Assessment]) -> None:
        """Ask for what only drinking water asks for, and what two readings of it say together."""
        for assessment in assessments:
            if assessment.verdict == OUTSIDE and assessment.key != "coliform bacteria":
                self._authority_by_law(assessment)
            if assessment.key == "coliform bacteria" and assessment.verdict in _PRESSING:
                by = {each["set"] for each in assessment.reading.judgements}
                if not (self.where.kind in ("tap", "supply") and by == {"us-primary"}):
                    self.ask("authority", assessment, _DAY, "Directive (EU) 2020/2184, Article 14.")
            if assessment.decisive and assessment.decisive.get("role") == "programme":
                self._leave_out("laboratory", assessment)
            if assessment.reading.held:
                self.ask("goes-on", assessment, None, "A word ends what was asked of those who drink it, no number.")
        named = {each.key: each for each in assessments}
        self._barrier(named)
        self._chloramines(named)

    def _authority_by_law(self, assessment: Assessment) -> None:
        for each in assessment.reading.judgements:
            if each["verdict"] != OUTSIDE or each.get("told_within_h") is None:
                continue
            if protects_of(each) in HEALTH or assessment.key == "turbidity":
                self.ask("authority", assessment, float(each["told_within_h"]), str(each["told_by"]))

    def _leave_out(self, code: str, assessment: Assessment) -> None:
        """Take back what only this reading asks for."""
        if code in self.do and self.do[code].about == [assessment.key]:
            del self.do[code]

    def _barrier(self, named: Mapping[str, Assessment]) -> None:
        """Cloudy and too little chlorine together: germs may have passed."""
        cloudy = named.get("turbidity")
        low = next((named[key] for key in _DISINFECTANTS if key in named and named[key].side == "low"), None)
        if cloudy and low and cloudy.verdict == low.verdict == OUTSIDE:
            why = "Cloudy and too little chlorine together: the barrier against germs may have failed (40 CFR 141.203)."
            for assessment in (cloudy, low):
                self.ask("authority", assessment, _DAY, why)
                self.ask("laboratory", assessment, _DAY, why)

    def _chloramines(self, named: Mapping[str, Assessment]) -> None:
        """Little free chlorine beside much total: the supply may be chloraminated, and nothing is added then."""
        free, total = named.get("free chlorine"), named.get("total chlorine")
        if not (free and total and free.verdict == OUTSIDE and free.side == "low" and "check-dosing" in self.do):
            return
        if total.reading.quantity.low > _WELL_ABOVE * free.reading.quantity.value:
            self.ask("ask-chloramines", free, _DAY, "What is combined with ammonia disinfects too, only more slowly.")
            self._leave_out("check-dosing", free)

    def boiling(self, assessments: Sequence[Assessment]) -> None:
        """Decide on boiling against germs."""
        present = [each for each in assessments if each.key in GERMS and each.verdict in _PRESSING]
        faecal = [each for each in present if each.key in FAECAL]
        barring = [each for each in assessments if _bars_boiling(each)]
        if faecal and not barring:
            for each in faecal:
                self.ask("boil", each, 1.0, "A rolling boil kills what dung brings (WHO).")
            self.do.pop("no-boiling", None)
            high = (self.where.elevation_m or 0.0) > _HIGH_M
            self.do["boil"].minutes = _MINUTES_HIGH if high else _MINUTES
            return
        for each in faecal:
            self.ask("other-water", each, 4.0, "Boiling kills germs, but makes stronger what it leaves in.")
        for each in barring if present else ():
            self.ask("no-boiling", each, 2.0, "Boiling leaves it in and makes it stronger.")

    def doubts(self, assessments: Sequence[Assessment]) -> None:
        """Ask to test again what is doubtful; nothing waits for it."""
        for assessment in assessments:
            if assessment.reading.flags:
                asked = "test-again" in self.do
                self.ask("test-again", assessment, None, "There is a doubt about the reading.")
                self.do["test-again"].only_doubted = not asked or self.do["test-again"].only_doubted
            if "unusual" in assessment.reading.flags:
                for code in ("unusual", "coordinator"):
                    self.ask(code, assessment, None, "What is not usual here has a cause.")

    def in_order(self, assessments: Sequence[Assessment]) -> tuple[Do, ...]:
        """Return what is asked for, in the order in which it is done; where nothing is, that it goes on as planned."""
        if self.do.keys() <= {"choose-limits", "lacks", "enough"} and any(
            each.verdict == INSIDE for each in assessments
        ):
            for each in assessments:
                if each.verdict == INSIDE:
                    self.ask("as-planned", each)
        return tuple(self.do[code] for code in codes() if code in self.do)


def _bars_boiling(assessment: Assessment) -> bool:
    """Whether boiling would make something stronger that is too much, or may be."""
    if assessment.key in (*PARTS, SUM) and assessment.protects in HEALTH:
        return assessment.verdict in (OUTSIDE, NOT_SETTLED, CLOSE)
    if assessment.key in PARTS and not assessment.decisive:
        # Where no limit is chosen for it, the WHO's says whether there may be too much to boil.
        by_who = judge_by_sets(assessment.reading.quantity, assessment.key, [rule_sets()["who-gdwq"]])
        return verdict_by(assessment.key, by_who) in (OUTSIDE, NOT_SETTLED, CLOSE)
    left_in = assessment.key not in (*GERMS, *_BOILS_OFF)
    return left_in and assessment.verdict == OUTSIDE and assessment.protects in HEALTH
