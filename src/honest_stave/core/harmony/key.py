"""Key and scale of notes, with the runner-up.

Major and minor are told apart by how long each of the twelve pitches sounds, compared with
profiles of music in known keys (Krumhansl and Kessler 1982, as revised by Temperley 1999);
the bass speaks for the tonic, above all one that begins and ends the music, and a little the
last notes do. Scales are judged by what they
hold and what they need not hold.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.harmony.spelling import Mode, names_in, tonic_name

Profile = NDArray[np.float64]

MAJOR = np.array([5.0, 2.0, 3.5, 2.0, 4.5, 4.0, 2.0, 4.5, 2.0, 3.5, 1.5, 4.0])
MINOR = np.array([5.0, 2.0, 3.5, 4.5, 2.0, 4.0, 2.0, 4.5, 3.5, 2.0, 1.5, 4.0])
SCALES: dict[str, tuple[int, ...]] = {
    "major": (0, 2, 4, 5, 7, 9, 11),
    "natural minor": (0, 2, 3, 5, 7, 8, 10),
    "harmonic minor": (0, 2, 3, 5, 7, 8, 11),
    "melodic minor": (0, 2, 3, 5, 7, 9, 11),
    "dorian": (0, 2, 3, 5, 7, 9, 10),
    "phrygian": (0, 1, 3, 5, 7, 8, 10),
    "lydian": (0, 2, 4, 6, 7, 9, 11),
    "mixolydian": (0, 2, 4, 5, 7, 9, 10),
    "major pentatonic": (0, 2, 4, 7, 9),
    "minor pentatonic": (0, 3, 5, 7, 10),
    "blues": (0, 3, 5, 6, 7, 10),
    "whole-tone": (0, 2, 4, 6, 8, 10),
    "octatonic": (0, 1, 3, 4, 6, 7, 9, 10),
}
# A pitch that sounds less than this share of the time belongs to no scale.
LEAST_SHARE = 0.02
# What a scale loses for each of its notes that never sounds, and for what sounds beside it.
UNUSED_PRICE, BESIDE_PRICE = 0.05, 2.0
# Weight of the lowest voice and of the last stroke against all sounding time: a loop often ends on the dominant.
BASS_WEIGHT, LAST_WEIGHT = 0.6, 0.1
# Weight of a bass that begins and ends the music: a loop that ends on the dominant began elsewhere.
FRAMED_WEIGHT = 0.2
SAME_STROKE_S = 0.1
# Sounding times are compared as roots: that a pitch is heard says more than how long or by how many.
TIME_POWER = 0.5
# Longest time a note counts: a pedal point must not decide alone.
LONGEST_S = 2.0


@dataclass(frozen=True)
class Named:
    """A key or a scale: tonic 0 (C) to 11, its name, its share against the others."""

    tonic: int
    name: str
    share: float

    @property
    def mode(self) -> Mode:
        """Whether its third is major."""
        return "major" if 4 in SCALES.get(self.name, (3,)) else "minor"

    @property
    def text(self) -> str:
        return f"{tonic_name(self.tonic, self.mode)} {self.name}"


@dataclass(frozen=True)
class Tonality:
    """Key (major or minor) and scale, each with its runner-up, and the pitches that sound.

    Args:
        key, other_key: best and second, None where nothing sounds.
        scale, other_scale: best and second.
        sounding: share of the sounding time of each of the twelve pitches, C first.
    """

    key: Named | None
    other_key: Named | None
    scale: Named | None
    other_scale: Named | None
    sounding: tuple[float, ...]

    @property
    def names(self) -> tuple[str, ...]:
        """The twelve pitches, C first, as they are called in the key; in C where nothing sounds."""
        return names_in(self.key.tonic, self.key.mode) if self.key else names_in(0, "major")


def sounding_time(onset_s: NDArray[np.float64], offset_s: NDArray[np.float64], pitch: NDArray[np.int64]) -> Profile:
    """Share of the sounding time of each of the twelve pitches, (12,)."""
    length_s = np.clip(offset_s - onset_s, 0.0, LONGEST_S)
    total = np.bincount(pitch % 12, length_s, minlength=12)
    return np.asarray(total / max(float(total.sum()), 1e-9))


def find_tonality(onset_s: NDArray[np.float64], offset_s: NDArray[np.float64], pitch: NDArray[np.int64]) -> Tonality:
    """Key and scale of notes.

    Args:
        onset_s, offset_s, pitch: the notes in order of onset, (notes,).
    """
    shares = sounding_time(onset_s, offset_s, pitch)
    if len(pitch) == 0:
        return Tonality(None, None, None, None, tuple(shares.tolist()))
    lowest = pitch <= np.percentile(pitch, 30)
    bass = sounding_time(onset_s[lowest], offset_s[lowest], pitch[lowest])
    final = onset_s >= onset_s[-1] - SAME_STROKE_S
    opening, closing = pitch[onset_s <= onset_s[0] + SAME_STROKE_S].min(), pitch[final].min()
    framed = np.arange(12) == opening % 12 if opening % 12 == closing % 12 else np.zeros(12)
    last = sounding_time(onset_s[final], offset_s[final], pitch[final])
    fit = np.array(
        [
            np.corrcoef(np.roll(profile, tonic), shares**TIME_POWER)[0, 1]
            + BASS_WEIGHT * (bass[tonic] - bass.mean())
            + LAST_WEIGHT * (last[tonic] - last.mean())
            + FRAMED_WEIGHT * framed[tonic]
            for profile in (MAJOR, MINOR)
            for tonic in range(12)
        ]
    )
    keys = _ranked(fit, [(tonic, name) for name in ("major", "minor") for tonic in range(12)], sharpness=12.0)
    tonic_gain = np.array([max(fit[t], fit[12 + t]) for t in range(12)])
    scales = [(tonic, name) for name in SCALES for tonic in range(12)]
    heard = shares >= LEAST_SHARE
    scale_fit = np.array([_scale_fit(SCALES[n], t, shares, heard) + 0.3 * tonic_gain[t] for t, n in scales])
    ranked = _ranked(scale_fit, scales, sharpness=14.0)
    return Tonality(keys[0], keys[1], ranked[0], ranked[1], tuple(shares.tolist()))


def _scale_fit(steps: tuple[int, ...], tonic: int, shares: Profile, heard: NDArray[np.bool_]) -> float:
    member = np.zeros(12, bool)
    member[(np.array(steps) + tonic) % 12] = True
    return float(
        shares[tonic] - BESIDE_PRICE * shares[~member].sum() - UNUSED_PRICE * np.count_nonzero(member & ~heard)
    )


def _ranked(fit: Profile, names: list[tuple[int, str]], *, sharpness: float) -> list[Named]:
    weight = np.exp(sharpness * (fit - fit.max()))
    weight /= weight.sum()
    order = np.argsort(-fit, kind="stable")[:2]
    return [Named(names[i][0], names[i][1], float(weight[i])) for i in order]
