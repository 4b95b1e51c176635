"""Syllables spoken by people of many languages, sung at made-up pitches: is each a note, and nothing within it?

    apt-get download klettres-data, then dpkg -x PACKAGE SYLLABLES
    pip install pyworld "setuptools<81"
    python -m bench.sung_syllables FOLDER SYLLABLES

A vocoder (Morise et al. 2016) takes each recording apart and puts it together again at the pitch of a note, its vowel
drawn out. A note counts where it begins with the vowel or with the voiced consonants before it.
"""

import os

os.environ.update(OMP_NUM_THREADS="1", OPENBLAS_NUM_THREADS="1")

import sys
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyworld
import soundfile
import soxr
from numpy.typing import NDArray
from scipy import signal as dsp

from bench.counted_notes import notes_in
from bench.sung import INTERVALS, SAME_SHARE, SHORTEST_S, SYLLABLES, Counted, Syllable

SONGS, RATE, FRAME_S = 28, 22050, 0.005
# Letters are spoken by name, often in two syllables, and are left out; so many syllables make a song.
SPEAKERS = "es pt_BR it lt uk ru hu de fr da en_GB en cs tn"
FEWEST, MOST = 4, 12
# Vowels have most of their power under this, hisses next to none.
VOWEL_HZ = 1200.0
# A vowel is within so much of the loudest; a syllable is one where its level falls by less between two of its peaks.
VOWEL_DB, DIP_DB, HEARD_DB = 5.0, 6.0, 35.0
# What is voiced has less noise than this, of one, under ``VOWEL_HZ``.
NOISY = 0.4
SHORTEST_VOWEL_S, LONGEST_BEFORE_S = 0.06, 0.35
Values = NDArray[np.float64]


@dataclass(frozen=True)
class Spoken:
    """A recorded syllable, a row every ``FRAME_S``, the rows where its parts begin, and its pitch."""

    envelope: Values
    noise: Values
    voiced: NDArray[np.bool_]
    first: int
    voice: int
    vowel: int
    closes: int
    last: int
    hz: float


def _level_db(sound: Values, frames: int) -> Values:
    power = np.interp(
        np.arange(frames) * FRAME_S,
        np.arange(len(sound)) / RATE,
        dsp.convolve(sound**2, np.full(330, 1 / 330), "same"),
    )
    return 10 * np.log10(np.maximum(power, 1e-10))


def spoken(path: Path) -> Spoken | None:
    """What a recording holds; nothing where it is not one plain syllable."""
    sound, rate = soundfile.read(path, always_2d=True)
    sound = np.ascontiguousarray(soxr.resample(sound.mean(axis=1), rate, RATE), float)
    pitch_hz, time_s = pyworld.harvest(sound, RATE, frame_period=1000 * FRAME_S, f0_floor=60, f0_ceil=500)
    envelope = pyworld.cheaptrick(sound, pitch_hz, time_s, RATE)
    noise = pyworld.d4c(sound, pitch_hz, time_s, RATE)
    sos = dsp.butter(4, VOWEL_HZ, fs=RATE, output="sos")
    heard_db, low_db = _level_db(sound, len(time_s)), _level_db(dsp.sosfiltfilt(sos, sound), len(time_s))
    below = round(VOWEL_HZ / RATE * 2 * (noise.shape[1] - 1))
    voiced = (pitch_hz > 0) & (noise[:, 1:below].mean(axis=1) < NOISY)
    strong = np.flatnonzero(voiced & (low_db > low_db[voiced].max(initial=-100) - VOWEL_DB))
    if not len(strong):
        return None
    vowel, closes = int(strong[0]), int(strong[-1])
    silent = np.flatnonzero(~voiced[:vowel] | (low_db[:vowel] < low_db[vowel] - 25))
    voice = int(silent[-1]) + 1 if len(silent) else 0
    first, last = (int(k) for k in np.flatnonzero(heard_db > heard_db.max() - HEARD_DB)[[0, -1]])
    one = low_db[vowel : closes + 1].min() > low_db[vowel : closes + 1].max() - VOWEL_DB - DIP_DB
    # After the vowel a voiceless end may follow, and no louder part.
    falls = np.diff(low_db[closes:last:4]).max(initial=0.0) < DIP_DB
    fits = closes - vowel >= SHORTEST_VOWEL_S / FRAME_S and vowel - first <= LONGEST_BEFORE_S / FRAME_S
    if not (one and falls and fits and voiced[vowel : closes + 1].all()):
        return None
    hz = float(np.median(pitch_hz[vowel : closes + 1]))
    return Spoken(
        envelope,
        noise,
        voiced,
        max(first - 2, 0),
        min(voice, vowel),
        vowel,
        closes,
        min(last + 2, len(time_s) - 1),
        hz,
    )


@dataclass(frozen=True)
class Singer:
    """How all notes of a song are sung: semitones and times of scoops, vibrato, and how notes are joined."""

    scoop: float
    vibrato: float
    vibrato_hz: float
    joined: bool


def _frames(syllable: Spoken, count: int, random: np.random.Generator) -> Values:
    """Which moment of the recording each frame of the note takes: the vowel in ``count``, the rest as it was."""
    vowel, closes = syllable.vowel, syllable.closes
    edge = (closes - vowel) // 3
    held = count - 2 * edge
    sway = np.cumsum(random.normal(size=held))
    sway -= np.linspace(sway[0], sway[-1], held)
    sway *= 0.15 * (closes - vowel - 2 * edge) / max(float(np.abs(sway).max()), 1e-9)
    middle = np.clip(np.linspace(vowel + edge, closes - edge, held) + sway, vowel, closes)
    around = np.arange(syllable.first, vowel + edge), np.arange(closes - edge, syllable.last)
    return np.concatenate([around[0], middle, around[1]])


def _line(frames: int, voice: int, vowel: int, came: float, singer: Singer, random: np.random.Generator) -> Values:
    """Semitones about the pitch of a note that is reached from ``came`` semitones away."""
    time_s = np.arange(frames) * FRAME_S
    since_s = np.maximum(time_s - voice * FRAME_S, 0)
    line = came * np.exp(-since_s / 0.025) - singer.scoop * (random.random() < 0.5) * np.exp(-since_s / 0.06)
    grown = np.clip((time_s - vowel * FRAME_S - 0.25) / 0.3, 0, 1)
    line += singer.vibrato * grown * np.sin(2 * np.pi * singer.vibrato_hz * time_s + random.uniform(0, 6))
    drift = np.convolve(np.cumsum(random.normal(size=frames)), np.ones(41) / 41, "same")
    drift -= drift.mean()
    return line + 0.12 * drift / max(float(np.abs(drift).max()), 1e-9)


def sing(syllables: list[Spoken], random: np.random.Generator) -> tuple[Values, list[Syllable]]:
    """Sound of a song and what is sung when."""
    own = float(np.median([s.hz for s in syllables]))
    centre = int(np.clip(round(69 + 12 * np.log2(own / 440)) + random.integers(0, 6), 43, 76))
    scoop, vibrato = float(random.choice([0, 0.5, 1.5])), float(random.choice([0, 0, random.uniform(0.1, 0.7)]))
    singer = Singer(scoop, vibrato, float(random.uniform(4.8, 6.4)), bool(random.random() < 0.6))
    longest_s, bins = float(random.choice([0.5, 1.0, 2.0, 4.0])), syllables[0].envelope.shape[1]
    rest = np.zeros(60), np.full((60, bins), 1e-12), np.ones((60, bins))
    parts, told, now, pitch = [rest], [], 60, centre
    for _ in range(SYLLABLES):
        before = pitch
        if random.random() > SAME_SHARE:
            pitch = int(np.clip(pitch + random.choice(INTERVALS), centre - 9, centre + 9))
        syllable = syllables[int(random.integers(len(syllables)))]
        lasts_s = float(np.exp(random.uniform(np.log(SHORTEST_S), np.log(longest_s))))
        at = _frames(syllable, max(round(lasts_s / FRAME_S), syllable.closes - syllable.vowel + 1), random)
        low, share = np.floor(at).astype(int), (at % 1)[:, None]
        high = np.minimum(low + 1, len(syllable.voiced) - 1)
        logs = np.log(syllable.envelope + 1e-16)
        loudness = 10 ** random.uniform(-0.4, 0.4) / syllable.envelope[syllable.vowel : syllable.closes].mean()
        envelope = loudness * np.exp((1 - share) * logs[low] + share * logs[high])
        noise = (1 - share) * syllable.noise[low] + share * syllable.noise[high]
        voice, vowel = syllable.voice - syllable.first, syllable.vowel - syllable.first
        came = before - pitch if singer.joined and told and random.random() < 0.5 else 0
        semitones = pitch + _line(len(at), voice, vowel, float(came), singer, random)
        parts.append((np.where(syllable.voiced[low], 440 * 2 ** ((semitones - 69) / 12), 0.0), envelope, noise))
        told.append(Syllable(*((now + k) * FRAME_S for k in (voice, vowel, len(at))), pitch))
        now += len(at)
        if random.random() < (0.1 if singer.joined else 0.5):
            pause = int(random.integers(10, 100))
            parts.append(tuple(np.resize(kind, (pause, *kind.shape[1:])) for kind in rest))
            now += pause
    parts.append(rest)
    hz, envelope, noise = (np.ascontiguousarray(np.concatenate([p[k] for p in parts])) for k in range(3))
    sound = pyworld.synthesize(hz, envelope, np.clip(noise, 0.001, 0.999999), RATE, 1000 * FRAME_S)
    return 0.6 * sound / np.abs(sound).max() + 3e-4 * random.normal(size=len(sound)), told


def main() -> None:
    folder, recorded = Path(sys.argv[1]), Path(sys.argv[2])
    folder.mkdir(parents=True, exist_ok=True)
    counted = Counted()
    speakers = SPEAKERS.split()
    for number in range(SONGS):
        random = np.random.default_rng(number)
        paths = sorted(recorded.glob(f"usr/share/klettres/{speakers[number % len(speakers)]}/syllab/*.ogg"))
        plain = (spoken(paths[i]) for i in random.permutation(len(paths)))
        syllables = [s for s, _ in zip((s for s in plain if s), range(MOST), strict=False)]
        if len(syllables) < FEWEST:
            continue
        path = folder / f"song-{number:02d}.wav"
        sound, sung = sing(syllables, random)
        soundfile.write(path, sound, RATE)
        notes = notes_in(path, "one")
        found = counted.add(sung, notes)
        print(f"{path.stem} {speakers[number % len(speakers)]} {found} of {len(sung)} in {len(notes)}", flush=True)
    counted.tell()


if __name__ == "__main__":
    main()
