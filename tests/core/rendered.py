"""Made-up photographs of a strip beside the card, and how well they are read: python -m tests.core.rendered"""

import io
import sys
from collections import Counter

import numpy as np
from PIL import Image, ImageFilter

from kessa.core.colours.lab import Lab, lab_of_hex, light_of_lab, mixed
from kessa.core.colours.match import Step
from kessa.core.methods import house_methods
from kessa.core.pictures.card import HOLE, MARK, MARKS, PAPER, PATCH, PATCHES, SLOT, TALL, WIDE
from kessa.core.pictures.placing import marks_near
from kessa.core.pictures.reading import Pad, read_pads
from kessa.core.readings.card_steps import place_on

_PX, _EDGE = 5, 16
PLACES = [(34.0 + 20.0 * n, 52.0) for n in range(5)]
SIDE = 6.0
STRIP = house_methods()["strip-five-pads"]
CHARTS = [
    [Step(step, lab_of_hex(chip.value)) for step, chip in zip(part.numbers.steps, part.chips, strict=True)]
    for part in STRIP.parts
]


def daylight(kelvin):
    """The light of a glowing body, by channel, against that of 6500 K (Kang and others, 2002)."""
    t = 1e3 / kelvin
    if kelvin < 4000:
        x = -0.2661239 * t**3 - 0.2343589 * t**2 + 0.8776956 * t + 0.179910
        y = -0.9549476 * x**3 - 1.37418593 * x**2 + 2.09137015 * x - 0.16748867
    else:
        x = -3.0258469 * t**3 + 2.1070379 * t**2 + 0.2226347 * t + 0.240390
        y = 3.0817580 * x**3 - 5.87338670 * x**2 + 3.75112997 * x - 0.37001483
    xyz = np.array([x / y, 1, (1 - x - y) / y])
    to_rgb = np.array([[3.2406, -1.5372, -0.4986], [-0.9689, 1.8758, 0.0415], [0.0557, -0.2040, 1.0570]])
    return np.maximum(to_rgb @ xyz, 0.05)


def canvas(labs, places=PLACES):
    """The card with a strip in its slot, as light, seen straight from above."""
    tall, wide = round((TALL + 2 * _EDGE) * _PX), round((WIDE + 2 * _EDGE) * _PX)
    out = np.full((tall, wide, 3), 0.18)

    def square(x, y, dx, dy, light):
        left, top = round((x - dx / 2 + _EDGE) * _PX), round((y - dy / 2 + _EDGE) * _PX)
        out[top : top + round(dy * _PX), left : left + round(dx * _PX)] = light

    square(WIDE / 2, TALL / 2, WIDE, TALL, light_of_lab(PAPER))
    for x, y in MARKS:
        square(x, y, MARK, MARK, 0.015)
        square(x, y, HOLE, HOLE, light_of_lab(PAPER))
    for patch in PATCHES:
        square(patch.x, patch.y, PATCH, PATCH, light_of_lab(patch.lab))
    left, top, right, bottom = SLOT
    square((left + right) / 2, (top + bottom) / 2, right - left - 4, 11, light_of_lab(Lab(93, 0, 2)))
    for (x, y), lab in zip(places, labs, strict=True):
        square(x, y, SIDE, SIDE, np.clip(light_of_lab(lab), 0, 1))
    return out


def photograph(labs, rng, spoil="", places=PLACES):
    """A picture of the strip in some light, and where its marks lie; `spoil` is what is wrong with it."""
    out = canvas(labs, places)
    tall, wide = out.shape[:2]
    light = daylight(rng.uniform(2700, 7500))
    # Telephones balance white, more or less, and leave a tint.
    light = (light / light.mean()) ** rng.uniform(0.25, 0.9) * rng.normal(1, 0.03, 3)
    cross = np.eye(3) + rng.normal(0, 0.04, (3, 3))
    out = np.clip(out @ (cross / cross.sum(axis=0)), 0, None) * light
    v, u = np.mgrid[-1 : 1 : tall * 1j, -1 : 1 : wide * 1j]
    turn, steep = rng.uniform(0, 2 * np.pi), rng.uniform(0, 0.28)
    surface = np.exp(-steep * (u * np.cos(turn) + v * np.sin(turn))) * (1 - rng.uniform(0, 0.2) * (u * u + v * v) / 2)
    if spoil == "shade":
        surface = surface * np.where(u * np.cos(turn) + v * np.sin(turn) > rng.uniform(-0.3, 0.3), 0.28, 1.0)
    out = out * surface[..., None]
    out = out * rng.uniform(0.55, 0.9) / np.quantile(out, 0.99) * (2.4 if spoil == "burnt" else 1.0)
    if spoil == "glare":
        x, y = PLACES[rng.integers(5)]
        at_x, at_y = (x + _EDGE) * _PX, (y + _EDGE) * _PX
        yy, xx = np.mgrid[0:tall, 0:wide]
        out = out + 1.5 * np.exp(-((xx - at_x) ** 2 + (yy - at_y) ** 2) / (2 * (3.0 * _PX) ** 2))[..., None]
    # Noise grows with the root of the light; a camera's own curve is nearly that of a screen.
    out = out + rng.normal(0, 1, out.shape) * rng.uniform(0.004, 0.02) * np.sqrt(np.maximum(out, 0.01))
    out = np.clip(out, 0, 1) ** rng.uniform(0.93, 1.07)
    levels = np.where(out <= 0.0031308, out * 12.92, 1.055 * np.maximum(out, 1e-9) ** (1 / 2.4) - 0.055)
    picture = Image.fromarray((255 * np.clip(levels, 0, 1)).astype(np.uint8))
    size = (1000, round(1000 * tall / wide))
    shift = [(rng.uniform(0, 0.07) * wide, rng.uniform(0, 0.07) * tall) for _ in range(4)]
    corners = [(-1, -1), (1, -1), (1, 1), (-1, 1)]
    source = [
        ((wide if sx > 0 else 0) + sx * dx, (tall if sy > 0 else 0) + sy * dy)
        for (sx, sy), (dx, dy) in zip(corners, shift, strict=True)
    ]
    target = [(0, 0), (size[0], 0), size, (0, size[1])]
    back = _projective(target, source)
    picture = picture.transform(
        size, Image.Transform.PERSPECTIVE, tuple(back), Image.Resampling.BICUBIC, fillcolor=(110, 104, 98)
    )
    blur = rng.uniform(8, 12) if spoil == "blur" else rng.uniform(0.2, 1.4)
    picture = picture.filter(ImageFilter.GaussianBlur(blur))
    kept = io.BytesIO()
    picture.save(kept, "JPEG", quality=int(rng.integers(60, 95)))
    there = np.linalg.inv(np.append(back, 1).reshape(3, 3))
    marks = []
    for x, y in MARKS:
        where = there @ np.array([(x + _EDGE) * _PX, (y + _EDGE) * _PX, 1])
        marks.append((where[0] / where[2], where[1] / where[2]))
    return np.asarray(Image.open(kept)), marks


def as_file(picture):
    """A picture as a telephone sends it."""
    kept = io.BytesIO()
    Image.fromarray(picture).save(kept, "JPEG", quality=92)
    return kept.getvalue()


def _projective(target, source):
    rows, right = [], []
    for (x, y), (u, v) in zip(target, source, strict=True):
        rows += [[x, y, 1, 0, 0, 0, -u * x, -u * y], [0, 0, 0, x, y, 1, -v * x, -v * y]]
        right += [u, v]
    return np.linalg.solve(np.array(rows), np.array(right))


def tried(number, seed=1, spoil=""):
    """Read so many pictures: how many pads fell out how, and by how many steps sure ones were off."""
    counted, off = Counter(), []
    for n in range(number):
        rng = np.random.default_rng([seed, n])
        truths = [rng.uniform(0, len(chart) - 1) for chart in CHARTS]
        labs = [_at(chart, place) for chart, place in zip(CHARTS, truths, strict=True)]
        picture, marks = photograph(labs, rng, spoil)
        # A person sets the corners about right; the marks are looked for around there.
        guessed = [(x + rng.normal(0, 12), y + rng.normal(0, 12)) for x, y in marks]
        found = marks_near(picture, guessed)
        counted["marks found"] += max(np.hypot(*np.subtract(found, marks).T)) < 6
        pads = [Pad(x, y, SIDE, chart) for (x, y), chart in zip(PLACES, CHARTS, strict=True)]
        read = read_pads(picture, found, pads)
        counted[f"picture refused: {read.refused.key}" if read.refused else "pictures read"] += 1
        for proposal, truth, chart in zip(read.pads, truths, CHARTS, strict=False):
            if proposal.refused:
                counted[f"pad refused: {proposal.refused.key}"] += 1
                continue
            place = place_on([step.value for step in chart], proposal.value)
            off.append(abs(place - truth))
    return counted, np.array(off)


def _at(chart, place):
    low = min(int(place), len(chart) - 2)
    return mixed(chart[low].lab, chart[low + 1].lab, place - low)


if __name__ == "__main__":
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 2000
    for spoil in ("", "shade", "burnt", "glare", "blur"):
        counted, off = tried(many if not spoil else many // 10, spoil=spoil)
        print(spoil or "fair pictures", dict(counted))
        if len(off):
            print(f"  sure pads {len(off)}: within half a step {100 * (off <= 0.5).mean():.2f} %,", end=" ")
            print(
                f"within one {100 * (off <= 1).mean():.2f} %, median {np.median(off):.3f}, worst {off.max():.2f} steps"
            )
