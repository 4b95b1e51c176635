"""Made-up music with bars, in felt beats: bands, accompanied melodies, piano figures and part-writing."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np

Random = np.random.Generator
# Degrees of the scale on which phrases end, and which lead there.
TONIC, DOMINANT = 0, 4
# Beats of a bar, whether each is divided in three, and how often.
METERS = (
    ((4, False), 0.29), ((3, False), 0.25), ((2, False), 0.07), ((5, False), 0.08), ((7, False), 0.03),
    ((6, False), 0.02), ((2, True), 0.13), ((3, True), 0.06), ((4, True), 0.07),
)  # fmt: skip
SCALES = ((0, 2, 4, 5, 7, 9, 11), (0, 2, 3, 5, 7, 8, 10), (0, 2, 3, 5, 7, 9, 10), (0, 2, 4, 5, 7, 9, 10))
TEXTURES = {"band": 0.32, "no drums": 0.24, "figures": 0.22, "chorale": 0.22}
# General MIDI keys of the drums that a pattern uses.
KICK, SNARE, RIM, CLOSED, OPEN, RIDE, CRASH, TOM = 36, 38, 37, 42, 46, 51, 49, 45


@dataclass(frozen=True)
class Written:
    """A note in felt beats from the first downbeat; ``part`` -1 is a drum, whose pitch is its key."""

    onset: float
    duration: float
    pitch: int
    part: int
    accent: float


@dataclass(frozen=True)
class Score:
    """Notes, and the first beat of each bar with its beats and how they are divided."""

    notes: tuple[Written, ...]
    bar_starts: tuple[int, ...]
    bar_beats: tuple[int, ...]
    compound: bool
    texture: str


def make_bars(random: Random, beats: int, threes: float = 0.0) -> tuple[list[int], list[int], bool]:
    """Bars over so many beats: where they start, their beats, and whether these are divided in three."""
    kinds, weights = zip(*METERS, strict=True)
    length, compound = kinds[int(random.choice(len(kinds), p=np.array(weights) / sum(weights)))]
    if random.random() < threes:
        length, compound = 3, False
    changes = random.random() < 0.08
    starts, lengths, place = [], [], 0
    while place < beats:
        if changes and len(starts) >= 6 and random.random() < 0.12:
            length = int(random.choice([n for (n, c), _ in METERS if c == compound]))
        starts.append(place)
        lengths.append(length)
        place += length
    return starts, lengths, compound


def harmony_of(random: Random, starts: list[int], lengths: list[int], phrase_bars: int) -> list[tuple[int, int, int]]:
    """Rows of first beat, beats and degree: chords change at bars, sometimes inside, rarely before one.

    A phrase ends on its tonic, which its dominant leads to. Bars of two beats are never joined by
    their chords: they would be heard as bars of four.
    """
    paces = ["bar", "bar", "bar", "half", "beat"] + ["two bars"] * (min(lengths) > 2)
    pace = str(random.choice(paces))
    degrees = (0, 3, 4, 5, 1, 0, 3, 4, 2, 6)
    loop = [int(random.choice(degrees)) for _ in range(int(random.choice([2, 4, 4, 8])))]
    closes = float(random.choice([0.0, 0.6, 0.95]))
    rows: list[tuple[int, int, int]] = []
    for number, (start, length) in enumerate(zip(starts, lengths, strict=True)):
        closing = number % phrase_bars == phrase_bars - 1 and random.random() < closes
        if closing and rows:
            first, beats, _ = rows.pop()
            rows += [(first, beats, DOMINANT), (start, length, TONIC)]
            continue
        if pace == "two bars" and number % 2 and rows and random.random() < 0.9:
            first, beats, degree = rows.pop()
            rows.append((first, beats + length, degree))
            continue
        inside = {"half": [length // 2] if length % 2 == 0 else [length - 1], "beat": list(range(1, length))}
        cuts = [0, *(inside.get(pace, []) if random.random() < 0.7 else []), length]
        for a, b in pairwise(cuts):
            if b > a:
                degree = loop[len(rows) % len(loop)] if random.random() < 0.85 else int(random.choice(degrees))
                rows.append((start + a, b - a, degree))
    return rows


def chord_of(scale: tuple[int, ...], tonic: int, degree: int, size: int = 3) -> list[int]:
    return [tonic + scale[(degree + 2 * i) % 7] + 12 * ((degree + 2 * i) // 7) for i in range(size)]


def near_pitch(pitch: int, middle: float) -> int:
    return pitch + 12 * round((middle - pitch) / 12)


def divisions_of(random: Random, compound: bool, swing: bool) -> list[tuple[float, ...]]:
    """Ways of filling a beat, as onsets within it."""
    if compound:
        return [(0.0,), (0.0, 2 / 3), (0.0, 1 / 3, 2 / 3), (0.0, 1 / 3), (1 / 3, 2 / 3), (2 / 3,)]
    half = 2 / 3 if swing else 0.5
    simple = [
        (0.0,),
        (0.0, half),
        (0.0, 0.25, 0.5, 0.75),
        (half,),
        (0.0, 0.75),
        (0.0, 0.5, 0.75),
        (0.0, 1 / 3, 2 / 3),
    ]
    return simple[:4] if swing else simple


def melody_line(random: Random, score: "Maker", part: int, low: int, high: int) -> list[Written]:
    """A line whose rhythm repeats by the bar as a rule, with long notes where bars begin and phrases end."""
    weights = np.array([4.0, 3.0, 1.5, *([0.6] * 10)])[: len(score.divisions)] * random.uniform(0.3, 1.7)
    longest = max(score.lengths)
    bars = int(random.choice([1, 2, 4], p=[0.4, 0.4, 0.2]))
    # Some lines go against the bar.
    period = bars * longest if random.random() < 0.85 else int(random.integers(2, 9))
    motif = [int(random.choice(len(score.divisions), p=weights / weights.sum())) for _ in range(period)]
    repeats, closes = random.random() < 0.7, float(random.choice([0.0, 0.5, 0.9]))
    lingers = float(random.choice([0.0, 0.25, 0.5]))
    place, notes, rests_until = int(random.integers(7)), [], 0.0
    for number, (start, length) in enumerate(zip(score.starts, score.lengths, strict=True)):
        closing = number % score.phrase_bars == score.phrase_bars - 1 and random.random() < closes
        for k, beat in enumerate(range(start, start + length)):
            where = beat if period != bars * longest else (number % bars) * longest + k
            known = repeats and random.random() < 0.85
            chosen = motif[where % period] if known else int(random.integers(len(score.divisions)))
            if beat < rests_until or random.random() < score.rests * (0.4 if k == 0 else 1.0):
                continue
            onsets = score.divisions[chosen]
            held = 0.0
            if k == 0 and closing:
                onsets, held = (0.0,), length * float(random.uniform(0.6, 1.0))
            elif k == 0 and length > 2 and random.random() < lingers:
                onsets, held = (0.0,), 2.0
            rests_until = beat + held if held else rests_until
            tied = random.random() < score.syncopation * (0.4 if k == 0 else 1.0)
            for i, at in enumerate(onsets):
                if tied and i == 0 and at == 0.0 and beat > 0:
                    continue
                following = onsets[i + 1] if i + 1 < len(onsets) else 1.0 + (0.6 if random.random() < 0.3 else 0.0)
                following = held or following
                if at == 0.0 and random.random() < 0.6:
                    degree = score.degree_at(beat)
                    place = int(random.choice([0, 2, 4])) + degree + 7 * ((place - degree) // 7)
                else:
                    place += int(random.choice([-2, -1, -1, 1, 1, 2]))
                pitch = score.tonic + score.scale[place % 7] + 12 * (place // 7)
                pitch = int(np.clip(near_pitch(pitch, np.clip(pitch, low + 6, high - 6)), low, high))
                notes.append(Written(beat + at, following - at, pitch, part, score.accent(beat, at)))
    return notes


@dataclass
class Maker:
    """What the textures of one score share."""

    beats: int
    starts: list[int]
    lengths: list[int]
    compound: bool
    harmony: list[tuple[int, int, int]]
    scale: tuple[int, ...]
    tonic: int
    divisions: list[tuple[float, ...]]
    rests: float
    syncopation: float
    accented: float
    phrase_bars: int = 4

    def degree_at(self, beat: int) -> int:
        """The chord that holds at a beat."""
        return next((d for first, length, d in self.harmony if first <= beat < first + length), 0)

    def accent(self, beat: int, at: float) -> float:
        """Weight of a place: downbeats most, places between beats least."""
        if at > 0:
            return -0.5 * self.accented
        return self.accented if beat in self._downbeats else 0.1 * self.accented

    def __post_init__(self) -> None:
        self._downbeats = set(self.starts)


def bass_line(random: Random, score: Maker, part: int, style: str = "") -> list[Written]:
    style = style or str(random.choice(["roots", "roots", "walking", "pulse", "off", "two"]))
    notes = []
    for first, length, degree in score.harmony:
        root = near_pitch(chord_of(score.scale, score.tonic, degree)[0], 40)
        fifth = near_pitch(root + 7, 40)
        for k in range(length):
            if style == "roots" and k == 0:
                notes.append(Written(first, length * 0.95, root, part, score.accent(first, 0)))
            elif style == "walking" or (style == "two" and k % 2 == 0):
                step = root if k == 0 else int(random.choice([fifth, root + 12, root + 4, root + 2]))
                notes.append(
                    Written(first + k, 0.9 if style == "walking" else 1.8, step, part, score.accent(first + k, 0))
                )
            elif style in ("pulse", "off"):
                for at in (0.0, 1 / 3, 2 / 3) if score.compound else (0.0, 0.5):
                    if style == "off" and at == 0.0 and k > 0:
                        continue
                    notes.append(Written(first + k + at, 0.4, root, part, score.accent(first + k, at)))
    return notes


def comping(random: Random, score: Maker, part: int, style: str = "") -> list[Written]:
    """Chords in a rhythm that repeats by the bar: on beats, after them, syncopated, or broken."""
    style = style or str(random.choice(["held", "beats", "after", "syncopated", "broken", "oom-pah", "strummed"]))
    middle = float(random.uniform(54, 66))
    pool = (0.0, 1 / 3, 2 / 3) if score.compound else (0.0, 0.5, 0.25, 0.75)
    longest = max(score.lengths)
    pattern = [
        [at for at in pool if random.random() < (0.35 if at in (0.0, 0.5, 1 / 3, 2 / 3) else 0.1)]
        for _ in range(longest)
    ]
    notes = []
    for start, length in zip(score.starts, score.lengths, strict=True):
        for k in range(length):
            beat = start + k
            pitches = sorted(
                near_pitch(p, middle + 3 * i)
                for i, p in enumerate(chord_of(score.scale, score.tonic, score.degree_at(beat)))
            )
            changes = any(first == beat for first, _, _ in score.harmony)
            if style == "held":
                onsets = [(0.0, 2.0)] if changes else []
            elif style == "beats":
                onsets = [(0.0, 0.9)]
            elif style == "after":
                onsets = [(2 / 3 if score.compound else 0.5, 0.35)]
            elif style == "oom-pah":
                onsets = [(0.0, 0.4)] if k else []
            elif style == "strummed":
                onsets = [(at, 0.4) for at in (pool[:3] if score.compound else pool[:2])]
            elif style == "broken":
                step = 1 / 3 if score.compound else float(0.25 if longest < 4 else 0.5)
                order = [0, 1, 2, 1, 2, 1]
                for i, at in enumerate(np.arange(0, 0.999, step).tolist()):
                    pitch = pitches[order[(k * round(1 / step) + i) % len(order)] % len(pitches)]
                    notes.append(Written(beat + at, step * 1.1, pitch, part, score.accent(beat, at)))
                continue
            else:
                onsets = [(at, 0.4) for at in pattern[k]]
            for at, held in onsets:
                notes += [Written(beat + at, held, p, part, score.accent(beat, at)) for p in pitches]
    return notes


def _drums(random: Random, score: Maker) -> list[Written]:
    """A pattern that repeats by the bar, with fills."""
    longest = max(score.lengths)
    thirds = score.compound or random.random() < 0.12
    steps = 3 if thirds else int(random.choice([2, 2, 4]))
    keeper = int(random.choice([CLOSED, CLOSED, CLOSED, RIDE, OPEN]))
    backbeat = {2: [1], 3: [1, 2], 4: [1, 3], 5: [2, 4], 6: [2, 5], 7: [2, 4, 6]}[longest]
    if longest == 3 and random.random() < 0.5:
        backbeat = [2]
    if longest == 4 and random.random() < 0.2:
        backbeat = [2]
    kicks = {(0, 0)} | {
        (b, s) for b in range(longest) for s in range(steps) if random.random() < (0.3 if s == 0 else 0.14)
    }
    if random.random() < 0.2:
        kicks |= {(b, 0) for b in range(longest)}
    sparse = random.random() < 0.3
    notes = []
    for number, (start, length) in enumerate(zip(score.starts, score.lengths, strict=True)):
        filled = number % 4 == 3 and random.random() < 0.4
        for b in range(length):
            for s in range(steps):
                at = start + b + s / steps
                accent = score.accent(start + b, s / steps)
                if (b, s) in kicks and b not in backbeat and random.random() < 0.93:
                    notes.append(Written(at, 0.1, KICK, -1, accent))
                if b in backbeat and s == 0 and random.random() < 0.95:
                    notes.append(Written(at, 0.1, SNARE, -1, 0.3))
                elif random.random() < 0.05:
                    notes.append(Written(at, 0.1, int(random.choice([SNARE, RIM, TOM])), -1, -1.2))
                if (s == 0 or not sparse) and random.random() < 0.92:
                    notes.append(Written(at, 0.1, keeper, -1, accent - 0.5))
                if filled and b == length - 1:
                    notes.append(Written(at, 0.1, int(random.choice([SNARE, TOM, 48, 43])), -1, 0.0))
        if number % 4 == 0 and random.random() < 0.35:
            notes.append(Written(start, 0.1, CRASH, -1, 0.5))
    return notes


def _chorale(random: Random, score: Maker) -> list[Written]:
    """Four voices that move with the harmony, passing notes, long notes at the ends of phrases."""
    notes = []
    phrase = score.phrase_bars
    # Beats in three are heard as such by their thirds alone.
    busy = float(random.choice([0.3, 0.5, 0.7] if score.compound else [0.1, 0.3, 0.5]))
    for voice, middle in enumerate((43, 53, 60, 68)):
        held: Written | None = None
        for number, (start, length) in enumerate(zip(score.starts, score.lengths, strict=True)):
            for k in range(length):
                beat = start + k
                chord = chord_of(score.scale, score.tonic, score.degree_at(beat))
                wanted = chord[0] if voice == 0 else int(random.choice(chord))
                pitch = near_pitch(wanted, middle)
                closing = number % phrase == phrase - 1 and k >= length - 2
                if held and (
                    (closing and k == length - 1) or (held.pitch == pitch and random.random() < 0.45 and k > 0)
                ):
                    notes[-1] = held = Written(held.onset, beat + 1 - held.onset, held.pitch, held.part, held.accent)
                    continue
                held = Written(beat, 1.0, pitch, voice if voice < 2 else 2, score.accent(beat, 0))
                notes.append(held)
                if random.random() < busy and not closing:
                    at = float(random.choice([1 / 3, 2 / 3])) if score.compound else 0.5
                    notes[-1] = Written(beat, at, pitch, held.part, held.accent)
                    held = Written(beat + at, 1 - at, pitch + int(random.choice([-2, -1, 1, 2])), held.part, -0.3)
                    notes.append(held)
    return notes


def accompanying(random: Random, maker: Maker, texture: str) -> list[Written]:
    """Chords, bass and drums as a texture has them."""
    if texture == "accompaniment":
        # Bass on the bar, chords on or after the other beats.
        notes = comping(random, maker, 1, str(random.choice(["oom-pah", "oom-pah", "oom-pah", "after", "beats"])))
        return notes + bass_line(random, maker, 2, str(random.choice(["roots", "roots", "two"])))
    notes = comping(random, maker, 1)
    if texture != "figures" or random.random() < 0.5:
        notes += bass_line(random, maker, 2)
    return notes + _drums(random, maker) if texture == "band" else notes


def make_score(random: Random, beats: int, *, drums_alone: bool = False, accompaniment: bool = False) -> Score:
    """A score of about so many felt beats."""
    starts, lengths, compound = make_bars(random, beats, threes=0.45 if accompaniment else 0.0)
    total = starts[-1] + lengths[-1]
    swing = not compound and random.random() < 0.12
    phrase_bars = int(random.choice([2, 4, 4, 4, 8]))
    maker = Maker(
        beats=total, starts=starts, lengths=lengths, compound=compound,
        harmony=harmony_of(random, starts, lengths, phrase_bars), scale=SCALES[int(random.integers(len(SCALES)))],
        tonic=int(random.integers(57, 69)), divisions=divisions_of(random, compound, swing),
        rests=float(random.choice([0.03, 0.1, 0.25])), syncopation=float(random.choice([0.0, 0.05, 0.2])),
        accented=float(random.choice([0.0, 0.4, 1.0])), phrase_bars=phrase_bars,
    )  # fmt: skip
    texture = str(random.choice(list(TEXTURES), p=list(TEXTURES.values())))
    if drums_alone:
        texture, notes = "drums", _drums(random, maker)
    elif accompaniment:
        texture = "accompaniment"
        notes = melody_line(random, maker, 0, 60, 88) if random.random() < 0.5 else []
        notes += accompanying(random, maker, texture)
    elif texture == "chorale":
        notes = _chorale(random, maker)
    else:
        notes = melody_line(random, maker, 0, 60, 88) if random.random() < 0.9 else []
        notes += accompanying(random, maker, texture)
    return Score(tuple(notes), tuple(starts), tuple(lengths), compound, texture)
