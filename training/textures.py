"""Random music in many textures: strict notes in seconds, before hands play them."""

from collections.abc import Callable

import numpy as np

from training.performance import Struck

Random = np.random.Generator
SCALES = (
    (0, 2, 4, 5, 7, 9, 11), (0, 2, 3, 5, 7, 8, 10), (0, 2, 3, 5, 7, 8, 11), (0, 2, 4, 7, 9),
    (0, 2, 3, 5, 7, 9, 10), (0, 3, 5, 6, 7, 10), (0, 1, 3, 5, 7, 8, 10), (0, 2, 4, 6, 8, 10),
)  # fmt: skip
CHORDS = (
    (0, 4, 7), (0, 3, 7), (0, 4, 7, 10), (0, 3, 7, 10), (0, 4, 7, 11), (0, 5, 7), (0, 2, 7),
    (0, 3, 6), (0, 3, 6, 9), (0, 4, 8), (0, 4, 7, 14), (0, 3, 7, 14),
)  # fmt: skip


def _pool(random: Random, low: int, high: int) -> list[int]:
    scale = SCALES[int(random.integers(len(SCALES)))]
    tonic = int(random.integers(12))
    pool = [p for p in range(low, high + 1) if (p - tonic) % 12 in scale]
    return pool if len(pool) > 2 else list(range(low, high + 1))


def line(random: Random, low: int, high: int, length_s: float) -> list[Struck]:
    """One voice: steps, leaps, repeated notes, rests; legato to staccato."""
    base = int(random.integers(low, max(low + 1, high - 16)))
    pool = _pool(random, base, min(base + int(random.integers(8, 24)), high))
    unit_s = float(random.choice([0.09, 0.12, 0.16, 0.22, 0.3]) * random.uniform(0.85, 1.2))
    held = float(random.choice([1.0, 1.0, 0.96, 0.85, 0.6, 0.4]))
    repeats = float(random.choice([0.05, 0.15, 0.4]))
    leaps = float(random.choice([0.1, 0.3]))
    place, time_s, notes = int(random.integers(len(pool))), float(random.uniform(0.05, 0.6)), []
    while time_s < length_s:
        units = int(random.choice([1, 1, 1, 2, 2, 3, 4, 6]))
        if random.random() < 0.06:
            time_s += units * unit_s
            continue
        if random.random() > repeats:
            reach = int(random.integers(3, 8)) if random.random() < leaps else int(random.integers(1, 3))
            place = int(np.clip(place + reach * random.choice([-1, 1]), 0, len(pool) - 1))
        notes.append(Struck(time_s, time_s + max(0.06, units * unit_s * held), pool[place], 80))
        time_s += units * unit_s
    return notes


def independent_lines(random: Random, low: int, high: int, length_s: float) -> list[Struck]:
    """Two to five voices that do not care for each other."""
    voices = int(random.integers(2, 6))
    span = max(9, (high - low) // voices)
    notes = []
    for voice in range(voices):
        start = min(low + voice * span, high - 7)
        notes += line(random, start, min(start + span + 4, high), length_s)
    return notes


def part_writing(random: Random, low: int, high: int, length_s: float) -> list[Struck]:
    """Three to five voices that mostly move together; notes held over or struck anew."""
    voices = int(random.integers(3, 6))
    unit_s = float(random.uniform(0.3, 0.95))
    top = int(random.integers(min(low + 20, high - 4), high))
    pool = _pool(random, max(low, top - 34), top)
    places = sorted(random.choice(len(pool), min(voices, len(pool)), replace=False).tolist())
    restruck = float(random.choice([0.3, 0.7, 1.0]))
    legato = float(random.choice([1.0, 1.0, 0.97, 0.85]))
    time_s, notes, sounding = float(random.uniform(0.05, 0.4)), [], {}
    while time_s < length_s:
        length = unit_s * float(random.choice([0.5, 1, 1, 1, 2]))
        for voice in range(len(places)):
            moved = int(random.choice([-2, -1, -1, 0, 0, 1, 1, 2]))
            place = int(np.clip(places[voice] + moved, 0, len(pool) - 1))
            if place == places[voice] and voice in sounding and random.random() > restruck:
                earlier = notes[sounding[voice]]
                notes[sounding[voice]] = Struck(earlier.onset_s, time_s + length * legato, earlier.pitch, 80)
                continue
            places[voice] = place
            sounding[voice] = len(notes)
            notes.append(Struck(time_s, time_s + length * legato, pool[place], 80))
            if random.random() < 0.12 and length > 0.4:
                half = time_s + length / 2
                notes[-1] = Struck(time_s, half, pool[place], 80)
                passing = pool[int(np.clip(place + random.choice([-1, 1]), 0, len(pool) - 1))]
                sounding[voice] = len(notes)
                notes.append(Struck(half, time_s + length * legato, passing, 80))
        time_s += length
    return notes


def _chord(random: Random, low: int, high: int) -> list[int]:
    shape = CHORDS[int(random.integers(len(CHORDS)))]
    root = int(random.integers(low, max(low + 1, high - 18)))
    pitches = [root + step for step in shape]
    for i in range(int(random.integers(0, 3))):
        pitches[i % len(pitches)] += 12
    if random.random() < 0.4:
        pitches.append(root - 12)
    if random.random() < 0.25:
        pitches.append(max(pitches) + 12 - int(random.integers(0, 2)) * 5)
    return sorted({p for p in pitches if low <= p <= high}) or [root]


def chords(random: Random, low: int, high: int, length_s: float) -> list[Struck]:
    """Block chords, held, short or pumped, several strokes to a chord."""
    unit_s = float(random.choice([0.14, 0.2, 0.28, 0.5, 0.9]) * random.uniform(0.85, 1.15))
    held = float(random.choice([1.0, 0.95, 0.7, 0.35]))
    strokes = int(random.choice([1, 1, 2, 4, 8]))
    time_s, notes = float(random.uniform(0.05, 0.5)), []
    while time_s < length_s:
        pitches = _chord(random, low, high)
        for _ in range(strokes):
            if random.random() < 0.88:
                for pitch in pitches:
                    notes.append(Struck(time_s, time_s + max(0.07, unit_s * held), pitch, 80))
            time_s += unit_s
    return notes


def strums(random: Random, low: int, high: int, length_s: float) -> list[Struck]:
    """Chords drawn over the strings, down and up, ringing to the next."""
    unit_s = float(random.uniform(0.22, 0.8))
    gap_s = float(random.uniform(0.006, 0.03))
    time_s, notes = float(random.uniform(0.1, 0.5)), []
    while time_s < length_s:
        pitches = _chord(random, low, high)
        pitches = sorted(set(pitches + [p + 12 for p in pitches[:2] if p + 12 <= high]))
        for _ in range(int(random.choice([1, 2, 3, 4]))):
            order = pitches if random.random() < 0.7 else pitches[::-1]
            for i, pitch in enumerate(order):
                notes.append(Struck(time_s + i * gap_s, time_s + unit_s * 0.98, pitch, 80))
            time_s += unit_s
    return notes


def arpeggios(random: Random, low: int, high: int, length_s: float) -> list[Struck]:
    """Broken chords whose notes ring on until the chord changes, or are let go."""
    unit_s = float(random.uniform(0.09, 0.3))
    rings = random.random() < 0.7
    time_s, notes = float(random.uniform(0.05, 0.5)), []
    while time_s < length_s:
        pitches = _chord(random, low, high)
        if random.random() < 0.5:
            pitches = sorted(set(pitches + [p + 12 for p in pitches if p + 12 <= high]))
        order = random.permutation(pitches).tolist() if random.random() < 0.4 else pitches + pitches[-2:0:-1]
        count = int(random.choice([6, 8, 12, 16]))
        change_s = time_s + count * unit_s
        for i in range(count):
            pitch = order[i % len(order)]
            off_s = change_s if rings else time_s + unit_s * 1.05
            notes.append(Struck(time_s, off_s, pitch, 80))
            time_s += unit_s
    return notes


def accompanied(random: Random, low: int, high: int, length_s: float) -> list[Struck]:
    """A melody over chords, a broken figure or a bass."""
    middle = (low + high) // 2
    under = (chords, arpeggios, chords, line)[int(random.integers(4))]
    notes = line(random, middle, high, length_s)
    return notes + under(random, low, min(middle + 6, high), length_s)


def octaves(random: Random, low: int, high: int, length_s: float) -> list[Struck]:
    """A line doubled an octave up or down, sometimes two, sometimes with a fifth."""
    notes = line(random, low, max(low + 14, high - 12), length_s)
    steps = [(12,), (12,), (12, 24), (7, 12), (19,)][int(random.integers(5))]
    doubled = [
        Struck(n.onset_s, n.offset_s, n.pitch + step, 80) for n in notes for step in steps if n.pitch + step <= high
    ]
    return notes + doubled


def repeated(random: Random, low: int, high: int, length_s: float) -> list[Struck]:
    """Notes struck again and again while neighbours are held."""
    pool = _pool(random, low, high)
    time_s, notes = float(random.uniform(0.05, 0.4)), []
    while time_s < length_s:
        span_s = float(random.uniform(0.8, 2.4))
        pitches = random.choice(pool, min(int(random.integers(1, 5)), len(pool)), replace=False).tolist()
        for pitch in pitches:
            count = int(random.choice([1, 2, 3, 4, 6, 8]))
            step_s = max(span_s / count, 0.1)
            for i in range(count):
                notes.append(Struck(time_s + i * step_s, time_s + (i + 1) * step_s * 0.995, pitch, 80))
        time_s += span_s
    return notes


Texture = Callable[[Random, int, int, float], list[Struck]]
MANY: dict[str, tuple[tuple[Texture, float], ...]] = {
    "keys": (
        (accompanied, 3), (chords, 2), (arpeggios, 2), (independent_lines, 2), (part_writing, 2), (octaves, 1),
        (repeated, 1),
    ),
    "plucked": ((strums, 3), (arpeggios, 3), (accompanied, 2), (independent_lines, 1), (chords, 1), (repeated, 1)),
    "sustained": (
        (part_writing, 5), (independent_lines, 2), (chords, 2), (repeated, 3), (accompanied, 1), (octaves, 1),
    ),
}  # fmt: skip


def make_many(random: Random, family: str, low: int, high: int, length_s: float) -> list[Struck]:
    """Several voices in a texture that suits the family of instruments."""
    textures, weights = zip(*MANY[family], strict=True)
    chosen = textures[int(random.choice(len(textures), p=np.array(weights) / sum(weights)))]
    return chosen(random, low, high, length_s)
