"""What the band played without a click: the curtain call, and the overture with its written score."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import accumulate

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.beat.tempo_map import Knot, Meter, TempoMap
from honest_stave.core.formats.midi_write import MidiSettings, WrittenPart, write_midi
from honest_stave.core.part.events import Sounding
from honest_stave.demo import sounds
from honest_stave.demo.loops import STRUCK
from honest_stave.demo.score import Played
from honest_stave.demo.takes import as_wav

CURTAIN_BPM, OVERTURE_BPM = 104.0, 88.0
BARS = 16
# In this bar everybody stops after the first beat: where the others lie can only be guessed.
STOP_BAR = 10
# Roots and chords of four bars, in G.
CHORDS = ((43, (59, 62, 67)), (40, (59, 64, 67)), (36, (60, 64, 67)), (38, (57, 62, 66)))
# (length in beats, pitch; 0 for a rest), sixteen bars after one beat of pickup.
CURTAIN_TUNE = (
    (0.5, 74), (0.5, 78),
    (1, 79), (0.5, 79), (0.5, 83), (1, 86), (1, 83), (1, 79), (0.5, 76), (0.5, 79), (2, 83), (1, 84), (0.5, 84),
    (0.5, 83), (1, 79), (1, 76), (1, 78), (0.5, 81), (0.5, 78), (2, 74),
)  # fmt: skip
# Bars of the overture: beats written, whether its last beat is held, top voice (two on a beat are eighths), bass.
OVERTURE_BARS: tuple[tuple[int, bool, tuple[int | tuple[int, int], ...], int], ...] = (
    (4, False, (67, 71, 74, 71), 43), (4, False, (72, 71, 69, 67), 48), (4, True, (66, 69, 74, 74), 50),
    (3, False, (76, 74, 72), 48), (3, False, (71, (74, 76), 79), 43), (3, False, (78, 76, 74), 50),
    (3, True, (72, 71, 71), 43), (4, False, (67, 69, (71, 69), 72), 48), (4, False, (74, 76, (78, 76), 79), 50),
    (4, False, (81, 79, 78, 76), 45), (4, True, (74, 78, 79, 79), 43),
)  # fmt: skip
# A held beat is written so many beats longer, as scores write fermatas out, and really lasts so many.
HELD_WRITTEN, HELD_REAL = 2, 2.6
# The second of two eighths comes late: so far on in its beat.
SECOND_EIGHTH = 0.57


Rows = Sequence[tuple[float, float, int]]


@dataclass(frozen=True)
class LiveTake:
    """A performance without a click: file name, felt beats (s), places in the bar from 1, samples, score if any.

    ``between_s`` holds the moments of what its score writes between beats.
    """

    file_name: str
    beat_s: tuple[float, ...]
    beat: tuple[int, ...]
    samples: NDArray[np.float32]
    score: bytes = b""
    between_s: tuple[float, ...] = ()

    def wav(self) -> bytes:
        """The recording as a 24-bit WAV file."""
        return as_wav(self.samples)


def _moments(count: int, bpm: float, start_s: float, seed: int, slowing: int) -> NDArray[np.float64]:
    """Moments of beats at a tempo that breathes, and slows over the last ``slowing``."""
    random = np.random.default_rng(seed)
    place = np.arange(count)
    bend = 0.035 * np.sin(2 * np.pi * place / 32) + np.cumsum(random.normal(0, 0.004, count))
    bend += 0.5 * np.clip((place - count + slowing) / slowing, 0, 1) ** 1.6
    return start_s + np.concatenate([[0.0], np.cumsum(60 / bpm * np.exp(bend[:-1]))])


@lru_cache(maxsize=1)
def curtain_call() -> LiveTake:
    """The curtain call: tune, bass, chords and the toy cupboard, a pickup of one beat, slower at the end."""
    beats = 4 * BARS + 2
    at = _moments(beats, CURTAIN_BPM, 1.05, 51, 10)
    random = np.random.default_rng(52)

    def moment(beat: float) -> float:
        return float(np.interp(beat, np.arange(beats), at) + random.normal(0, 0.004))

    tune: list[Played] = []
    place = 0.0
    phrase = (*CURTAIN_TUNE, *(CURTAIN_TUNE[2:] * 4))
    for length, pitch in phrase:
        held = STOP_BAR <= (place - 1) / 4 < STOP_BAR + 1 and (place - 1) % 4 >= 1
        if place + length <= beats - 1 and not held:
            tune.append(Played(moment(place), moment(place + 0.9 * length), pitch, 0.7))
        place += length
    bass, chords = [], []
    struck: dict[str, list[tuple[float, float]]] = {"kick": [], "snare": [], "hat": []}
    for bar in range(BARS):
        root, chord = CHORDS[bar % 4]
        first = 1 + 4 * bar
        if bar == STOP_BAR:
            bass.append(Played(moment(first), moment(first + 1), root, 0.9))
            struck["kick"].append((moment(first), 1.0))
            continue
        for beat in (0, 2):
            bass.append(Played(moment(first + beat), moment(first + beat + 1.6), root + 7 * (beat == 2), 0.9))
        for beat in (1, 3):
            chords += [Played(moment(first + beat), moment(first + beat + 0.5), p, 0.5) for p in chord]
        struck["kick"] += [(moment(first), 1.0), (moment(first + 2), 0.8)]
        struck["snare"] += [(moment(first + 1), 0.7), (moment(first + 3), 0.8)]
        struck["hat"] += [(moment(first + k / 2), 0.5 if k % 2 else 0.7) for k in range(8)]
    last = 1 + 4 * BARS
    bass.append(Played(float(at[last]), float(at[last]) + 1.8, 31, 1.0))
    chords += [Played(float(at[last]), float(at[last]) + 1.8, p, 0.6) for p in (55, 59, 62, 67)]
    tune.append(Played(float(at[last]), float(at[last]) + 1.8, 79, 0.8))
    seconds = float(at[-1]) + 3.0
    sound = sounds.whistle(tune, seconds) * 0.5 + 0.7 * sounds.washtub(bass, seconds)
    sound = sound + 0.12 * sounds.harmonium(chords, seconds)
    for name, strokes in struck.items():
        make = STRUCK[name][0]
        for time_s, loud in strokes:
            stroke = make(int(random.integers(1 << 30)))
            first_sample = round(time_s * sounds.RATE)
            piece = sound[first_sample : first_sample + len(stroke)]
            piece += 0.5 * loud * stroke[: len(piece)]
    places = tuple(int((i - 1) % 4) + 1 for i in range(beats))
    return LiveTake("curtain call, live.wav", tuple(at.tolist()), places, sounds.as_take(sound, -3.0))


@lru_cache(maxsize=1)
def overture() -> LiveTake:
    """The overture on harmonium and whistle, freely, with holds; its score is strict and writes the holds out."""
    lengths = [beats for beats, *_ in OVERTURE_BARS]
    total = sum(lengths)
    at = _moments(total + 1, OVERTURE_BPM, 0.8, 61, 4)
    ends = list(accumulate(lengths))
    for end, (_, held, *_) in zip(ends, OVERTURE_BARS, strict=True):
        if held:
            at[end:] += (HELD_REAL - 1) * 60 / OVERTURE_BPM
    random = np.random.default_rng(62)
    top, low = [], []
    between: list[float] = []
    written_top: list[tuple[float, float, int]] = []
    written_low: list[tuple[float, float, int]] = []
    meters: list[Meter] = []
    places: list[int] = []
    written = 0.0
    for number, (beats, held, melody, root) in enumerate(OVERTURE_BARS):
        first = ends[number] - beats
        places += list(range(1, beats + 1))
        for k, pitch in enumerate(melody):
            begin, stop = float(at[first + k]), float(at[first + k + 1])
            if isinstance(pitch, tuple):
                second = begin + SECOND_EIGHTH * (stop - begin)
                top += [Played(begin, second - 0.02, pitch[0], 0.7), Played(second, stop - 0.04, pitch[1], 0.7)]
                written_top += [(written + k, 0.5, pitch[0]), (written + k + 0.5, 0.5, pitch[1])]
                between.append(second)
                continue
            lasts = HELD_WRITTEN + 1 if held and k == beats - 1 else 1
            top.append(Played(begin + random.normal(0, 0.006), stop - 0.04, pitch, 0.7))
            written_top.append((written + k, lasts, pitch))
        for pitch in (root, root + 12, root + 16 if root not in (45, 40) else root + 15):
            low.append(Played(float(at[first]) + random.normal(0, 0.005), float(at[ends[number]]) - 0.06, pitch, 0.5))
            written_low.append((written, beats + (HELD_WRITTEN if held else 0), pitch))
        bar_beats = beats + (HELD_WRITTEN if held else 0)
        if not meters or meters[-1].numerator != bar_beats:
            meters.append(Meter(number, bar_beats, 4))
        written += bar_beats
    seconds = float(at[-1]) + 1.5
    sound = 0.45 * sounds.whistle(top, seconds) + 0.16 * sounds.harmonium(
        sorted(low, key=lambda n: n.onset_s), seconds
    )
    samples = sounds.as_take(sound, -5.0)
    return LiveTake(
        "overture, first night.wav",
        tuple(at[:-1].tolist()),
        tuple(places),
        samples,
        _score(written_top, written_low, meters),
        tuple(between),
    )


def _score(top: Rows, low: Rows, meters: list[Meter]) -> bytes:
    """The written overture as a MIDI file in strict tempo."""
    step_s = 60 / OVERTURE_BPM

    def notes(rows: Rows, name: str) -> tuple[Sounding, ...]:
        return tuple(
            Sounding(f"{name} {i}", a * step_s, (a + 0.97 * d) * step_s, p, 80) for i, (a, d, p) in enumerate(rows)
        )

    parts = [WrittenPart("Whistle", 78, notes(top, "top")), WrittenPart("Harmonium", 20, notes(low, "low"))]
    tempo_map = TempoMap((Knot(0.0, 0.0),), tuple(meters), 1, OVERTURE_BPM)
    return write_midi(parts, tempo_map, MidiSettings(title="Overture"))
