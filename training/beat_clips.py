"""Clips with beats by seed: a score in felt beats, a tempo that lives, hands, sounds and truth."""

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from training import sampled
from training.beat_alone import line_alone
from training.beat_scores import Score, Written, make_score
from training.beat_songs import make_song
from training.beat_tunes import Wider
from training.dress import dress
from training.performance import Performance, Struck, without_overlaps

LENGTH_S = 36.0
# Clips from these seeds on are drums alone, and accompaniments.
FIRST_DRUMS_SEED, FIRST_ACCOMPANIMENT_SEED = 600, 680
# Clips from this seed on, of all kinds, are in no training of the first network: the second hears how it fares.
FIRST_UNHEARD_SEED = 1000
# From this one on they are tunes and part songs, each of a wider choice, and bands.
FIRST_TUNES_SEED = 3000
# From these on they are produced songs: the first network learns from the first, and never meets the others.
FIRST_SONGS_SEED, FIRST_UNHEARD_SONGS_SEED = 6000, 8000
# From these on they are tunes and lines alone: the first network learns from the first, the second from the others.
FIRST_ALONE_SEED, FIRST_UNHEARD_ALONE_SEED = 10000, 12000
KINDS = {"any": 0.7, "drums": 0.1, "accompaniment": 0.2}
WIDER_KINDS = {"tune": 0.45, "part song": 0.3, "any": 0.15, "accompaniment": 0.07, "drums": 0.03}
SLOWEST_S, QUICKEST_S = 1.15, 0.32
# Songs are produced at a click, as a rule, and quicker than music is as a whole.
SONG_SLOWEST_S, SONG_QUICKEST_S = 0.78, 0.295
SONG_TEMPI = {"steady": 0.85, "drift": 0.15}
LINES_ALONE = 0.2
SONG_MELODIES = (0, 4, 25, 27, 29, 30, 52, 54, 56, 65, 73, 80, 81, 87)
SONG_CHORDS = (0, 4, 16, 25, 27, 28, 29, 29, 29, 30, 30, 30, 38, 48, 50, 51, 62, 80, 81, 88, 90)
SONG_KITS = (0, 0, 8, 16, 16, 24, 25)
TEMPI = {"steady": 0.27, "drift": 0.25, "rubato": 0.22, "slowing": 0.12, "quickening": 0.06, "jump": 0.08}
MELODIES = (0, 4, 11, 24, 40, 42, 56, 60, 64, 65, 68, 71, 73, 75, 80, 81, 82)
PLAYED_ALONE = (0, 4, 6, 11, 13, 21, 22, 24, 25, 26, 40, 41, 42, 46, 52, 53, 56, 60, 64, 65, 66, 68, 71, 72, 73, 74,
                75, 78, 79, 105, 109, 110)  # fmt: skip
CHORDS = (0, 1, 4, 5, 16, 19, 24, 25, 26, 27, 29, 48, 49, 61, 88, 90)
BASSES = (32, 33, 34, 35, 36, 38, 39, 43)
CHOIRS = (19, 16, 40, 42, 48, 49, 52, 53, 61, 68, 71, 0)
DRUM_BANK = 128
ONE_KIT_FONTS = ("OPL-3_FM_128M.sf2",)
# What begins this close to a beat begins on it.
ON_BEAT_S = 0.06
SILENCE = np.zeros(0, np.float32)


@dataclass(frozen=True)
class BeatClip:
    """Mono sound at 44.1 kHz and its felt beats, (beats,): moment, place in the bar from 0, beats of the bar."""

    sound: NDArray[np.float32]
    time_s: NDArray[np.float64]
    place: NDArray[np.int64]
    length: NDArray[np.int64]
    compound: bool
    texture: str
    tempo: str


def _beat_s(random: np.random.Generator, score: Score) -> float:
    """How long a beat of a score is as a rule."""
    base_s = float(np.exp(random.uniform(np.log(QUICKEST_S), np.log(SLOWEST_S))))
    return float(np.clip(base_s * 1.25, 0.4, 1.4)) if score.compound else base_s


def _beat_times(random: np.random.Generator, base_s: float, beats: int, tempo: str) -> NDArray[np.float64]:
    """Moments of the beats of a score from its first downbeat, at least ``beats`` + 1 of them."""
    place = np.arange(beats + 1)
    log = np.zeros(beats + 1)
    if tempo in ("drift", "rubato"):
        walk = np.cumsum(random.normal(0, 0.01 if tempo == "drift" else 0.02, beats + 1))
        log += walk - np.linspace(0, walk[-1], beats + 1) * 0.7
    if tempo == "rubato":
        phrase = float(random.choice([6, 8, 12, 16]))
        log += float(random.uniform(0.05, 0.18)) * np.cos(2 * np.pi * place / phrase + random.uniform(-0.6, 0.6))
        log += random.normal(0, 0.025, beats + 1)
    if tempo == "slowing":
        over = int(random.choice([4, 8, 16]))
        stop = beats - int(random.integers(0, 6))
        log += float(random.uniform(0.2, 0.6)) * np.clip((place - stop + over) / over, 0, 1) ** 1.5
    if tempo == "quickening":
        log -= float(random.uniform(0.15, 0.45)) * place / beats
    if tempo == "jump":
        at = int(random.integers(beats // 4, 3 * beats // 4))
        log[at:] += float(random.choice([-1, 1]) * random.uniform(0.12, 0.4))
    lengths = np.clip(base_s * np.exp(log), 0.26, 1.7)
    return float(random.uniform(0.05, 1.2)) + np.concatenate([[0.0], np.cumsum(lengths[:-1])])


def _played(
    random: np.random.Generator, notes: list[Written], beat_s: NDArray[np.float64], spread_s: float
) -> list[Struck]:
    """Notes at their moments, by hands."""
    places = np.arange(len(beat_s))
    loud, depth = float(random.uniform(60, 92)), float(random.uniform(4, 14))
    gate = float(random.choice([1.0, 0.95, 0.75]))
    rolled_s = float(random.choice([0.0, 0.0, 0.0, 0.012]))
    struck = []
    for note in notes:
        onset_s = float(np.interp(note.onset, places, beat_s)) + float(random.normal(0, spread_s))
        onset_s += rolled_s * float(random.random()) if note.part == 1 else 0.0
        offset_s = float(np.interp(note.onset + note.duration * gate, places, beat_s))
        velocity = int(np.clip(loud + depth * note.accent + random.normal(0, 6), 20, 125))
        struck.append(Struck(max(onset_s, 0.01), max(offset_s, onset_s + 0.06), note.pitch, velocity, note.part))
    return struck


def _delays(
    beat_s: NDArray[np.float64], font: str, programs: tuple[int, ...], notes: list[Struck], drums: tuple[Struck, ...]
) -> NDArray[np.float64]:
    """Seconds from each beat to where it is heard: nothing with a drum, else the middle of what begins on it."""
    delays = np.full(len(beat_s), np.nan)
    onset_s = np.array([n.onset_s for n in notes])
    struck_s = np.array([n.onset_s for n in drums])
    for i, beat in enumerate(beat_s.tolist()):
        if len(struck_s) and np.abs(struck_s - beat).min() < ON_BEAT_S:
            delays[i] = 0.0
            continue
        near = np.flatnonzero(np.abs(onset_s - beat) < ON_BEAT_S) if len(onset_s) else []
        if len(near):
            delays[i] = np.median(
                [sampled.heard_onset_s(font, programs[n.part], n) - n.onset_s for n in (notes[k] for k in near)]
            )
    known = np.flatnonzero(~np.isnan(delays))
    return np.interp(np.arange(len(beat_s)), known, delays[known]) if len(known) else np.zeros(len(beat_s))


def _kind(random: np.random.Generator, seed: int) -> str:
    """What the clip of a seed is: drums alone, accompaniment, a tune with one or alone, a part song, or any."""
    if seed >= FIRST_ALONE_SEED:
        return "line" if random.random() < LINES_ALONE else "alone"
    if seed >= FIRST_SONGS_SEED:
        return "song"
    if seed >= FIRST_TUNES_SEED:
        return str(random.choice(list(WIDER_KINDS), p=list(WIDER_KINDS.values())))
    if seed >= FIRST_UNHEARD_SEED:
        return str(random.choice(list(KINDS), p=list(KINDS.values())))
    if seed >= FIRST_ACCOMPANIMENT_SEED:
        return "accompaniment"
    return "drums" if seed >= FIRST_DRUMS_SEED else "any"


def _sound(
    random: np.random.Generator,
    font: str,
    programs: tuple[int, ...],
    played: Performance,
    drums: tuple[Struck, ...],
    kit: int,
) -> NDArray[np.float32]:
    sound = sampled.render(font, programs, played)
    if not drums:
        return sound
    beaten = sampled.render(font, (kit,), Performance(drums), bank=DRUM_BANK)
    both = np.zeros(max(len(sound), len(beaten)), np.float32)
    both[: len(sound)] = sound
    both[: len(beaten)] += float(10 ** (random.uniform(-9, 5) / 20)) * beaten
    return both


def make_clip(
    seed: int, borrowed: list[Score], *, tuning: bool = False, sounding: bool = True, wider: Wider | None = None
) -> BeatClip:
    """The clip of a seed; ``tuning`` takes the soundfont that is in no training; not ``sounding`` is only truth."""
    random = np.random.default_rng([21, int(tuning), seed])
    tempo = str(random.choice(list(TEMPI), p=list(TEMPI.values())))
    kind = _kind(random, seed)
    base_s = 0.0
    if kind == "song":
        tempo = str(random.choice(list(SONG_TEMPI), p=list(SONG_TEMPI.values())))
        base_s = float(np.exp(random.uniform(np.log(SONG_QUICKEST_S), np.log(SONG_SLOWEST_S))))
        score, spread_s = make_song(random, 140, 60 / base_s), float(random.uniform(0.0005, 0.012))
    elif kind == "accompaniment":
        score, spread_s = make_score(random, 120, accompaniment=True), float(random.uniform(0.001, 0.012))
    elif kind == "drums":
        score, spread_s = make_score(random, 120, drums_alone=True), float(random.uniform(0.001, 0.012))
    elif kind == "line":
        score, spread_s = line_alone(random), float(random.uniform(0.002, 0.02))
    elif wider and kind in ("tune", "part song", "alone"):
        kind = "unheard" if kind == "alone" and tuning else kind
        score = wider.drawn(random, kind)
        spread_s = float(random.uniform(0.002, 0.02))
    elif borrowed and random.random() < 0.3:
        score = borrowed[int(random.integers(len(borrowed)))]
        spread_s = float(random.uniform(0.002, 0.02))
    else:
        score = make_score(random, 120)
        spread_s = float(random.uniform(0.001, 0.016))
    if score.texture in ("band", "drums") and tempo == "rubato":
        tempo = "drift"
    beats = score.bar_starts[-1] + score.bar_beats[-1]
    beat_s = _beat_times(random, base_s or _beat_s(random, score), beats, tempo)
    font = sampled.TUNING_FONT if tuning else str(random.choice(sampled.TRAINED_FONTS))
    first_bar = int(random.integers(0, max(1, len(score.bar_starts) // 3)))
    first = score.bar_starts[first_bar]
    pickup = random.random() < 0.25
    begins = first - (int(random.integers(1, score.bar_beats[max(first_bar - 1, 0)] + 1)) if pickup and first else 0)
    if kind in ("tune", "part song", "alone", "unheard"):
        begins = max(begins, int(score.notes[0].onset))
    shift_s = beat_s[begins] - float(random.uniform(0.05, 1.0))
    beat_s = beat_s - shift_s
    notes = [
        n
        for n in score.notes
        if n.onset >= begins - 0.01 and np.interp(n.onset, np.arange(len(beat_s)), beat_s) < LENGTH_S - 0.3
    ]
    if score.texture == "chorale" or score.texture == "borrowed":
        one = int(random.choice(CHOIRS)) if random.random() < 0.65 else 0
        programs = (one,) * 3 if random.random() < 0.7 else tuple(int(random.choice(CHOIRS)) for _ in range(3))
    elif score.texture == "song":
        programs = tuple(int(random.choice(played)) for played in (SONG_MELODIES, SONG_CHORDS, BASSES))
    elif score.texture == "alone" and seed >= FIRST_ALONE_SEED:
        programs = (int(random.choice(PLAYED_ALONE)),) * 2
    elif score.texture == "accompaniment" and random.random() < 0.6:
        programs = (int(random.choice(CHORDS)),) * 3
    elif score.texture == "figures":
        programs = (int(random.choice([0, 0, 1, 2, 6, 24, 46])),) * 3
    else:
        programs = (int(random.choice(MELODIES)), int(random.choice(CHORDS)), int(random.choice(BASSES)))
    struck = _played(random, notes, beat_s, spread_s)
    melodic = without_overlaps([n for n in struck if n.part >= 0], (0.002, 0.02), random)
    pedal: tuple[tuple[float, float], ...] = ()
    if score.texture == "figures" and random.random() < 0.6:
        step = int(random.choice([1, 2, max(score.bar_beats[0], 2)]))
        changes = beat_s[::step]
        pedal = tuple((a + 0.05, b) for a, b in pairwise(changes) if 0 < a < LENGTH_S)
    drums = tuple(Struck(n.onset_s, n.offset_s, n.pitch, n.velocity) for n in struck if n.part < 0)
    attack_s = beat_s + _delays(beat_s, font, programs, melodic, drums)
    kit = int(random.choice(SONG_KITS)) if kind == "song" and font not in ONE_KIT_FONTS else 0
    sound = _sound(random, font, programs, Performance(tuple(melodic), pedal), drums, kit) if sounding else SILENCE
    inside = (np.arange(len(beat_s)) >= begins) & (beat_s < LENGTH_S - 0.3)
    last = max((n.onset for n in notes), default=0.0)
    inside &= np.arange(len(beat_s)) <= last + 0.5
    number = np.searchsorted(score.bar_starts, np.arange(len(beat_s)), side="right") - 1
    place = np.arange(len(beat_s)) - np.array(score.bar_starts)[number]
    return BeatClip(
        sound=dress(sound[: round((LENGTH_S + 1) * sampled.RATE)], sampled.RATE, random) if sounding else SILENCE,
        time_s=attack_s[inside],
        place=place[inside],
        length=np.array(score.bar_beats)[number][inside],
        compound=score.compound,
        texture=score.texture,
        tempo=tempo,
    )
