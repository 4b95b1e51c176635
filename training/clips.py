"""Clips by recipe and seed: music, instrument, performance, sound and truth."""

from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from training import sampled, synthesis
from training.borrowed import excerpt
from training.dress import dress
from training.performance import BROUGHT_OUT, BY_PIANISTS, Performance, Struck, humanise, voicing, without_overlaps
from training.textures import line, make_many

# Bumped whenever clips of one seed come out otherwise: material is cached by it.
RECIPE = 2
# What chance is drawn from beside the seed: that of everything, and that of voicing.
CHANCE, VOICED = 1, 29
LENGTH_S = 16.0
Programs = tuple[tuple[tuple[int, ...], int, int], ...]
# General MIDI programs with their lowest and highest comfortable pitch, by family.
FAMILIES: dict[str, Programs] = {
    "keys": (((0, 1, 2, 3), 28, 96), ((4, 5), 28, 92), ((6, 7), 33, 86)),
    "plucked": (
        ((24, 25, 26, 27, 28), 40, 82), ((46,), 33, 90), ((8, 9, 10, 11, 12, 13), 52, 96),
        ((104, 105, 106, 107), 43, 82),
        ((45, 15, 108, 114), 45, 86), ((29, 30, 31), 40, 76),
    ),
    "sustained": (
        ((48, 49, 44, 50, 51), 36, 86), ((52, 53, 54), 43, 81), ((16, 17, 18, 19, 20, 21, 23), 36, 90),
        ((61, 62, 63), 36, 79), ((40, 41, 42), 40, 88), ((64, 65, 66, 68, 70, 71), 44, 84),
        ((88, 89, 90, 91, 94, 95), 40, 84), ((22,), 50, 84),
    ),
}  # fmt: skip
SINGLE: Programs = (
    ((0, 1, 2, 4, 5, 6), 36, 96), ((24, 25, 26, 27, 28, 29, 30), 40, 84), ((32, 33, 34, 35, 36, 37, 38, 39), 26, 55),
    ((11, 12, 13, 8, 9, 10), 55, 96), ((40, 41, 110), 52, 93), ((42, 43), 33, 67),
    ((45, 46, 104, 105, 106, 107, 108), 45, 86),
    ((52, 53, 54, 85), 48, 79), ((56, 57, 58, 59, 60), 40, 80), ((64, 65, 66, 67), 42, 80),
    ((68, 69, 70, 71), 44, 86),
    ((72, 73, 74, 75, 76, 77, 78, 79), 60, 96), ((80, 81, 82, 84, 87), 40, 90), ((16, 18, 19, 21, 22), 43, 86),
    ((48, 49), 45, 86),
)  # fmt: skip
# Lines of other programs lie in this range.
USUAL_RANGE = (40, 86)
# Clips from this seed on are sung: one voice with wide vibrato, scoops and slides.
FIRST_SUNG_SEED = 80_000
# Clips of these seeds are played on keys, as pianists play.
PIANIST_SEEDS = range(40_000, 45_000)
# First programs of the groups that sing.
SUNG = (40, 42, 52, 56, 64, 68, 72)
# Shares of the kinds of clip.
KINDS = {"one": 0.27, "keys": 0.25, "plucked": 0.18, "sustained": 0.30}
MANY_KINDS = ("keys", "plucked", "sustained")


@dataclass(frozen=True)
class Clip:
    """A clip with its truth.

    Args:
        sound: mono at 44.1 kHz.
        onset_s, offset_s, sounding_off_s, pitch, velocity: truth, (notes,).
        kind: one of ``KINDS``.
        instrument: what plays, in words.
    """

    sound: NDArray[np.float32]
    onset_s: NDArray[np.float64]
    offset_s: NDArray[np.float64]
    sounding_off_s: NDArray[np.float64]
    pitch: NDArray[np.int64]
    velocity: NDArray[np.int64]
    kind: str
    instrument: str


def make_pedal(notes: list[Struck], random: np.random.Generator) -> tuple[tuple[float, float], ...]:
    """Pedal changed with the harmony: down shortly after a bass note, up just before the next."""
    if not notes:
        return ()
    step_s = float(random.uniform(0.7, 2.6))
    changes = np.arange(notes[0].onset_s, notes[-1].onset_s + step_s, step_s)
    onsets = np.array([n.onset_s for n in notes])
    changes = np.unique([onsets[np.argmin(np.abs(onsets - c))] for c in changes])
    spans = [(a + 0.06, b + 0.01) for a, b in pairwise(changes.tolist()) if b - a > 0.3]
    return tuple((a, b) for a, b in spans if random.random() < 0.85)


def sung_bends(notes: list[Struck], random: np.random.Generator, *, wide: bool = False) -> list[tuple[float, float]]:
    """Scoops into notes, slides from the note before and vibrato inside them, as bends (s, semitones)."""
    depth = float(random.choice([0.3, 0.5, 0.8, 1.0] if wide else [0.0, 0.15, 0.3, 0.5]) * random.uniform(0.7, 1.2))
    rate_hz, scoops = float(random.uniform(4.5, 6.5)), float(random.choice([0.0, 0.3, 0.8]))
    slides = float(random.choice([0.0, 0.3])) if wide else 0.0
    bends = []
    for before, note in zip([None, *notes], notes, strict=False):
        times = np.arange(note.onset_s, note.offset_s, sampled.BEND_STEP_S)
        since = times - note.onset_s
        bend = depth * np.sin(2 * np.pi * rate_hz * since) * np.clip((since - 0.15) / 0.3, 0, 1)
        if random.random() < scoops:
            bend -= float(random.uniform(0.3, 1.6)) * np.exp(-since / float(random.uniform(0.02, 0.06)))
        elif slides and before is not None and abs(before.pitch - note.pitch) <= 4 and random.random() < slides:
            bend += (before.pitch - note.pitch) * np.exp(-since / 0.03)
        bends += list(zip(times.tolist(), np.clip(bend, -1.99, 1.99).tolist(), strict=True))
    return bends


def kind_of(seed: int) -> str:
    """Kind of the clip of a seed."""
    return _kind(np.random.default_rng([CHANCE, 0, seed]))


def _kind(random: np.random.Generator) -> str:
    return str(random.choice(list(KINDS), p=list(KINDS.values())))


def make_clip(
    seed: int,
    pieces: list[list[list[float]]],
    *,
    tuning: bool = False,
    font: str = sampled.TUNING_FONT,
    line_of: int | None = None,
) -> Clip:
    """The clip of a seed; for ``tuning`` it is played by a soundfont that is in no training.

    With ``line_of`` it is a line of that program.
    """
    random = np.random.default_rng([CHANCE, int(tuning), seed])
    kind = _kind(random)
    sung = seed >= FIRST_SUNG_SEED
    pianist = seed in PIANIST_SEEDS
    kind = "one" if sung or line_of is not None else "keys" if pianist else kind
    synthetic = not tuning and not sung and random.random() < (0.12 if kind in ("one", "keys") else 0.3)
    font = font if tuning else str(random.choice(sampled.TRAINED_FONTS))
    groups = SINGLE if kind == "one" else FAMILIES[kind]
    if sung:
        groups = tuple(g for g in SINGLE if g[0][0] in SUNG)
    if line_of is not None:
        groups = (((line_of,), *next((g[1:] for g in SINGLE if line_of in g[0]), USUAL_RANGE)),)
    group, low, high = groups[int(random.integers(len(groups)))]
    programs = [int(random.choice(group))]
    pedal: tuple[tuple[float, float], ...] = ()
    bends: list[tuple[float, float]] | None = None
    gaps_s = (0.002, 0.03) if kind != "sustained" else (0.003, 0.02)
    sustained_line = kind == "one" and programs[0] in {*range(40, 45), 52, 53, 54, *range(56, 80), 85, 110}
    if kind == "one":
        notes = line(random, low, high, LENGTH_S)
        notes = humanise(
            notes, random, spread_s=float(random.uniform(0.002, 0.01)), loudness=float(random.uniform(55, 105))
        )
        notes = one_at_a_time(notes, random)
        if sung or (sustained_line and random.random() < 0.6):
            bends = sung_bends(notes, random, wide=sung)
    else:
        borrowed = random.random() < {"keys": 0.4, "plucked": 0.1, "sustained": 0.4}[kind]
        notes = excerpt(random, pieces, low, high, LENGTH_S) if borrowed else []
        notes = notes or make_many(random, kind, low, high, LENGTH_S)
        if random.random() < 0.18:
            second = FAMILIES[str(random.choice(list(FAMILIES)))]
            programs.append(int(random.choice(second[int(random.integers(len(second)))][0])))
            split = int(np.median([n.pitch for n in notes]))
            notes = [replace(n, part=int(n.pitch > split)) for n in notes]
        # The tuning set stays as it was when it had no voicing: what was measured on it before can be compared.
        brought_out = BY_PIANISTS if pianist else BROUGHT_OUT
        lift = None if tuning or not notes else voicing(notes, np.random.default_rng([VOICED, seed]), brought_out)
        spread_s, loudness = float(random.uniform(0.002, 0.014)), float(random.uniform(50, 100))
        notes = humanise(notes, random, spread_s=spread_s, loudness=loudness, lift=lift)
        notes = without_overlaps(notes, gaps_s, random)
        if kind == "keys" and random.random() < 0.5:
            pedal = make_pedal(notes, random)
    notes = [n for n in notes if n.onset_s < LENGTH_S - 0.1]
    notes = [replace(n, offset_s=min(n.offset_s, LENGTH_S)) for n in notes]
    performance = Performance(tuple(notes), pedal)
    if synthetic:
        name = {
            "one": random.choice(synthesis.KINDS),
            "keys": "plucked",
            "plucked": random.choice(["plucked", "plucked", "bell"]),
            "sustained": random.choice(["organ", "ensemble", "ensemble", "reed"]),
        }[kind]
        voice = synthesis.make_voice(random, str(name))
        sound = synthesis.render(voice, performance, random)
        onset_s = np.array([n.onset_s for n in notes]) + synthesis.attack_delay_s(voice)
        instrument = f"own {name}"
    else:
        sound = sampled.render(font, tuple(programs), performance, bends=bends)
        onset_s = np.array([sampled.heard_onset_s(font, programs[n.part], n) for n in notes])
        if bends:
            onset_s = np.array([n.onset_s for n in notes]) + 0.5 * (onset_s - np.array([n.onset_s for n in notes]))
        instrument = f"{font} {'+'.join(map(str, programs))}"
        if kind in ("sustained", "plucked") and random.random() < 0.2:
            sound = _layered(sound, font, group, performance, random)
    offset_s = np.array([n.offset_s for n in notes])
    sounding = [performance.damped_s(n) for n in notes]
    return Clip(
        sound=dress(sound, sampled.RATE, random),
        onset_s=onset_s,
        offset_s=np.maximum(offset_s, onset_s + 0.02),
        sounding_off_s=np.maximum(_until_next(notes, sounding), onset_s + 0.02),
        pitch=np.array([n.pitch for n in notes], np.int64),
        velocity=np.array([n.velocity for n in notes], np.int64),
        kind=kind,
        instrument=instrument,
    )


def one_at_a_time(notes: list[Struck], random: np.random.Generator) -> list[Struck]:
    notes = sorted(notes, key=lambda n: n.onset_s)
    kept = []
    for note, following in zip(notes, [*notes[1:], None], strict=True):
        latest_s = following.onset_s - float(random.uniform(0.0, 0.01)) if following else note.offset_s
        if following is None or following.onset_s - note.onset_s > 0.05:
            kept.append(replace(note, offset_s=max(min(note.offset_s, latest_s), note.onset_s + 0.03)))
    return kept


def _layered(
    sound: NDArray[np.float32],
    font: str,
    group: tuple[int, ...],
    performance: Performance,
    random: np.random.Generator,
) -> NDArray[np.float32]:
    """The same notes by a second instrument as well, sometimes an octave higher and softer."""
    step = int(random.choice([0, 0, 12]))
    notes = tuple(replace(n, pitch=min(n.pitch + step, 120), part=0) for n in performance.notes)
    second = sampled.render(font, (int(random.choice(group)),), Performance(notes, performance.pedal))
    length = min(len(sound), len(second))
    loudness = np.sqrt(np.mean(sound[:length] ** 2) / max(float(np.mean(second[:length] ** 2)), 1e-12))
    gain = float(10 ** (random.uniform(-14, -2) / 20)) * loudness
    return np.asarray(sound[:length] + gain * second[:length], np.float32)


def _until_next(notes: list[Struck], sounding: list[float]) -> NDArray[np.float64]:
    """Ends of sound, cut where the same pitch is struck again."""
    ends = np.array(sounding)
    for i, note in enumerate(notes):
        for other in notes:
            if other.pitch == note.pitch and other.onset_s > note.onset_s:
                ends[i] = min(ends[i], other.onset_s)
    return ends
