"""Renders events with the built-in instruments, as the browser's player does."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from honest_stave.core.part.events import Sounding
from honest_stave.core.signal.convert import pitch_to_hz
from honest_stave.core.sound.instruments import RATE, Instrument

# Beyond this amplitude the output bends over smoothly and never reaches full scale.
SOFT_FROM = 0.8


def velocity_gain(velocity: int) -> float:
    """Amplitude of a velocity: the square law, so that 40 dB lie between 13 and 127."""
    return (velocity / 127.0) ** 2


def soft_limit(sound: NDArray[np.float64]) -> NDArray[np.float64]:
    """Leaves what is under ``SOFT_FROM`` alone and keeps everything under full scale."""
    over = np.abs(sound) - SOFT_FROM
    room = 1.0 - SOFT_FROM
    bent = np.sign(sound) * (SOFT_FROM + room * np.tanh(np.maximum(over, 0.0) / room))
    return np.where(over > 0, bent, sound)


def render_note(instrument: Instrument, note: Sounding) -> NDArray[np.float64]:
    """One note from its onset, release included, (frames,) at 44.1 kHz."""
    sample = instrument.samples[instrument.sample_for(note.pitch)]
    held_s = note.offset_s - note.onset_s
    frames = int((held_s + instrument.release_s) * RATE)
    time = np.arange(frames) / RATE
    cents = np.zeros(frames)
    for moment_s, value in note.bends:
        cents[max(0, round((moment_s - note.onset_s) * RATE)) :] = value
    speed = pitch_to_hz(note.pitch + cents / 100.0) / sample.root_hz
    place = np.concatenate([[0.0], np.cumsum(speed)[:-1]])
    if sample.loop_end:
        length = sample.loop_end - sample.loop_start
        over = place >= sample.loop_end
        place = np.where(over, sample.loop_start + np.mod(place - sample.loop_start, length), place)
        data = np.append(sample.data, sample.data[sample.loop_start])
    else:
        data = np.append(sample.data, np.zeros(1, np.float32))
    sound = np.interp(place, np.arange(len(data)), data, right=0.0)
    attack = np.minimum(1.0, time / instrument.attack_s)
    release = np.clip(1.0 - (time - held_s) / instrument.release_s, 0.0, 1.0)
    return np.asarray(velocity_gain(note.velocity) * sound * attack * release)


def render(instrument: Instrument, notes: Sequence[Sounding], seconds: float) -> NDArray[np.float32]:
    """Renders ``notes`` of one part from moment 0, (frames,) at 44.1 kHz, under full scale."""
    out = np.zeros(int(seconds * RATE))
    for note in notes:
        first = round(note.onset_s * RATE)
        sound = render_note(instrument, note)[: max(0, len(out) - first)]
        out[first : first + len(sound)] += sound
    return soft_limit(out).astype(np.float32)
