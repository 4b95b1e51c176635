"""How loud each stroke of a drum is, by how much of the drum's own waveform is in it.

A drum struck again sounds much as before, sample for sample; what else sounds does not. So the
waveform that a drum's strokes share is found among them, and what of it is in each stroke is its
loudness, undisturbed by other drums (a matched filter, North 1943, that its own findings make better).
Strokes in which little of it is found say so.
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Values = NDArray[np.float64]
Floats = NDArray[np.float32]

# What is cut out begins so long before the attack; a drum lies off the attack of its hit, which another drum may have
# begun, by no more than the slack.
BEFORE_S, SLACK_S = 0.001, 0.004
# Sound beside it that is cut out too and faded, so that filters do not hear the ends of the cut.
MARGIN_S = 0.006
STEEPNESS = 8
# Strokes tried as the first guess of a waveform, and how often it is made better.
GUESSES, TURNS = 8, 3
# Strokes unlike the first waveform may have one of their own, when so much of it is in two of them at least.
UNLIKE, ALIKE, FEWEST_ALIKE = 0.35, 0.75, 2
# Strokes compared at once: bounds the memory of a long take.
BLOCK_STROKES = 384
LEAST_ENERGY = 1e-12
# Fewer strokes than this share no waveform that could be told from chance.
FEWEST_STROKES = 4
# Strokes less like the waveform are not measured by it, more like it by nothing else: on 96 fresh loops of kits in no
# training ranks were best so.
LIKE_FROM, LIKE_FULLY = 0.7, 0.95
# Strokes whose levels differ by less than this are even.
EVEN_DB = 0.3
# A drum whose measured strokes spread by so little is played evenly, by so much is not. Of the even ones those that
# cannot be measured are told louder or softer than the others by so much less: networks take for granted that what
# lies on a beat, with a kick, is louder. Of hats alone, where it was tried: kicks and snares have accents there.
EVENLY_DB, UNEVENLY_DB, HATS_EVENED = 1.5, 2.5, 0.7


@dataclass(frozen=True)
class OwnWave:
    """Where the waveform of a drum is looked for.

    Args:
        low_hz, high_hz: band in which it stands out.
        length_s: how much of it is compared.
        most: how many different ones a lane may hold.
        evened: how much of what sets strokes apart that cannot be measured is taken away where the others are even.
    """

    low_hz: float
    high_hz: float
    length_s: float
    most: int = 1
    evened: float = 0.0


# Kick, snare, hat, tom (high, middle and low ones in one lane) and cymbal.
OWN_WAVES = (
    OwnWave(0.0, 250.0, 0.08),
    OwnWave(200.0, 22050.0, 0.06),
    OwnWave(6000.0, 22050.0, 0.03, evened=HATS_EVENED),
    OwnWave(60.0, 1000.0, 0.08, most=3),
    OwnWave(4000.0, 22050.0, 0.1),
)


def velocities_by_wave(
    mono: Floats, rate: int, time_s: Values, counted: NDArray[np.bool_], velocity: Values
) -> Values:
    """Velocities of the strokes of each drum, made to follow the level of its own waveform, (hits, drums).

    Args:
        mono: full scale 1.
        rate: Hz.
        time_s: attacks, (hits,), rising.
        counted: which drums sound in each hit, (hits, drums).
        velocity: 1 to 127, as judged otherwise; its middle and its width stay, (hits, drums).
    """
    told = velocity.copy()
    for drum, own in enumerate(OWN_WAVES):
        strokes = np.flatnonzero(counted[:, drum])
        if len(strokes) >= FEWEST_STROKES:
            level_db, likeness = own_levels_db(mono, rate, time_s[strokes], own)
            told[strokes, drum] = _followed(velocity[strokes, drum], level_db, likeness, own.evened)
    return np.clip(told, 1, 127)


def _followed(velocity: Values, level_db: Values, likeness: Values, evened: float) -> Values:
    sure = np.clip((likeness - LIKE_FROM) / (LIKE_FULLY - LIKE_FROM), 0, 1)
    if sure.sum() < FEWEST_ALIKE:
        return velocity
    middle_db, middle = (np.average(v, weights=sure) for v in (level_db, velocity))
    wide_db, wide = (
        np.sqrt(np.average((v - m) ** 2, weights=sure)) for v, m in ((level_db, middle_db), (velocity, middle))
    )
    followed = middle + (level_db - middle_db) * wide / max(wide_db, EVEN_DB)
    unsure = 1 - sure
    evenly = float(np.clip((UNEVENLY_DB - wide_db) / (UNEVENLY_DB - EVENLY_DB), 0, 1))
    apart = np.average(velocity, weights=unsure) - middle if unsure.any() else 0.0
    return np.asarray(unsure * (velocity - evened * evenly * apart) + sure * followed)


def own_levels_db(mono: Floats, rate: int, time_s: Values, own: OwnWave) -> tuple[Values, Values]:
    """Level of the drum's own waveform in each of its strokes, and how much of the stroke that is.

    Args:
        mono: full scale 1.
        rate: Hz.
        time_s: attacks of the drum's strokes, (strokes,), rising.
        own: where to look.

    Returns:
        Levels in dB, comparable among the strokes, and the likeness of each to the waveform, 0 to 1.
    """
    parts = [
        _levels_db(_Cut(mono, rate, time_s[first : first + BLOCK_STROKES], own), own.most)
        for first in range(0, len(time_s), BLOCK_STROKES)
    ]
    return np.concatenate([level for level, _ in parts]), np.concatenate([likeness for _, likeness in parts])


class _Cut:
    """Strokes cut out of a take, in their band, ready to be compared with a waveform at any lag within the slack."""

    def __init__(self, mono: Floats, rate: int, time_s: Values, own: OwnWave) -> None:
        slack, margin = round(SLACK_S * rate), round(MARGIN_S * rate)
        self.length, self.lags = round(own.length_s * rate), 2 * slack + 1
        wide = self.length + self.lags - 1
        first = np.round((time_s - BEFORE_S) * rate).astype(int) - slack - margin
        at = first[:, None] + np.arange(wide + 2 * margin)
        heard = np.where((at >= 0) & (at < len(mono)), mono[np.clip(at, 0, len(mono) - 1)], np.float32(0))
        fade = (np.arange(1, margin + 1) / margin).astype(np.float32)
        heard[:, :margin] *= fade
        heard[:, -margin:] *= fade[::-1]
        size = _power_of_two(heard.shape[1])
        banded = np.fft.irfft(np.fft.rfft(heard, size) * _band(size, rate, own), size)
        self.sound = banded[:, margin : margin + wide].astype(np.float32)
        self.size = _power_of_two(wide)
        self.spectrum = np.fft.rfft(self.sound, self.size)
        summed = np.cumsum(np.pad(self.sound.astype(np.float64) ** 2, ((0, 0), (1, 0))), axis=1)
        self.energy = summed[:, self.length :] - summed[:, : self.lags] + LEAST_ENERGY

    def amounts(self, wave: Floats) -> tuple[Values, NDArray[np.int64], Values]:
        """How much of a waveform of unit energy is in each stroke, at which lag, and its share of the stroke."""
        turned = np.conj(np.fft.rfft(wave, self.size))
        found = np.fft.irfft(self.spectrum * turned, self.size)[:, : self.lags].astype(np.float64)
        rows = np.arange(len(found))
        lag = found.argmax(axis=1)
        amount = np.maximum(found[rows, lag], 0.0)
        return amount, lag, np.minimum(amount / np.sqrt(self.energy[rows, lag]), 1.0)

    def at(self, lag: NDArray[np.int64]) -> Floats:
        """Each stroke from its lag on, (strokes, samples)."""
        return np.take_along_axis(self.sound, lag[:, None] + np.arange(self.length), axis=1)


def _power_of_two(length: int) -> int:
    return 1 << (length - 1).bit_length()


def _band(size: int, rate: int, own: OwnWave) -> Floats:
    hz = np.fft.rfftfreq(size, 1 / rate)
    over = 1 - 1 / (1 + (hz / own.low_hz) ** STEEPNESS) if own.low_hz else np.ones(len(hz))
    return np.asarray(over / (1 + (hz / own.high_hz) ** STEEPNESS), np.float32)


def _levels_db(cut: _Cut, most: int) -> tuple[Values, Values]:
    amount, likeness = np.zeros(len(cut.sound)), np.zeros(len(cut.sound))
    left = np.arange(len(cut.sound))
    for number in range(most):
        if len(left) < FEWEST_ALIKE and number:
            break
        found, alike = _shared(cut, left)
        better = left if number == 0 else left[alike[left] > ALIKE]
        amount[better], likeness[better] = found[better], alike[better]
        left = np.flatnonzero(likeness < UNLIKE)
    return 20 * np.log10(np.maximum(amount, np.sqrt(LEAST_ENERGY))), likeness


def _shared(cut: _Cut, among: NDArray[np.int64]) -> tuple[Values, Values]:
    """How much of the waveform that some strokes share is in each of all, and its share of each."""
    middle = np.full(len(cut.sound), cut.lags // 2)
    loudest = among[np.argsort(-cut.energy[among, cut.lags // 2], kind="stable")]
    guesses = loudest[np.unique(np.linspace(0, len(loudest) - 1, GUESSES).astype(int))]
    waves = _of_unit_energy(cut.at(middle)[guesses])
    half = max(FEWEST_ALIKE, len(among) // 2)
    wave = max(waves, key=lambda w: float(np.sort(cut.amounts(w)[2][among])[-half:].mean()))
    for _ in range(TURNS):
        amount, lag, likeness = cut.amounts(wave)
        # Strokes with much of it say how it is: what else sounds in the others would stay in it.
        weight = (amount * likeness**4)[among].astype(np.float32)
        wave = _of_unit_energy((weight @ cut.at(lag)[among])[None])[0]
    amount, _, likeness = cut.amounts(wave)
    return amount, likeness


def _of_unit_energy(waves: Floats) -> Floats:
    return np.asarray(waves / np.maximum(np.linalg.norm(waves, axis=1, keepdims=True), 1e-9), np.float32)
