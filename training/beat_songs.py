"""Songs as they are produced: at one tempo, in sections with feels of their own.

Made-up bands play one pattern throughout. What is produced goes from ordinary time to half and double time and back
while the click goes on: the snare falls on the third beat of a bar, on two and four, or between all beats.
"""

from dataclasses import dataclass

import numpy as np

from training.beat_scores import (
    CLOSED,
    CRASH,
    KICK,
    OPEN,
    RIDE,
    RIM,
    SCALES,
    SNARE,
    TOM,
    Maker,
    Random,
    Score,
    Written,
    bass_line,
    chord_of,
    comping,
    divisions_of,
    harmony_of,
    melody_line,
    near_pitch,
)

METERS = {(4, False): 0.84, (3, False): 0.06, (4, True): 0.05, (5, False): 0.025, (7, False): 0.025}
SECTION_BARS = (2, 4, 4, 8)
# Feels of a section of drums, and how often. Those in which it would be heard at another tempo if nothing came before
# or after are not the only ones of a song.
PLAIN = {"backbeat": 0.4, "four": 0.2, "sparse": 0.1, "broken": 0.2, "toms": 0.1}
OTHERWISE = {"half": 0.3, "double": 0.3, "blast": 0.12, "none": 0.28}
# A snare between all beats is double time from this many beats a minute on, and the snare on three half time.
DOUBLE_BPM, HALF_BPM = 104.0, 100.0
# How long a stroke is written.
STROKE = 0.1
CLAP, LOW_TOM, HIGH_TOM = 39, 43, 48


@dataclass(frozen=True)
class _Section:
    """Bars of one feel, with what plays in them."""

    first_bar: int
    stop_bar: int
    feel: str
    riff: int
    parts: frozenset[str]


def make_song(random: Random, beats: int, bpm: float) -> Score:
    """A song of about so many felt beats at a tempo."""
    kinds = list(METERS)
    length, compound = kinds[int(random.choice(len(kinds), p=list(METERS.values())))]
    count = max(4, round(beats / length))
    starts, lengths = [length * n for n in range(count)], [length] * count
    phrase_bars = int(random.choice([2, 4, 4, 8]))
    maker = Maker(
        beats=count * length, starts=starts, lengths=lengths, compound=compound,
        harmony=harmony_of(random, starts, lengths, phrase_bars), scale=SCALES[int(random.integers(len(SCALES)))],
        tonic=int(random.integers(57, 69)), divisions=divisions_of(random, compound, bool(random.random() < 0.08)),
        rests=float(random.choice([0.03, 0.1, 0.25])), syncopation=float(random.choice([0.0, 0.1, 0.3])),
        accented=float(random.choice([0.0, 0.2, 0.6])), phrase_bars=phrase_bars,
    )  # fmt: skip
    sections = _sections(random, count, bpm, compound)
    melody = melody_line(random, maker, 0, 60, 88)
    riffs = [_riff(random, maker) for _ in range(3)]
    notes: list[Written] = []
    for section in sections:
        first, stop = section.first_bar * length, min(section.stop_bar, count) * length
        playing = riffs[section.riff] if "riff" in section.parts else []
        playing = playing + (melody if "melody" in section.parts else [])
        notes += [n for n in playing if first <= n.onset < stop]
        notes += _beaten(random, maker, section, length, count)
    return Score(tuple(notes), tuple(starts), tuple(lengths), compound, "song")


def _sections(random: Random, bars: int, bpm: float, compound: bool) -> list[_Section]:
    plain, others = dict(PLAIN), dict(OTHERWISE)
    if bpm < DOUBLE_BPM or compound:
        others["double"] = others["blast"] = 0.0
    if bpm < HALF_BPM or compound:
        others["half"] = 0.0
    usual = str(random.choice(list(plain), p=list(plain.values())))
    otherwise = float(random.choice([0.15, 0.4, 0.6]))
    found: list[_Section] = []
    bar = 0
    while bar < bars:
        stop = bar + int(random.choice(SECTION_BARS))
        feel = usual if random.random() < 0.7 else str(random.choice(list(plain), p=list(plain.values())))
        if random.random() < otherwise:
            weights = np.array(list(others.values()))
            feel = str(random.choice(list(others), p=weights / weights.sum()))
        parts = {"riff"} if random.random() < 0.9 or feel == "none" else set()
        parts |= {"melody"} if random.random() < 0.45 else set()
        found.append(_Section(bar, stop, feel, int(random.choice(3, p=[0.5, 0.3, 0.2])), frozenset(parts)))
        bar = stop
    return found


def _beaten(random: Random, maker: Maker, section: _Section, length: int, count: int) -> list[Written]:
    """The drums of a section: its feel, a crash where it begins, a fill where it ends."""
    if section.feel == "none":
        return []
    bar = _pattern(random, section.feel, length, maker.compound)
    other = _pattern(random, section.feel, length, maker.compound) if random.random() < 0.3 else bar
    fill_beats = int(random.choice([0, 0, 1, 1, 2, length]))
    notes: list[Written] = []
    last = min(section.stop_bar, count) - 1
    for number in range(section.first_bar, last + 1):
        start = number * length
        filled = fill_beats if number == last else 0
        for at, key, accent in other if number % 2 else bar:
            if at < length - filled and random.random() < 0.97:
                notes.append(Written(start + at, STROKE, key, -1, accent))
        if filled:
            step = 1 / 3 if maker.compound else float(random.choice([0.25, 0.25, 0.5]))
            keys = sorted(random.choice([SNARE, HIGH_TOM, TOM, LOW_TOM], size=round(filled / step)).tolist())
            for i, key in enumerate(keys):
                notes.append(Written(start + length - filled + i * step, STROKE, int(key), -1, 0.3))
    if random.random() < 0.7:
        notes.append(Written(section.first_bar * length, STROKE, CRASH, -1, 0.8))
    return notes


def _pattern(random: Random, feel: str, length: int, compound: bool) -> list[tuple[float, int, float]]:
    """Strokes of a bar: place in beats, key and accent."""
    parts = 3 if compound else 4
    keeper = int(random.choice([CLOSED, CLOSED, CLOSED, RIDE, RIDE, OPEN, CRASH]))
    back = {3: [1, 2], 4: [1, 3], 5: [2, 4], 7: [2, 4, 6]}[length]
    found: list[tuple[float, int, float]] = []
    kicks = {0.0}
    if feel == "backbeat":
        kicks |= {
            b + s / parts
            for b in range(length)
            for s in range(parts)
            if random.random() < (0.25 if s % 2 == 0 else 0.08)
        }
        found += [(float(b), SNARE, 0.5) for b in back]
        if random.random() < 0.15:
            kicks |= {s / parts for s in range(length * parts)}
    elif feel == "four":
        kicks = {float(b) for b in range(length)}
        clapped = int(random.choice([SNARE, CLAP, RIM]))
        found += [(float(b), clapped, 0.3) for b in back] if random.random() < 0.7 else []
        found += (
            [(b + (2 / 3 if compound else 0.5), OPEN, 0.2) for b in range(length)] if random.random() < 0.6 else []
        )
    elif feel == "half":
        kicks |= {b + s / parts for b in range(length) for s in range(0, parts, 2) if random.random() < 0.25}
        found += [(float(length // 2), SNARE, 0.6)]
    elif feel == "double":
        # Kick on the beats, snare between them: ordinary time at twice the tempo.
        kicks = {b + s for b in range(length) for s in (0.0, 0.25) if s == 0 or random.random() < 0.25}
        kicks -= {float(b) for b in range(1, length) if random.random() < 0.15}
        found += [(b + 0.5, SNARE, 0.6) for b in range(length)]
    elif feel == "blast":
        together = random.random() < 0.5
        kicks = {s / parts for s in range(length * parts) if s % 2 == 0 or together}
        found += [(s / parts, SNARE, 0.3) for s in range(length * parts) if s % 2 == int(not together)]
    elif feel == "broken":
        kicks |= {b + s / parts for b in range(length) for s in range(parts) if random.random() < (0.3 if s else 0.4)}
        found += [(float(b), SNARE, 0.6) for b in back if random.random() < 0.8]
        found += [(s / parts, SNARE, -1.0) for s in range(length * parts) if random.random() < 0.12]
    elif feel == "toms":
        found += [
            (s / parts, int(random.choice([TOM, LOW_TOM, HIGH_TOM])), 0.4 if s % parts == 0 else 0.0)
            for s in range(length * parts)
            if random.random() < (0.7 if s % 2 == 0 else 0.3)
        ]
    else:
        kicks |= {float(b) for b in range(length) if random.random() < 0.2}
    snares = {at for at, key, _ in found if key == SNARE}
    if feel in ("backbeat", "half", "broken"):
        kicks -= {at for at in snares if random.random() < 0.9}
    found += [(at, KICK, 0.4 if at % 1 == 0 else 0.0) for at in sorted(kicks)]
    step = float(random.choice([1.0, 0.5, 0.5, 0.25] if not compound else [1.0, 1 / 3, 1 / 3]))
    between = feel in ("double", "blast", "four") and random.random() < 0.3 and not compound
    if random.random() < 0.9:
        found += [
            (float(at) + (0.5 if between and step == 1.0 else 0.0), keeper, 0.1 if at % 1 == 0 else -0.4)
            for at in np.arange(0, length - 1e-6, step)
        ]
    return found


def _riff(random: Random, maker: Maker) -> list[Written]:
    """Chords and bass that go on through the song: held, struck, chugged, galloped or broken, and their bass."""
    style = str(random.choice(["comping", "chugs", "chugs", "arpeggio", "held", "stabs"]))
    if style == "comping":
        return comping(random, maker, 1) + bass_line(random, maker, 2)
    length = max(maker.lengths)
    parts = 3 if maker.compound else 4
    steps = length * parts
    bars = int(random.choice([1, 2]))
    if style == "chugs":
        every = int(random.choice([1, 2, 2, parts]))
        struck = [s % every == 0 or random.random() < 0.15 for s in range(bars * steps)]
        struck = [s and random.random() < 0.93 for s in struck]
    elif style == "stabs":
        struck = [random.random() < (0.4 if s % 2 == 0 else 0.2) for s in range(bars * steps)]
    elif style == "arpeggio":
        struck = [True] * (bars * steps)
    else:
        struck = [s == 0 or (s % parts == 0 and random.random() < 0.15) for s in range(bars * steps)]
    struck[0] = struck[0] or random.random() < 0.85
    loud = [float(random.choice([0.0, 0.0, 1.0])) if random.random() < 0.4 else -0.4 for _ in struck]
    period = int(random.choice([3, 4, 4, 6, 8]))
    middle = float(random.uniform(45, 62))
    notes: list[Written] = []
    follows = random.random() < 0.7
    for bar in range(len(maker.starts)):
        for s in range(steps):
            at = bar * length + s / parts
            where = (bar % bars) * steps + s
            if not struck[where]:
                continue
            chord = chord_of(maker.scale, maker.tonic, maker.degree_at(int(at)))
            gap = next((k for k in range(1, 2 * steps) if struck[(where + k) % len(struck)]), steps) / parts
            root = near_pitch(chord[0], middle)
            if style == "arpeggio":
                order = [*chord, chord[0] + 12]
                pitches = [near_pitch(order[s % period % 4], middle + 10)]
            elif style in ("chugs", "stabs"):
                pitches = (
                    [root, root + 7, root + 12]
                    if loud[where] > 0 or style == "stabs"
                    else [root, root + 7][: int(random.integers(1, 3))]
                )
            else:
                pitches = [near_pitch(p, middle + 3 * i) for i, p in enumerate(chord)]
            held = gap * (0.6 if style == "chugs" and loud[where] <= 0 else 0.95)
            notes += [Written(at, held, p, 1, loud[where]) for p in pitches]
            if follows and style != "arpeggio":
                notes.append(Written(at, held, near_pitch(chord[0], 38), 2, loud[where]))
    return notes if follows and style != "arpeggio" else notes + bass_line(random, maker, 2)
