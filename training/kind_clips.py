"""Clips that say what a take holds, beside those of notes: bands, produced songs, voices with consonants."""

from concurrent.futures import ProcessPoolExecutor

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.pitch import kind as kinds
from honest_stave.core.pitch import kind_measures
from honest_stave.core.pitch.hearing import hear, measure_all
from honest_stave.core.signal.listen import ListenSettings, prepare
from training import beat_clips, clips
from training.sampled import RATE

Sound = NDArray[np.float32]
# Clips with beats that no other fit has met, and what those of a texture hold.
FIRST_SEED, FIRST_SONG = 2000, 7500
HELD_BY_TEXTURE: dict[str, kinds.KindName] = {
    "band": "mix", "song": "mix", "drums": "drums",
    "no drums": "many", "figures": "many", "chorale": "many", "accompaniment": "many",
}  # fmt: skip
# Consonants: noise over these frequencies, which swells and falls within these times, so far under the voice.
HISS_HZ, HISS_RISE_S, HISS_S = (2500.0, 6500.0), (0.02, 0.09), (0.06, 0.2)
HISS_DB, HISSES_A_SECOND = (-36.0, -12.0), (0.3, 2.5)


def with_consonants(sound: Sound, random: np.random.Generator) -> Sound:
    """A voice, peak 1 or less, with hisses such as an s or an f has."""
    found = sound.copy()
    count = int(len(sound) / RATE * random.uniform(*HISSES_A_SECOND))
    for first in np.sort(random.integers(0, len(sound), count)).tolist():
        length = round(RATE * float(random.uniform(*HISS_S)))
        time_s = np.arange(length) / RATE
        spectrum = np.fft.rfft(random.standard_normal(length))
        hz = np.maximum(np.fft.rfftfreq(length, 1 / RATE), 1.0)
        hiss = np.fft.irfft(spectrum / (1 + (float(random.uniform(*HISS_HZ)) / hz) ** 6), length)
        rise_s = float(random.uniform(*HISS_RISE_S))
        swell = np.minimum(time_s / rise_s, 1.0) * np.minimum((time_s[-1] - time_s) / rise_s, 1.0)
        hiss *= swell / max(float(np.abs(hiss).max()), 1e-9)
        gain = float(np.abs(sound).max()) * 10 ** (float(random.uniform(*HISS_DB)) / 20)
        piece = found[first : first + length]
        piece += (gain * hiss[: len(piece)]).astype(np.float32)
    return found


def _measured(sound: Sound) -> NDArray[np.float64]:
    signal, _ = prepare(sound[:, None], RATE, ListenSettings())
    bands = measure_all(signal)
    return kind_measures.measures(bands, hear(bands))


def _together(seed: int) -> tuple[NDArray[np.float64], int]:
    clip = beat_clips.make_clip(seed, [], tuning=True)
    return _measured(clip.sound), kinds.KINDS.index(HELD_BY_TEXTURE[clip.texture])


def _voice(seed: int) -> tuple[NDArray[np.float64], int]:
    clip = clips.make_clip(seed, [], tuning=True)
    random = np.random.default_rng([23, seed])
    return _measured(with_consonants(clip.sound, random)), kinds.KINDS.index("one")


def measured_clips(together: int, voices: int, workers: int) -> tuple[NDArray[np.float64], NDArray[np.int64]]:
    """Measures of so many clips by seed, and what they hold as an index into ``KINDS``.

    Args:
        together: of bands, drums and instruments alone.
        voices: of voices with consonants.
        workers: processes.
    """
    with ProcessPoolExecutor(workers) as pool:
        rows = list(pool.map(_together, range(FIRST_SEED, FIRST_SEED + together)))
        rows += pool.map(
            _voice, range(clips.FIRST_SUNG_SEED + FIRST_SEED, clips.FIRST_SUNG_SEED + FIRST_SEED + voices)
        )
    return np.array([inputs for inputs, _ in rows]), np.array([held for _, held in rows])


def measured_songs(count: int, workers: int) -> NDArray[np.float64]:
    """Measures of so many produced songs."""
    with ProcessPoolExecutor(workers) as pool:
        return np.array([inputs for inputs, _ in pool.map(_together, range(FIRST_SONG, FIRST_SONG + count))])
