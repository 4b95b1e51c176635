"""Our own winds, bows and pipes, made as unlike one another as real ones are.

Sampled banks hold a few instruments many times over. What recordings of others show and those do
not: fundamentals far under their octave, ranks of pipes or reeds an octave and a twelfth higher
that speak with every key, spectra that differ from note to note, slow attacks whose partials
come one after the other, breath and bow between the partials.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from training.attack import attack_delay_s
from training.performance import Performance, Struck

# Half the rate of the other sounds: the ears end at 10.9 kHz.
RATE = 22050
HIGHEST_HZ = 10_000.0
PARTIALS = np.arange(1, 25)
# Ranks beside the one that is written: semitones, how often an instrument has them. None an octave
# lower: they would teach that the lower of two octaves is not the note.
RANKS = ((12, 0.7), (19, 0.2), (24, 0.3))
# How far under its rank's strongest partial the fundamental may lie, in dB: lower, nothing tells the octave.
WEAKEST_DB = -32.0
SETTLES_S = 0.05
# Levels wander from chance to chance so many times a second.
UNSTEADY_HZ = 5.0
Sound = NDArray[np.float32]
Random = np.random.Generator


@dataclass(frozen=True)
class Rank:
    """One row of pipes, reeds or strings.

    Args:
        semitones: from the written pitch.
        level_db: against the others.
        partials_db: levels of the partials, before body and chance, (partials,).
        later_s: how much later it speaks than the first.
    """

    semitones: int
    level_db: float
    partials_db: NDArray[np.float64]
    later_s: float


@dataclass(frozen=True)
class WideVoice:
    """A made-up instrument that holds its notes.

    Args:
        ranks: what sounds with each key.
        body: resonances: Hz, height in dB, width in octaves; (resonances, 3).
        weak_below_hz: under it, levels fall by ``falls_db`` an octave.
        chance_db: spread of each partial from pitch to pitch.
        attack_s, later: rise of the first partial, and by what share of it each further one rises slower.
        swell_db: how far under its full level a note begins, and ``swell_s`` the time it takes.
        scoop: semitones from which notes slide up.
        vibrato: its depth in semitones and its rate in Hz.
        shimmer: by what share each partial swells and fades with the vibrato.
        unsteady_db: spread of the slow chances of the whole level.
        breath_db: noise round the partials against the note; ``chiff_db`` while it begins.
        release_s: time constant in which notes die.
        loudness: power of the velocity that levels follow.
    """

    ranks: tuple[Rank, ...]
    body: NDArray[np.float64]
    weak_below_hz: float
    falls_db: float
    chance_db: float
    attack_s: float
    later: float
    swell_db: float
    swell_s: float
    scoop: float
    vibrato: tuple[float, float]
    shimmer: float
    unsteady_db: float
    breath_db: float
    chiff_db: float
    release_s: float
    loudness: float
    seed: int


def _partials_db(random: Random) -> NDArray[np.float64]:
    falling = -float(random.uniform(2, 13)) * np.log2(PARTIALS)
    if random.random() < 0.25:
        falling[1::2] -= float(random.uniform(3, 35))
    return falling + random.normal(0, 3, len(PARTIALS))


def make_voice(random: Random, *, ranked: bool) -> WideVoice:
    """A random instrument; ``ranked`` gives it what organs and harmoniums have."""
    ranks = [Rank(0, 0.0, _partials_db(random), 0.0)]
    for semitones, often in RANKS if ranked else ():
        if random.random() < often:
            later_s = float(random.choice([0.0, 0.0, 0.01, 0.03]))
            ranks.append(Rank(semitones, float(random.uniform(-16, 3)), _partials_db(random), later_s))
    body = np.column_stack(
        [np.exp(random.uniform(np.log(180), np.log(3500), 4)), random.uniform(-8, 16, 4), random.uniform(0.2, 0.9, 4)]
    )
    slow = random.random() < 0.5
    return WideVoice(
        ranks=tuple(ranks),
        body=body,
        weak_below_hz=float(random.choice([0.0, random.uniform(80, 500)])),
        falls_db=float(random.uniform(4, 18)),
        chance_db=float(random.uniform(1, 6)),
        attack_s=float(random.uniform(0.03, 0.13) if slow else random.uniform(0.004, 0.03)),
        later=float(random.uniform(0, 0.25)),
        swell_db=float(random.choice([0.0, random.uniform(1, 9)])),
        swell_s=float(random.uniform(0.1, 0.6)),
        scoop=0.0 if ranked else float(random.choice([0.0, random.uniform(-0.6, 0.3)])),
        vibrato=(
            0.0 if ranked else float(random.choice([0.0, random.uniform(0.05, 0.4)])),
            float(random.uniform(4, 7)),
        ),
        shimmer=0.0 if ranked else float(random.choice([0.0, random.uniform(0.05, 0.5)])),
        unsteady_db=float(random.choice([0.0, random.uniform(0.5, 3.0)])),
        breath_db=float(random.uniform(-55, -22)),
        chiff_db=float(random.uniform(0, 14)),
        release_s=float(np.exp(random.uniform(np.log(0.015), np.log(0.12)))),
        loudness=float(random.uniform(1.2, 2.2)) if not ranked or random.random() < 0.3 else 0.0,
        seed=int(random.integers(1 << 31)),
    )  # fmt: skip


def _levels_db(voice: WideVoice, rank: Rank, hz: float, pitch: int) -> NDArray[np.float64]:
    """Levels of a rank's partials at a pitch, its strongest at its own level, (partials,)."""
    partial_hz = hz * PARTIALS
    levels = rank.partials_db.copy()
    for centre_hz, height_db, octaves in voice.body:
        levels += height_db * np.exp(-0.5 * (np.log2(partial_hz / centre_hz) / octaves) ** 2)
    if voice.weak_below_hz:
        levels -= voice.falls_db * np.maximum(0.0, np.log2(voice.weak_below_hz / partial_hz))
    levels += np.random.default_rng([voice.seed, pitch, rank.semitones + 48]).normal(0, voice.chance_db, len(levels))
    levels -= levels.max()
    levels[0] = max(levels[0], WEAKEST_DB)
    return levels + rank.level_db


def _noise(length: int, hz: float, random: Random) -> NDArray[np.float64]:
    """Noise that is strongest about the note's lower partials."""
    spectrum = np.fft.rfft(random.normal(size=length))
    frequency_hz = np.fft.rfftfreq(length, 1 / RATE)
    spectrum *= 1 / (1 + (frequency_hz / (4 * hz + 500)) ** 2)
    noise = np.fft.irfft(spectrum, length)
    return np.asarray(noise / max(float(np.sqrt(np.mean(noise**2))), 1e-9))


def note_of(voice: WideVoice, note: Struck, until_s: float, random: Random) -> Sound:
    """One note, from its beginning on."""
    time = np.arange(round((until_s - note.onset_s + 7 * voice.release_s) * RATE)) / RATE
    depth, rate_hz = voice.vibrato
    phase = 6.283 * rate_hz * time + float(random.uniform(0, 6.28))
    swaying, swaying_back = np.sin(phase).astype(np.float32), np.cos(phase).astype(np.float32)
    bend = depth * swaying * np.clip((time - 0.12) / 0.3, 0, 1) + voice.scoop * np.exp(-time / SETTLES_S)
    sound = np.zeros(len(time), np.float32)
    for rank in voice.ranks:
        hz = 440.0 * 2 ** ((note.pitch + rank.semitones - 69) / 12)
        turn = np.exp(1j * np.cumsum(6.283 * hz * 2 ** (bend / 12) / RATE) + 1j * float(random.uniform(0, 6.28)))
        turn = turn.astype(np.complex64)
        wave = np.ones(len(time), np.complex64)
        for partial, level_db in zip(
            PARTIALS.tolist(), _levels_db(voice, rank, hz, note.pitch).tolist(), strict=True
        ):
            wave *= turn
            if partial * hz > HIGHEST_HZ:
                break
            if level_db < -60:
                continue
            rises_s = voice.attack_s * (1 + voice.later * (partial - 1))
            first = round(rank.later_s * RATE)
            rise = np.clip((np.arange(len(time) - first) / RATE) / rises_s, 0, 1) ** 1.5
            own = (10 ** (level_db / 20) * rise * wave.real[first:]).astype(np.float32)
            if voice.shimmer:
                turned = float(random.uniform(0, 6.28))
                shimmer = np.cos(turned) * swaying[first:] + np.sin(turned) * swaying_back[first:]
                own *= 1 + np.float32(voice.shimmer) * shimmer.astype(np.float32)
            sound[first:] += own
    chances = np.interp(time * UNSTEADY_HZ, np.arange(64), voice.unsteady_db * random.normal(size=64))
    level = 10 ** ((chances - voice.swell_db * np.exp(-time / voice.swell_s)) / 20)
    own_rms = float(np.sqrt(np.mean(sound**2))) + 1e-9
    hz = 440.0 * 2 ** ((note.pitch - 69) / 12)
    breath_db = voice.breath_db + voice.chiff_db * np.exp(-time / SETTLES_S)
    rise = np.clip(time / (0.5 * voice.attack_s), 0, 1)
    sound = sound + own_rms * 10 ** (breath_db / 20) * rise * _noise(len(time), hz, random)
    dying = np.exp(-np.maximum(time - (until_s - note.onset_s), 0) / voice.release_s)
    gain = (note.velocity / 127) ** voice.loudness / (own_rms * 8)
    return np.asarray(sound * level * dying * gain, np.float32)


def render(voice: WideVoice, performance: Performance, random: Random) -> tuple[Sound, NDArray[np.float64]]:
    """Mono sound at ``RATE`` and when each note is heard to begin (s)."""
    last_s = max(n.offset_s for n in performance.notes) + 1.0
    sound = np.zeros(round(last_s * RATE), np.float32)
    onset_s = []
    for note in performance.notes:
        alone = note_of(voice, note, note.offset_s, random)
        first = round(note.onset_s * RATE)
        stop = min(first + len(alone), len(sound))
        sound[first:stop] += alone[: stop - first]
        onset_s.append(note.onset_s + attack_delay_s(alone, RATE))
    return sound, np.array(onset_s)
