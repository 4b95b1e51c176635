"""Drum kits of our own making, by chance: skins, wires, metal and plain oscillators, softly struck and hard."""

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from training.one_shots import LONGEST_S, RATE, Kit, one_shot

Sound = NDArray[np.float32]
# Modes of an ideal round skin against its lowest (Rayleigh 1877).
SKIN_MODES = np.array([1.0, 1.594, 2.136, 2.296, 2.653, 2.918, 3.156, 3.6])
# Strengths at which a drum that answers to force is struck, and how many drums do.
STRENGTHS, LAYERED_SHARE = (0.3, 0.65, 1.0), 0.6
# Between the lowest and the highest of what hats sound, at least this ratio. Many are cut so that next to nothing is
# left under 10 kHz.
HAT_WIDTH = 1.25
# Metal stands on the floor beside skins: so many dB under it something low is heard with it, in such a share of kits.
LEAK_DB, LEAKING_SHARE = (26.0, 52.0), 0.7
METAL = ("hat", "open hat", "pedal hat", "ride", "crash")


class Maker:
    """Sounds of one kit, from one source of chance."""

    def __init__(self, random: np.random.Generator) -> None:
        self.random = random
        self.time_s = np.arange(round(LONGEST_S * RATE), dtype=np.float32) / np.float32(RATE)

    def between(self, low: float, high: float) -> float:
        """A number, evenly."""
        return float(self.random.uniform(low, high))

    def scaled(self, low: float, high: float) -> float:
        """A number, evenly by its logarithm."""
        return float(np.exp(self.random.uniform(np.log(low), np.log(high))))

    def rarely(self, share: float) -> bool:
        """True in a share of the cases."""
        return bool(self.random.random() < share)

    def fall(self, seconds: float) -> Sound:
        """An exponential fall."""
        return np.exp(-self.time_s / np.float32(seconds))

    def noise(self, low_hz: float, high_hz: float, steep: float = 4.0) -> Sound:
        """Noise between two frequencies, with its loudest sample about 1."""
        spectrum = np.fft.rfft(self.random.standard_normal(len(self.time_s), np.float32))
        hz = np.maximum(np.fft.rfftfreq(len(self.time_s), 1 / RATE), 1.0)
        spectrum *= 1 / (1 + (low_hz / hz) ** steep) / (1 + (hz / high_hz) ** steep)
        return loudest_one(np.fft.irfft(spectrum, len(self.time_s)))

    def swept(self, from_hz: float, to_hz: float, seconds: float) -> Sound:
        """A tone that falls from one pitch to another."""
        hz = to_hz + (from_hz - to_hz) * np.exp(-self.time_s / seconds)
        return np.sin(2 * np.pi * np.cumsum(hz.astype(np.float64)) / RATE).astype(np.float32)

    def modes(self, hz: NDArray[np.float64], fall_s: NDArray[np.float64], gain: NDArray[np.float64]) -> Sound:
        """Tones that die away, each at its own speed."""
        sound = np.zeros(len(self.time_s), np.float32)
        for f, s, g, phase in zip(hz, fall_s, gain, self.random.uniform(0, 6.28, len(hz)), strict=True):
            stop = min(len(sound), int(7 * s * RATE) + 1)
            time_s = self.time_s[:stop]
            sound[:stop] += (
                np.float32(g)
                * np.exp(-time_s / np.float32(s))
                * np.sin(np.float32(6.2832 * f) * time_s + np.float32(phase))
            )
        return loudest_one(sound)

    def skin(self, hz: float, fall_s: float, sweep: float) -> Sound:
        """A struck skin: its lowest mode slides, the others die sooner."""
        count = int(self.random.integers(2, len(SKIN_MODES) + 1))
        places = SKIN_MODES[1:count] * self.random.normal(1, 0.03, count - 1)
        gain = self.between(0.1, 0.8) * 0.7 ** np.arange(count - 1) * self.random.uniform(0.3, 1, count - 1)
        rest = self.modes(hz * places, fall_s * 0.5 / places, gain) if count > 1 else np.float32(0)
        lowest = self.swept(hz * sweep, hz, self.scaled(0.01, 0.08)) * self.fall(fall_s)
        return lowest + self.between(0.1, 0.7) * rest

    def metal(self, low_hz: float, high_hz: float, fall_s: float, count: int) -> Sound:
        """Many modes that agree on nothing, higher ones dying sooner or later than lower ones."""
        hz = np.exp(self.random.uniform(np.log(low_hz), np.log(high_hz), count))
        slope = self.between(-0.6, 0.3)
        fall = fall_s * (hz / np.sqrt(low_hz * high_hz)) ** slope * self.random.uniform(0.5, 1.5, count)
        return self.modes(hz, np.clip(fall, 0.004, 3.0), self.random.uniform(0.2, 1, count) ** 2)

    def squares(self, base_hz: float) -> Sound:
        """Square waves that agree on nothing, as cheap circuits make cymbals."""
        hz = base_hz * self.random.uniform(1, 3.2, 6)
        return np.sum([np.sign(np.sin(6.2832 * f * self.time_s)) for f in hz], axis=0).astype(np.float32) / 6

    def brass(self, low_hz: float, high_hz: float, fall_s: float, modes: int) -> Sound:
        """A cymbal of any kind: modes, noise and squares in any shares."""
        shares = self.random.dirichlet([1.0, 0.8, 0.4])
        tail = self.fall(fall_s) if self.rarely(0.7) else self.fall(fall_s * 1.6) * 0.4 + self.fall(fall_s / 4) * 0.6
        sound = shares[1] * self.noise(low_hz, high_hz) * tail
        if shares[0] > 0.1:
            sound = sound + shares[0] * self.metal(low_hz, high_hz, fall_s, modes)
        if shares[2] > 0.15:
            sound = sound + shares[2] * high_passed(self.squares(self.scaled(180, 700)), low_hz) * tail
        return np.asarray(sound, np.float32)

    def attack(self, low_hz: float, high_hz: float, fall_s: float) -> Sound:
        """The click of a stick or a beater."""
        return self.noise(low_hz, high_hz) * self.fall(fall_s)


def loudest_one(sound: NDArray[np.floating]) -> Sound:
    """The sound with its loudest sample 1."""
    return np.asarray(sound / max(float(np.abs(sound).max()), 1e-9), np.float32)


def high_passed(sound: Sound, low_hz: float) -> Sound:
    """What lies above a frequency."""
    spectrum = np.fft.rfft(sound)
    hz = np.maximum(np.fft.rfftfreq(len(sound), 1 / RATE), 1.0)
    return np.asarray(np.fft.irfft(spectrum / (1 + (low_hz / hz) ** 6), len(sound)), np.float32)


def kick(m: Maker) -> Sound:
    """A skin with a beater, or a swept tone; sometimes driven."""
    hz = m.scaled(38, 85)
    if m.rarely(0.5):
        body = m.skin(hz, m.scaled(0.025, 0.35), m.between(1.0, 1.8))
    else:
        body = m.swept(hz * m.scaled(1.3, 8), hz, m.scaled(0.006, 0.06)) * m.fall(m.scaled(0.03, 0.5))
    sound = body + m.between(0, 0.5) * m.attack(m.scaled(500, 3000), m.scaled(4000, 12000), m.scaled(0.002, 0.012))
    drive = m.scaled(1, 6)
    return np.tanh(drive * sound) if m.rarely(0.3) else sound


def snare(m: Maker) -> Sound:
    """A skin and its wires, from all skin to all wires; wires may sound on or stop at once."""
    shell = m.skin(m.scaled(130, 420), m.scaled(0.015, 0.16), m.between(1.0, 1.6))
    low_hz, high_hz = m.scaled(250, 4000), m.scaled(5000, 16000)
    tail = m.fall(m.scaled(0.012, 0.28))
    if m.rarely(0.3):
        tail = 0.6 * m.fall(m.scaled(0.01, 0.05)) + 0.4 * tail
    elif m.rarely(0.15):
        tail = tail * (m.time_s < m.scaled(0.06, 0.3))
    wires = m.noise(low_hz, high_hz, m.between(1.5, 6)) * tail
    stick = m.between(0, 0.6) * m.attack(1000, 10000, m.scaled(0.002, 0.008))
    return m.between(0.05, 1.0) * shell + m.between(0.25, 1.0) * wires + stick


def hats(m: Maker) -> dict[str, Sound]:
    """One pair of hats, closed, open and by the foot: the same metal, held more or less."""
    low_hz = m.scaled(1800, 12500)
    high_hz = max(m.scaled(9000, 20000), HAT_WIDTH * low_hz)
    closed_s, open_s = m.scaled(0.006, 0.11), m.scaled(0.12, 0.7)
    modes = int(m.random.integers(12, 60))
    closed, ringing = m.brass(low_hz, high_hz, closed_s, modes), m.brass(low_hz, high_hz, open_s, modes)
    stick = m.between(0, 0.5) * m.attack(m.scaled(1500, 6000), 15000, 0.003)
    duller_hz = max(0.7 * high_hz, 1.2 * low_hz)
    foot = m.brass(0.8 * low_hz, duller_hz, m.scaled(0.015, 0.07), modes) * (1 - m.fall(m.scaled(0.001, 0.006)))
    return {"hat": closed + stick, "open hat": ringing + stick, "pedal hat": 0.6 * foot}


def ride(m: Maker) -> Sound:
    """A ping over a wash, sometimes the bell."""
    low_hz = m.scaled(300, 6500)
    wash = m.brass(low_hz, m.scaled(7000, 16000), m.scaled(0.3, 1.5), int(m.random.integers(20, 70)))
    count = int(m.random.integers(2, 9))
    ping = m.metal(m.scaled(500, 2500), m.scaled(3000, 9000), m.scaled(0.08, 0.9), count)
    stick = m.attack(m.scaled(2000, 6000), 15000, m.scaled(0.002, 0.01))
    return m.between(0.15, 1.0) * wash + m.between(0.1, 1.0) * ping + m.between(0, 1.0) * stick


def crash(m: Maker) -> Sound:
    """Dense metal that blooms; splashes die soon."""
    fall_s = m.scaled(0.12, 0.35) if m.rarely(0.25) else m.scaled(0.4, 1.5)
    sound = m.brass(m.scaled(250, 3500), m.scaled(8000, 17000), fall_s, int(m.random.integers(40, 90)))
    bloom = 1 - m.between(0, 0.8) * m.fall(m.scaled(0.004, 0.03))
    return sound * bloom + m.between(0, 0.4) * m.attack(1500, 12000, 0.006)


def tom(m: Maker) -> Sound:
    """A skin, or a swept tone."""
    hz = m.scaled(60, 280)
    if m.rarely(0.7):
        body = m.skin(hz, m.scaled(0.08, 0.5), m.between(1.0, 1.35))
    else:
        body = m.swept(hz * m.scaled(1.1, 3), hz, m.scaled(0.02, 0.15)) * m.fall(m.scaled(0.08, 0.5))
    return body + m.between(0, 0.5) * m.attack(m.scaled(200, 1500), m.scaled(3000, 9000), m.scaled(0.002, 0.025))


def rim(m: Maker) -> Sound:
    """A short knock."""
    knock = m.metal(m.scaled(300, 1200), m.scaled(1500, 6000), m.scaled(0.006, 0.03), int(m.random.integers(2, 8)))
    return knock + m.between(0, 0.5) * m.attack(1500, 9000, 0.004)


def clap(m: Maker) -> Sound:
    """Several hands, and the room after them."""
    low_hz, high_hz = m.scaled(500, 1200), m.scaled(3000, 9000)
    apart_s = m.between(0.006, 0.016)
    bursts = np.zeros(len(m.time_s), np.float32)
    for k in range(int(m.random.integers(2, 5))):
        since = m.time_s - np.float32(k * apart_s)
        bursts += np.where(since >= 0, np.exp(-np.maximum(since, 0) / np.float32(0.008)), 0)
    return m.noise(low_hz, high_hz) * bursts + 0.7 * m.noise(low_hz, high_hz) * m.fall(m.scaled(0.04, 0.2))


def hand(m: Maker) -> Sound:
    """A small skin struck by a hand."""
    slap = m.between(0, 0.8) * m.attack(m.scaled(500, 2000), 8000, m.scaled(0.004, 0.02))
    return m.skin(m.scaled(90, 520), m.scaled(0.04, 0.3), m.between(1.0, 1.15)) + slap


def shaker(m: Maker) -> Sound:
    """Grains that swell and stop."""
    return m.noise(m.scaled(2500, 6000), 14000) * (1 - m.fall(m.scaled(0.004, 0.03))) * m.fall(m.scaled(0.02, 0.09))


def jingles(m: Maker) -> Sound:
    """Small plates that flutter."""
    flutter = 1 + 0.6 * np.sin(np.float32(6.2832 * m.between(18, 45)) * m.time_s)
    return m.metal(4000, 15000, m.scaled(0.06, 0.3), 40) * flutter + 0.3 * m.attack(2000, 12000, 0.02)


def bell(m: Maker) -> Sound:
    """Two tones of a cowbell, or one block of wood, or a triangle."""
    kind = int(m.random.integers(3))
    if kind == 0:
        hz = m.scaled(450, 900)
        return m.modes(np.array([hz, 1.5 * hz, 2.1 * hz, 3.3 * hz]), np.full(4, m.scaled(0.04, 0.25)), np.ones(4))
    if kind == 1:
        return m.modes(np.array([m.scaled(500, 2800)]), np.array([m.scaled(0.012, 0.06)]), np.ones(1))
    return m.metal(2500, 12000, m.scaled(0.4, 1.5), 9)


SINGLE: dict[str, tuple[Callable[[Maker], Sound], ...]] = {
    "kick": (kick,), "snare": (snare,), "ride": (ride,), "crash": (crash,), "tom": (tom,), "rim": (rim,),
    "clap": (clap,), "hand": (hand,), "other": (shaker, jingles, bell, bell),
}  # fmt: skip


def layers(m: Maker, sound: Sound) -> list[tuple[Sound, float]]:
    """The sound as it is struck softly and hard: softer strokes are duller."""
    sound = loudest_one(sound)
    if not m.rarely(LAYERED_SHARE):
        return [(sound, 1.0)]
    spectrum = np.fft.rfft(sound)
    above = np.log2(np.maximum(np.fft.rfftfreq(len(sound), 1 / RATE), 400) / 400)
    duller_db, power = m.between(0, 4), m.between(0.9, 1.6)
    found = []
    for strength in STRENGTHS:
        soft = np.fft.irfft(spectrum * 10 ** (-(1 - strength) * duller_db * above / 20), len(sound))
        found.append((loudest_one(soft) * np.float32(strength**power), strength))
    return found


def made_kit(random: np.random.Generator) -> Kit:
    """A kit of our own."""
    m = Maker(random)
    sounds = {role: makers[int(random.integers(len(makers)))](m) for role, makers in SINGLE.items()} | hats(m)
    if m.rarely(LEAKING_SHARE):
        leak = m.skin(m.scaled(50, 300), m.scaled(0.03, 0.2), 1.05) * np.float32(10 ** (-m.between(*LEAK_DB) / 20))
        sounds |= {role: loudest_one(sounds[role]) + leak for role in METAL}
    kit: Kit = {}
    for role, sound in sounds.items():
        strokes = [one_shot(np.asarray(s, np.float32), role, strength) for s, strength in layers(m, sound)]
        kit[role] = [stroke for stroke in strokes if stroke]
    return {role: strokes for role, strokes in kit.items() if strokes}
