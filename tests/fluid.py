"""An independent reader of SoundFonts, for tests: Debian's libfluidsynth through ctypes."""

import ctypes
import ctypes.util
from pathlib import Path

import numpy as np
import pytest
from scipy import signal as dsp

# The library lets no sound begin at once: its level rises over two buffers of 64 frames.
RISE_FRAMES = 128
# Its low-pass is always on, at the highest cutoff of the specification or below its sampling rate.
HIGHEST_CUTOFF_HZ, CUTOFF_SHARE, NO_RESONANCE_DB = 8.1758 * 2 ** (13500 / 1200), 0.45, -3.01
# Its volume controllers at their highest take a fifth of a dB off, rounding in its tables of 128 steps.
FULL_VOLUME, FULL_VOLUME_GAIN = 127, 0.9772


def play_key(bank: Path, key: int, frames: int, rate: int, velocity: int = 100) -> np.ndarray:
    """What the library makes of one key of a bank, (frames, 2), effects off and gain 1."""
    name = ctypes.util.find_library("fluidsynth")
    if name is None:
        pytest.fail("libfluidsynth is missing: apt-get install libfluidsynth3")
    lib = ctypes.CDLL(name)
    for maker in ("new_fluid_settings", "new_fluid_synth"):
        getattr(lib, maker).restype = ctypes.c_void_p
    settings = ctypes.c_void_p(lib.new_fluid_settings())
    for key_name, value in (("synth.gain", 1.0), ("synth.sample-rate", float(rate))):
        lib.fluid_settings_setnum(settings, key_name.encode(), ctypes.c_double(value))
    for key_name in ("synth.reverb.active", "synth.chorus.active"):
        lib.fluid_settings_setint(settings, key_name.encode(), 0)
    synth = ctypes.c_void_p(lib.new_fluid_synth(settings))
    assert lib.fluid_synth_sfload(synth, str(bank).encode(), 1) >= 0
    lib.fluid_synth_cc(synth, 0, 7, FULL_VOLUME)
    assert lib.fluid_synth_noteon(synth, 0, key, velocity) == 0
    left, right = (np.zeros(frames, np.float32) for _ in range(2))
    pointers = [side.ctypes.data_as(ctypes.c_void_p) for side in (left, right)]
    assert lib.fluid_synth_write_float(synth, frames, pointers[0], 0, 1, pointers[1], 0, 1) == 0
    lib.delete_fluid_synth(synth)
    lib.delete_fluid_settings(settings)
    return np.stack([left, right], axis=1)


def through_its_output(sound: np.ndarray, rate: int) -> np.ndarray:
    """A sound as the library's fixed output stage lets it through after its rise, (frames, channels)."""
    width = 10 ** (NO_RESONANCE_DB / 20)
    turn = 2 * np.pi * min(HIGHEST_CUTOFF_HZ, CUTOFF_SHARE * rate) / rate
    alpha = np.sin(turn) / (2 * width)
    scale = (1 - np.cos(turn)) / (1 + alpha) / np.sqrt(width)
    poles = [1.0, -2 * np.cos(turn) / (1 + alpha), (1 - alpha) / (1 + alpha)]
    return np.asarray(dsp.lfilter([scale / 2, scale, scale / 2], poles, sound, axis=0) * FULL_VOLUME_GAIN)
