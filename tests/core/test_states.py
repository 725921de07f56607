"""Where a run stands: its present step, when each part may be read, how long clocks run. Page and core say the same."""

import json
import subprocess
from datetime import UTC, datetime, timedelta
from pathlib import Path
from random import Random
from unittest import TestCase

from kessa.core.methods import house_methods
from kessa.core.runs.events import Event
from kessa.core.runs.progress import Run, steps_left
from kessa.core.runs.state import derive
from kessa.core.runs.timing import clock_seconds, reading_window

ROOT = Path(__file__).parents[2]
NODE = next(ROOT.glob(".venv/lib/python3*/site-packages/playwright/driver/node"))
NINE = datetime(2026, 11, 23, 9, tzinfo=UTC)
A_METHOD = 40


def given_of(method):
    """Return of a method what the page is given of where its runs stand."""
    main = method.main
    return {
        "kind": "staged" if method.staged else main.kind if method.counted else "read",
        "parts": [
            {"key": part.key, "read_s": part.read_s, "counts": part.counts, "stop_at": part.stop_at}
            for part in method.parts
        ],
        "steps": [
            step.model_dump(mode="json", include={"kind", "parts", "wait", "when", "ask"}, exclude_none=True)
            for step in method.steps
        ],
        "stop_at": main.stop_at,
        "blank": {"stop_at": 10} if method.blank else None,
    }


class Course:
    """The taps of a test as somebody may have made them, with slips."""

    def __init__(self, method, chance):
        self.method, self.chance, self.events, self.at = method, chance, [], NINE

    def tap(self, run, kind, **data):
        self.at += timedelta(seconds=self.chance.choice((0, 1, 7, 90, 700)))
        self.events.append((run, Event(f"{len(self.events):03d}", kind, len(self.events), self.at, data)))

    def made(self, role):
        """Make taps of one run, step by step, some of them left out, out of turn, or taken back."""
        method, chance = self.method, self.chance
        names = [f"{role}-1"]
        if role == "sample" and (method.staged or method.main.kind == "difference"):
            names = ["first-1" if method.staged else "supply-1", "sample-1"]
        for number in range(chance.randrange(len(method.steps) + 1)):
            if chance.random() < 0.9:
                self.step(number, names)
            if method.steps[number].kind == "count" and chance.random() < 0.9:
                names = names[1:] or names
        if self.events and chance.random() < 0.4:
            self.tap(
                f"{role}-1", chance.choice(("voided", "stopped", "stopped", "taken_back")), of=self.events[-1][1].id
            )
        return self

    def step(self, number, names):
        """Make the taps of a step."""
        method, chance, step, name = self.method, self.chance, self.method.steps[number], self.chance.choice(names)
        if step.ask:
            numbers = [] if step.ask.least is None else [step.ask.least, step.ask.most, round(chance.uniform(0, 14), 1)]
            answers = [*(each.key for each in step.ask.answers), *numbers]
            self.tap("", "answered", key=step.ask.key, value=chance.choice(answers))
        elif step.kind == "count":
            for _ in range(chance.choice((0, 1, 3, *(part.stop_at for part in method.parts)))):
                self.tap(name, "drop_added")
            if chance.random() < 0.8:
                self.tap(name, "end_called", endpoint=chance.random() < 0.8)
        elif step.kind == "read":
            for key in (each for each in method.read_at(number) if chance.random() < 0.8):
                self.tap(name, "reading_taken", part=key, reading={"display": round(chance.uniform(0, 9), 1)})
        else:
            if step.wait and chance.random() < 0.8:
                self.tap(name, "timer_started", step=number, seconds=step.wait.seconds or chance.randrange(5, 300))
            self.tap(name, "step_done", step=number)

    def run(self, role):
        """Return the run as the core derives it, and the answers."""
        method = self.method
        backs = [event for _, event in self.events if event.kind == "taken_back"]

        def of(*names):
            return [*(event for run, event in self.events if run in names), *backs]

        taken = {event.data["of"] for event in backs}
        answers = {
            event.data["key"]: event.data["value"] for run, event in self.events if not run and event.id not in taken
        }
        parts = () if method.counted or role == "blank" else method.read_keys
        if role == "sample" and (method.staged or method.main.kind == "difference"):
            first = derive(of("first-1", "supply-1"), method.main.stop_at)
            most = method.main.stop_at
            if method.staged:
                second = method.parts[1]
                most = second.stop_at - first.count if second.counts == "all" else second.stop_at
            return Run(derive(of("sample-1"), most), first=first), answers
        most = 10 if role == "blank" else method.main.stop_at
        return Run(derive(of(f"{role}-1"), most, parts), blank=role == "blank"), answers


class PageAndCore(TestCase):
    def test_of_every_house_method_a_run_stands_where_the_page_sees_it(self):
        chance, cases, expected = Random(29), [], []
        for method in house_methods().values():
            for number in range(A_METHOD):
                role = "blank" if method.blank and number % 4 == 3 else "sample"
                course = Course(method, chance).made(role)
                run, answers = course.run(role)
                cases.append(
                    {"given": given_of(method), "role": role, "events": [self.as_tap(*each) for each in course.events]}
                )
                expected.append((method.key, self.stands(method, run, answers)))
        answer = subprocess.run(
            [NODE, "tests/scripts/states.mjs"],
            cwd=ROOT,
            input=json.dumps(cases),
            capture_output=True,
            text=True,
            check=True,
        )
        for case, (key, wanted), found in zip(cases, expected, json.loads(answer.stdout), strict=True):
            with self.subTest(key, events=case["events"]):
                self.assertEqual(found, wanted)

    def as_tap(self, run, event):
        return {**event._asdict(), "at": event.at.isoformat().replace("+00:00", "Z"), "run": run}

    def stands(self, method, run, answers):
        left = steps_left(method, run, answers)
        windows = [
            None if method.counted else reading_window(method, part.key, run.state, answers) for part in method.parts
        ]
        clocks = [clock_seconds(method, number, run.state) for number in range(len(method.steps))]
        return {
            "present": left[0] if left else None,
            # Before its clock is started nothing binds the page.
            "windows": [self.window(each) if each and each.opens else None for each in windows],
            "clocks": clocks,
            "counts": [each.count for each in (run.first, run.state) if each],
        }

    def window(self, window):
        moments = {"opens": window.opens, "closes": window.closes}
        return {end: None if at is None else int(at.timestamp() * 1000) for end, at in moments.items()}
