"""Every flag a result may carry: its words, what it does to what is usual, whether it asks for a repeat, what to do."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple


class Flag(NamedTuple):
    """A flag.

    `teaches`: whether such a result still teaches what is usual at its place. `repeat`: whether it waits for a repeat
    on Today. `advice` is what to do about it, where there is something. `ends`: whether the result stands no more.
    """

    words: str
    teaches: bool = True
    repeat: bool = False
    advice: str = ""
    ends: bool = False


_FRESH = "find out why, then repeat with what is in order."

FLAGS = {
    "blank-questionable": Flag("blank questionable"),
    "blank-bad": Flag(
        "blank bad",
        teaches=False,
        repeat=True,
        advice="The blank was bad: find out why, then repeat. Until then this number may be too high.",
    ),
    "blank-missing": Flag("no blank"),
    "one-run": Flag(
        "one run only",
        teaches=False,
        advice="One run only: run it again.",
    ),
    "not-agreed": Flag("runs do not agree", teaches=False, repeat=True),
    "not-comparable": Flag(
        "runs cannot be compared",
        teaches=False,
        repeat=True,
        advice="The runs cannot be compared by this method's rule: draw a fresh sample and repeat.",
    ),
    "over-range": Flag("over the range", teaches=False, repeat=True),
    "diluted": Flag("diluted"),
    "late-taps": Flag("taps after the end"),
    "further-run": Flag("further run added"),
    "unusual": Flag("unusual here"),
    "sample-too-old": Flag(
        "sample too old for this test",
        teaches=False,
        advice="The sample was too old for this test: draw a fresh one and repeat.",
    ),
    "lot-expired": Flag("lot expired", teaches=False, advice=f"A lot was expired: {_FRESH}"),
    "lot-opened-too-long": Flag(
        "lot open for too long", teaches=False, advice=f"A lot was open for too long: {_FRESH}"
    ),
    "lot-damp": Flag("lot suspected damp", teaches=False, advice=f"A lot is suspected damp: {_FRESH}"),
    "lot-used-up": Flag("lot used up by the book"),
    "lot-missing": Flag("no lot named"),
    "lot-unproven": Flag(
        "lot not proven by a standard",
        advice="A lot of it is not proven yet: run a standard with it.",
    ),
    "check-failed": Flag(
        "instrument failed a check",
        teaches=False,
        repeat=True,
        advice="The instrument failed a check: have it put right, and repeat.",
    ),
    "check-overdue": Flag("instrument check overdue", advice="The instrument's check is overdue: check it first."),
    "read-early": Flag(
        "read too early",
        teaches=False,
        repeat=True,
        advice="It was read too early: repeat, and let the clock ring first.",
    ),
    "read-late": Flag(
        "read too late",
        teaches=False,
        repeat=True,
        advice="It was read too late: repeat, and read when the clock rings.",
    ),
    "not-timed": Flag(
        "reading not timed", teaches=False, repeat=True, advice="The reading was not timed: repeat with the clock."
    ),
    "wait-cut-short": Flag(
        "a wait was cut short",
        teaches=False,
        repeat=True,
        advice="A wait was cut short: repeat, and let the clock ring first.",
    ),
    "wait-too-long": Flag(
        "a wait ran too long",
        teaches=False,
        repeat=True,
        advice="A wait whose time is exact ran too long: repeat, and go on when the clock rings.",
    ),
    "part-missing": Flag("stopped before the end"),
    "cloudy": Flag(
        "sample cloudy", teaches=False, advice="The sample was cloudy: filter it and repeat, cloud is taken for colour."
    ),
    "ph-outside": Flag(
        "sample's pH outside the method's window",
        teaches=False,
        advice="The sample's pH lay outside the method's window: adjust it and repeat.",
    ),
    "ph-not-measured": Flag(
        "sample's pH not measured", advice="The sample's pH was not measured: this test holds only in its window."
    ),
    "temperature-outside": Flag(
        "sample's temperature outside the method's window",
        teaches=False,
        advice="The sample was too cold or too warm for this method: let it come to room temperature and repeat.",
    ),
    "temperature-not-measured": Flag(
        "sample's temperature not measured",
        advice="The sample's temperature was not measured: this test holds only in its window.",
    ),
    "not-filtered": Flag("not filtered, so not dissolved alone"),
    "quality-bad": Flag(
        "a check failed",
        teaches=False,
        repeat=True,
        advice=f"A check of this method failed: {_FRESH}",
    ),
    "chart-broken": Flag(
        "out of control by its chart",
        teaches=False,
        advice=f"The control chart of this method breaks a rule: {_FRESH}",
    ),
    "contradicts": Flag(
        "another test of this sample says otherwise",
        teaches=False,
        repeat=True,
        advice="Two tests of this sample cannot both be true. Which slipped? Repeat the more exact one, then put "
        "right or set aside the other.",
    ),
    "digit-slip": Flag(
        "perhaps a digit or unit slipped",
        teaches=False,
        advice="It was asked whether a digit or the unit slipped, and nobody answered: look at it again, then put it "
        "right or say that it is right.",
    ),
    "cannot-be": Flag(
        "can hardly be",
        teaches=False,
        repeat=True,
        advice="Such a number can hardly be: look at the reading and its unit again, then put it right or repeat.",
    ),
    "stuck": Flag(
        "the same for the tenth time",
        advice="It came out the same ten times: look whether the instrument moves, and whether it is read anew.",
    ),
    "impossible-pair": Flag(
        "cannot be with another reading of this sample",
        teaches=False,
        repeat=True,
        advice="It cannot be together with another reading of this sample: repeat the one that slipped.",
    ),
    "corrected": Flag("put right"),
    "judged-anew": Flag("judged anew by another reading of its sample"),
    "superseded": Flag("superseded", teaches=False, ends=True),
    "set-aside": Flag("set aside", teaches=False, ends=True),
}

# What makes a reading doubtful: it is not usual, does not teach what is, waits for a repeat, or asks for something.
_DOUBTS = frozenset(
    key for key, flag in FLAGS.items() if not flag.teaches or flag.repeat or flag.advice or key == "unusual"
)
NOT_TEACHING = tuple(key for key, flag in FLAGS.items() if not flag.teaches)
ASKS_REPEAT = tuple(key for key, flag in FLAGS.items() if flag.repeat)
ENDS = tuple(key for key, flag in FLAGS.items() if flag.ends)


def doubtful(flags: Iterable[str]) -> list[str]:
    """Return those of the flags that make a reading doubtful; a flag of a team's own does.

    >>> doubtful(["diluted", "one-run", "smells-odd"])
    ['one-run', 'smells-odd']
    """
    return [flag for flag in flags if flag in _DOUBTS or flag not in FLAGS]


def words(key: str) -> str:
    """Say what a flag means; a method file of a team's own may name flags of its own.

    >>> words("one-run"), words("smells-odd")
    ('one run only', 'smells odd')
    """
    return FLAGS[key].words if key in FLAGS else key.replace("-", " ")
