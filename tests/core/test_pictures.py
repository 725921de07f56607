"""Strips read from made-up photographs: right where it is sure, and refused with words where it cannot be."""

from unittest import TestCase

import numpy as np

from kessa.core.colours.lab import Lab
from kessa.core.errors import CannotCompute
from kessa.core.pictures.card import MARKS
from kessa.core.pictures.placing import guide, marks_near
from kessa.core.pictures.reading import Pad, learn_steps, read_pads
from tests.core.rendered import CHARTS, PLACES, SIDE, photograph, tried


class Pictures(TestCase):
    def test_sure_pads_are_right_in_any_usual_light(self):
        counted, off = tried(40)
        self.assertGreaterEqual(counted["marks found"], 38)
        self.assertGreater(len(off), 150)
        self.assertGreater((off <= 0.5).mean(), 0.98)
        self.assertLess(off.max(), 1.0)

    def test_bad_pictures_are_refused_with_what_to_do(self):
        for spoil, key in (("shade", "shade"), ("burnt", "burnt"), ("blur", "blur"), ("glare", "pad refused: glare")):
            with self.subTest(spoil):
                counted, off = tried(6, seed=3, spoil=spoil)
                refused = counted[f"picture refused: {key}"] or counted[key]
                self.assertGreaterEqual(refused, 4)
                self.assertFalse((off > 1).any())

    def picture(self, places=(1.5,) * 5, **how):
        labs = [chart[int(place)].lab for chart, place in zip(CHARTS, places, strict=True)]
        return photograph(labs, np.random.default_rng(7), **how), labs

    def test_a_kits_steps_are_learnt_from_a_picture_and_then_matched_in_another_light(self):
        (picture, marks), labs = self.picture((0, 1, 2, 3, 4))
        learnt, refused = learn_steps(picture, marks, PLACES, SIDE)
        self.assertIsNone(refused)
        for found, lab in zip(learnt, labs, strict=True):
            self.assertLess(max(abs(a - b) for a, b in zip(found, lab, strict=True)), 8)

    def test_corners_that_are_none_and_pads_out_of_their_time_are_told(self):
        (picture, marks), _ = self.picture()
        pad = Pad(*PLACES[0], SIDE, CHARTS[0])
        for corners in ([marks[0]] * 4, marks[::-1], marks[:3], [(x - 600, y) for x, y in marks]):
            with self.assertRaises(CannotCompute) as refused:
                read_pads(picture, corners, [pad])
            self.assertEqual(refused.exception.field, "corners")
        late, early = read_pads(picture, marks, [pad._replace(late_s=12), pad._replace(early_s=5)]).pads
        self.assertEqual((late.refused.key, early.refused.key), ("late", "early"))
        elsewhere = [step._replace(lab=Lab(step.lab.l, -step.lab.a, -step.lab.b)) for step in CHARTS[4]]
        strange = read_pads(picture, marks, [Pad(*PLACES[4], SIDE, elsewhere)]).pads[0]
        self.assertIn(strange.refused.key, ("colour", "unsure"))
        small = picture[::4, ::4]
        self.assertEqual(read_pads(small, [(x / 4, y / 4) for x, y in marks], [pad]).refused.key, "small")
        grey = np.full((600, 800, 3), 128, dtype=np.uint8)
        self.assertEqual(marks_near(grey, guide(800, 600)), guide(800, 600))
        self.assertIsNotNone(read_pads(grey, guide(800, 600), [pad]).refused)
        self.assertEqual(len(guide(800, 600)), len(MARKS))
